"""A cut is planned where its own first shape lies and without names: moved or called otherwise it is the same plan, told anew."""

from __future__ import annotations

import numpy as np
import pytest

from archimetra.edits import basic as edits
from archimetra.edits import placing
from archimetra.engine.keys import geometry_key, plan_key, run_key
from archimetra.engine.planning import plan_board
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Side, Tabs
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.chamfer import ChamferCut
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.hole import HoleCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.job import with_boards
from archimetra.job.sheet import Zero, ZeroAt
from archimetra.toolpath.resolve import resolve, resolved
from archimetra.toolpath.shared.moves import Move
from cutting_board import board_with
from shapes import blob, replace, star, straight_bit, vee_bit

CASES = {
    "profile": (ProfileCut, straight_bit(6.0), {"goes_through": True, "tabs": Tabs(count=3)}, [star(), Path.circle((50, 0), 9)]),
    "inside": (ProfileCut, straight_bit(4.0), {"side": Side.INSIDE}, [blob(2)]),
    "pocket": (PocketCut, straight_bit(5.0), {"end_depth": 4.0}, [blob(1), Path.circle((0, 0), 8)]),
    "hole": (HoleCut, straight_bit(3.0), {"end_depth": 5.0}, [Path.circle((0, 0), 4), Path.circle((20, 5), 4)]),
    "engrave": (EngraveCut, vee_bit(60.0), {"end_depth": 0.8}, [star()]),
    "carve": (CarveCut, vee_bit(60.0), {"end_depth": 2.0}, [star()]),
    "chamfer": (ChamferCut, vee_bit(90.0), {}, [Path.rectangle(0, 0, 50, 30)]),
}  # fmt: skip


class Cache(dict):
    """Counts what is planned."""

    planned = 0

    def __setitem__(self, key, value):
        self.planned += 1
        super().__setitem__(key, value)


def plan(job, cache):
    return plan_board(job, job.boards[0], cache)


@pytest.mark.parametrize("name", list(CASES))
@pytest.mark.parametrize("shift", [(0.1, 0.0), (-37.25, 12.5), (1e-7, 3e-7), (20_000.0, -30_000.0)])
def test_moved_it_is_the_same_plan_moved(name, shift):
    kind, bit, fields, paths = CASES[name]
    job, board, cut = board_with(*paths, kind=kind, bit=bit, **fields)
    cache = Cache()
    before = plan(job, cache)
    moved = placing.map_shapes(job, board.id, list(cut.shapes), Affine.shift(*shift)).job
    after = plan(moved, cache)
    assert cache.planned == 1
    a, b = before.cuts[0].toolpath, after.cuts[0].toolpath
    assert np.abs(b.xyz - (a.xyz + np.array((*shift, 0.0)))).max() < 1e-6
    arcs = np.isin(a.kind, (Move.ARC_CW, Move.ARC_CCW))
    assert np.abs((b.centre - a.centre)[arcs] - shift).max(initial=0.0) < 1e-6
    assert [(m.kind, m.reason) for m in a.marks] == [(m.kind, m.reason) for m in b.marks]
    assert all(
        abs(n.x - m.x - shift[0]) < 1e-6 and abs(n.y - m.y - shift[1]) < 1e-6
        for m, n in zip(a.marks, b.marks, strict=True)
    )
    fresh = plan(moved, {}).cuts[0].toolpath  # from nothing it is the very same
    assert np.array_equal(fresh.xyz, b.xyz)


@pytest.mark.parametrize("name", list(CASES))
def test_nudged_a_thousand_times_to_and_fro_it_is_still_the_same(name):
    kind, bit, fields, paths = CASES[name]
    job, board, cut = board_with(*paths, kind=kind, bit=bit, **fields)
    first = geometry_key(resolve(job, board, cut))
    at = board.shapes[0].at
    for k in range(1000):
        at = at.then(Affine.shift(0.1, -0.3) if k % 3 else Affine.shift(-0.2, 0.6))
        if k % 50 == 0:
            there = replace(board, shapes=(replace(board.shapes[0], at=at),))
            assert geometry_key(resolve(with_boards(job, (there,)), there, cut)) == first


