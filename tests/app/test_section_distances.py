"""Distances measured and pinned in the section, and tabs told in it."""

from __future__ import annotations

from math import cos, hypot, radians, sin

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from app.conftest import settle
from app.gestures import drag
from archimetra.app.views.showing import tab_spans
from archimetra.edits import looking
from archimetra.geometry.path import Path
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.file import JobFile, decode_job, encode_job
from archimetra.job.job import with_boards
from archimetra.job.sections import MOST_DISTANCES, PinnedDistance
from archimetra.job.sheet import Sheet
from archimetra.toolpath.shared.moves import MarkKind
from cutting_board import board_with
from shapes import replace


def a_pocket():
    """A pocket 60 mm wide and 5 mm deep from x = 70 to 130 in the middle of its board."""
    job, board, _ = board_with(
        Path.rectangle(0, 0, 60, 40),
        kind=PocketCut,
        sheet=Sheet(width=200, height=150, readings=(18.0,)),
        end_depth=5.0,
    )
    return JobFile(with_boards(job, (board,)), {})


@pytest.fixture
def pocket(open_window, qtbot):
    window = open_window(a_pocket())
    settle(qtbot, window)
    window.session.playhead.move_line(((0.0, 75.0), (200.0, 75.0)))
    window.session.playhead.keep_line()
    qtbot.waitUntil(lambda: window.session.playhead.moment.line == ((0.0, 75.0), (200.0, 75.0)), timeout=20_000)
    window.section.show_exaggeration(5)
    return window


def measure(window, begin, end, *, keys=Qt.KeyboardModifier.NoModifier):
    canvas = window.section.canvas
    frame = canvas._frame(canvas._data)
    drag(canvas, frame.at(*begin), frame.at(*end))


def pinned(window) -> tuple[PinnedDistance, ...]:
    lines = window.session.board.sections
    return lines[window.session.playhead.section].distances if lines else ()


class TestDistances:
    def test_walls_floors_and_faces_are_caught(self, pocket):
        # near the pocket's walls and its floor, by a few tenths: the exact figures are kept
        measure(pocket, (70.4, -2.0), (129.5, -2.1))
        (wide,) = pinned(pocket)
        assert wide.length == pytest.approx(60.0, abs=0.2)
        measure(pocket, (100.0, -0.3), (100.2, -4.8))
        deep = pinned(pocket)[1]
        assert (deep.z0, deep.z1) == pytest.approx((0.0, -5.0), abs=1e-5)
        assert deep.s0 == deep.s1
        measure(pocket, (20.0, -17.8), (20.0, -0.1))
        assert pinned(pocket)[2].length == pytest.approx(18.0)

    def test_they_are_kept_with_the_job_and_undone_one_by_one(self, pocket):
        measure(pocket, (70.0, -2.0), (130.0, -2.0))
        measure(pocket, (100.0, 0.0), (100.0, -5.0))
        job = pocket.session.job
        assert decode_job(encode_job(job), name="again").boards[0].sections == job.boards[0].sections
        pocket.undo()
        assert len(pinned(pocket)) == 1
        pocket.redo()
        assert len(pinned(pocket)) == 2
        pocket.session.playhead.shift_line(3.0)  # the line moves, what was pinned along it stays
        assert len(pinned(pocket)) == 2

    def test_a_click_pins_nothing_and_picks_what_is_there_to_be_removed(self, pocket):
        canvas = pocket.section.canvas
        frame = canvas._frame(canvas._data)
        measure(pocket, (30.0, -9.0), (30.0, -9.0))
        assert pinned(pocket) == ()
        measure(pocket, (20.0, -9.0), (60.0, -9.0))
        measure(pocket, (70.0, -2.0), (130.0, -2.0))
        canvas.setFocus()
        QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=frame.at(40.0, -9.0).toPoint())
        QTest.keyClick(canvas, Qt.Key.Key_Delete)
        (left,) = pinned(pocket)
        assert left.length == pytest.approx(60.0, abs=0.3)
        QTest.keyClick(canvas, Qt.Key.Key_Delete)  # nothing is picked any more
        assert len(pinned(pocket)) == 1

    def test_escape_gives_up_what_is_being_measured(self, pocket):
        canvas = pocket.section.canvas
        frame = canvas._frame(canvas._data)
        canvas.setFocus()
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=frame.at(20.0, -9.0).toPoint())
        QTest.mouseMove(canvas, frame.at(60.0, -9.0).toPoint())
        QTest.keyClick(canvas, Qt.Key.Key_Escape)
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=frame.at(60.0, -9.0).toPoint())
        assert pinned(pocket) == ()

    def test_on_a_line_that_is_none_of_the_boards_it_becomes_one(self, pocket, qtbot):
        playhead = pocket.session.playhead
        line = ((100.0, 30.0), (100.0, 120.0))
        playhead.look_along(line)
        qtbot.waitUntil(lambda: playhead.moment.line == line, timeout=20_000)
        measure(pocket, (10.0, 0.0), (10.0, -18.0))
        assert not playhead.is_elsewhere
        assert playhead.line == line
        assert [len(one.distances) for one in pocket.session.board.sections] == [0, 1]

    def test_they_are_drawn_to_scale_too(self, pocket, tmp_path):
        before = pocket.exporting.section_svg()
        measure(pocket, (70.0, -2.0), (130.0, -2.0))
        after = pocket.exporting.section_svg()
        assert len(after) > len(before)

    def test_too_many_are_told(self, pocket):
        session = pocket.session
        one = PinnedDistance(s0=0, z0=0, s1=1, z1=0)
        job = session.job
        line = session.playhead.line
        for _ in range(MOST_DISTANCES):
            job = looking.pin_distance(job, session.board_id, 0, line, one).job
        with pytest.raises(ValueError, match="at most"):
            looking.pin_distance(job, session.board_id, 0, line, one)
        assert (
            len(looking.unpin_distances(job, session.board_id, 0, range(40)).job.boards[0].sections[0].distances) == 60
        )


