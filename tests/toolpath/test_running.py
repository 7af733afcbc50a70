"""Groups of cuts and the order they run in: what is cut is the same however it is grouped, like pieces have one plan, what lies in an opening is cut
before the opening is freed, and piece by piece costs no change of the bit."""

from __future__ import annotations

import msgspec
import numpy as np
import pytest
import shapely
from shapely.geometry import Point

from archimetra.edits import cutting, parting
from archimetra.edits.finishing import finish_edit, finished
from archimetra.engine.planning import plan_board
from archimetra.geometry.affine import IDENTITY
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit
from archimetra.job.cut_parts import Side, Tabs
from archimetra.job.cuts.hole import HoleCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.flat import instance_of
from archimetra.job.ids import BitId, CutId, ShapeId
from archimetra.job.job import Board, Job, with_boards
from archimetra.job.sheet import Fixture, HoldDown, Sheet
from archimetra.toolpath.groups import groups_of
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve, resolved
from archimetra.toolpath.shared.moves import straightened
from cutting_board import board_with, swept
from shapes import replace

FLAT = Sheet(width=800.0, height=600.0, readings=(6.0,))


def rings(*places, sheet=FLAT, bits=1, has_large=False) -> Job:
    """A ring (outline, opening, two holes) and a disc with a hole as parts, cut by Holes, Openings, Parts; pieces of (part, x, y, degrees) as asked. With ``has_large``
    a larger ring lies around the first."""
    job, board, made = board_with(Path.circle((0, 0), 50.0), kind=ProfileCut, sheet=sheet, goes_through=True)
    like = board.shapes[0]

    def shape(number: int, path: Path, name: str):
        return replace(like, id=ShapeId(f"shape{number}"), name=name, paths=(path,), at=IDENTITY)

    drawn = (
        shape(11, Path.circle((200, 200), 50.0), "ring"), shape(12, Path.circle((200, 200), 40.0), "opening"),
        shape(13, Path.circle((245, 200), 1.5), "hole"), shape(14, Path.circle((155, 200), 1.5), "hole"),
        shape(15, Path.circle((400, 200), 15.0), "disc"), shape(16, Path.circle((406, 200), 2.0), "hole"),
    )  # fmt: skip
    large = (
        shape(21, Path.circle((600, 300), 100.0), "large ring"),
        shape(22, Path.circle((600, 300), 80.0), "large opening"),
    )
    drawn += large if has_large else ()
    openings, outlines = (drawn[1], *drawn[7:]), (drawn[0], drawn[4], *drawn[6:7])
    tabs = Tabs(count=2, length=3.0, thickness=1.0)
    small = Bit(id=BitId("bit9"), name="3 mm", diameter=3.0, place=5)
    of_openings = job.bits[0].id if bits == 1 else small.id
    cuts = (
        HoleCut(id=CutId("cut11"), name="Holes", bit=small.id, shapes=(drawn[2].id, drawn[3].id, drawn[5].id), goes_through=True),
        ProfileCut(id=CutId("cut12"), name="Openings", bit=of_openings, shapes=tuple(s.id for s in openings), side=Side.INSIDE, goes_through=True, tabs=Tabs(count=0)),
        ProfileCut(id=CutId("cut13"), name="Parts", bit=made.bit, shapes=tuple(s.id for s in outlines), side=Side.OUTSIDE, goes_through=True, tabs=tabs),
    )  # fmt: skip
    job = replace(job, bits=(*job.bits, small))
    job = finished(with_boards(job, (replace(board, shapes=drawn, cuts=cuts, auto_order=False),)))
    edit, _ = parting.make_parts(job, board.id, [s.id for s in outlines])
    job = finish_edit(job, edit.job)
    by_name = {part.shapes[0].name: part.id for part in job.parts}
    ring, disc = by_name["ring"], by_name["disc"]
    first, second = (next(i for i in job.boards[0].instances if i.part == part) for part in (ring, disc))
    if has_large:
        moved = tuple(
            replace(i, x=i.x - 400.0, y=i.y - 100.0) if i.part == by_name["large ring"] else i
            for i in job.boards[0].instances
        )
        job = finish_edit(job, with_boards(job, (replace(job.boards[0], instances=moved),)))
    lies = {ring: (first.x, first.y), disc: (second.x, second.y)}
    for part, x, y, degrees in places:
        id_ = (ring, disc)[part]
        edit, _ = parting.add_pieces(job, board.id, id_, [(lies[id_][0] + x, lies[id_][1] + y, degrees, False)])
        job = finish_edit(job, edit.job)
    return job