@pytest.mark.parametrize("name", list(CASES))
def test_turned_sized_or_one_of_two_moved_it_is_another(name):
    kind, bit, fields, paths = CASES[name]
    job, board, cut = board_with(*paths, kind=kind, bit=bit, **fields)
    twin = replace(board.shapes[0], id="shape7", at=board.shapes[0].at.then(Affine.shift(90, 0)))
    two = replace(board, shapes=(board.shapes[0], twin), cuts=(replace(cut, shapes=(cut.shapes[0], "shape7")),))
    first = geometry_key(resolve(with_boards(job, (two,)), two, two.cuts[0]))
    for m in (Affine.turn(1e-4), Affine.scale(1.0001, 1.0001), Affine.shift(0.001, 0.0)):
        other = replace(two, shapes=(two.shapes[0], replace(twin, at=twin.at.then(m))))
        assert geometry_key(resolve(with_boards(job, (other,)), other, other.cuts[0])) != first


def test_what_hangs_on_the_sheet_s_edges_is_planned_where_it_lies():
    job, board, cut = board_with(Path.rectangle(0, 0, 40, 30), kind=FacingCut, bit=straight_bit(20.0), end_depth=0.5)
    moved = placing.map_shapes(job, board.id, list(cut.shapes), Affine.shift(180.0, 0.0)).job
    there = moved.boards[0]
    assert geometry_key(resolve(job, board, cut)) != geometry_key(resolve(moved, there, there.cuts[0]))
    job, board, cut = board_with(Path.rectangle(0, 0, 40, 30), kind=PocketCut, open_edges=True)
    wider = edits.change_board(job, board.id, "", sheet=replace(board.sheet, width=230.0)).job
    assert geometry_key(resolve(job, board, cut)) != geometry_key(resolve(wider, wider.boards[0], cut))
    closed = replace(cut, open_edges=False)
    keys = [geometry_key(resolve(j, replace(j.boards[0], cuts=(closed,)), closed)) for j in (job, wider)]
    assert keys[0] == keys[1]


@pytest.mark.parametrize("name", ["Lid", "", "{0} %s ⟦cut1⟧ \\1", "⟦", "cut1"])
def test_names_are_told_as_they_are_now_and_cost_no_plan(name):
    tight = [Path.rectangle(0, 0, 40, 2)]
    job, _board, cut = board_with(*tight, kind=ProfileCut, side=Side.INSIDE, bit=straight_bit(6.0), goes_through=True)
    cache = Cache()
    before = plan(job, cache)
    assert any(f"'{cut.name}'" in f.sentence for f in before.findings)
    called = edits.change_cut(job, cut.id, "", name=name).job
    called = replace(called, bits=tuple(replace(bit, name="My bit") for bit in called.bits))
    after = plan(called, cache)
    assert cache.planned == 1
    assert after.key != before.key
    assert after.run_key == before.run_key
    told = [f.text() for f in after.findings]
    assert any(f"'{name}'" in text for text in told)
    assert [f.code for f in after.findings] == [f.code for f in before.findings]
    assert told == [f.text() for f in plan(called, {}).findings]


def test_findings_lie_where_the_shapes_lie():
    tight = [Path.rectangle(0, 0, 40, 2)]
    job, board, cut = board_with(*tight, kind=ProfileCut, side=Side.INSIDE, bit=straight_bit(6.0), goes_through=True)
    cache = Cache()
    before = [f.at for f in plan(job, cache).findings if f.at is not None and f.subject == cut.id]
    moved = placing.map_shapes(job, board.id, list(cut.shapes), Affine.shift(11.0, -7.0)).job
    after = [f.at for f in plan(moved, cache).findings if f.at is not None and f.subject == cut.id]
    assert before
    assert after == [pytest.approx((x + 11.0, y - 7.0)) for x, y in before]


