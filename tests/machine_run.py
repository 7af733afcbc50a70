"""A program streamed to the stand-in in simulated time: both ends, the line between them, and what may go wrong on it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from archimetra.machine.standin.controller import Build, StandIn
from archimetra.machine.streaming import ENDS, Stream

STEP_S = 0.004


def ready(build: Build | None = None, *, zero=(100.0, 100.0, -50.0)) -> StandIn:
    """A machine that is homed, stands over its zero and knows it."""
    machine = StandIn(build or Build(needs_home=False))
    machine.motion.put(zero)
    machine.zero = zero
    machine.motion.log.clear()
    return machine


def run(
    lines: Sequence[str],
    machine: StandIn,
    *,
    stream: Stream | None = None,
    there: Callable[[bytes], bytes] = lambda data: data,
    back: Callable[[bytes], bytes] = lambda data: data,
    each: Callable[[float, Stream, StandIn], None] = lambda now, stream, machine: None,
    step: float = STEP_S,
    most_s: float = 3600.0,
) -> Stream:
    """Until the stream has ended and the machine stands. ``there`` and ``back`` are the line."""
    stream = stream or Stream(lines)
    stream.start()
    now = 0.0
    while now < most_s:
        machine.receive(there(stream.pull()))
        machine.advance(step)
        now += step
        stream.take(back(machine.take_said()))
        stream.tick(now)
        each(now, stream, machine)
        if stream.state in ENDS and not stream.is_settling and (machine.motion.is_still or machine.motion.is_done):
            machine.receive(stream.pull())
            for _ in range(200):
                machine.advance(step)
            return stream
    raise AssertionError(
        f"still {stream.state} after {most_s} s: {stream.sent} sent, {stream.taken} taken, it is {machine.doing}"
    )


def path_of(machine: StandIn) -> np.ndarray:
    """Where it went, in board or file coordinates (n, 3)."""
    log = np.array([row[1:4] for row in machine.motion.log]).reshape(-1, 3)
    return log - np.array(machine.zero)
