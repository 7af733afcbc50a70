"""What the plan paints from below to above: bed and sheet, starts of contours, guides and rulers, the section line, zero, the bit, handles."""

from __future__ import annotations

from math import atan2, degrees

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFont, QPainter, QPen, QPolygonF, QTransform

from archimetra.app.theme import style
from archimetra.app.theme.tokens import bit_hue
from archimetra.app.theme.wood import tone_of
from archimetra.app.views.line_layer import LineLayer
from archimetra.app.views.plan_surface import RULER_PX, PlanSurface, knob_rect
from archimetra.app.views.snapping import Snap
from archimetra.app.views.tools import box_handles
from archimetra.app.widgets.sheet_outline import painter_path, placed, sheet_path
from archimetra.edits.guides import all_guides
from archimetra.geometry.affine import Affine
from archimetra.job.setups import Box
from archimetra.job.shapes import Guide

SHORTEST_WITH_START_PX = 60  # on shorter contours the notch would be larger than what it marks
MOST_STARTS = 150
TICK_STEPS = (1, 2, 5, 10, 20, 50, 100, 200, 500)


def bed(painter: QPainter, plan: PlanSurface, reach: Box) -> None:
    """What the machine reaches, as a box on the board, with ticks."""
    bed = plan.view.rect(*reach)
    painter.fillRect(bed, plan.tokens.color("bed"))
    painter.setPen(QPen(plan.tokens.color("hairline"), 1))
    painter.drawRect(bed)
    step = next((s for s in TICK_STEPS if s * plan.view.scale >= 9), TICK_STEPS[-1])
    ticks = []
    for k in range(int((reach[2] - reach[0]) / step) + 1):
        x = bed.left() + k * step * plan.view.scale
        if -1 <= x <= plan.width() + 1:
            ticks.append(QLineF(x, bed.bottom(), x, bed.bottom() - (7 if k % 5 == 0 else 3)))
    for k in range(int((reach[3] - reach[1]) / step) + 1):
        y = bed.bottom() - k * step * plan.view.scale
        if -1 <= y <= plan.height() + 1:
            ticks.append(QLineF(bed.left(), y, bed.left() + (7 if k % 5 == 0 else 3), y))
    painter.drawLines(ticks)


def sheet(painter: QPainter, plan: PlanSurface) -> None:
    assert plan.board is not None
    sheet = plan.board.sheet
    edge = placed(sheet_path(sheet), plan.view.to_screen)
    shadow = plan.tokens.color("ink", 26)
    painter.fillPath(edge.translated(2, 3), shadow if not plan.tokens.is_dark else plan.tokens.color("table"))
    if plan.stock is not None and plan.shown.stock:
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setClipPath(edge)
        image, extent = plan.stock.at_scale(plan.view.scale * plan.devicePixelRatioF())
        painter.drawImage(plan.view.rect(*extent), image)
        if plan.close_part is not None:
            painter.drawImage(plan.view.rect(*plan.close_part.extent), plan.close_part.image)
        painter.restore()
    else:
        painter.fillPath(edge, tone_of(sheet))
    _flaws(painter, plan)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(plan.tokens.color("ink", 90), 1))
    painter.drawPath(edge)


def _flaws(painter: QPainter, plan: PlanSurface) -> None:
    """Places that are no good hatched; metal crossed, too."""
    assert plan.board is not None
    flaws = plan.board.sheet.flaws
    if not flaws:
        return
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for flaw in flaws:
        there = placed(painter_path((flaw.outline,)), plan.view.to_screen)
        ink = plan.tokens.color("picked", 220)
        painter.setPen(QPen(QColor(20, 20, 20, 200) if not flaw.is_hard else ink, 1.2, Qt.PenStyle.DashLine))
        painter.setBrush(QBrush(QColor(20, 20, 20, 130), Qt.BrushStyle.FDiagPattern))
        painter.drawPath(there)
        if flaw.is_hard:
            painter.setBrush(QBrush(QColor(20, 20, 20, 130), Qt.BrushStyle.BDiagPattern))
            painter.drawPath(there)
    painter.restore()


def starts(painter: QPainter, plan: PlanSurface) -> None:
    if plan.starts is None:
        return
    painter.setOpacity(faded(plan.view.scale))
    painter.setPen(QPen(plan.tokens.color("ink", 200), 1.2))
    painter.setBrush(plan.tokens.color("panel"))
    at = plan.view.points(plan.starts[:, :2])
    seen = ((at > -10) & (at < (plan.width() + 10, plan.height() + 10))).all(axis=1)
    seen &= plan.starts[:, 4] * plan.view.scale > SHORTEST_WITH_START_PX
    starts = plan.starts[seen]
    if len(starts) > MOST_STARTS:  # from so far away the notches would only hide the paths
        starts = starts[:0]
    for x, y, dx, dy, _ in starts:
        tip = plan.view.to_screen(x, y)
        painter.save()
        painter.translate(tip)
        painter.rotate(-degrees(atan2(dy, dx)))
        painter.drawPolyline(QPolygonF([QPointF(-3, -4.5), QPointF(3, 0), QPointF(-3, 4.5)]))
        painter.drawLine(QPointF(0, -7), QPointF(0, -3.5))
        painter.restore()
    painter.setOpacity(1.0)


