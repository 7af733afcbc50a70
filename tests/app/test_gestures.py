"""Direct work on plan and sequence: pan, zoom, pick, drag, give up, drop."""

from __future__ import annotations

import re

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from app.conftest import settle
from app.gestures import drag, hover
from archimetra.base.findings import Severity
from archimetra.demo import artwork
from archimetra.edits import basic as edits
from archimetra.edits import layering
from archimetra.job.file import JobFile, save_job
from archimetra.job.job import new_job
from archimetra.job.quantities import Unit
from plain_clock import plain_clock

Alt, Shift, Control = (
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
)
Left, Middle = Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton


def shape(window, name: str):
    return next(s for s in window.session.board.shapes if s.name == name)


def on_edge(window, name: str, along: float = 40.0) -> QPointF:
    return window.plan.view.to_screen(*shape(window, name).placed()[0].point_at(along))


def wheel(widget, at: QPointF, steps: int) -> None:
    event = QWheelEvent(
        at, widget.mapToGlobal(at), QPoint(), QPoint(0, 120 * steps), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


class TestLooking:
    def test_a_middle_drag_pans_by_as_much_as_the_hand_moved(self, open_window):
        plan = open_window().plan
        place = plan.view.to_board(QPointF(300, 200))
        drag(plan, QPointF(300, 200), QPointF(390, 140), with_button=Middle)
        assert plan.view.to_board(QPointF(390, 140)) == pytest.approx(place)

    def test_the_wheel_keeps_the_place_under_the_cursor(self, open_window):
        plan = open_window().plan
        at = QPointF(250, 180)
        place, scale = plan.view.to_board(at), plan.view.scale
        wheel(plan, at, 3)
        assert plan.view.scale == pytest.approx(scale * 1.2**3)
        assert plan.view.to_board(at) == pytest.approx(place)
        wheel(plan, at, -3)
        assert plan.view.scale == pytest.approx(scale)

    def test_zooming_stays_within_what_can_be_drawn(self, open_window):
        plan = open_window().plan
        wheel(plan, QPointF(100, 100), 200)
        assert plan.view.scale == 400.0
        wheel(plan, QPointF(100, 100), -400)
        assert plan.view.scale == pytest.approx(0.02)
        assert not plan.grab().isNull()

    def test_a_middle_double_click_and_the_f_key_show_the_whole_sheet(self, open_window):
        window = open_window()
        plan = window.plan
        fitted = plan.view
        for back in (lambda: QTest.mouseDClick(plan, Middle, pos=QPoint(50, 50)), window.fit):
            wheel(plan, QPointF(250, 180), 5)
            assert plan.view != fitted
            back()
            assert plan.view == fitted

    def test_plus_and_minus_zoom_on_the_middle(self, open_window):
        plan = open_window().plan
        scale = plan.view.scale
        QTest.keyClick(plan, Qt.Key.Key_Plus)
        assert plan.view.scale == pytest.approx(1.25 * scale)
        QTest.keyClick(plan, Qt.Key.Key_Minus)
        assert plan.view.scale == pytest.approx(scale)

    def test_the_cursor_is_read_in_board_coordinates(self, open_window):
        window = open_window()
        hover(window.plan, window.plan.view.to_screen(200, 60))
        x, y = (float(word) for word in window._cursor.text().split() if word[0].isdigit())
        assert (x, y) == pytest.approx((200, 60), abs=0.01)


class TestPicking:
    def test_shift_adds_and_takes_away(self, open_window):
        window = open_window()
        plan, session = window.plan, window.session
        star, hole = shape(window, "star").id, shape(window, "arbor hole").id
        QTest.mouseClick(plan, Left, pos=on_edge(window, "star").toPoint())
        QTest.mouseClick(plan, Left, Shift, on_edge(window, "arbor hole", 3.0).toPoint())
        assert session.picked == (star, hole)
        QTest.mouseClick(plan, Left, Control, on_edge(window, "star").toPoint())
        assert session.picked == (hole,)

    def test_inside_an_area_a_click_takes_the_smallest_around_it(self, open_window):
        window = open_window()
        QTest.mouseClick(window.plan, Left, pos=window.plan.view.to_screen(160, 200).toPoint())
        assert window.session.picked == (shape(window, "star").id,)
        QTest.mouseClick(window.plan, Left, pos=window.plan.view.to_screen(8, 300).toPoint())
        assert window.session.picked == ()

    def test_hidden_shapes_are_not_picked_and_locked_ones_neither(self, open_window):
        window = open_window()
        session = window.session
        layer = shape(window, "star").layer
        for change in ({"is_shown": False}, {"is_shown": True, "is_locked": True}):
            session.apply(layering.change_layer(session.job, session.board.id, layer, "", **change))
            QTest.mouseClick(window.plan, Left, pos=on_edge(window, "star").toPoint())
            assert shape(window, "star").id not in session.picked
            window.shapes.pick_all()
            assert len(session.picked) == 3

    def test_pick_all_and_remove_and_undo(self, open_window):
        window = open_window()
        window.shapes.pick_all()
        assert len(window.session.picked) == 4
        window.shapes.remove_picked()
        assert window.session.board.shapes == ()
        assert window.session.picked == ()
        window.undo()
        assert len(window.session.board.shapes) == 4


class TestDragging:
    def test_escape_gives_a_drag_up(self, open_window):
        window = open_window()
        before = shape(window, "star").at
        start = on_edge(window, "star")
        drag(window.plan, start, start + QPointF(60, 20), release=False)
        QTest.keyClick(window.plan, Qt.Key.Key_Escape)
        QTest.mouseRelease(window.plan, Left, pos=(start + QPointF(60, 20)).toPoint())
        assert shape(window, "star").at == before

    def test_alt_lets_a_drag_go_free_of_the_centre(self, open_window):
        window = open_window()
        window.session.pick([shape(window, "star").id])
        start = on_edge(window, "star")
        drag(window.plan, start, start + QPointF(5, 0))
        assert shape(window, "star").at.e == pytest.approx(0.0)  # caught by the centre it already sat on
        QTest.mousePress(window.plan, Left, Alt, start.toPoint())
        # a made-up move carries no modifier in offscreen mode, so snapping is switched off as the S key does
        window.toggle_snapping()
        QTest.mouseMove(window.plan, (start + QPointF(5, 0)).toPoint())
        QTest.mouseRelease(window.plan, Left, Alt, (start + QPointF(5, 0)).toPoint())
        assert shape(window, "star").at.e == pytest.approx(5 / window.plan.view.scale, abs=1.5)

    def test_nudges_of_two_shapes_are_two_steps(self, open_window):
        window = open_window()
        session = window.session
        for name in ("star", "dial"):
            session.pick([shape(window, name).id])
            for _ in range(3):
                QTest.keyClick(window.plan, Qt.Key.Key_Right)
        assert shape(window, "dial").at.e == pytest.approx(3.0)
        window.undo()
        assert shape(window, "dial").at.e == pytest.approx(0.0)
        assert shape(window, "star").at.e == pytest.approx(3.0)

    def test_each_end_of_the_section_line_is_dragged_on_its_own(self, open_window, qtbot):
        window = open_window()
        session, view = window.session, window.plan.view
        (_, _), (bx, by) = session.playhead.line
        start = view.to_screen(*session.playhead.line[0])
        drag(window.plan, start, view.to_screen(30, 40))
        assert session.playhead.line[0] == pytest.approx((30, 40), abs=1.0)
        assert session.playhead.line[1] == pytest.approx((bx, by))
        # near level it becomes level
        start = view.to_screen(*session.playhead.line[0])
        drag(window.plan, start, view.to_screen(40, by + 3 / view.scale))
        assert session.playhead.line[0][1] == pytest.approx(by)

    def test_a_line_of_no_length_is_not_taken(self, open_window):
        session = open_window().session
        before = session.playhead.line
        session.playhead.move_line(((10.0, 10.0), (10.0, 10.2)))
        assert session.playhead.line == before

    def test_a_file_dropped_on_the_plan_is_read(self, open_window, qtbot, tmp_path):
        window = open_window(JobFile(new_job()))
        drawing, job = tmp_path / "dial.svg", tmp_path / "clock.archimetra"
        drawing.write_bytes(artwork("dial-face.svg"))
        save_job(job, plain_clock())

        def drop(path) -> None:
            data = QMimeData()
            data.setUrls([QUrl.fromLocalFile(str(path))])
            event = QDropEvent(QPointF(50, 50), Qt.DropAction.CopyAction, data, Left, Qt.KeyboardModifier.NoModifier)
            window.plan.dropEvent(event)

        with qtbot.waitSignal(window.session.imports.read, timeout=30_000):
            drop(drawing)
        assert window.artwork_page.bring.panel.drawing.name == "dial"
        window.artwork_page.bring.panel.clear()
        drop(job)
        settle(qtbot, window)
        assert window.session.job.name == "Quay tide clock"


class TestFindings:
    def test_a_mark_on_the_plan_leads_to_its_cut_and_says_why(self, open_window, qtbot):
        window = open_window()
        session = window.session
        cut = session.board.cuts[0]
        session.pick([shape(window, "star").id])
        session.move_picked(-120.0, 0.0)  # off the sheet
        settle(qtbot, window)
        finding = next(f for f in session.planning.plan.findings if f.code == "off-sheet")
        assert window.status.findings.text() == f"{len(session.planning.plan.findings)} finding" + "s" * (
            len(session.planning.plan.findings) > 1
        )
        window.plan.go_to(*finding.at)  # in sight, and not under a ruler
        QTest.mouseClick(window.plan, Left, pos=window.plan.view.to_screen(*finding.at).toPoint())
        assert session.cut_id == cut.id
        assert finding.severity is Severity.STOP
        assert re.search(r"reach \d+\.\d\d mm past the edge of the sheet", window.notices.text)
        session.apply(edits.change_job(session.job, "Unit", unit=Unit.INCH))
        settle(qtbot, window)
        QTest.mouseClick(window.plan, Left, pos=window.plan.view.to_screen(*finding.at).toPoint())
        assert re.search(r"reach \d+\.\d+ in past the edge of the sheet", window.notices.text)
        window.undo()
        window.undo()
        settle(qtbot, window)
        assert window.status.findings.text() == "no findings"


class TestSequence:
    def test_a_click_on_a_block_picks_its_cut_and_goes_there(self, open_window, qtbot):
        window = open_window()
        lane, session = window.sequence.lane, window.session
        for k, block in enumerate(session.planning.plan.run.blocks):
            middle = lane.block_rect(k).center().toPoint()
            QTest.mouseClick(lane, Left, pos=middle)
            assert session.cut_id == block.cut
            first, last = (
                session.planning.plan.times.ends[block.first - 1],
                session.planning.plan.times.ends[block.last - 1],
            )
            assert first < session.playhead.seconds < last

    def test_time_and_place_undo_each_other(self, open_window):
        lane = open_window().sequence.lane
        for x in np.linspace(lane.edges[0][0] + 2, lane.edges[-1][1] - 2, 37):
            gap = any(b < x < a for (_, b), (a, _) in zip(lane.edges[:-1], lane.edges[1:], strict=True))
            assert gap or lane.x_of(lane.seconds_at(float(x))) == pytest.approx(x)

    @pytest.mark.parametrize("share", [0.05, 0.5, 0.95])
    def test_a_place_in_a_block_is_that_share_of_its_cut_s_time(self, open_window, share):
        """By the plan's own clock, so that no block stands for another's time."""
        window = open_window()
        lane, plan = window.sequence.lane, window.session.planning.plan
        for (a, b), block in zip(lane.edges, plan.run.blocks, strict=True):
            begin, end = plan.times.ends[block.first - 1], plan.times.ends[block.last - 1]
            assert lane.seconds_at(a + share * (b - a)) == pytest.approx(
                begin + share * (end - begin), abs=0.01 * (end - begin)
            )

    def test_arrows_step_through_the_run(self, open_window):
        window = open_window()
        lane, session = window.sequence.lane, window.session
        total = session.planning.plan.times.total
        QTest.keyClick(lane, Qt.Key.Key_Home)
        assert session.playhead.seconds == 0
        QTest.keyClick(lane, Qt.Key.Key_Right)
        assert session.playhead.seconds == pytest.approx(total / 100)
        QTest.keyClick(lane, Qt.Key.Key_Left)
        assert session.playhead.seconds == pytest.approx(0)

    def test_scrubbing_follows_the_hand(self, open_window):
        window = open_window()
        lane, session = window.sequence.lane, window.session
        y = lane.height() - 4.0
        drag(lane, QPointF(lane.x_of(50.0), y), QPointF(lane.x_of(400.0), y))
        assert session.playhead.seconds == pytest.approx(400, abs=3)

    def test_small_blocks_stay_wide_enough_to_grab(self, open_window, qtbot):
        window = open_window()
        session = window.session
        hole = next(c for c in session.board.cuts if c.name == "Arbor hole")
        session.apply(edits.change_cut(session.job, hole.id, "", end_depth=0.2, goes_through=False))
        settle(qtbot, window)
        lane = window.sequence.lane
        assert min(b - a for a, b in lane.edges) >= 13.9
        assert lane.edges[-1][1] <= lane.width()
