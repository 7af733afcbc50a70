"""Lines that mix directions, against the algorithm's other implementation and the order letters stand in."""

from __future__ import annotations

import bidi
import pytest
from hypothesis import given
from hypothesis import strategies as st

from archimetra.artwork.directions import stretches
from archimetra.artwork.faces import face_of
from archimetra.artwork.fonts import shipped_fonts

MIRRORED = str.maketrans("()<>[]", ")(><][")
HEBREW, ARABIC, LATIN = "שלוםעל", "مرحبا", "Quay Ti"


def as_seen(line: str) -> str:
    """The line from left to right, its stretches turned as they are written."""
    parts = [(line[first:last], leftward) for first, last, leftward in stretches(line)]
    return "".join(part[::-1].translate(MIRRORED) if leftward else part for part, leftward in parts)


@pytest.mark.parametrize(
    ("line", "seen"),
    [
        ("Quay 12", "Quay 12"),
        ("שלום", "םולש"),
        ("Quay שלום 12", "Quay 12 םולש"),
        ("שלום 12:30 Quay", "Quay 12:30 םולש"),
        ("שלום (Quay)", "(Quay) םולש"),
    ],
)
def test_lines_people_write(line, seen):
    assert as_seen(line) == seen


@given(st.text(alphabet=LATIN + HEBREW + ARABIC + " 0123456789.,:-+%!", max_size=24))
def test_any_mix_is_ordered_as_the_other_implementation_does(line):
    assert as_seen(line) == bidi.get_display(line)
    covered = sorted(place for first, last, _ in stretches(line) for place in range(first, last))
    assert covered == list(range(len(line)))


def test_letters_are_set_in_that_order():
    """By where each glyph stands, in a font that need not have the letters: a missing one has its place too."""
    face = face_of(next(font for font in shipped_fonts() if not font.is_single_line))
    for line in ("Quay שלום 12", "שלום Quay", "12 של, Ti"):
        shaped = face.shape(line, ligatures=False)
        by_place = sorted(shaped.glyphs, key=lambda glyph: glyph.x)
        assert "".join(line[glyph.character] for glyph in by_place) == bidi.get_display(line)
        assert shaped.width == pytest.approx(sum(glyph.advance for glyph in shaped.glyphs))