def faded(scale: float) -> float:
    """How strongly marks on paths stand out at so many pixels per mm: from far away they would only hide the wood."""
    return min(max((scale - 1.3) / 2.2, 0.0), 1.0)


def _grid(painter: QPainter, plan: PlanSurface) -> None:
    """The grid's points on the sheet, as long as they lie apart on the screen."""
    assert plan.board is not None
    if plan.grid * plan.view.scale < 7:
        return
    sheet = plan.board.sheet
    painter.setPen(QPen(plan.tokens.color("ink", 70), 1.4))
    xs = [k * plan.grid for k in range(int(sheet.width / plan.grid) + 1)]
    ys = [k * plan.grid for k in range(int(sheet.height / plan.grid) + 1)]
    painter.drawPoints(QPolygonF([plan.view.to_screen(x, y) for x in xs for y in ys]))


def guides(painter: QPainter, plan: PlanSurface, moved: tuple[int, Guide] | None) -> None:
    assert plan.board is not None
    _grid(painter, plan)
    own = set(plan.board.guides)
    pen = QPen(plan.tokens.color("accent", 170), 1)
    faint = QPen(plan.tokens.color("accent", 110), 1, Qt.PenStyle.DashLine)
    shown = list(all_guides(plan.board))
    if moved is not None:
        index, guide = moved
        shown = [g for g in shown if index < 0 or g != plan.board.guides[index]] + [guide]
    for guide in shown:
        painter.setPen(pen if guide in own or (moved is not None and guide == moved[1]) else faint)
        at = plan.view.to_screen(guide.at, guide.at)
        if guide.is_upright:
            painter.drawLine(QPointF(at.x(), 0), QPointF(at.x(), plan.height()))
        else:
            painter.drawLine(QPointF(0, at.y()), QPointF(plan.width(), at.y()))


def rulers(painter: QPainter, plan: PlanSurface) -> None:
    """Millimetres of the sheet along the top and the left; guides are dragged out of them."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    ground = plan.tokens.color("page")
    painter.fillRect(QRectF(0, 0, plan.width(), RULER_PX), ground)
    painter.fillRect(QRectF(0, 0, RULER_PX, plan.height()), ground)
    painter.setFont(style.font(9))
    step = next((s for s in TICK_STEPS if s * plan.view.scale >= 8), TICK_STEPS[-1])
    painter.setPen(QPen(plan.tokens.color("quiet"), 1))
    x0, y1 = plan.view.to_board(QPointF(0, 0))
    x1, y0 = plan.view.to_board(QPointF(plan.width(), plan.height()))
    ticks = []  # drawn at once: a call each would take longer than all of them
    for k in range(int(x0 // step), int(x1 // step) + 1):
        x = plan.view.x + k * step * plan.view.scale
        ticks.append(QLineF(x, RULER_PX - (7 if k % 5 == 0 else 3), x, RULER_PX))
        if k % 10 == 0:
            painter.drawText(QPointF(x + 2, 9), f"{k * step:g}")
    for k in range(int(y0 // step), int(y1 // step) + 1):
        y = plan.view.y - k * step * plan.view.scale
        ticks.append(QLineF(RULER_PX - (7 if k % 5 == 0 else 3), y, RULER_PX, y))
        if k % 10 == 0:
            painter.save()
            painter.translate(9, y - 2)
            painter.rotate(-90)
            painter.drawText(QPointF(0, 0), f"{k * step:g}")
            painter.restore()
    painter.drawLines(ticks)
    painter.setPen(QPen(plan.tokens.color("hairline"), 1))
    painter.drawLine(QPointF(0, RULER_PX), QPointF(plan.width(), RULER_PX))
    painter.drawLine(QPointF(RULER_PX, 0), QPointF(RULER_PX, plan.height()))
    painter.fillRect(QRectF(0, 0, RULER_PX, RULER_PX), ground)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)


def section_line(painter: QPainter, plan: PlanSurface) -> None:
    for letter, line in plan.other_lines:
        a, b = (plan.view.to_screen(*end) for end in line)
        painter.setPen(QPen(plan.tokens.color("ink", 90), 1, Qt.PenStyle.DashLine))
        painter.drawLine(a, b)
        _line_ends(painter, plan, (a, b), letter, radius=8, ink=plan.tokens.color("quiet"))
    a, b = (plan.view.to_screen(*end) for end in plan.line)
    painter.setPen(QPen(plan.tokens.color("panel", 150), 3.2))
    painter.drawLine(a, b)
    pen = QPen(plan.tokens.color("ink", 235), 1.2)
    pen.setDashPattern([9, 3, 2, 3])
    painter.setPen(pen)
    painter.drawLine(a, b)
    _line_ends(painter, plan, (a, b), plan.letter, radius=10, ink=plan.tokens.color("ink"))


def _line_ends(
    painter: QPainter, plan: PlanSurface, ends: tuple[QPointF, QPointF], letter: str, *, radius: float, ink: QColor
) -> None:
    """Discs with a section's letter."""
    painter.setFont(style.font(11 if radius > 9 else 10, weight=QFont.Weight.DemiBold))
    for at, text in zip(ends, (letter, f"{letter}′"), strict=True):
        painter.setPen(QPen(ink, 1.2))
        painter.setBrush(plan.tokens.color("panel"))
        painter.drawEllipse(at, radius, radius)
        painter.drawText(
            QRectF(at.x() - radius, at.y() - radius, 2 * radius, 2 * radius), Qt.AlignmentFlag.AlignCenter, text
        )


