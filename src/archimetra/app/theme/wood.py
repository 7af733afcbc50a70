"""The plain tone of a material, for places where its grain is not drawn."""

from __future__ import annotations

from PySide6.QtGui import QColor

from archimetra.job.materials import rgb
from archimetra.job.sheet import Sheet

_LINES = 0.15  # how much of the face grain lines cover


def tone_of(sheet: Sheet) -> QColor:
    """The sheet's face with its grain run together."""
    face, line = (rgb(tone) for tone in sheet.tones)
    return QColor(*(round(f + (g - f) * _LINES) for f, g in zip(face, line, strict=True)))