IN_THE_RING = (1, -200.0, 0.0, 0.0)
BESIDE = ((0, 0.0, 160.0, 0.0), (1, 60.0, 0.0, 0.0), (1, 120.0, 5.0, 0.0), (1, 60.0, 160.0, 90.0))


def middle(shape) -> tuple[float, float]:
    x0, y0, x1, y1 = shape.paths[0].bounds()
    return (x0 + x1) / 2, (y0 + y1) / 2


def moves(plan, board: Board):
    """(cut name, where, of which piece) of every move below the sheet's top, in the order they run. The piece is found by where the move is."""
    run = plan.run
    points, rows = straightened(run.xyz, run.kind, run.centre, chord_tolerance_mm=0.05)
    low = np.flatnonzero(np.minimum(points[:-1, 2], points[1:, 2]) < -1e-6) + 1
    return [(board.cut(run.blocks[run.block[rows[k]]].cut).name, points[k, :2]) for k in low.tolist()]


def changes(plan) -> int:
    return sum(block.changes_bit for block in plan.run.blocks)


class TestGroups:
    def test_what_is_cut_is_the_same_in_groups_and_at_once(self):
        job = rings(*BESIDE)
        board = job.boards[0]
        plan = plan_board(job, board, {})
        for cut in plan.cuts:
            whole, _ = plan_cut(resolve(job, board, board.cut(cut.toolpath.cut)))
            radius = job.bit(whole.bit).radius
            for depth in (0.5, 4.9):  # tabs stand where they may
                one, other = (swept(path, radius, deeper_than=depth) for path in (whole, cut.toolpath))
                assert one.symmetric_difference(other).area < 0.002 * one.area

    @pytest.mark.parametrize("radius", [15.0, 30.0, 33.0])
    def test_a_piece_in_an_opening_is_a_piece_and_no_hole_however_near_it_lies(self, radius):
        job = rings(IN_THE_RING)
        thin = {"ring": 42.0, "disc": radius}
        parts = tuple(
            replace(p, shapes=tuple(replace(s, paths=(Path.circle(middle(s), thin[s.name]),)) if s.name in thin else s for s in p.shapes))
            for p in job.parts
        )  # fmt: skip
        job = finish_edit(job, replace(job, parts=parts))
        board = job.boards[0]
        plan = plan_board(job, board, {})
        ground = shapely.union_all(
            [swept(c.toolpath, job.bit(c.toolpath.bit).radius, deeper_than=0.01) for c in plan.cuts]
        )
        disc, ring = (
            Point(200, 200).buffer(radius, quad_segs=64),
            Point(200, 200).buffer(42, quad_segs=64).difference(Point(200, 200).buffer(40, quad_segs=64)),
        )
        hole = Point(206, 200).buffer(2.1)
        assert disc.difference(hole).buffer(-0.02).intersection(ground).area < 0.01
        assert (
            ring.buffer(-0.02)
            .intersection(ground)
            .difference(Point(245, 200).buffer(8).union(Point(155, 200).buffer(8)))
            .area
            < 0.01
        )
        assert ground.contains(Point(200 + radius + 3.0, 200))

    def test_each_piece_is_a_group_and_like_ones_have_one_plan(self):
        job = rings(*BESIDE)
        cache = {}
        plan_board(job, job.boards[0], cache)
        # holes, openings, parts of the ring; holes and parts of the disc, and once more of the one that is turned
        assert len(cache) == 3 + 2 + 2
        groups = groups_of(resolved(job, job.boards[0])[CutId("cut13")])
        assert [len(g.pieces) for g in groups] == [1] * 6
        assert {p for g in groups for p in g.pieces} == {i.id for i in job.boards[0].instances}

    def test_moving_one_costs_nothing_and_turning_it_that_one(self):
        job = rings(IN_THE_RING, *BESIDE)
        cache = {}
        plan_board(job, job.boards[0], cache)
        board, known = job.boards[0], len(cache)
        last = board.instances[-1]
        for change, more in (({"x": last.x + 3.0, "y": last.y - 2.0}, 0), ({"degrees": 33.0}, 2)):
            moved = replace(board, instances=(*board.instances[:-1], replace(last, **change)))
            after = finish_edit(job, with_boards(job, (moved,)))
            plan = plan_board(after, after.boards[0], cache)
            assert len(cache) - known == more
            again = plan_board(after, after.boards[0], {})
            assert np.allclose(plan.run.xyz, again.run.xyz, atol=1e-9)

    @pytest.mark.parametrize(("gap", "sizes"), [(6.0, [2]), (6.4, [2]), (6.6, [1, 1]), (20.0, [1, 1])])
    def test_pieces_one_bit_apart_are_planned_together(self, gap, sizes):
        job = rings((1, 30.0 + gap, 0.0, 0.0))
        work = resolved(job, job.boards[0])[CutId("cut13")]
        assert sorted(len(g.pieces) for g in groups_of(work)) == sorted([1, *sizes])

    def test_tabs_set_by_hand_on_one_piece_are_told_under_the_shapes_of_each(self):
        job = rings(*BESIDE)
        plan = plan_board(job, job.boards[0], {})
        parts = next(cut for cut in plan.cuts if cut.toolpath.cut == "cut13")
        marked = {mark.shape for mark in parts.toolpath.marks}
        shown = {shape.id for shape in job.boards[0].shapes}
        assert marked <= shown
        assert {instance_of(id_) for id_ in marked} == {piece.id for piece in job.boards[0].instances}
        for mark in parts.toolpath.marks:
            shape = job.boards[0].shape(mark.shape)
            assert abs(shape.placed()[0].nearest((mark.x, mark.y))[1] - 3.0) < 0.05

    def test_what_is_said_of_every_piece_is_said_once(self):
        job = rings(*BESIDE)
        wide = replace(job.bits[0], diameter=9.0)
        job = replace(job, bits=(wide, *job.bits[1:]))
        board = job.boards[0]
        holes = replace(board.cut(CutId("cut11")), bit=wide.id)
        job = finish_edit(job, with_boards(job, (replace(board, cuts=(holes, *board.cuts[1:])),)))
        plan = plan_board(job, job.boards[0], {})
        told = [(f.code, f.words) for f in plan.findings if f.subject == "cut11"]
        assert told
        assert len(told) == len(set(told))

    def test_clamps_over_some_pieces_leave_the_others_as_they_are(self):
        job = rings(*BESIDE)
        board = replace(job.boards[0], fixtures=(Fixture(x=200.0, y=150.0, width=60.0, height=30.0, rise=20.0),))
        job = finish_edit(job, with_boards(job, (board,)))
        plan = plan_board(job, job.boards[0], {})
        clamp = shapely.box(170, 135, 230, 165)
        for cut in plan.cuts:
            radius = job.bit(cut.toolpath.bit).radius
            assert not swept(cut.toolpath, radius, deeper_than=0.01).intersects(clamp)
        assert sum(f.code.startswith("clamp") or "clamp" in f.words for f in plan.findings) >= 1


