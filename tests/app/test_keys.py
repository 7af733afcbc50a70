"""Keys go to what has the focus; the wheel changes nothing in passing."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QCheckBox,
    QComboBox,
    QPlainTextEdit,
    QScrollBar,
    QWidget,
)

from archimetra.app.stations import STATIONS
from archimetra.app.stations.cuts.cut_list import CutList

from .gestures import button, named, part

Key = Qt.Key


def every_page(window):
    """Each page and part of the window, brought to the front in turn."""
    for station in STATIONS:
        window.show_station(station.id)
        page = window.page(station.id)
        names = list(getattr(page, "_buttons", {})) or [""]
        for name in names:
            if name:
                page.show_panel(name)
            yield f"{station.name} {name}", page


def spin(widget) -> None:
    at = QPointF(widget.rect().center())
    event = QWheelEvent(
        at, widget.mapToGlobal(at), QPoint(), QPoint(0, -120), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


def test_the_wheel_over_a_choice_changes_nothing(open_window):
    window = open_window()
    session = window.session
    session.pick([session.board.shapes[0].id])
    session.show_cut(session.board.cuts[0].id)
    before, tried = session.job, 0
    for _, page in every_page(window):
        for widget in page.widget.findChildren(QWidget):
            if isinstance(widget, QComboBox | QAbstractSpinBox | QAbstractSlider) and not isinstance(
                widget, QScrollBar
            ):
                was = widget.currentIndex() if isinstance(widget, QComboBox) else widget.value()
                spin(widget)
                assert (widget.currentIndex() if isinstance(widget, QComboBox) else widget.value()) == was
                tried += 1
    assert tried > 15
    assert session.job == before


def test_a_focused_button_or_box_takes_space_and_enter(open_window):
    window = open_window()
    window.station_board()
    box = next(b for b in window.findChildren(QCheckBox) if "Travel as low" in b.text())
    was = box.isChecked()
    box.setFocus()
    QTest.keyClick(box, Key.Key_Space)
    assert box.isChecked() != was
    assert not window.playback.is_playing
    QTest.keyClick(box, Key.Key_Return)
    assert box.isChecked() == was
    count = len(window.session.board.fixtures)
    add = button(window, "Add a clamp")
    for key in (Key.Key_Space, Key.Key_Return, Key.Key_Enter):
        add.setFocus()
        QTest.keyClick(add, key)
        count += 1
        assert len(window.session.board.fixtures) == count
    assert not window.playback.is_playing
    window.plan.setFocus()
    QTest.keyClick(window.plan, Key.Key_Space)
    assert window.playback.is_playing
    window.playback.stop()


def test_letters_and_delete_belong_to_the_list_that_has_the_focus(open_window):
    window = open_window()
    session = window.session
    session.pick([session.board.shapes[0].id])
    shapes = session.board.shapes
    window.station_artwork()
    window.artwork_page.show_panel("Place")
    layer = window.artwork_page.place._layer
    layer.setFocus()
    for key in (Key.Key_C, Key.Key_P, Key.Key_Delete):
        QTest.keyClick(layer, key)
    assert session.board.shapes == shapes or session.undo_label == "Move to layer"  # a letter finds a layer by its name
    assert len(session.board.shapes) == len(shapes)
    shapes, cuts = session.board.shapes, session.board.cuts
    window.station_cuts()
    rows = part(window, CutList)
    session.show_cut(cuts[1].id)
    rows.setFocus()
    for key in (Key.Key_P, Key.Key_C):
        QTest.keyClick(rows, key)
    assert session.board.cuts == cuts
    session.show_cut(cuts[1].id)
    QTest.keyClick(rows, Key.Key_Delete)
    assert [c.id for c in session.board.cuts] == [c.id for c in cuts if c.id != cuts[1].id]
    assert session.board.shapes == shapes
    picked = session.picked
    QTest.keyClick(rows, Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    assert set(rows.selected_ids()) == {c.id for c in session.board.cuts}
    assert session.picked == picked
    window.plan.setFocus()
    QTest.keyClick(window.plan, Key.Key_Delete)
    assert shapes[0].id not in {s.id for s in session.board.shapes}


def test_what_the_mouse_does_has_keys(open_window):
    window = open_window()
    session = window.session
    window.plan.setFocus()
    seen = []
    for _ in session.board.shapes:
        QTest.keyClick(window.plan, Key.Key_N)
        seen.append(session.picked[-1])
    assert seen[0] == session.board.shapes[0].id
    assert len(set(seen)) > 1
    QTest.keyClick(window.plan, Key.Key_N, Qt.KeyboardModifier.ShiftModifier)
    assert session.picked[-1] == seen[-2]
    (ax, ay), (bx, by) = session.playhead.line
    QTest.keyClick(window.plan, Key.Key_PageUp)
    QTest.keyClick(window.plan, Key.Key_PageDown, Qt.KeyboardModifier.ShiftModifier)
    assert session.playhead.line == ((ax, pytest.approx(ay - 9)), (bx, pytest.approx(by - 9)))
    session.playhead.move_line(((10.0, 80.0), (10.0, 20.0)))  # upright, drawn downwards
    QTest.keyClick(window.plan, Key.Key_PageUp)
    assert session.playhead.line[0] == (pytest.approx(9.0), 80.0)
    order = [c.id for c in session.board.cuts]
    session.show_cut(order[0])
    QTest.keyClick(window.plan, Key.Key_Down, Qt.KeyboardModifier.ControlModifier)
    assert [c.id for c in session.board.cuts][:2] == [order[1], order[0]]
    QTest.keyClick(window.plan, Key.Key_Up, Qt.KeyboardModifier.ControlModifier)
    assert [c.id for c in session.board.cuts] == order


def test_tab_walks_through_everything_and_leaves_boxes(open_window):
    """Tab from the plan reaches Play, a speed, a field and the plan again; no text box holds it."""
    window = open_window()
    window.station_cuts()
    window.session.show_cut(window.session.board.cuts[0].id)
    window.plan.setFocus()
    seen: list[QWidget] = []
    for _ in range(200):
        QTest.keyClick(window.focusWidget(), Key.Key_Tab)
        seen.append(window.focusWidget())
        if window.plan in seen:
            break
    assert window.plan in seen
    names = {w.accessibleName() for w in seen}
    assert {"Play", "Plan", "Cut name"} <= names
    assert any(name.startswith("Play ") and "times" in name for name in names)
    assert all(w.tabChangesFocus() for w in window.findChildren(QPlainTextEdit) if not w.isReadOnly())


def test_the_areas_go_round_and_the_plan_shows_where_the_keys_are(open_window):
    window = open_window()
    window.plan.setFocus(Qt.FocusReason.MouseFocusReason)
    plain = window.plan.grab().toImage().pixelColor(1, 200)
    seen = []
    for _ in range(5):
        QTest.keyClick(window.focusWidget(), Key.Key_F6)
        seen.append(window.focusWidget())
    assert window.focusWidget() is window.plan
    assert len(set(map(id, seen))) == 5
    assert window.plan.grab().toImage().pixelColor(1, 200) != plain
    QTest.keyClick(window.plan, Key.Key_F6, Qt.KeyboardModifier.ShiftModifier)
    assert window.focusWidget() is not window.plan


def test_a_tab_or_part_that_is_shown_keeps_its_mark(open_window):
    window = open_window()
    tab = named(window, f"Board {window.session.board.name}")
    window.station_artwork()
    part = next(b for b in window.findChildren(QAbstractButton) if b.text() == window.artwork_page.shown_panel)
    station = named(window, "Station Artwork")
    for shown in (tab, part, station):
        assert shown.isChecked()
        QTest.mouseClick(shown, Qt.MouseButton.LeftButton)
        assert shown.isChecked()
