"""Commands about the machine: the stand-in, and going on with a program that was broken off."""

from __future__ import annotations

import argparse
import os
from contextlib import ExitStack
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, TextIO

if TYPE_CHECKING:
    from archimetra.machine.standin.controller import StandIn


def add_parsers(commands: Any) -> None:
    standin = commands.add_parser(
        "stand-in", help="a machine that is not there, to try everything without one: speaks as a control does"
    )
    standin.add_argument(
        "--tcp",
        type=int,
        metavar="PORT",
        help="on a port of this computer (0: any free one); a pseudo-terminal without",
    )
    standin.add_argument("--host", default="127.0.0.1", help="whom the port is open to; this computer alone by default")
    standin.add_argument("--travel", default="610x610x90", metavar="XxYxZ", help="mm")
    standin.add_argument(
        "--speed", type=float, default=1.0, metavar="TIMES", help="time passes so many times faster for it"
    )
    standin.add_argument(
        "--fault",
        action="append",
        default=[],
        metavar="WHAT@WHEN",
        help="misbehave: drop@200 (bytes), reset@5s, cut@300, limit@3s, …",
    )
    standin.add_argument(
        "--log",
        type=Path,
        metavar="FILE",
        help="every motion it makes, a line each: seconds, x, y, z in mm, number of the line",
    )
    standin.add_argument(
        "--with-parent", action="store_true", help="end with the program that started it, as the Machine page does"
    )
    standin.add_argument(
        "--terse",
        action="store_true",
        help="a control that tells little of itself, takes in little, and counts below zero",
    )
    standin.add_argument("--unlocked", action="store_true", help="it need not be homed first")
    go_on = commands.add_parser("go-on", help="what is left of a G-code file that was broken off, as a file of its own")
    go_on.add_argument("file", type=Path)
    go_on.add_argument("--done", type=int, required=True, metavar="LINE", help="the last line that is certainly done")
    go_on.add_argument(
        "--out", type=Path, metavar="FILE", help="where to write it; without, the places to begin are listed"
    )
    go_on.add_argument("--start", type=int, metavar="LINE", help="one of the places listed; the latest by default")
    go_on.add_argument(
        "--top", type=float, default=0.0, metavar="Z", help="height of the wood's top in the file's zero, mm"
    )
    go_on.add_argument(
        "--park", type=float, default=30.0, metavar="Z", help="height to go up to first, in the file's zero, mm"
    )


def go_on(options: argparse.Namespace) -> int:
    """``archimetra go-on``."""
    from math import isfinite

    from archimetra.base.errors import ArchimetraError
    from archimetra.base.files import write_safely
    from archimetra.cli_job import UsageError
    from archimetra.engine.programs import program_text
    from archimetra.machine.course import from_zero
    from archimetra.machine.going_on import remainder, starts_of

    if not (isfinite(options.top) and isfinite(options.park)) or options.park <= options.top:
        raise UsageError("--park is a height above --top, mm.")
    text = program_text(options.file)
    starts = starts_of(from_zero(text, None), top=options.top, done=options.done)
    if not starts:
        raise ArchimetraError(
            f"Up to line {options.done} of {options.file.name} the bit was never about to go down: run the whole file again."
        )
    if options.out is None:
        for one in starts:
            x, y, z = one.at
            print(f"line {one.line}: X {x:.3f} Y {y:.3f}, Z {z:.3f}{f', {one.words}' if one.words else ''}")
        return 0
    start = next((one for one in starts if options.start in (None, one.line)), None)
    if start is None:
        raise UsageError(f"--start {options.start} is no place to begin; leave --out away and they are listed.")
    write_safely(options.out, remainder(text, start, park=options.park).encode("ascii", "replace"))
    print(options.out)
    return 0


def stand_in(options: argparse.Namespace) -> int:
    """``archimetra stand-in``."""
    from archimetra.cli_job import UsageError
    from archimetra.job.quantities import QuantityError, parse_number
    from archimetra.machine.standin.controller import TERSE, Build, StandIn
    from archimetra.machine.standin.faults import Faulty, read_fault
    from archimetra.machine.standin.server import Served

    try:
        x, y, z = (parse_number(part) for part in options.travel.split("x"))
    except (QuantityError, ValueError) as error:
        raise UsageError(f"--travel {options.travel} is no travel; write 610x610x90.") from error
    if min(x, y, z) <= 0 or not 0 < options.speed <= 1000:
        raise UsageError("A machine travels some way, and time passes 0 to 1000 times as fast.")
    if options.tcp is not None and not 0 <= options.tcp <= 65535:
        raise UsageError("--tcp is a port, 0 to 65535.")
    try:
        faults = [read_fault(text) for text in options.fault]
    except ValueError as error:
        raise UsageError(f"--fault {error}.") from error
    like = TERSE if options.terse else Build()
    build = replace(like, travel=(x, y, z), needs_home=not options.unlocked, plate=-z * 0.7)
    machine, parent = StandIn(build), os.getppid()
    one = Faulty(machine, faults) if faults else machine
    with ExitStack() as stack:
        log = stack.enter_context(_opened(options.log)) if options.log is not None else None
        served = stack.enter_context(Served(one, port=options.tcp, host=options.host, speed=options.speed))
        print(served.address, flush=True)
        served.wait(lambda: _log(machine, log) or (options.with_parent and os.getppid() != parent))
    return 0


def _opened(path: Path) -> TextIO:
    from archimetra.base.errors import ArchimetraError
    from archimetra.base.files import why

    try:
        return path.open("w", encoding="ascii")
    except OSError as error:
        raise ArchimetraError(f"{path} cannot be written: {why(error, path)}") from error


def _log(machine: StandIn, log: TextIO | None) -> bool:
    """Put down the motions made since; always False."""
    if log is not None:
        rows, machine.motion.log = machine.motion.log, []
        log.writelines(f"{t:.4f},{x:.4f},{y:.4f},{z:.4f},{line}\n" for t, x, y, z, line in rows)
        log.flush()
    return False