class TestOpenings:
    @pytest.mark.parametrize("hold", list(HoldDown))
    def test_what_lies_in_an_opening_is_cut_before_it_is_freed(self, hold):
        job = rings(IN_THE_RING, *BESIDE, sheet=replace(FLAT, hold_down=hold))
        board = job.boards[0]
        plan = plan_board(job, board, {})
        there = moves(plan, board)
        opening = Point(200, 200).buffer(40.0)
        freed = [
            k for k, (name, at) in enumerate(there) if name == "Openings" and Point(at).distance(opening.exterior) < 4
        ]
        inside = [
            k
            for k, (name, at) in enumerate(there)
            if name in ("Parts", "Holes") and Point(at).distance(Point(200, 200)) < 22
        ]
        assert inside
        assert max(inside) < min(freed)
        assert not [f for f in plan.findings if f.code == "order-inside"]

    def test_a_ring_in_a_ring_in_a_ring(self):
        job = rings(IN_THE_RING, has_large=True)
        board = job.boards[0]
        there = moves(plan_board(job, board, {}), board)

        def when(name, low, high):
            return [
                k for k, (n, at) in enumerate(there) if n == name and low < Point(at).distance(Point(200, 200)) < high
            ]

        disc, middle, outer = when("Parts", 10, 22), when("Openings", 35, 45), when("Openings", 70, 81)
        ring_out = when("Parts", 50, 56)
        assert all((disc, middle, outer, ring_out))
        assert max(disc) < min(middle)
        assert max(middle) < min(outer)
        assert max(ring_out) < min(outer)

    def test_on_a_sheet_that_holds_it_no_bit_is_changed_for_it(self):
        held = [
            rings(IN_THE_RING, *BESIDE, sheet=replace(FLAT, hold_down=hold), bits=2)
            for hold in (HoldDown.TAPED, HoldDown.CLAMPED)
        ]
        taped, clamped = (plan_board(job, job.boards[0], {}) for job in held)
        assert changes(taped) == 1
        assert changes(clamped) == 3
        there = moves(clamped, held[1].boards[0])
        freed = [
            k for k, (name, at) in enumerate(there) if name == "Openings" and Point(at).distance(Point(200, 200)) < 40
        ]
        inside = [
            k for k, (name, at) in enumerate(there) if name == "Parts" and Point(at).distance(Point(200, 200)) < 22
        ]
        assert max(inside) < min(freed)

    def test_work_in_an_opening_that_runs_late_is_told_by_when_it_runs(self):
        job = rings(IN_THE_RING)
        board = job.boards[0]
        late = replace(board, cuts=(board.cuts[1], board.cuts[0], board.cuts[2]))
        job = finish_edit(job, with_boards(job, (late,)))
        plan = plan_board(job, job.boards[0], {})
        assert not [
            f for f in plan.findings if f.code == "order-inside"
        ]  # the disc's hole goes with the disc, before the opening
        plain = replace(
            job.boards[0].shapes[0], id=ShapeId("shape77"), paths=(Path.circle((200, 200), 3.0),), group="", at=IDENTITY
        )
        board = job.boards[0]
        holes = next(cut for cut in board.cuts if cut.name == "Holes")
        more = replace(holes, id=CutId("cut20"), name="Late", shapes=(plain.id,))
        board = replace(board, shapes=(*board.shapes, plain), cuts=(*board.cuts, more))
        plan = plan_board(job, with_boards(job, (board,)).boards[0], {})
        assert [f.subject for f in plan.findings if f.code == "order-inside"] == ["cut20"] * 2


