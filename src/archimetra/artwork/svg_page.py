"""The page of an SVG file: its size, its view box, and how large a unit of it is."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from archimetra.artwork.drawing import Scale
from archimetra.artwork.svg_paths import MM_PER, PX_PER_INCH, parse_length, parse_numbers
from archimetra.artwork.svg_shapes import PercentOf
from archimetra.artwork.svg_tree import Node
from archimetra.artwork.svg_units import Density, density_of
from archimetra.geometry.affine import IDENTITY, Affine

Box = tuple[float, float, float, float]  # x, y, width, height
Side = tuple[float, str]  # px, and the unit it was stated in ('' for none)
Tell = Callable[[str, str, Node], None]  # a code and a sentence about an element


class Page(NamedTuple):
    to_px: Affine  # file units to px, y down
    size_px: tuple[float, float] | None
    mm_per_px: float
    scale: Scale
    percent: PercentOf


def page_of(root: Node, tell: Tell) -> Page:
    """The page of a file by what its outermost element states; what of that is damaged is told and ignored."""
    view = view_box(root, tell)
    width, height = _side(root, "width", tell), _side(root, "height", tell)
    size_px: tuple[float, float] | None = None
    if width and height:
        size_px = (width[0], height[0])
    elif view and (width or height):
        ratio = view[3] / view[2]
        size_px = (width[0], width[0] * ratio) if width else (height[0] / ratio, height[0])  # type: ignore[index]
    elif view:
        size_px = (view[2], view[3])
    to_px, unit_px = IDENTITY, 1.0
    if view and size_px:
        to_px = fit(view, size_px, root.attributes.get("preserveAspectRatio", ""))
        unit_px = (abs(to_px.determinant)) ** 0.5
    stated = width or height
    density = Density(PX_PER_INCH, "")
    if size_px is not None and not (stated and stated[1] not in ("", "px")):
        density = density_of(*size_px)
    mm_per_px = 25.4 / density.per_inch
    scale = _scale(stated, density, unit_px * mm_per_px, has_view=view is not None)
    return Page(to_px, size_px, mm_per_px, scale, PercentOf(view[2], view[3]) if view else PercentOf())


def view_box(node: Node, tell: Tell) -> Box | None:
    """The view box of an element; None where it has none, or none that spans anything."""
    text = node.attributes.get("viewBox")
    if text is None:
        return None
    try:
        x, y, width, height = parse_numbers(text)
    except ValueError:
        tell("svg-viewbox", f"The viewBox '{text}' is damaged and was ignored.", node)
        return None
    return (x, y, width, height) if width > 0 and height > 0 else None


def fit(view: tuple[float, float, float, float], size: tuple[float, float], aspect: str) -> Affine:
    """A viewBox laid into a viewport, as preserveAspectRatio says (default: whole and centred)."""
    x, y, width, height = view
    sx, sy = size[0] / width, size[1] / height
    words = aspect.split()
    align = words[0] if words else "xMidYMid"
    if align == "none":
        return Affine(sx, 0.0, 0.0, sy, -x * sx, -y * sy)
    s = max(sx, sy) if "slice" in words else min(sx, sy)
    share = {"xMin": 0.0, "xMid": 0.5, "xMax": 1.0}.get(align[:4], 0.5)
    share_y = {"YMin": 0.0, "YMid": 0.5, "YMax": 1.0}.get(align[4:], 0.5)
    return Affine(s, 0.0, 0.0, s, (size[0] - width * s) * share - x * s, (size[1] - height * s) * share_y - y * s)


def _side(root: Node, name: str, tell: Tell) -> Side | None:
    text = root.attributes.get(name)
    if text is None:
        return None
    try:
        value, unit = parse_length(text)
    except ValueError:
        tell("svg-size", f"The page's {name} '{text}' is not a length and was ignored.", root)
        return None
    if unit == "%" or value <= 0:
        return None
    return value * (MM_PER[unit] / MM_PER["px"] if unit else 1.0), unit


def _scale(stated: Side | None, density: Density, mm_per_unit: float, *, has_view: bool) -> Scale:
    if stated and stated[1] not in ("", "px"):
        reason = f"The file states its size in {stated[1]}; that was taken as it stands."
        return Scale(unit=stated[1], mm_per_unit=mm_per_unit, reason=reason, is_certain=True)
    per_inch, evidence = density
    if evidence:
        reason = f"The page is {evidence} with pixels at {per_inch:g} to the inch; that was taken. Check the size."
    elif stated:
        reason = "The file states its size in pixels, which are 96 to the inch in SVG. Check the size."
    elif has_view:
        reason = "The file states no size; its units were taken for pixels, 96 to the inch. Check the size."
    else:
        reason = "The file states no size and no unit; pixels, 96 to the inch, were assumed. Check the size."
    return Scale(unit=f"px ({per_inch:g} per inch)", mm_per_unit=mm_per_unit, reason=reason, is_certain=False)
