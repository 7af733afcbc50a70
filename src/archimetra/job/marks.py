"""Marks on outlines: tabs, starts and turned contours set by hand.

A mark is kept by shape, contour and how far along that contour it lies, as a share of its length. So it goes with the shape when
that is moved, turned, scaled or drawn at another size, and does not know which bit will run past it.
"""

from __future__ import annotations

from archimetra.job.cut_parts import Mark
from archimetra.job.shapes import Shape


def mark_at(shape: Shape, x: float, y: float) -> Mark | None:
    """The mark on the outline of a shape that lies nearest to a place of the board; None for a shape without one."""
    best: tuple[float, int, float] | None = None
    placed = shape.placed()
    for contour, path in enumerate(placed):
        if not len(path):
            continue
        along, gap = path.nearest((x, y))
        if best is None or gap < best[0]:
            best = (gap, contour, along)
    if best is None:
        return None
    _, contour, along = best
    own = shape.paths[contour]
    share = along / max(placed[contour].length(), 1e-12)
    px, py = (float(v) for v in own.point_at(share * own.length()))
    return Mark(shape.id, px, py, contour, share)


def place_of(shape: Shape, mark: Mark) -> tuple[float, float]:
    """Where on the board a mark is: on its contour as that is now. Marks of older files say only where it was."""
    if 0 <= mark.contour < len(shape.paths):
        path = shape.placed()[mark.contour]
        x, y = (float(v) for v in path.point_at(mark.along * path.length()))
        return x, y
    x, y = shape.at.point(mark.x, mark.y)
    return float(x), float(y)


def same_contour(a: Mark, b: Mark) -> bool:
    """Whether two marks lie on one contour; older ones, which do not say, count for all of their shape."""
    return a.shape == b.shape and (a.contour == b.contour or min(a.contour, b.contour) < 0)
