"""Every word has its room: all pages, at several sizes, themes, text scales and units, looked at widget by widget."""

from __future__ import annotations

import msgspec
import pytest
from PySide6.QtWidgets import (
    QApplication,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QToolButton,
    QWidget,
)

from archimetra.app.stations import STATIONS
from archimetra.app.theme import style
from archimetra.app.widgets.fields import QuantityField
from archimetra.job.file import JobFile
from archimetra.job.quantities import Unit
from plain_clock import plain_clock

from .test_keys import every_page

SLACK_PX = 2


def faults(root: QWidget) -> list[str]:
    """Words wider or higher than what they are shown in, and things that lie over their neighbours."""
    found = []
    for widget in (root, *root.findChildren(QWidget)):
        if widget.isVisible():
            found += _cramped(widget) + _overlapping(widget)
    return found


def _cramped(widget: QWidget) -> list[str]:
    room, who = widget.contentsRect(), type(widget).__name__
    if isinstance(widget, QLabel) and widget.text() and widget.pixmap().isNull():
        if widget.wordWrap():
            short = widget.heightForWidth(widget.width()) - widget.height()
            return [f"{who} '{widget.text()[:40]}' is {short} px too low"] if short > SLACK_PX else []
        if (
            widget.sizePolicy().horizontalPolicy() is QSizePolicy.Policy.Ignored
            and widget.toolTip() == widget.text()
            and not isinstance(widget.parentWidget(), QuantityField)
        ):
            return []  # may be cut short: its tip says it whole
        short = widget.fontMetrics().horizontalAdvance(widget.text()) - room.width()
        return [f"{who} '{widget.text()[:40]}' is {short} px too narrow"] if short > SLACK_PX else []
    if isinstance(widget, QLineEdit) and widget.text() and not widget.hasFocus():
        short = widget.fontMetrics().horizontalAdvance(widget.text()) - (room.width() - 10)
        return (
            [f"field {widget.accessibleName()} '{widget.text()[:40]}' is {short} px too narrow"]
            if short > SLACK_PX
            else []
        )
    if isinstance(widget, QComboBox):
        short = widget.fontMetrics().horizontalAdvance(widget.currentText()) - (room.width() - 26)
        return (
            [f"choice {widget.accessibleName()} '{widget.currentText()}' is {short} px too narrow"]
            if short > SLACK_PX
            else []
        )
    if isinstance(widget, QPushButton | QToolButton | QCheckBox) and widget.text():
        wide = widget.sizeHint().width() - widget.width()
        bare = widget.fontMetrics().horizontalAdvance(widget.text().replace("&", "")) - room.width() + 4
        short = min(wide, bare) if isinstance(widget, QToolButton) else wide
        return [f"{who} '{widget.text()[:40]}' is {short} px too narrow"] if short > SLACK_PX else []
    return []


def _overlapping(widget: QWidget) -> list[str]:
    layout = widget.layout()
    if layout is None:
        return []
    children = [c for c in widget.children() if isinstance(c, QWidget) and c.isVisible() and not c.isWindow()]
    out = []
    for k, one in enumerate(children):
        for two in children[k + 1 :]:
            both = one.geometry().intersected(two.geometry())
            if both.width() > SLACK_PX and both.height() > SLACK_PX:
                out.append(
                    f"{_name(one)} lies over {_name(two)} in {_name(widget)} by {both.width()} x {both.height()} px"
                )
    return out


def _name(widget: QWidget) -> str:
    text = getattr(widget, "text", lambda: "")()
    return widget.accessibleName() or (text[:30] if isinstance(text, str) else "") or type(widget).__name__


@pytest.mark.parametrize("scale", [1.0, 1.5])
@pytest.mark.parametrize("unit", list(Unit))
def test_nothing_is_cut_off_or_lies_over_anything(open_window, monkeypatch, scale, unit):
    monkeypatch.setattr(style, "text_scale", lambda: scale)
    content = plain_clock()
    window = open_window(JobFile(msgspec.structs.replace(content.job, unit=unit), content.sources))
    session = window.session
    session.pick([shape.id for shape in session.board.shapes[:2]])
    found: dict[str, str] = {}
    for size, theme in (((1280, 800), "light"), ((1100, 700), "dark"), ((1600, 1000), "light")):
        window.set_theme(theme)
        window.resize(*size)
        for cut in session.board.cuts if size == (1280, 800) else session.board.cuts[:1]:
            session.show_cut(cut.id)
            for name, page in every_page(window):
                if cut is not session.board.cuts[0] and name != "Cuts Cuts":
                    continue
                for _ in range(10):
                    QApplication.processEvents()
                for fault in faults(page.widget):
                    found.setdefault(f"{name}: {fault}", f"{size} {theme}")
        for part in (window.header, window.rail, window.status, window.section, window.sequence):
            for fault in faults(part):
                found.setdefault(f"{type(part).__name__}: {fault}", f"{size} {theme}")
    assert not found, "\n".join(f"{fault}  [{where}]" for fault, where in found.items())


def test_the_window_fits_a_small_screen_with_large_text(open_window, monkeypatch):
    monkeypatch.setattr(style, "text_scale", lambda: 1.5)
    window = open_window()
    for station in STATIONS:
        window.show_station(station.id)
        least = window.centralWidget().minimumSizeHint()
        assert (least.width(), least.height()) <= (1272, 760)
        assert least.height() <= 760
