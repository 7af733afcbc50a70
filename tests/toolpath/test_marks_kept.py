"""Tabs and starts set by hand stay where they were put on the outline: beside a neighbour, with another bit, at another size, turned, mirrored."""

from __future__ import annotations

import numpy as np
import pytest

from archimetra.edits import cutting, marking, placing, shaping
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Mark, Side, Tabs
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.forms import RectangleForm
from archimetra.job.job import with_boards
from archimetra.job.marks import mark_at, place_of
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.moves import MarkKind
from cutting_board import board_with
from shapes import blob, replace, star, straight_bit


def parts(gap: float, *, bit: float = 6.0, tabs: int = 4):
    """Two squares a gap apart, each a shape of its own."""
    job, board, cut = board_with(
        Path.rectangle(0, 0, 50, 50), Path.rectangle(50 + gap, 0, 50, 50), kind=ProfileCut, goes_through=True, bit=straight_bit(bit),
        tabs=Tabs(count=tabs, length=6.0, corner_distance=3.0),
    )  # fmt: skip
    shapes = tuple(
        replace(board.shapes[0], id=f"part{k}", name=f"part {k}", paths=(p,))
        for k, p in enumerate(board.shapes[0].paths)
    )
    board = replace(board, shapes=shapes, cuts=(replace(cut, shapes=tuple(s.id for s in shapes)),))
    return with_boards(job, (board,)), board


def tabs_of(job, shape: str) -> list[tuple[float, float]]:
    board = job.boards[0]
    toolpath, _ = plan_cut(resolve(job, board, board.cuts[0]))
    return [(m.x, m.y) for m in toolpath.marks if m.kind is MarkKind.TAB and m.shape == shape]


class TestNeighbours:
    @pytest.mark.parametrize("gap", [6.0, 6.5, 7.0, 9.5, 12.0, 30.0])
    def test_a_tab_dragged_on_one_part_leaves_the_other_as_it_was(self, gap):
        job, board = parts(gap)
        before = {shape.id: tabs_of(job, shape.id) for shape in board.shapes}
        first = board.shapes[0]
        x0, y0, x1, y1 = first.bounds()
        marks = [
            mark_at(first, *place)
            for place in ((x1, (y0 + y1) / 2 + 5), (x0, y0 + 20), ((x0 + x1) / 2, y0), ((x0 + x1) / 2, y1))
        ]
        moved = marking.set_tab_marks(job, "cut1", tuple(marks)).job
        after = {shape.id: tabs_of(moved, shape.id) for shape in board.shapes}
        assert len(after["part0"]) == 4
        assert any(
            abs(y - (y0 + y1) / 2 - 5) < 0.01 and x == pytest.approx(x1 + 3, abs=0.01) for x, y in after["part0"]
        )
        assert np.allclose(sorted(after["part1"]), sorted(before["part1"]))

    def test_a_hole_and_its_outline_have_marks_of_their_own(self):
        job, board, cut = board_with(
            Path.rectangle(0, 0, 80, 60),
            Path.circle((40, 30), 15),
            kind=ProfileCut,
            goes_through=True,
            tabs=Tabs(count=2, length=5.0),
        )
        shape = board.shapes[0]
        x0, y0, _, _ = shape.bounds()
        outer, inner = mark_at(shape, x0 + 30, y0), mark_at(shape, x0 + 40, y0 + 15)
        assert {outer.contour, inner.contour} == {0, 1}
        for mark in (outer, inner):
            job = marking.set_start_mark(job, cut.id, shape.id, mark).job
        starts = [
            m for m in plan_cut(resolve(job, job.boards[0], job.boards[0].cuts[0]))[0].marks if m.kind is MarkKind.START
        ]
        assert [m.reason for m in starts] == ["set by hand", "set by hand"]


