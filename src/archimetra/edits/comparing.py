"""In what two versions of a job differ, in words short enough to decide by."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from archimetra.job.job import Board, Job


class _Named(Protocol):
    @property
    def id(self) -> str: ...


def differences(mine: Job, theirs: Job) -> list[str]:
    """What the other version has otherwise, one phrase a matter: "Lid: 2 cuts differ, 1 shape more". Empty where they are
    the same."""
    told = []
    known = {board.id: board for board in theirs.boards}
    for board in mine.boards:
        other = known.pop(board.id, None)
        if other is None:
            told.append(f"no board {board.name}")
        elif other != board:
            told.append(f"{board.name}: {', '.join(_of_board(board, other))}")
    told += [f"a board {board.name} more" for board in known.values()]
    for words, name in (("name", "name"), ("unit", "unit"), ("controller", "controller"), ("machine", "machine")):
        if getattr(mine, name) != getattr(theirs, name):
            told.append(f"another {words}")
    if mine.bits != theirs.bits:
        told.append(", ".join(_of_list("bit", mine.bits, theirs.bits)) or "another order of bits")
    if mine.inlays != theirs.inlays:
        told.append(", ".join(_of_list("inlay", mine.inlays, theirs.inlays)) or "another order of inlays")
    if not told and (mine.sheets, mine.cuts) != (theirs.sheets, theirs.cuts):
        told.append("sheets or cuts that are on no board")
    if not told and mine != theirs:
        told.append("what was typed for some numbers")
    return told


def _of_board(mine: Board, theirs: Board) -> list[str]:
    told = []
    if mine.name != theirs.name:
        told.append(f"named {theirs.name}")
    if mine.sheet != theirs.sheet:
        told.append("another sheet")
    if (mine.zero, mine.heights, mine.bed_x, mine.bed_y, mine.fixtures) != (
        theirs.zero, theirs.heights, theirs.bed_x, theirs.bed_y, theirs.fixtures,
    ):  # fmt: skip
        told.append("zero, heights or clamps differ")
    if (mine.quarter_turns, mine.tiling, mine.back_of) != (theirs.quarter_turns, theirs.tiling, theirs.back_of):
        told.append("tiles, faces or how it lies differ")
    told += _of_list("shape", mine.shapes, theirs.shapes)
    told += _of_list("cut", mine.cuts, theirs.cuts)
    if not told and [c.id for c in mine.cuts] != [c.id for c in theirs.cuts]:
        told.append("another order of cuts")
    return told or ["layers, guides or the like differ"]


def _of_list(what: str, mine: Sequence[_Named], theirs: Sequence[_Named]) -> list[str]:
    ours, others = {thing.id: thing for thing in mine}, {thing.id: thing for thing in theirs}
    counts = (
        (sum(1 for id_ in ours if id_ in others and ours[id_] != others[id_]), "differ"),
        (sum(1 for id_ in others if id_ not in ours), "more"),
        (sum(1 for id_ in ours if id_ not in others), "fewer"),
    )
    return [
        f"{count} {what}{'' if count == 1 else 's'} {'differs' if (word, count) == ('differ', 1) else word}"
        for count, word in counts
        if count
    ]
