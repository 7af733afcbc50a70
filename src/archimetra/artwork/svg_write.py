"""A drawing as SVG, true to size: millimetres, layers as groups, arcs as arcs."""

from __future__ import annotations

from collections.abc import Sequence
from math import ceil, cos, pi, sin
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
        f"<title>{escape(printable(title))}</title>",
    ]
    for number, layer in enumerate(layers):
        own = [shape for shape in shapes if shape.layer == number]
        if not own:
            continue
        colour = layer.colour or "#000000"
        hidden = "" if layer.is_shown else ' display="none"'
        out.append(f'<g id={quoteattr(printable(layer.name))} color="{colour}"{hidden}>')
        for shape in own:
            data = "".join(path_data(path, height_mm) for path in shape.paths)
            rule = ' fill-rule="evenodd"' if shape.fill_rule is FillRule.EVENODD else ""
            if shape.is_filled and shape.stroke_width is None:
                paint = f'fill="{colour}" stroke="none"'
            else:
                width = shape.stroke_width or 0.1
                fill = colour if shape.is_filled else "none"
                paint = f'fill="{fill}" stroke="{colour}" stroke-width="{_n(width)}"'
            out.append(f'<path id={quoteattr(printable(shape.name))} {paint}{rule} d="{data}"/>')
        out.append("</g>")
    out.append("</svg>")
    return "\n".join(out) + "\n"


def printable(name: str) -> str:
    """A name without the characters no drawing file can hold: control characters, halves of pairs."""
    return "".join(letter if letter.isprintable() else " " for letter in name).strip() or "unnamed"


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
            centre, radius, start, sweep = path.arc(k)
            # a quarter at most: over half a circle a rounded radius or end moves the centre a hundred times as far
            steps = max(1, ceil(abs(sweep) / (pi / 2) - 1e-9))
            for step in range(1, steps + 1):
                angle = start + sweep * step / steps
                to = end if step == steps else (centre[0] + radius * cos(angle), centre[1] + radius * sin(angle))
                parts.append(f"A{_n(radius)} {_n(radius)} 0 0 {int(sweep < 0)} {at(to)}")
    return "".join(parts) + ("Z" if path.closed else "")


def _n(value: float) -> str:
    text = f"{value:.{_DECIMALS}f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text
