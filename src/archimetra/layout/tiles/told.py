"""What is told of tiles: each finding of parting a board, in one place."""

from __future__ import annotations

from collections.abc import Sequence

from archimetra.base.findings import Finding, Severity, mm, mm_each
from archimetra.job.ids import BoardId, CutId
from archimetra.layout.tiles.grid import MOST_TILES

Place = tuple[float, float]
_TRAVEL = "Check the machine's travel on the Board page"
_PLACE = "Place the pins on the Layout page."


def travel_too_small(board: BoardId, travel: tuple[float, float], bit: float, overcut: float) -> Finding:
    words = f"The machine travels {mm_each(travel)}: too little to part a board cut with a {mm(bit)} bit and {mm(overcut)} past each seam."
    return Finding("no-tiles", Severity.STOP, words, mend=f"{_TRAVEL}, or take a smaller overcut.", subject=board)


def too_many(board: BoardId, count: int) -> Finding:
    words = f"It would take {count} tiles; {MOST_TILES} are the most."
    return Finding("no-tiles", Severity.STOP, words, mend=f"{_TRAVEL}.", subject=board)


def too_wide(board: BoardId, side: float, travel: float) -> Finding:
    words = f"The work is {mm(side, '.1f')} wide across the way it is fed; the machine travels {mm(travel)}."
    mend = "Take a grid of tiles, or turn the board a quarter."
    return Finding("tiles-short", Severity.STOP, words, mend=mend, subject=board)


def too_long_for_halves(board: BoardId, side: float, most: float) -> Finding:
    words = f"The work is {mm(side, '.1f')} long; turned half round the machine gets to {mm(most, '.1f')} in two goes."
    return Finding("tiles-short", Severity.STOP, words, mend="Take a grid of tiles instead.", subject=board)


def seams_anew(board: BoardId, side: str, set_by_hand: int, needed: int) -> Finding:
    are = "seam is" if set_by_hand == 1 else "seams are"
    words = f"{set_by_hand} {are} set by hand across {side}, but it takes {needed}; they were found anew."
    mend = "Set them again on the Layout page, or leave them to be found."
    return Finding("seams-anew", Severity.CAUTION, words, mend=mend, subject=board)


def seam_out_of_reach(board: BoardId, side: str, at: float) -> Finding:
    words = (
        f"The seam at {side} {mm(at, '.1f')} lies where the machine does not get far enough past it from both sides."
    )
    return Finding("seam-out-of-reach", Severity.STOP, words, mend="Move it, or leave it to be found.", subject=board)


def no_entry(cut: CutId, name: str, setup: str, at: Place) -> Finding:
    words = f"In {setup} '{name}' has no room for its bit to slope down beside the seam; a stretch stays uncut."
    mend = "Move the seam, or take a bit that can plunge."
    return Finding("seam-no-entry", Severity.STOP, words, mend=mend, at=at, subject=cut)


def refused(cut: CutId, name: str, at: Place) -> Finding:
    words = f"No tile reaches all of '{name}' at {_xy(at)}, and it cannot be cut in parts; it is left uncut."
    return Finding("seam-through-whole", Severity.STOP, words, mend="Move the seam off it.", at=at, subject=cut)


def gap(cut: CutId, name: str, at: Place) -> Finding:
    words = f"No tile gets to all of '{name}': about {_xy(at)} it stays uncut."
    mend = "Move the seams or leave them to be found, or take a grid of tiles."
    return Finding("tile-gap", Severity.STOP, words, mend=mend, at=at, subject=cut)


def empty(board: BoardId, setup: str) -> Finding:
    words = f"Nothing is cut in {setup}; it makes no file."
    return Finding("tile-empty", Severity.NOTE, words, mend="Move a seam to do without it.", subject=board)


# ---- pins


def pin_out_of_reach(cut: CutId, at: Place) -> Finding:
    words = f"The pin at {_xy(at, '.1f')} lies where no two neighbouring tiles both reach."
    return Finding(
        "pin-out-of-reach", Severity.STOP, words, mend="Place the pins again on the Layout page.", at=at, subject=cut
    )


def pin_misplaced(cut: CutId, at: Place, what: str, severity: Severity) -> Finding:
    words = f"The pin at {_xy(at, '.1f')} {what}."
    mend = "Move it on the plan, or place the pins again."
    return Finding("pin-misplaced", severity, words, mend=mend, at=at, subject=cut)


def pins_missing(board: BoardId, setup: str, count: int) -> Finding:
    words = f"{setup} has {count} of the two pins that hold the board in place."
    return Finding("pins-missing", Severity.STOP, words, mend=_PLACE, subject=board)


def no_pins(board: BoardId) -> Finding:
    words = "The board has no holes yet for the pins that hold it in place when it is shifted."
    return Finding("pins-missing", Severity.STOP, words, mend=_PLACE, subject=board)


def no_room_for_pins(board: BoardId, names: Sequence[str]) -> Finding:
    words = f"There is no room for two pins between {' and '.join(names)}."
    mend = "Move the seam or the shapes, take thinner pins, or do without them."
    return Finding("pins-missing", Severity.STOP, words, mend=mend, subject=board)


def _xy(at: Place, form: str = ".0f") -> str:
    return f"x {mm(at[0], form)}, y {mm(at[1], form)}"
