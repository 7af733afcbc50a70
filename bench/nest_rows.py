"""Rows of nesting: its first answer, and how long a strip it needs beside a general strip-packing optimiser in the same CPU seconds.

The optimiser's lengths are kept in ``nest_lengths.json`` (spyrrow 0.9, one worker, the parts grown as ours are, same turns; it knows no
openings and no mirroring), with the CPU seconds they took; instances it has no length for are left out.
"""

from __future__ import annotations

import json
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from archimetra.layout.nest.answer import Nested
from archimetra.layout.nest.checking import faults
from archimetra.layout.nest.request import NestRequest
from archimetra.layout.nest.stages import nest
from layout.nest_instances import instances, offcuts
from rows import Row, spell

PLAIN = ("rectangles", "discs", "hexagons and triangles", "mixed convex", "brackets", "stars", "hands")
REACH = {"rings": 0.85, "frames": 0.85, "200 parts": 1.0, "1,000 parts": 1.0}


def nesting_first() -> Iterator[Row]:
    """CPU seconds to the first layout that can be shown, kernels compiled."""
    for name, reach in (("brackets", 600.0), ("200 parts", 1000.0), ("1,000 parts", 1500.0)):
        request = instances()[name]
        nest(request, work=1.0)  # loads what is loaded once
        first = min(_first(request) for _ in range(3))
        yield Row(f"nesting, first layout, {name}", "", spell(first), first * 1e3, reach, "ms")


def nesting_lengths() -> Iterator[Row]:
    """Length of the strip against the optimiser's, single seed."""
    known = json.loads(Path(__file__).with_name("nest_lengths.json").read_text())
    ratios = {}
    for name, request in instances().items():
        if name not in known:
            continue
        theirs, cpu = known[name]["length"], known[name]["cpu_s"]
        best = _within(request, cpu)
        assert not faults(request, best)
        ratios[name] = _length(request, best) / theirs
        yield Row(f"nesting, length, {name}", f"{theirs:.0f} mm in {cpu:.0f} s", f"{_length(request, best):.0f} mm", ratios[name],
                  REACH.get(name, 1.02))  # fmt: skip
    plain = [ratios[name] for name in PLAIN if name in ratios]
    mean = float(np.exp(np.mean(np.log(plain)))) if plain else float("nan")
    yield Row("nesting, length, mean of the plain ones", "", "", mean, 0.985)


def nesting_offcuts() -> Iterator[Row]:
    """Three sheets, two of them odd, with clamps: how far the last is used after 8 CPU seconds, beside the first answer."""
    request = offcuts()
    first: list[Nested] = []
    best = _within(request, 8.0, first)
    assert not faults(request, best)
    yield Row("nesting, offcuts: last sheet used beside first answer", f"{first[0].used_to:.0f} mm", f"{best.used_to:.0f} mm",
              best.used_to / first[0].used_to, 0.8)  # fmt: skip


def _first(request: NestRequest) -> float:
    stop = np.zeros(1, np.int64)
    begun, took = time.process_time(), []

    def tell(_nested: Nested) -> None:
        took.append(time.process_time() - begun)
        stop[0] = 1

    nest(request, stop=stop, tell=tell)
    return took[0]


def _within(request: NestRequest, cpu_s: float, told: list[Nested] | None = None) -> Nested:
    stop, done = np.zeros(1, np.int64), threading.Event()
    until = time.process_time() + cpu_s

    def watch() -> None:
        while not done.wait(0.02):
            if time.process_time() > until:
                stop[0] = 1
                return

    threading.Thread(target=watch, daemon=True).start()
    best = nest(request, stop=stop, tell=told.append if told is not None else None)
    done.set()
    return best


def _length(request: NestRequest, nested: Nested) -> float:
    """Of the sheet used, its margin on both ends included."""
    return nested.used_to + request.margin


ROWS = (nesting_first, nesting_lengths, nesting_offcuts)
