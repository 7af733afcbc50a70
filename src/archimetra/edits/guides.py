"""Guides, margins, centre lines and pinned measures of a board."""

from __future__ import annotations

from math import isfinite

from archimetra.edits.edit import Edit, replace, with_board
from archimetra.job.ids import BoardId
from archimetra.job.job import Board, Job
from archimetra.job.shapes import Guide, Measure

FARTHEST_MM = 20_000.0
MOST_GUIDES = 200
MOST_MEASURES = 200


def add_guide(job: Job, board_id: BoardId, guide: Guide) -> Edit:
    """A guide; one that is there already stays alone. Raises ValueError for a place far off."""
    _need(isfinite(guide.at) and abs(guide.at) <= FARTHEST_MM, "a guide lies within 20 m")

    def change(board: Board) -> Board:
        if guide in board.guides or len(board.guides) >= MOST_GUIDES:
            return board
        return replace(board, guides=(*board.guides, guide))

    return Edit("Add guide", with_board(job, board_id, change))


def move_guide(job: Job, board_id: BoardId, index: int, at: float | None) -> Edit:
    """A guide brought to another place; None takes it away."""
    _need(at is None or (isfinite(at) and abs(at) <= FARTHEST_MM), "a guide lies within 20 m")

    def change(board: Board) -> Board:
        guides = list(board.guides)
        if at is None:
            del guides[index]
        else:
            guides[index] = replace(guides[index], at=at)
        return replace(board, guides=tuple(dict.fromkeys(guides)))

    return Edit("Remove guide" if at is None else "Move guide", with_board(job, board_id, change))


def clear_guides(job: Job, board_id: BoardId) -> Edit:
    """The board without its guides."""
    return Edit("Remove guides", with_board(job, board_id, lambda board: replace(board, guides=())))


def set_margin(job: Job, board_id: BoardId, margin: float) -> Edit:
    """Guides that far inside all four edges; 0 for none."""
    _need(isfinite(margin) and 0 <= margin <= 5_000, "a margin is 0 to 5000 mm")
    return Edit("Margin", with_board(job, board_id, lambda board: replace(board, margin=margin)))


def set_centre_lines(job: Job, board_id: BoardId, *, is_on: bool) -> Edit:
    """The sheet's centre lines shown as guides, or not."""
    return Edit("Centre lines", with_board(job, board_id, lambda board: replace(board, has_centre_lines=is_on)))


def all_guides(board: Board) -> tuple[Guide, ...]:
    """Guides, margins and centre lines of a board, as guides."""
    width, height = board.sheet.width, board.sheet.height
    out = list(board.guides)
    m = board.margin
    if m > 0 and 2 * m < min(width, height):
        out += [Guide(True, m), Guide(True, width - m), Guide(False, m), Guide(False, height - m)]
    if board.has_centre_lines:
        out += [Guide(True, width / 2), Guide(False, height / 2)]
    return tuple(out)


def pin_measure(job: Job, board_id: BoardId, measure: Measure) -> Edit:
    """A measurement kept on the board."""

    def change(board: Board) -> Board:
        if measure in board.measures or len(board.measures) >= MOST_MEASURES:
            return board
        return replace(board, measures=(*board.measures, measure))

    return Edit("Pin measure", with_board(job, board_id, change))


def unpin_measure(job: Job, board_id: BoardId, index: int | None) -> Edit:
    """One measure taken off the plan, or all."""

    def change(board: Board) -> Board:
        kept = () if index is None else tuple(m for k, m in enumerate(board.measures) if k != index)
        return replace(board, measures=kept)

    return Edit("Remove measure", with_board(job, board_id, change))


def _need(is_so: bool, words: str) -> None:
    if not is_so:
        raise ValueError(words)
