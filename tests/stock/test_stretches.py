"""Stretches kept from other runs: the stock is what sweeping every move in turn leaves, whatever was kept."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.job.bits import Bit, BitKind
from archimetra.job.ids import BitId, CutId
from archimetra.job.sheet import Sheet
from archimetra.stock.stretches import kept_stretches
from archimetra.stock.timeline import StockTimeline
from archimetra.toolpath.shared.program import Block, Run
from shapes import replace

SHEET = Sheet(width=100.0, height=60.0, readings=(12.0,))
BITS = (
    Bit(id=BitId("flat"), name="flat", kind=BitKind.STRAIGHT, diameter=6.0, cutting_length=20.0),
    Bit(id=BitId("vee"), name="vee", kind=BitKind.VEE, diameter=12.0, angle=60.0, cutting_length=10.0),
    Bit(id=BitId("ball"), name="ball", kind=BitKind.BALL, diameter=5.0, cutting_length=20.0),
)
DOVETAIL = Bit(
    id=BitId("tail"),
    name="tail",
    kind=BitKind.DOVETAIL,
    diameter=12.0,
    neck=7.0,
    head_height=8.0,
    cutting_length=8.0,
    angle=14.0,
)

block_moves = st.lists(st.tuples(st.floats(-5, 105), st.floats(-5, 65), st.floats(-11, 2)), min_size=1, max_size=5)
runs = st.lists(st.tuples(st.sampled_from(["flat", "vee", "ball", "tail"]), block_moves), min_size=0, max_size=6)


def run_of(blocks) -> Run:
    """Blocks of straight moves, above the sheet between them."""
    points, numbers, made = [(0.0, 0.0, 10.0)], [-1], []
    for number, (bit, moves) in enumerate(blocks):
        first = len(points)
        x, y, _ = moves[0]
        own = [(*points[-1][:2], 10.0), (x, y, 10.0), *moves, (*moves[-1][:2], 10.0)]
        points += own
        numbers += [number] * len(own)
        made.append(Block(CutId(f"cut{number}"), BitId(bit), first, len(points), True))
    n = len(points)
    return Run(
        np.array(points, dtype=np.float64), np.zeros(n, np.uint8), np.full((n, 2), np.nan), np.full(n, 1000.0),
        np.zeros(n, np.uint8), np.zeros(n, np.int64), np.array(numbers, np.int64), tuple(made),
    )  # fmt: skip


def swept_in_turn(run, bits, at=None):
    """The field without stretches: one sweep of every move in the order of the run."""
    stock = StockTimeline(SHEET, run_of([]), bits, cell=0.5)
    other = StockTimeline(SHEET, run, bits, cell=0.5)
    tiles = np.zeros((-(-stock.shape[0] // 64), -(-stock.shape[1] // 64)), dtype=bool)
    other._moves.sweep(stock.field, stock.grid, 1, len(other.points) if at is None else at, tiles)
    return stock.field


@settings(max_examples=40, deadline=None)
@given(st.lists(runs, min_size=2, max_size=4), st.sampled_from([1e3, 2e4, 1e9]), st.data())
def test_what_earlier_runs_left_never_shows_in_a_later_one(versions, work, data):
    bits = (*BITS, DOVETAIL)
    kept = kept_stretches()
    # versions of one run: blocks of the first stay, go, or change their order
    first = versions[0]
    for version in [first, *[data.draw(st.permutations(first + more)) for more in versions[1:]], first[1:], first]:
        run = run_of(version)
        stock = StockTimeline(SHEET, run, bits, cell=0.5, keyframe_work=work, kept=kept)
        assert np.array_equal(stock.field, swept_in_turn(run, bits))
        moment = data.draw(st.integers(0, max(len(run) - 1, 0)))
        stock.seek(float(moment))
        assert np.array_equal(stock.field, swept_in_turn(run, bits, min(moment + 1, len(run))))


def test_a_block_that_stays_is_not_swept_again():
    kept = kept_stretches()
    blocks = [
        (bit, [(10.0 + k, 5.0, -3.0), (90.0, 50.0 - k, -4.0)] * 8) for k, bit in enumerate(("flat", "vee", "ball"))
    ]
    StockTimeline(SHEET, run_of(blocks), BITS, cell=0.5, keyframe_work=1e4, kept=kept)
    before = set(kept)
    assert len(before) > 3
    blocks[1] = ("vee", [(10.0, 5.0, -2.0), (90.0, 49.0, -4.0)] * 8)
    StockTimeline(SHEET, run_of(blocks), BITS, cell=0.5, keyframe_work=1e4, kept=kept)
    added = set(kept) - before
    assert 0 < len(added) < 0.6 * len(before)  # the middle one alone


@pytest.mark.parametrize("field", ["diameter", "angle"])
def test_another_bit_in_the_same_moves_is_another_stretch(field):
    kept = kept_stretches()
    run = run_of([("vee", [(20.0, 20.0, -3.0), (80.0, 40.0, -3.0)])])
    StockTimeline(SHEET, run, BITS, cell=0.5, kept=kept)
    wide = {"diameter": 3.0, "angle": 90.0}[field]
    bits = tuple(replace(bit, **{field: wide}) if bit.id == "vee" else bit for bit in BITS)
    assert np.array_equal(StockTimeline(SHEET, run, bits, cell=0.5, kept=kept).field, swept_in_turn(run, bits))
