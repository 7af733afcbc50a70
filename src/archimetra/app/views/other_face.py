"""What is cut of the other face, faint on the plan, as seen through the sheet."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from archimetra.app.views.line_layer import LineLayer, group
from archimetra.app.views.plan_surface import PlanSurface
from archimetra.job.job import Board, Job
from archimetra.job.turning import over

_PENCIL = QColor(34, 48, 47, 100)  # on wood, which is as light in every theme


class OtherFace:
    def __init__(self, plan: PlanSurface) -> None:
        self._plan = plan
        self._lines = LineLayer(plan)
        self._lines.changed.connect(plan.update)
        self._shown: object = None

    def show(self, job: Job, board: Board) -> None:
        """The outlines that cuts take on the other side of the board's sheet."""
        other = job.board(board.back_of.front) if board.back_of is not None else job.back_of(board.id)
        key = None if other is None else (id(other.shapes), id(other.cuts), other.back_of, board.back_of)
        if key == self._shown:
            return
        self._shown, self._held = key, other  # held, so that no other comes to stand in its place in memory
        if other is None:
            self._lines.show_groups([])
            return
        turned = board.back_of if board.back_of is not None else other.back_of
        assert turned is not None
        m = over(turned.about, board.sheet)
        taken = {shape.id: shape for cut in other.cuts if cut.is_on for shape in other.shapes_of(cut)}
        lines = [m.apply(path.flatten(0.1)) for shape in taken.values() for path in shape.placed()]
        pen = QPen(_PENCIL, 1.0, Qt.PenStyle.DashLine)
        self._lines.show_groups([group(pen, lines)] if lines else [])

    def paint(self, painter: QPainter, size: QSize, ratio: float) -> None:
        self._lines.paint(painter, self._plan.view, size, ratio)
