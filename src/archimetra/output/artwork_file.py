"""The artwork of a board as a file for other programs: SVG or DXF, true to size."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path as FilePath

from archimetra.artwork.drawing import DrawnLayer, DrawnShape
from archimetra.base.errors import OutputError
from archimetra.base.files import write_safely
from archimetra.edits.shaping import as_drawn
from archimetra.geometry.affine import Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path, bounds_of
from archimetra.job.ids import ShapeId
from archimetra.job.job import Board
from archimetra.job.shapes import LAYER_COLOURS

SUFFIXES = (".svg", ".dxf")


def write_artwork(path: FilePath, board: Board, ids: Sequence[ShapeId], *, title: str) -> int:
    """Write shapes of a board by the name's ending; returns how many. Raises OutputError with a sentence."""
    shapes = as_drawn(board, ids)
    if not shapes:
        raise OutputError("There is no artwork on this board to write. Draw or bring in something first.")
    layers = [DrawnLayer(layer.name, layer.colour, layer.is_shown) for layer in board.layers]
    _write(path, shapes, layers, (board.sheet.width, board.sheet.height), title)
    return len(shapes)


def write_outline(path: FilePath, outline: Sequence[Path], *, title: str) -> None:
    """The edge of a sheet and its openings as one shape, its corner at 0, 0. Raises OutputError with a sentence."""
    x0, y0, x1, y1 = bounds_of(outline) or (0.0, 0.0, 0.0, 0.0)
    at = Affine.shift(-x0, -y0)
    shape = DrawnShape(title, 0, tuple(p.transform(at) for p in outline), FillRule.EVENODD, True, None, 0)
    _write(path, [shape], [DrawnLayer("sheet", LAYER_COLOURS[0], True)], (x1 - x0, y1 - y0), title)


def _write(
    path: FilePath, shapes: Sequence[DrawnShape], layers: Sequence[DrawnLayer], size: tuple[float, float], title: str
) -> None:
    if path.suffix.lower() == ".dxf":
        from archimetra.artwork.dxf_write import write_dxf

        data = write_dxf(shapes, layers)
    elif path.suffix.lower() == ".svg":
        from archimetra.artwork.svg_write import write_svg

        data = write_svg(shapes, layers, width_mm=size[0], height_mm=size[1], title=title).encode("utf-8")
    else:
        raise OutputError(f"{path.name} ends in neither .svg nor .dxf. Choose one of the two.")
    try:
        write_safely(path, data)
    except OSError as error:
        raise OutputError(f"{path.name} could not be written: {error.strerror}. Choose another place.") from error
