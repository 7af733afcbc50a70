"""Checks of pieces of parts: none may be cut into by what is cut for another."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely
from shapely.ops import nearest_points

from archimetra.base.findings import Finding, Severity, mm
from archimetra.checks.check_input import CheckInput
from archimetra.job.footprints import enclosed_by
from archimetra.job.piece_wood import PieceWood, gap_between, woods_of

_HAIR_MM = 0.01
MOST_TOLD = 20


def pieces_cut_into(given: CheckInput) -> Iterator[Finding]:
    """Pieces nearer to each other than the bit that cuts one of them out is wide, or over each other."""
    pieces = woods_of(given.job, given.board)
    if len(pieces) < 2:
        return
    woods = [piece.wood for piece in pieces]
    widest = max(piece.bit_width for piece in pieces)
    near = shapely.STRtree(woods).query(woods, predicate="dwithin", distance=max(widest, _HAIR_MM))
    told = 0
    for a, b in near.T.tolist():
        if a >= b or told >= MOST_TOLD:
            continue
        gap, need = gap_between(woods[a], woods[b]), max(pieces[a].bit_width, pieces[b].bit_width)
        if gap >= need - _HAIR_MM:
            continue
        told += 1
        one, other = _name(pieces[a]), _name(pieces[b])
        at = nearest_points(woods[a], woods[b])[0]
        words = (
            f"A piece of '{one}' lies over one of '{other}'."
            if gap < 0
            else f"A piece of '{one}' lies {mm(gap, '.2f')} beside one of '{other}'; the bit that cuts it out, "
            f"{mm(need)} wide, cuts into that."
        )
        yield Finding(
            "pieces-touch", Severity.STOP, words, mend="Move them apart, or nest again.", at=(float(at.x), float(at.y)),
            subject=given.board.id,
        )  # fmt: skip


def _name(piece: PieceWood) -> str:
    """That of its largest outline."""
    areas = shapely.area(enclosed_by(piece.shapes))
    return piece.shapes[int(np.argmax(areas))].name
