"""``PlanSurface``: what tools and layers of marks see of the plan they work and paint on."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtGui import QPainter

from archimetra.app.theme.tokens import Tokens
from archimetra.app.views.key_focus import KeyFocusView
from archimetra.app.views.viewport import Viewport
from archimetra.geometry.path import Path
from archimetra.job.quantities import Unit


class PlanSurface(KeyFocusView):
    """``cursor_place`` is the place under the pointer, in mm of the board."""

    view: Viewport
    tokens: Tokens
    cursor_place: tuple[float, float]

    @property
    def unit(self) -> Unit:
        raise NotImplementedError

    def middle(self) -> tuple[float, float]:
        """The board place in the middle of what is seen."""
        raise NotImplementedError

    def stroke(self, painter: QPainter, paths: Sequence[Path]) -> None:
        """Outlines being made."""
        raise NotImplementedError

    def knob(self, painter: QPainter, place: tuple[float, float]) -> None:
        """A small square to take hold of."""
        raise NotImplementedError
