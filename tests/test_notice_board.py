"""The sample's notice board, longer than the bed: its files, tile by tile, put together again from what they say themselves."""

from __future__ import annotations

import re

import numpy as np
import pytest

from archimetra.demo import quay_tide_clock
from archimetra.edits.edit import replace
from archimetra.engine.planning import plan_board
from archimetra.engine.writing import files_of
from archimetra.job.sheet import Machine
from archimetra.output.controllers import controller
from archimetra.output.gcode_reader import read_gcode
from archimetra.toolpath.shared.moves import Move, Toolpath
from load import load_of

CELL = 0.5


@pytest.fixture(scope="module")
def plans():
    """(job, the board's plan as it is, its plan on a machine that is large enough)."""
    job = quay_tide_clock().job
    board = next(board for board in job.boards if board.name == "Notice board")
    cache: dict = {}
    parted = plan_board(job, board, cache)
    large = replace(job, machine=replace(job.machine, travel_x=3000.0, travel_y=3000.0))
    return job, board, parted, plan_board(large, replace(board, tiling=None), cache)


def stamped(field: np.ndarray, path: Toolpath, bit) -> np.ndarray:
    return load_of(path, bit, per_pass=1e9, cell=CELL, field=field, origin=(-10.0, -10.0))[1]


def path_of(xyz, kind, centre) -> Toolpath:
    n = len(xyz)
    return Toolpath("c", "b", xyz, kind, centre, np.ones(n), np.zeros(n, np.uint8), np.zeros(n, np.int64))  # type: ignore[arg-type]


def test_its_files_together_cut_what_the_whole_would(plans):
    job, board, parted, whole = plans
    shape = (int((board.sheet.height + 20) / CELL), int((board.sheet.width + 20) / CELL))
    one, all_ = np.zeros(shape), np.zeros(shape)
    run = whole.run
    for block in run.blocks:
        if block.cut == board.tiling.pins:
            continue
        rows = slice(block.first - 1, block.last)
        one = stamped(
            one,
            path_of(np.array(run.xyz[rows]), np.array(run.kind[rows]), np.array(run.centre[rows])),
            job.bit(block.bit),
        )
    files = files_of(job, board, parted.run, parted.setups, controller("rs274"))
    bits = {bit.number: bit for bit in job.bits}
    pins = 0
    for file in files[1:]:  # the first makes holes in the bed
        setup = next(s for s in parted.setups if f"Setup {s.name}," in file.text)
        moves = read_gcode(file.text)
        assert not moves.findings
        low = moves.xyz[:, 2] < 2.0
        on_bed = moves.xyz[low, :2] + setup.zero
        assert np.nanmin(on_bed) >= -0.01
        assert np.nanmax(on_bed) <= Machine().travel_x + 0.01
        shift = np.array((setup.zero[0] - setup.dx, setup.zero[1] - setup.dy))
        assert setup.quarter_turns == 0
        changes = np.flatnonzero(np.diff(moves.bit)) + 1
        for begin, end in zip([0, *changes], [*changes, len(moves.bit)], strict=True):
            number = int(moves.bit[begin])
            rows = np.arange(max(begin - 1, 0), end)
            rows = rows[~np.isnan(moves.xyz[rows]).any(axis=1)]
            if not number or len(rows) < 2:
                continue
            xyz = moves.xyz[rows] + (*shift, 0.0)
            assert not ((moves.kind[rows] == Move.RAPID) & (xyz[:, 2] < -0.01)).any()
            all_ = stamped(all_, path_of(xyz, moves.kind[rows], moves.centre[rows] + shift), bits[number])
        pins += len(setup.holes)
    assert pins == 4
    for setup in parted.setups:  # the pins' holes are beside all else
        for x, y in setup.holes:
            j, i = (int((v + 10.0) / CELL) for v in (y, x))
            assert all_[j, i] < -board.sheet.thickest
            all_[j - 10 : j + 11, i - 10 : i + 11] = 0.0
    around = [np.roll(one, (j, i), axis=(0, 1)) for j in (-1, 0, 1) for i in (-1, 0, 1)]
    low, high = np.minimum.reduce(around), np.maximum.reduce(around)
    off = np.maximum(all_ - high, low - all_)
    assert off.max() < 0.02


def test_the_bed_gets_the_two_holes_that_serve_every_shift(plans):
    job, board, parted, _ = plans
    (file, *_) = files_of(job, board, parted.run, parted.setups, controller("rs274"))
    assert "pins-in-the-bed" in file.name
    assert "Nothing lies on the bed yet" in file.text
    moves = read_gcode(file.text)
    deep = moves.xyz[moves.xyz[:, 2] < -board.tiling.pin_depth + 0.01]
    holes = {tuple(np.round(p, 2)) for p in deep[:, :2] + parted.setups[0].zero}
    assert len(holes) == 2
    for setup in parted.setups[1:]:
        assert {tuple(np.round(setup.on_bed(*pin), 2)) for pin in setup.pins} == holes
    told = [
        re.search(r"Pins at ([^)]*)", f.text)
        for f in files_of(job, board, parted.run, parted.setups, controller("rs274"))[1:]
    ]
    assert sum(found is not None for found in told) >= 2


def test_each_letter_is_cut_in_one_tile(plans):
    """Every letter the planner carves lies in the runs of one setup only, whole."""
    _, board, parted, _ = plans
    carve = next(cut.id for cut in board.cuts if cut.name == "Lettering")
    boxes: dict[int, list[np.ndarray]] = {}
    for block in parted.run.blocks:
        if block.cut == carve:
            rows = slice(block.first, block.last)
            low = parted.run.xyz[rows][parted.run.xyz[rows, 2] < -0.01]
            boxes.setdefault(block.setup, []).append(low)
    letters = [path.flatten(0.5) for shape in board.shapes_of(board.cut(carve)) for path in shape.placed()]
    for letter in letters:
        x0, y0 = letter.min(axis=0)
        x1, y1 = letter.max(axis=0)
        here = [
            setup for setup, runs in boxes.items()
            if any(((r[:, 0] > x0 + 1) & (r[:, 0] < x1 - 1) & (r[:, 1] > y0 + 1) & (r[:, 1] < y1 - 1)).any() for r in runs)
        ]  # fmt: skip
        assert len(here) <= 1 or (x1 - x0) > 200.0
