"""A drawing as SVG, true to size: millimetres, layers as groups, arcs as arcs."""

from __future__ import annotations

from collections.abc import Sequence
from math import atan
from xml.sax.saxutils import escape, quoteattr

from archimetra.artwork.drawing import DrawnLayer, DrawnShape
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.geometry.segments import Kind

_DECIMALS = 5  # hundredths of a micrometre: nothing is lost


def write_svg(
    shapes: Sequence[DrawnShape], layers: Sequence[DrawnLayer], *, width_mm: float, height_mm: float, title: str
) -> str:
    """SVG text of a page in mm with the origin at its lower left corner."""
    out = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{_n(width_mm)}mm" height="{_n(height_mm)}mm" '
        f'viewBox="0 0 {_n(width_mm)} {_n(height_mm)}">',
        f"<title>{escape(title)}</title>",
    ]
    for number, layer in enumerate(layers):
        own = [shape for shape in shapes if shape.layer == number]
        if not own:
            continue
        colour = layer.colour or "#000000"
        hidden = "" if layer.is_shown else ' display="none"'
        out.append(f"<g id={quoteattr(layer.name)}{hidden}>")
        for shape in own:
            data = "".join(path_data(path, height_mm) for path in shape.paths)
            rule = ' fill-rule="evenodd"' if shape.fill_rule is FillRule.EVENODD else ""
            if shape.is_filled and shape.stroke_width is None:
                paint = f'fill="{colour}" stroke="none"'
            else:
                width = shape.stroke_width or 0.1
                fill = colour if shape.is_filled else "none"
                paint = f'fill="{fill}" stroke="{colour}" stroke-width="{_n(width)}"'
            out.append(f'<path id={quoteattr(shape.name)} {paint}{rule} d="{data}"/>')
        out.append("</g>")
    out.append("</svg>")
    return "\n".join(out) + "\n"


def path_data(path: Path, height_mm: float) -> str:
    """A path as SVG path data with y down from ``height_mm``."""

    def at(point: Sequence[float]) -> str:
        return f"{_n(point[0])} {_n(height_mm - point[1])}"

    parts = [f"M{at(path.nodes[0])}"]
    for k in range(len(path)):
        end, kind = path.nodes[k + 1], int(path.kinds[k])
        if kind == Kind.LINE:
            parts.append(f"L{at(end)}")
        elif kind == Kind.CUBIC:
            c = path.params[k]
            parts.append(f"C{at(c[0:2])} {at(c[2:4])} {at(end)}")
        else:
            _, radius, _, sweep = path.arc(k)
            large = int(abs(4 * atan(path.params[k, 0])) > 3.14159265358979)
            parts.append(f"A{_n(radius)} {_n(radius)} 0 {large} {int(sweep < 0)} {at(end)}")
    return "".join(parts) + ("Z" if path.closed else "")


def _n(value: float) -> str:
    text = f"{value:.{_DECIMALS}f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text