def zero_point(painter: QPainter, plan: PlanSurface) -> None:
    """A plumb bob hanging over the zero point."""
    assert plan.board is not None
    zero = plan.board.zero
    at = plan.view.to_screen(*zero.point(plan.board.sheet))
    painter.setPen(QPen(plan.tokens.color("picked"), 1.5))
    painter.drawLine(at + QPointF(0, -18), at + QPointF(0, -9))
    painter.setBrush(plan.tokens.color("panel"))
    bob = QPolygonF([at, at + QPointF(-5, -9), at + QPointF(5, -9)])
    painter.drawPolygon(bob)
    painter.setFont(style.font(11))
    text = f"zero, {zero.z.value}"
    width = painter.fontMetrics().horizontalAdvance(text)
    box = QRectF(at.x() + 8, at.y() + 3, width + 8, 17)
    if box.right() > plan.width():
        box.moveRight(at.x() - 8)
    if box.bottom() > plan.height():
        box.moveBottom(at.y() - 6)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(plan.tokens.color("panel", 200))
    painter.drawRoundedRect(box, 3, 3)
    painter.setPen(plan.tokens.color("picked"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def bit_at_work(painter: QPainter, plan: PlanSurface) -> None:
    if plan.scene is None or plan.scene.bit is None:
        return
    x, y, z = plan.scene.at
    bit = plan.scene.bit
    at = plan.view.to_screen(x, y)
    r = max(bit.radius * plan.view.scale, 3.0)
    hue = bit_hue(bit.place)
    painter.setPen(QPen(plan.tokens.color("picked") if z < 0 else plan.tokens.color("ink"), 1.6))
    hue.setAlpha(120)
    painter.setBrush(hue)
    painter.drawEllipse(at, r, r)
    painter.drawLine(at - QPointF(r + 4, 0), at - QPointF(r, 0))
    painter.drawLine(at + QPointF(r, 0), at + QPointF(r + 4, 0))
    painter.drawLine(at - QPointF(0, r + 4), at - QPointF(0, r))
    painter.drawLine(at + QPointF(0, r), at + QPointF(0, r + 4))


def handles(painter: QPainter, plan: PlanSurface) -> None:
    box = plan.handles_box()
    if box is None:
        return
    painter.setPen(QPen(plan.tokens.color("picked", 130), 1, Qt.PenStyle.DotLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(plan.view.rect(*box))
    top, knob = plan.view.to_screen((box[0] + box[2]) / 2, box[3]), plan.turn_knob(box)
    painter.drawLine(top, knob)
    painter.setPen(QPen(plan.tokens.color("picked"), 1.3))
    painter.setBrush(plan.tokens.color("panel"))
    painter.drawEllipse(knob, 4.5, 4.5)
    for place in box_handles(box).values():
        painter.drawRect(knob_rect(plan.view.to_screen(*place), 7))


def chosen(painter: QPainter, plan: PlanSurface, lines: LineLayer, snap: Snap | None, m: Affine | None) -> None:
    """What is picked: where it is, or where it would come to lie, with the lines that caught it."""
    view, size, ratio = plan.view, plan.size(), plan.devicePixelRatioF()
    if snap is not None:
        view = view.panned(snap.dx * view.scale, -snap.dy * view.scale)
    if m is not None:
        painter.save()
        s = view.scale
        painter.setTransform(
            QTransform(
                m.a, -m.b, -m.c, m.d,
                view.x + m.e * s - (m.a * view.x - m.c * view.y),
                view.y - m.f * s - (-m.b * view.x + m.d * view.y),
            ),
            True,
        )  # fmt: skip
        lines.paint(painter, view, size, ratio)
        painter.restore()
    else:
        lines.paint(painter, view, size, ratio)
    if snap is None and m is None:
        handles(painter, plan)
    if snap is not None and plan.board is not None:
        painter.setPen(QPen(plan.tokens.color("accent"), 1, Qt.PenStyle.DashLine))
        on = plan.board.sheet
        if snap.x_line is not None:
            painter.drawLine(plan.view.to_screen(snap.x_line, -20), plan.view.to_screen(snap.x_line, on.height + 20))
        if snap.y_line is not None:
            painter.drawLine(plan.view.to_screen(-20, snap.y_line), plan.view.to_screen(on.width + 20, snap.y_line))
