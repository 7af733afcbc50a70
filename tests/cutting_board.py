"""What tests of the planners share: a board with one cut of any kind, and measures that know nothing of the planners."""

from __future__ import annotations

import numpy as np
import shapely

from archimetra.geometry.path import Path
from archimetra.job.bits import Bit
from archimetra.job.cuts import Cut
from archimetra.job.job import Board, Job, with_boards
from archimetra.job.sheet import Sheet
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.moves import Move, straightened
from shapes import job_with, replace, straight_bit

SHEET = Sheet(width=400.0, height=300.0, readings=(18.0,))


def board_with(
    *paths: Path, kind: type[Cut], bit: Bit | None = None, sheet: Sheet = SHEET, **fields
) -> tuple[Job, Board, Cut]:
    """The paths as one shape centred on a sheet, and one cut of a kind with the given fields."""
    job, board, made = job_with(*paths, sheet=sheet, bit=bit or straight_bit(6.0))
    settings = {"end_depth": 6.0} | fields
    cut = kind(id=made.id, name="Cut", bit=job.bits[0].id, shapes=settings.pop("shapes", made.shapes), **settings)
    board = replace(board, cuts=(cut,))
    return with_boards(job, (board,)), board, cut


def planned(*paths: Path, kind: type[Cut], **fields):
    """(toolpath, findings, board) of one cut."""
    job, board, cut = board_with(*paths, kind=kind, **fields)
    toolpath, findings = plan_cut(resolve(job, board, cut))
    return toolpath, findings, board


def area_of(board: Board, k: int = 0) -> shapely.Geometry:
    """The drawn area of a shape, even-odd, flattened finely."""
    area = shapely.Polygon()
    for path in board.shapes[k].placed():
        area = area.symmetric_difference(shapely.make_valid(shapely.Polygon(path.flatten(0.0005))))
    return area


def swept(toolpath, radius: float, *, deeper_than: float) -> shapely.Geometry:
    """The area a round bit covers below a depth: runs of a dozen chords grown by the radius, united."""
    points, _ = straightened(toolpath.xyz, toolpath.kind, toolpath.centre, chord_tolerance_mm=0.0005)
    low = (points[:-1, 2] < -deeper_than) & (points[1:, 2] < -deeper_than)
    edges = np.flatnonzero(np.diff(np.concatenate(([0], low.astype(np.int8), [0]))))
    lines = []
    for a, b in zip(edges[0::2], edges[1::2], strict=True):
        for k in range(a, b, 12):
            run = points[k : min(k + 12, b) + 1, :2]
            lines.append(
                shapely.linestrings(run if np.ptp(run, axis=0).max() > 1e-9 else np.vstack((run[0], run[0] + 1e-7)))
            )
    return (
        shapely.union_all(shapely.buffer(np.array(lines, dtype=object), radius, quad_segs=48))
        if lines
        else shapely.Polygon()
    )


def reachable(area: shapely.Geometry, radius: float) -> shapely.Geometry:
    """What a round bit can cover of an area: its opening by a disc."""
    return area.buffer(-radius, quad_segs=90).buffer(radius, quad_segs=90)


def no_rapid_in_wood(toolpath, hop: float, above: float = 1.0) -> bool:
    """Rapids go sideways at hop height or higher only, and down no lower than a millimetre over the sheet."""
    rows = np.flatnonzero(toolpath.kind == Move.RAPID)
    rows = rows[rows > 0]
    a, b = toolpath.xyz[rows - 1], toolpath.xyz[rows]
    sideways = np.hypot(*(b - a)[:, :2].T) > 1e-9
    down = b[:, 2] < a[:, 2] - 1e-9
    return not ((sideways & (np.minimum(a[:, 2], b[:, 2]) < hop - 1e-9)) | (down & (b[:, 2] < above - 1e-9))).any()
