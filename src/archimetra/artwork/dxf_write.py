"""A drawing as DXF, true to size: millimetres, layers with their colours, lines and arcs as bulged polylines.

Curves that DXF's polylines do not know become arcs within ``CURVE_MM``; circles are written as circles.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from math import pi

import numpy as np

from archimetra.artwork.drawing import DrawnLayer, DrawnShape
from archimetra.geometry.arcfit import to_arcs
from archimetra.geometry.path import Path
from archimetra.geometry.segments import Kind, arcs_of

CURVE_MM = 0.002


def write_dxf(shapes: Sequence[DrawnShape], layers: Sequence[DrawnLayer]) -> bytes:
    """DXF (R2010, ASCII) with the drawing's coordinates in mm."""
    import ezdxf
    from ezdxf.colors import RGB

    document = ezdxf.new("R2010")
    document.header["$INSUNITS"] = 4
    document.header["$MEASUREMENT"] = 1
    names: list[str] = []
    for number, layer in enumerate(layers):
        name = _layer_name(layer.name) or f"Layer {number + 1}"
        while name.casefold() in (known.casefold() for known in names):
            name += "_"
        names.append(name)
        if name not in document.layers:
            document.layers.add(name)
        if layer.colour:
            document.layers.get(name).rgb = RGB.from_hex(layer.colour)
        if not layer.is_shown:
            document.layers.get(name).off()
    space = document.modelspace()
    for shape in shapes:
        on = {"layer": names[shape.layer]}
        for path in shape.paths:
            circle = _circle_of(path)
            if circle is not None:
                space.add_circle(circle[0], circle[1], dxfattribs=on)
                continue
            arcs = to_arcs(path, tolerance_mm=CURVE_MM)
            rows = np.column_stack((arcs.nodes[:-1], np.where(arcs.kinds == Kind.ARC, arcs.params[:, 0], 0.0)))
            points = rows.tolist()
            if not arcs.closed:
                points.append([*arcs.nodes[-1].tolist(), 0.0])
            space.add_lwpolyline(points, format="xyb", close=arcs.closed, dxfattribs=on)
    out = io.StringIO()
    document.write(out)
    return out.getvalue().encode("utf-8")


def _circle_of(path: Path) -> tuple[tuple[float, float], float] | None:
    """Centre and radius of a path that is one whole circle."""
    if not path.closed or not len(path) or not (path.kinds == Kind.ARC).all():
        return None
    arcs = arcs_of(path.nodes[:-1], path.nodes[1:], path.params[:, 0])
    if np.ptp(arcs.radius) > 1e-6 or np.ptp(arcs.centre, axis=0).max() > 1e-6:
        return None
    if abs(abs(float(arcs.sweep.sum())) - 2 * pi) > 1e-9:
        return None
    return (float(arcs.centre[0, 0]), float(arcs.centre[0, 1])), float(arcs.radius[0])


def _layer_name(name: str) -> str:
    """A name DXF allows."""
    return "".join(
        "_" if letter in '<>/\\":;?*|=`' else letter if letter.isprintable() else " " for letter in name
    ).strip()[:200]