class TestTabs:
    def test_a_line_across_a_tab_tells_it_and_one_beside_it_does_not(self, open_window, qtbot):
        window = open_window()
        settle(qtbot, window)
        session = window.session
        plan, board = session.planning.plan, session.board
        outline = board.cuts[-1]
        marks = [mark for mark in plan.cuts[-1].toolpath.marks if mark.kind is MarkKind.TAB]
        assert len(marks) == outline.tabs.count
        bit = session.job.bit(outline.bit)
        for mark in marks:
            c, s = cos(radians(mark.degrees)), sin(radians(mark.degrees))
            for off in (0.0, 0.49 * outline.tabs.length, outline.tabs.length / 2 + bit.radius + 0.5, 40.0):
                x, y = mark.x + off * c, mark.y + off * s
                line = ((x - 30 * s, y + 30 * c), (x + 30 * s, y - 30 * c))
                spans = tab_spans(session.job, board, plan, line)
                assert len(spans) == (1 if off <= outline.tabs.length / 2 + bit.radius else 0), off
                if spans:
                    assert spans[0].begin < 30.0 < spans[0].end
                    assert spans[0].thickness == outline.tabs.thickness

    def test_it_is_drawn_once_its_slot_is_cut(self, open_window, qtbot):
        window = open_window()
        settle(qtbot, window)
        session = window.session
        mark = next(m for m in session.planning.plan.cuts[-1].toolpath.marks if m.kind is MarkKind.TAB)
        c, s = cos(radians(mark.degrees)), sin(radians(mark.degrees))
        line = ((mark.x - 30 * s, mark.y + 30 * c), (mark.x + 30 * s, mark.y - 30 * c))
        session.playhead.move_line(line)
        qtbot.waitUntil(lambda: session.playhead.moment.line == line, timeout=20_000)
        data = window.section.canvas._data
        (span,) = data.tabs
        along = np.linspace(0, data.length, len(data.heights))
        left = data.heights[(along > span.begin) & (along < span.end)].min() + data.sheet.thinnest
        assert left == pytest.approx(span.thickness, abs=0.01)  # the stock has it where the marks say
        window.section.show_section(replace(data, tabs=()))
        without = window.section.canvas.grab().toImage()
        window.section.show_section(data)
        assert window.section.canvas.grab().toImage() != without
        uncut = replace(data, heights=np.zeros_like(data.heights))
        window.section.show_section(uncut)
        one = window.section.canvas.grab().toImage()
        window.section.show_section(replace(uncut, tabs=()))
        assert window.section.canvas.grab().toImage() == one
        assert hypot(*np.subtract(*line)) == pytest.approx(60.0)
