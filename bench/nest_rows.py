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

from archimetra.demo import quay_tide_clock
from archimetra.edits.edit import replace
from archimetra.edits.finishing import finish_edit
from archimetra.edits.parting import add_pieces, lay_pieces
from archimetra.edits.sheets import change_sheet
from archimetra.engine.messages import PlannedCut
from archimetra.engine.planning import plan_board
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


def replanning() -> Iterator[Row]:
    """What it costs to plan again when one of 200 pieces was moved, beside planning them all."""
    job = quay_tide_clock().job
    board = next(board for board in job.boards if board.name == "Hands")
    bracket = next(part for part in job.parts if part.name == "bracket")
    grid = [(20.0 + 60.0 * (k % 20), 20.0 + 60.0 * (k // 20), 90.0 * (k % 4), False) for k in range(200)]
    job = finish_edit(job, change_sheet(job, board.id, "", width=1300.0, height=700.0).job)
    job = finish_edit(job, lay_pieces(job, {board.id: ()}).job)
    job = finish_edit(job, add_pieces(job, board.id, bracket.id, grid)[0].job)
    cache: dict[str, PlannedCut] = {}
    plan_board(job, job.board(board.id), {})
    begun = time.perf_counter()
    plan_board(job, job.board(board.id), cache)
    whole = time.perf_counter() - begun
    pieces = job.board(board.id).instances
    moved = (*pieces[:-1], replace(pieces[-1], x=pieces[-1].x + 3.0, degrees=12.0))
    after = finish_edit(job, lay_pieces(job, {board.id: moved}).job)
    begun = time.perf_counter()
    plan_board(after, after.board(board.id), cache)
    again = time.perf_counter() - begun
    begun = time.perf_counter()
    plan_board(after, after.board(board.id), cache)
    kept = time.perf_counter() - begun
    yield Row(
        "one of 200 pieces turned: planned anew, beside what it takes when nothing was",
        spell(kept),
        spell(again),
        again / kept,
        1.5,
    )
    yield Row("200 pieces planned, beside the same with all plans kept", spell(kept), spell(whole), whole / kept, 4.0)


ROWS = (replanning, nesting_first, nesting_lengths, nesting_offcuts)
