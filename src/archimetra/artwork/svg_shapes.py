"""SVG's elements that draw: their outlines and lengths, in the file's units."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from archimetra.artwork.svg_paths import (
    MM_PER,
    circle_path,
    parse_length,
    parse_numbers,
    parse_path,
    rectangle_path,
)
from archimetra.artwork.svg_tree import Node
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path

SHAPES = ("path", "rect", "circle", "ellipse", "line", "polyline", "polygon")


class PercentOf(NamedTuple):
    """The sides, in file units, that a length in per cent is a share of."""

    width: float = 100.0
    height: float = 100.0

    def along(self, name: str) -> float:
        """The side for an attribute; for one that lies neither along x nor y the diagonal by the square root of 2 (SVG 2, 8.9)."""
        if name in ("x", "cx", "x1", "x2", "width", "rx"):
            return self.width
        if name in ("y", "cy", "y1", "y2", "height", "ry"):
            return self.height
        return float(np.hypot(self.width, self.height) / np.sqrt(2))


def number(node: Node, name: str, of: PercentOf, *, strict: bool = False) -> float:
    """A length attribute in file units, 0 where absent. Damaged ones raise ValueError (``strict``) or count as 0."""
    text = node.attributes.get(name)
    if text is None:
        return 0.0
    try:
        value, unit = parse_length(text)
    except ValueError as error:
        if text.strip() == "auto" or not strict:
            return 0.0
        raise ValueError(f"its {name} {error}") from error
    if unit == "%":
        return value / 100 * of.along(name)
    return value * (MM_PER[unit] / MM_PER["px"] if unit else 1.0)


def outlines(node: Node, of: PercentOf) -> list[Path]:
    """The outlines of one of ``SHAPES`` in file units, none where it has no extent. Raises ValueError with the reason where it
    is damaged."""

    def own(name: str) -> float:
        return number(node, name, of, strict=True)

    match node.tag:
        case "path":
            return parse_path(node.attributes.get("d", ""))
        case "rect":
            width, height = own("width"), own("height")
            rx, ry = own("rx"), own("ry")
            rx, ry = (rx or ry, ry or rx)
            if width < 0 or height < 0:
                raise ValueError("its size is negative")
            return [rectangle_path(own("x"), own("y"), width, height, rx, ry)] if width and height else []
        case "circle" | "ellipse":
            r = own("r")
            rx = r if node.tag == "circle" else own("rx")
            ry = r if node.tag == "circle" else own("ry")
            if rx < 0 or ry < 0:
                raise ValueError("its radius is negative")
            return [circle_path(own("cx"), own("cy"), rx, ry)] if rx and ry else []
        case "line":
            ends = [(own("x1"), own("y1")), (own("x2"), own("y2"))]
            return [Path.polyline(ends, closed=False)] if ends[0] != ends[1] else []
        case _:
            numbers = parse_numbers(node.attributes.get("points", ""))
            if len(numbers) % 2:
                raise ValueError("its points have an odd number of coordinates")
            points = np.array(numbers).reshape(-1, 2)
            if len(np.unique(points, axis=0)) < 2:
                return []
            return [Path.polyline(points, closed=node.tag == "polygon")]


def stroke_mm(style: dict[str, str], to_page: Affine) -> float:
    """The width of a stroke on the page in mm; 1 px where the style has none that can be read."""
    try:
        value, unit = parse_length(style.get("stroke-width", "1"))
    except ValueError:
        value, unit = 1.0, ""
    px = value * (MM_PER.get(unit, MM_PER["px"]) / MM_PER["px"] if unit else 1.0)
    return float(px * abs(to_page.determinant) ** 0.5)
