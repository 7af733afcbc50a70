"""The artwork of a board as a file for other programs: SVG or DXF, true to size."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path as FilePath

from archimetra.artwork.drawing import DrawnLayer
from archimetra.base.errors import OutputError
from archimetra.base.files import write_safely
from archimetra.edits.shaping import as_drawn
from archimetra.job.ids import ShapeId
from archimetra.job.job import Board

SUFFIXES = (".svg", ".dxf")


def write_artwork(path: FilePath, board: Board, ids: Sequence[ShapeId], *, title: str) -> int:
    """Write shapes of a board by the name's ending; returns how many. Raises OutputError with a sentence."""
    shapes = as_drawn(board, ids)
    if not shapes:
        raise OutputError("There is no artwork on this board to write. Draw or bring in something first.")
    layers = [DrawnLayer(layer.name, layer.colour, layer.is_shown) for layer in board.layers]
    if path.suffix.lower() == ".dxf":
        from archimetra.artwork.dxf_write import write_dxf

        data = write_dxf(shapes, layers)
    elif path.suffix.lower() == ".svg":
        from archimetra.artwork.svg_write import write_svg

        text = write_svg(shapes, layers, width_mm=board.sheet.width, height_mm=board.sheet.height, title=title)
        data = text.encode("utf-8")
    else:
        raise OutputError(f"{path.name} ends in neither .svg nor .dxf. Choose one of the two.")
    try:
        write_safely(path, data)
    except OSError as error:
        raise OutputError(f"{path.name} could not be written: {error.strerror}. Choose another place.") from error
    return len(shapes)