class TestPieceByPiece:
    @pytest.mark.parametrize("bits", [1, 2])
    def test_each_piece_is_finished_before_the_next_as_far_as_one_bit_goes(self, bits):
        job = rings(IN_THE_RING, *BESIDE, bits=bits)
        by_cut = plan_board(job, job.boards[0], {})
        job = finish_edit(job, cutting.run_piece_by_piece(job, job.boards[0].id).job)
        plan = plan_board(job, job.boards[0], {})
        assert changes(plan) <= changes(by_cut) + (0 if bits == 1 else 1)
        steps = [(block.cut, piece) for block in plan.run.blocks for piece in block.pieces]
        assert len(steps) == len(set(steps)) == sum(len(block.pieces) for block in by_cut.run.blocks)
        if bits == 1:  # openings and outlines are cut with one bit: those of a ring one right after the other
            opened = [k for k, (cut, _) in enumerate(steps) if cut == "cut12"]
            assert len(opened) == 2
            for k in opened:
                assert steps[k + 1] == ("cut13", steps[k][1])
        for one, other in zip(by_cut.cuts, plan.cuts, strict=True):
            radius = job.bit(one.toolpath.bit).radius
            areas = [swept(path, radius, deeper_than=5.9) for path in (one.toolpath, other.toolpath)]
            assert areas[0].symmetric_difference(areas[1]).area < 1e-6

    def test_it_is_of_the_moves_and_undone(self):
        from archimetra.engine.keys import plan_key

        job = rings(*BESIDE)
        on = finish_edit(job, cutting.run_piece_by_piece(job, job.boards[0].id).job)
        assert plan_key(on, on.boards[0]) != plan_key(job, job.boards[0])
        off = finish_edit(on, cutting.run_piece_by_piece(on, on.boards[0].id, is_on=False).job)
        assert off == job
        assert msgspec.structs.asdict(on.stored[0])["piece_by_piece"]
