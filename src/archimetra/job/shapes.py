"""Shapes on a board: exact outlines with a placement, on layers; and what they are placed by: guides, backdrops, measures."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum
from functools import lru_cache

from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path, bounds_of
from archimetra.job.forms import Form
from archimetra.job.ids import InlayId, LayerId, ShapeId
from archimetra.job.record import Record

# none near a bit's hue (hues.BIT_HUES): artwork must not look like a path; each far enough from grey to come back from a drawing
LAYER_COLOURS = ("#6B4BB0", "#2E8F4E", "#3F93CF", "#A33FA8", "#6B4212", "#B5234F", "#22256E", "#8C9414")


class Layer(Record, frozen=True, kw_only=True):
    id: LayerId
    name: str
    colour: str = LAYER_COLOURS[0]
    is_shown: bool = True
    is_locked: bool = False


class Origin(Record, frozen=True):
    """Where a shape came from: the name of the source file and the key the file's reader gave it."""

    source: str
    key: str


class Shape(Record, frozen=True, kw_only=True, omit_defaults=True):
    """One drawn thing. ``paths`` are as brought in or as ``form`` makes them; ``at`` places them on the board without
    touching them. Shapes of the same ``group`` ('' for none) are picked together. One that ``follows`` an inlay is its plug's outline or
    frame: made from the art and made anew with it."""

    id: ShapeId
    name: str
    layer: LayerId
    paths: tuple[Path, ...]
    fill_rule: FillRule = FillRule.NONZERO
    at: Affine = IDENTITY
    is_filled: bool = True
    stroke_width: float | None = None
    form: Form | None = None
    group: str = ""
    is_locked: bool = False
    origin: Origin | None = None
    follows: InlayId = InlayId("")

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


class Guide(Record, frozen=True):
    """A line to place work by: upright at x, or level at y, ``at`` mm from the sheet's lower left corner."""

    is_upright: bool
    at: float


class Source(Record, frozen=True, kw_only=True):
    """A file artwork came from, as it was read: so that it can be read again when it has changed. ``at`` is where the
    drawing was laid; ``path`` where the file lay on this machine."""

    name: str
    path: str = ""
    mm_per_unit: float = 1.0
    page: int = 1
    at: Affine = IDENTITY


class Backdrop(Record, frozen=True, kw_only=True):
    """A picture lying faintly under the artwork: ``source`` names its file, ``at`` maps its unit square (y up) to mm."""

    source: str
    at: Affine
    is_shown: bool = True


class MeasureKind(StrEnum):
    DISTANCE = "distance"
    ANGLE = "angle"
    RADIUS = "radius"
    LENGTH = "length"
    AREA = "area"
    GAP = "gap"


class Measure(Record, frozen=True, kw_only=True):
    """A reading pinned on the plan. Distances and angles keep their points; the others the shapes they are of, so that
    they follow them; ``points`` say where the reading stands."""

    kind: MeasureKind
    points: tuple[tuple[float, float], ...]
    shapes: tuple[ShapeId, ...] = ()


_FEW_SEGMENTS = 200


def _placed(paths: tuple[Path, ...], at: Affine) -> tuple[Path, ...]:
    if at == IDENTITY:
        return paths
    return (_small_placed if sum(map(len, paths)) <= _FEW_SEGMENTS else _large_placed)(paths, at)


def _transformed(paths: tuple[Path, ...], at: Affine) -> tuple[Path, ...]:
    return tuple(path.transform(at) for path in paths)


_small_placed = lru_cache(maxsize=20_000)(_transformed)  # a board of a thousand pieces is gone through many times
_large_placed = lru_cache(maxsize=500)(_transformed)  # more would keep every place a large shape was ever dragged to


def box_of(shapes: Iterable[Shape]) -> tuple[float, float, float, float] | None:
    """Around several shapes; None for none."""
    boxes = [shape.bounds() for shape in shapes]
    if not boxes:
        return None
    x0, y0, x1, y1 = zip(*boxes, strict=True)
    return min(x0), min(y0), max(x1), max(y1)
