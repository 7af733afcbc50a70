"""The lines of a file in a view: all of them however many, numbered, coloured, found."""

from __future__ import annotations

import time

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtTest import QTest

from archimetra.app.theme.tokens import LIGHT
from archimetra.app.widgets.code_view import CodeView


@pytest.fixture
def view(qtbot):
    made = CodeView("Lines", LIGHT)
    qtbot.addWidget(made)
    made.resize(360, 240)
    made.show()
    return made


def test_a_million_lines_are_there_at_once_and_the_last_is_reached(view):
    text = "\n".join(f"N{k} G1 X{k}.5" for k in range(1_000_000))
    begin = time.perf_counter()
    view.show_text(text)
    view.choose(999_999)
    view.grab()
    assert time.perf_counter() - begin < 5.0
    assert view.model().rowCount() == 1_000_000
    assert view.model().data(view.model().index(999_999, 0)) == "N999999 G1 X999999.5"
    assert view.currentIndex().row() == 999_999


def test_choosing_tells_the_line_and_showing_does_not(view):
    told = []
    view.line_chosen.connect(told.append)
    view.show_text("a\nb\nc")
    assert told == []
    view.choose(2)
    assert told == [2]
    view.setFocus()
    QTest.keyClick(view, Qt.Key.Key_Up)
    assert told == [2, 1]
    for line in (-1, 3):
        view.choose(line)
    assert told == [2, 1]
    view.show_text("")
    assert list(view.lines) == []
    view.mark(5)
    view.grab()


def test_words_are_found_forwards_backwards_and_around_the_end(view):
    view.show_text("G0 X1\n(Cut: One)\nG1 Z-1\n(cut: two)\nM2")
    assert view.find_words("CUT:")
    assert view.currentIndex().row() == 1
    assert view.find_words("cut:")
    assert view.currentIndex().row() == 3
    assert view.find_words("cut:")
    assert view.currentIndex().row() == 1
    assert view.find_words("cut:", backwards=True)
    assert view.currentIndex().row() == 3
    for words in ("nowhere", "", "   "):
        assert not view.find_words(words)
    assert view.currentIndex().row() == 3


def pixels(view) -> np.ndarray:
    image = view.viewport().grab().toImage().convertToFormat(view.viewport().grab().toImage().Format.Format_RGB32)
    return np.frombuffer(image.constBits(), np.uint32).reshape(image.height(), image.width()) & 0xFFFFFF


def test_lines_have_the_colour_of_their_bit_and_the_one_at_work_stands_out(view):
    red, blue = QColor("#A94A35"), QColor("#3D5A98")
    view.show_text("(head)\nG1 X1\nG1 X2", [-1, 0, 1], [red, blue])
    shown = pixels(view)
    high = view.rowHeight(0)
    for row, hue in ((1, red), (2, blue)):
        band = shown[row * high + 2 : (row + 1) * high - 2]
        assert (band == (hue.rgb() & 0xFFFFFF)).any()
    assert not (shown[2 : high - 2] == (red.rgb() & 0xFFFFFF)).any()
    view.mark(2)
    assert (pixels(view)[2 * high : 3 * high] != shown[2 * high : 3 * high]).mean() > 0.3
    assert (pixels(view)[: 2 * high] == shown[: 2 * high]).all()