@pytest.mark.parametrize(
    "zero", [Zero(at=ZeroAt.CENTRE), Zero(at=ZeroAt.TYPED, x=-5.0, y=3.0), Zero(at=ZeroAt.BACK_RIGHT)]
)
def test_zero_moves_neither_the_run_nor_its_stock(zero):
    job, board, _ = board_with(star(), kind=ProfileCut, goes_through=True)
    cache = Cache()
    before = plan(job, cache)
    there = edits.change_board(job, board.id, "", zero=zero).job
    after = plan(there, cache)
    assert np.array_equal(before.run.xyz, after.run.xyz)
    assert np.array_equal(before.times.ends, after.times.ends)
    assert after.run_key == before.run_key
    assert after.key != before.key
    assert after.key == plan_key(there, there.boards[0])
    keys = [geometry_key(work) for work in resolved(there, there.boards[0]).values()]
    assert run_key(there, there.boards[0], keys) == after.run_key


@pytest.mark.parametrize("sizes", [{"width": 511.0}, {"height": 377.0}, {"readings": (17.0,)}])
def test_another_sheet_is_another_stock_even_under_the_same_moves(sizes):
    job, board, _ = board_with(star(), kind=EngraveCut, bit=vee_bit(60.0), end_depth=0.8)
    cache = Cache()
    before = plan(job, cache)
    after = plan(edits.change_board(job, board.id, "", sheet=replace(board.sheet, **sizes)).job, cache)
    if "readings" not in sizes:
        assert np.array_equal(before.run.xyz, after.run.xyz)
    assert after.run_key != before.run_key


def test_a_cut_that_follows_a_layer_is_another_when_the_layer_loses_its_last_shape():
    """The cut itself stays the very same; what was digested last must not be taken for it."""
    job, board, cut = board_with(star(), kind=PocketCut)
    twin = replace(board.shapes[0], id="shape7", at=board.shapes[0].at.then(Affine.shift(90, 0)))
    cut = replace(cut, shapes=(), layer=board.shapes[0].layer)
    two = replace(board, shapes=(board.shapes[0], twin), cuts=(cut,))
    one = replace(two, shapes=two.shapes[:1])
    keys = [geometry_key(resolve(with_boards(job, (b,)), b, cut)) for b in (two, one, two, one)]
    assert keys[0] == keys[2] != keys[1] == keys[3]


@pytest.mark.parametrize("at", [(0.0, 35.0), (35.0, 0.0), (0.0, 0.0)])
def test_a_shape_on_an_edge_of_the_board_s_own_place_is_moved_along_too(at):
    job, board, _ = board_with(Path.rectangle(0, 0, 30, 20), kind=ProfileCut, goes_through=True)
    there = replace(board, shapes=(replace(board.shapes[0], at=Affine.shift(*at)),))
    path = plan(with_boards(job, (there,)), {}).cuts[0].toolpath
    low = path.xyz[path.xyz[:, 2] < 0][:, :2]
    x0, y0, x1, y1 = there.shapes[0].bounds()
    assert low.min(axis=0) == pytest.approx((x0 - 3.0, y0 - 3.0), abs=0.01)
    assert low.max(axis=0) == pytest.approx((x1 + 3.0, y1 + 3.0), abs=0.01)


def test_the_shape_a_finding_is_about_is_named_as_it_is_now():
    line = Path.polyline([(0, 0), (50, 0), (50, 30)], closed=False)
    job, board, _ = board_with(line, kind=ProfileCut, side=Side.OUTSIDE, goes_through=True)
    cache = Cache()
    before = [f.sentence for f in plan(job, cache).findings if f.code == "profile-open"]
    shapes = (replace(board.shapes[0], name="Handle"),)
    after = plan(edits.change_board(job, board.id, "", shapes=shapes).job, cache)
    assert cache.planned == 1
    assert [f.sentence for f in after.findings if f.code == "profile-open"] == [
        sentence.replace(f"'{board.shapes[0].name}'", "'Handle'") for sentence in before
    ]
    assert before
