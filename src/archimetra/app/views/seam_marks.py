"""Seams of a tiled board on the plan: where they lie, what lies between them, the pins; each seam can be taken hold of at its ends."""

from __future__ import annotations

from collections.abc import Sequence
from math import isfinite

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QPainter, QPen

from archimetra.app.theme import style
from archimetra.app.views.plan_surface import PlanSurface
from archimetra.job.lying import only_setup
from archimetra.job.quantities import format_length
from archimetra.job.setups import Box, Setup
from archimetra.layout.tiles.answer import Seam

KNOB_PX = 6.0
REACH_PX = 9.0
_BEYOND_PX = 16.0  # past the sheet's edge, where a seam's knobs stand


class SeamMarks:
    """``chosen`` is the number of the setup that is shown as it lies on the machine; None for the board as a whole."""

    def __init__(self, plan: PlanSurface) -> None:
        self._plan = plan
        self.setups: tuple[Setup, ...] = ()
        self.seams: tuple[Seam, ...] = ()
        self.chosen: int | None = None
        self._held: int | None = None
        self._at = 0.0

    def show(self, setups: Sequence[Setup], seams: Sequence[Seam], chosen: int | None) -> None:
        self.setups, self.seams = tuple(setups), tuple(seams)
        self.chosen = chosen if chosen is not None and chosen < len(self.setups) and len(self.setups) > 1 else None
        self._plan.update()

    @property
    def bed(self) -> Box:
        """What the machine reaches of the board, as it lies in the setup that is shown."""
        plan = self._plan
        assert plan.board is not None
        assert plan.job is not None
        if self.setups and len(self.setups) > 1:
            return self.setups[self.chosen or 0].reach
        return only_setup(plan.board, plan.job.machine).reach

    # ---- taking hold

    def press(self, at: QPointF) -> bool:
        """Take hold of the seam whose knob is there."""
        self._held = next(
            (k for k, s in enumerate(self.seams) for end in self._ends(s) if (end - at).manhattanLength() <= REACH_PX), None
        )  # fmt: skip
        if self._held is not None:
            self._at = self.seams[self._held].at
        return self._held is not None

    def is_near(self, at: QPointF) -> bool:
        return any((end - at).manhattanLength() <= REACH_PX for s in self.seams for end in self._ends(s))

    def drag(self, at: QPointF, *, is_free: bool) -> None:
        if self._held is None:
            return
        seam = self.seams[self._held]
        place = self._plan.view.to_board(at)[seam.axis]
        low, high = seam.room
        self._at = min(max(place, low), high) if high > low else place
        if not is_free:
            self._at = round(self._at * 2) / 2

    def set(self, mm: float) -> None:
        self._at = mm

    def drop(self) -> None:
        held, self._held = self._held, None
        if held is None or abs(self._at - self.seams[held].at) < 1e-9:
            return
        seam = self.seams[held]
        same = [s for s in self.seams if s.axis == seam.axis]
        self._plan.seam_moved.emit(seam.axis, same.index(seam), self._at)

    def give_up(self) -> None:
        self._held = None

    def words(self) -> str:
        if self._held is None:
            return ""
        unit, seam = self._plan.unit, self.seams[self._held]
        low, high = (format_length(v, unit, decimals=1) for v in seam.room)
        at = format_length(self._at, unit, decimals=2)
        return f"seam at {'xy'[seam.axis]} {at} {unit}, may lie from {low} to {high}"

    # ---- painting

    def paint(self, painter: QPainter) -> None:
        plan = self._plan
        if plan.board is None or len(self.setups) < 2:
            return
        if self.chosen is not None:
            self._dim_others(painter, self.setups[self.chosen])
        for k, seam in enumerate(self.seams):
            self._paint_seam(painter, seam, self._at if k == self._held else seam.at, is_held=k == self._held)
        for number, setup in enumerate(self.setups):
            self._paint_name(painter, setup, is_chosen=number == self.chosen)
        shown = self.setups if self.chosen is None else (self.setups[self.chosen],)
        for setup in shown:
            for pin in setup.pins:
                self._paint_pin(painter, pin, stands=self.chosen is not None)

    def _paint_seam(self, painter: QPainter, seam: Seam, at: float, *, is_held: bool) -> None:
        a, b = self._ends(seam, at)
        colour = self._plan.tokens.color("picked" if is_held else "accent")
        painter.setPen(QPen(self._plan.tokens.color("panel", 170), 3.4))
        painter.drawLine(a, b)
        pen = QPen(colour, 1.6)
        pen.setDashPattern([7, 4])
        painter.setPen(pen)
        painter.drawLine(a, b)
        painter.setPen(QPen(colour, 1.4))
        painter.setBrush(self._plan.tokens.color("panel"))
        for end in (a, b):
            painter.drawEllipse(end, KNOB_PX, KNOB_PX)
            across = QPointF(3, 0) if seam.axis == 0 else QPointF(0, 3)
            painter.drawLine(end - across, end + across)

    def _dim_others(self, painter: QPainter, setup: Setup) -> None:
        """What another setup cuts, under a veil."""
        plan = self._plan
        assert plan.board is not None
        sheet = plan.board.sheet
        cell = self._cell_on_sheet(setup)
        veil = plan.tokens.color("table", 130)
        for x0, y0, x1, y1 in (
            (0.0, 0.0, cell[0], sheet.height), (cell[2], 0.0, sheet.width, sheet.height),
            (cell[0], 0.0, cell[2], cell[1]), (cell[0], cell[3], cell[2], sheet.height),
        ):  # fmt: skip
            if x1 > x0 and y1 > y0:
                painter.fillRect(plan.view.rect(x0, y0, x1, y1), veil)

    def _paint_name(self, painter: QPainter, setup: Setup, *, is_chosen: bool) -> None:
        plan = self._plan
        x0, _, x1, y1 = self._cell_on_sheet(setup)
        at = plan.view.to_screen((x0 + x1) / 2, y1)
        painter.setFont(style.font(12, weight=QFont.Weight.DemiBold))
        box = QRectF(at.x() - 15, at.y() - 21, 30, 18)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(plan.tokens.color("accent") if is_chosen else plan.tokens.color("panel", 225))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(plan.tokens.color("panel" if is_chosen else "accent"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, setup.name)

    def _paint_pin(self, painter: QPainter, pin: tuple[float, float], *, stands: bool) -> None:
        plan = self._plan
        at = plan.view.to_screen(*pin)
        tiling = plan.board.tiling if plan.board is not None else None
        r = max((tiling.pin_diameter if tiling is not None else 6.0) / 2 * plan.view.scale, 4.0)
        painter.setPen(QPen(plan.tokens.color("ink"), 1.5))
        painter.setBrush(plan.tokens.color("ink", 190 if stands else 0))
        painter.drawEllipse(at, r, r)
        painter.setPen(QPen(plan.tokens.color("panel" if stands else "ink"), 1.2))
        painter.drawLine(at - QPointF(r * 0.6, 0), at + QPointF(r * 0.6, 0))
        painter.drawLine(at - QPointF(0, r * 0.6), at + QPointF(0, r * 0.6))

    def _cell_on_sheet(self, setup: Setup) -> Box:
        assert self._plan.board is not None
        sheet = self._plan.board.sheet
        x0, y0, x1, y1 = setup.cell
        return (
            x0 if isfinite(x0) else 0.0, y0 if isfinite(y0) else 0.0,
            x1 if isfinite(x1) else sheet.width, y1 if isfinite(y1) else sheet.height,
        )  # fmt: skip

    def _ends(self, seam: Seam, at: float | None = None) -> tuple[QPointF, QPointF]:
        plan = self._plan
        assert plan.board is not None
        sheet, place = plan.board.sheet, seam.at if at is None else at
        if seam.axis == 0:
            a, b = plan.view.to_screen(place, 0.0), plan.view.to_screen(place, sheet.height)
            return a + QPointF(0, _BEYOND_PX), b - QPointF(0, _BEYOND_PX + 8)
        a, b = plan.view.to_screen(0.0, place), plan.view.to_screen(sheet.width, place)
        return a - QPointF(_BEYOND_PX, 0), b + QPointF(_BEYOND_PX, 0)