class TestKeptOnTheOutline:
    @pytest.mark.parametrize("diameter", [1.0, 3.0, 8.0, 20.0])
    def test_with_another_bit(self, diameter):
        job, board = parts(60.0)
        shape = board.shapes[0]
        x0, y0, _, _ = shape.bounds()
        job = marking.set_tab_marks(job, "cut1", (mark_at(shape, x0 + 20, y0),)).job
        job = replace(job, bits=(replace(job.bits[0], diameter=diameter),))
        assert tabs_of(job, "part0") == [pytest.approx((x0 + 20, y0 - diameter / 2), abs=0.02)]

    @pytest.mark.parametrize("size", [(90.0, 50.0), (30.0, 120.0), (15.0, 15.0)])
    def test_of_a_rectangle_drawn_at_another_size(self, size):
        job, board, cut = board_with(
            Path.rectangle(0, 0, 10, 10), kind=ProfileCut, goes_through=True, tabs=Tabs(length=2.0)
        )
        done = shaping.draw(job, board.id, RectangleForm(width=60, height=40), board.shapes[0].at, name="plate")
        plate = done.pick[0]
        job = cutting.change_cuts(done.edit.job, (cut.id,), "", shapes=(plate,)).job
        shape = job.boards[0].shape(plate)
        x0, y0, x1, y1 = shape.bounds()
        job = marking.set_tab_marks(
            job, cut.id, (mark_at(shape, (x0 + x1) / 2, y0), mark_at(shape, (x0 + x1) / 2, y1))
        ).job
        job = shaping.reform(job, job.boards[0].id, plate, RectangleForm(width=size[0], height=size[1])).job
        shape = job.boards[0].shape(plate)
        x0, y0, x1, y1 = shape.bounds()
        found = tabs_of(job, plate)
        assert len(found) == 2
        for x, y in found:
            assert min(abs(x - x0 + 3), abs(x - x1 - 3), abs(y - y0 + 3), abs(y - y1 - 3)) < 0.02, "beside its outline"

    @pytest.mark.parametrize(
        "path",
        [Path.rectangle(0, 0, 60, 40), star(5, 40, 18), blob(4, 35), Path.circle((0, 0), 30)],
        ids=["plate", "star", "blob", "disc"],
    )
    def test_scaled_turned_and_mirrored(self, path):
        job, board, cut = board_with(path, kind=ProfileCut, goes_through=True, tabs=Tabs(length=4.0))
        shape = board.shapes[0]
        for share in (0.1, 0.37, 0.62, 0.9):
            outline = shape.placed()[0]
            x, y = outline.point_at(share * outline.length())
            marked = marking.set_tab_marks(job, cut.id, (mark_at(shape, float(x), float(y)),)).job
            ids = (shape.id,)
            for edit in (
                placing.size_to(marked, board.id, ids, placing.Anchor.MIDDLE, width=150.0),
                placing.turn_by(marked, board.id, ids, 37.0),
                placing.mirror(marked, board.id, ids, is_across=True)[0],
            ):
                new = edit.job.boards[0].shape(shape.id)
                mark = edit.job.boards[0].cuts[0].tabs.by_hand[0]
                here = np.array(place_of(new, mark))
                assert np.hypot(*(np.array(tabs_of(edit.job, shape.id)) - here).T) == pytest.approx(3.0, abs=1.3)
                assert new.placed()[0].nearest(tuple(here))[1] < 0.01

    def test_a_mark_of_an_older_file_still_counts(self):
        job, board = parts(60.0)
        shape = board.shapes[0]
        job = marking.set_tab_marks(job, "cut1", (Mark(shape.id, 20.0, 0.0),)).job
        x, y = shape.at.point(20.0, 0.0)
        assert tabs_of(job, "part0") == [pytest.approx((x, y - 3.0), abs=0.02)]


class TestTabsThatDoNotFit:
    def codes(self, *places, length: float = 8.0):
        job, board, cut = board_with(
            Path.rectangle(0, 0, 50, 50), kind=ProfileCut, goes_through=True, tabs=Tabs(length=length)
        )
        shape = board.shapes[0]
        x0, y0, _, _ = shape.bounds()
        job = marking.set_tab_marks(job, cut.id, tuple(mark_at(shape, x0 + x, y0) for x in places)).job
        toolpath, found = plan_cut(resolve(job, job.boards[0], job.boards[0].cuts[0]))
        return toolpath, {f.code: f for f in found}

    def test_nearer_than_a_lift_is_told(self):
        _, found = self.codes(20.0, 28.0)
        assert "1 of 2 tabs" in found["tabs-by-hand"].sentence
        assert "tabs-by-hand" not in self.codes(10.0, 40.0)[1]

    @pytest.mark.parametrize("length", [215.0, 400.0])
    def test_longer_than_the_outline_is_told_and_the_part_is_cut(self, length):
        toolpath, found = self.codes(20.0, length=length)
        assert "longer than its outline" in found["tabs-by-hand"].sentence
        assert toolpath.xyz[:, 2].min() == pytest.approx(-18.2)

    def test_open_lines_cut_through_keep_their_tabs(self):
        line = Path.polyline([(0, 0), (120, 0)], closed=False)
        for side in (Side.ON, Side.LEFT):
            job, board, cut = board_with(
                line, kind=ProfileCut, goes_through=True, side=side, tabs=Tabs(count=2, length=6.0)
            )
            toolpath, _ = plan_cut(resolve(job, board, cut))
            assert sum(m.kind is MarkKind.TAB for m in toolpath.marks) == 2
