"""Shapes on a board: exact outlines with a placement, on layers."""

from __future__ import annotations

from functools import lru_cache

import msgspec

from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path, bounds_of
from archimetra.job.ids import LayerId, ShapeId

LAYER_COLOURS = ("#3D5A98", "#B8801F", "#8A3F73", "#24808A", "#A94A35", "#5F7D2B", "#5B6670", "#C06A86")


class Layer(msgspec.Struct, frozen=True, kw_only=True):
    id: LayerId
    name: str
    colour: str = LAYER_COLOURS[0]
    is_shown: bool = True
    is_locked: bool = False


class Shape(msgspec.Struct, frozen=True, kw_only=True):
    """One drawn thing. ``paths`` are as brought in; ``at`` places them on the board without touching them."""

    id: ShapeId
    name: str
    layer: LayerId
    paths: tuple[Path, ...]
    fill_rule: FillRule = FillRule.NONZERO
    at: Affine = IDENTITY

    def placed(self) -> tuple[Path, ...]:
        """The outlines in board coordinates."""
        return _placed(self.paths, self.at)

    def bounds(self) -> tuple[float, float, float, float]:
        """Exact bounds in board coordinates."""
        if self.at.keeps_boxes:
            x0, y0, x1, y1 = bounds_of(self.paths) or (0.0, 0.0, 0.0, 0.0)
            (ax, ay), (bx, by) = self.at.point(x0, y0), self.at.point(x1, y1)
            return min(ax, bx), min(ay, by), max(ax, bx), max(ay, by)
        found = bounds_of(self.placed())
        return found if found is not None else (0.0, 0.0, 0.0, 0.0)

    @property
    def is_closed(self) -> bool:
        return all(path.closed for path in self.paths)


@lru_cache(maxsize=500)  # more would keep every place a large shape was ever dragged to
def _placed(paths: tuple[Path, ...], at: Affine) -> tuple[Path, ...]:
    return paths if at == IDENTITY else tuple(path.transform(at) for path in paths)
