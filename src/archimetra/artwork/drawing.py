"""What a reader hands over: shapes in mm with y up, their layers, the scale and why, and a report."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from archimetra.artwork.report import ReportLine
from archimetra.geometry.affine import Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path, bounds_of, transform_together

LARGEST_MM = 100_000.0  # nothing on a router is a hundred metres wide; beyond it a number is taken for damage


class DrawnLayer(msgspec.Struct, frozen=True):
    """A layer of the file; ``colour`` is '' (none stated) or '#rrggbb'."""

    name: str
    colour: str = ""
    is_shown: bool = True


class DrawnShape(msgspec.Struct, frozen=True, eq=False):
    """One drawn element: its outlines together, with the rule that says what they fill. ``key`` names it within its
    file, the same as long as the file keeps it: by it a changed file is read again."""

    name: str
    layer: int
    paths: tuple[Path, ...]
    fill_rule: FillRule
    is_filled: bool
    stroke_width: float | None
    line: int
    key: str = ""


class Scale(msgspec.Struct, frozen=True):
    """How long one unit of the file is taken to be, and why."""

    unit: str
    mm_per_unit: float
    reason: str
    is_certain: bool


class DrawnPicture(msgspec.Struct, frozen=True, eq=False):
    """A picture inside a drawing: the bytes of an image file, and the map from its unit square (y up) to mm."""

    name: str
    data: bytes
    at: Affine


class Drawing(msgspec.Struct, frozen=True, eq=False):
    """Shapes in mm, y up, lower left corner of the page (or of the shapes, without a page) at 0, 0. ``pages`` counts
    the pages of the file, of which ``page`` (from 1) was read."""

    name: str
    layers: tuple[DrawnLayer, ...]
    shapes: tuple[DrawnShape, ...]
    scale: Scale
    page_mm: tuple[float, float] | None
    report: tuple[ReportLine, ...]
    pictures: tuple[DrawnPicture, ...] = ()
    page: int = 1
    pages: int = 1

    def bounds(self) -> tuple[float, float, float, float] | None:
        """Exact bounds of all shapes in mm, or None where there are none."""
        return bounds_of([path for shape in self.shapes for path in shape.paths])


# What one file unit can be, offered when the file does not say or says it wrongly.
UNITS_MM: dict[str, float] = {
    "mm": 1.0,
    "cm": 10.0,
    "in": 25.4,
    "m": 1000.0,
    "ft": 304.8,
    "pt": 25.4 / 72,
    "px (96 per inch)": 25.4 / 96,
    "px (90 per inch)": 25.4 / 90,
    "px (72 per inch)": 25.4 / 72,
}


def with_unit(drawing: Drawing, unit: str) -> Drawing:
    """The drawing read as if one file unit were ``unit`` (a key of UNITS_MM)."""
    mm = UNITS_MM[unit]
    scale = Scale(unit=unit, mm_per_unit=mm, reason=f"You chose {unit} as the file's unit.", is_certain=True)
    return _rescaled(drawing, mm / drawing.scale.mm_per_unit, scale)


def with_scale(drawing: Drawing, mm_per_unit: float) -> Drawing:
    """The drawing at a size chosen before: ``mm_per_unit`` as its scale then said."""
    if abs(mm_per_unit - drawing.scale.mm_per_unit) <= 1e-12 * mm_per_unit:
        return drawing
    scale = Scale("as before", mm_per_unit, "The size was kept as you chose it before.", True)
    return _rescaled(drawing, mm_per_unit / drawing.scale.mm_per_unit, scale)


def with_true_size(drawing: Drawing, *, is_width: bool, true_mm: float) -> Drawing:
    """The drawing scaled evenly so that its width (or height) is ``true_mm``.

    Raises ValueError where it has no extent that way or the size is not positive.
    """
    bounds = drawing.bounds()
    measured = 0.0 if bounds is None else (bounds[2] - bounds[0] if is_width else bounds[3] - bounds[1])
    if measured <= 0 or not true_mm > 0:
        raise ValueError("a size can only be set along an extent, and must be above zero")
    factor = true_mm / measured
    side = "width" if is_width else "height"
    scale = Scale(
        unit="your size",
        mm_per_unit=drawing.scale.mm_per_unit * factor,
        reason=f"You set the {side} to {true_mm:g} mm.",
        is_certain=True,
    )
    return _rescaled(drawing, factor, scale)


def _rescaled(drawing: Drawing, factor: float, scale: Scale) -> Drawing:
    m = Affine.scale(factor)
    shapes = tuple(
        shape
        if shape.stroke_width is None
        else msgspec.structs.replace(shape, stroke_width=shape.stroke_width * factor)
        for shape in _shapes_mapped(drawing.shapes, m)
    )
    page = drawing.page_mm and (drawing.page_mm[0] * factor, drawing.page_mm[1] * factor)
    report = tuple(
        msgspec.structs.replace(entry, places=tuple((x * factor, y * factor) for x, y in entry.places))
        for entry in drawing.report
    )
    pictures = tuple(msgspec.structs.replace(p, at=p.at.then(m)) for p in drawing.pictures)
    return msgspec.structs.replace(drawing, shapes=shapes, scale=scale, page_mm=page, report=report, pictures=pictures)


def moved(drawing: Drawing, m: Affine) -> Drawing:
    """The drawing mapped: shapes, pictures and the places of its report."""
    shapes = _shapes_mapped(drawing.shapes, m)
    report = tuple(
        msgspec.structs.replace(entry, places=tuple(m.point(*spot) for spot in entry.places))
        for entry in drawing.report
    )
    pictures = tuple(msgspec.structs.replace(p, at=p.at.then(m)) for p in drawing.pictures)
    return msgspec.structs.replace(drawing, shapes=shapes, report=report, pictures=pictures)


def transformed(paths: Sequence[Path], m: Affine) -> tuple[Path, ...]:
    """The paths mapped, which is quicker together than one by one."""
    return tuple(transform_together(paths, m))


def _shapes_mapped(shapes: Sequence[DrawnShape], m: Affine) -> tuple[DrawnShape, ...]:
    mapped = iter(transform_together([path for shape in shapes for path in shape.paths], m))
    return tuple(msgspec.structs.replace(shape, paths=tuple(next(mapped) for _ in shape.paths)) for shape in shapes)
