"""Edits of how a board is looked at: its section lines, and findings that are to stay quiet."""

from __future__ import annotations

from collections.abc import Collection

from archimetra.edits.edit import Edit, board_of, replace
from archimetra.job.ids import BoardId
from archimetra.job.job import MOST_DISMISSED, Board, Job, with_boards
from archimetra.job.sections import MOST_DISTANCES, MOST_SECTIONS, SHORTEST_MM, PinnedDistance, SectionLine

Line = tuple[tuple[float, float], tuple[float, float]]


def middle_line(board: Board) -> Line:
    """Across the middle of the sheet: where a board is cut before anybody says where."""
    y = board.sheet.height / 2
    return (-0.04 * board.sheet.width, y), (1.04 * board.sheet.width, y)


def place_section(job: Job, board_id: BoardId, number: int, line: Line) -> Edit:
    """Lay a section line elsewhere. A line too short to be one stays where it was."""
    (ax, ay), (bx, by) = line
    if max(abs(bx - ax), abs(by - ay)) < SHORTEST_MM:
        return Edit("Move section line", job)
    board = board_of(job, board_id)
    lines = list(board.sections) or [_as_line(middle_line(board))]
    number = min(number, len(lines) - 1)
    lines[number] = replace(lines[number], x0=ax, y0=ay, x1=bx, y1=by)
    key = f"section {board_id} {number}"
    return Edit("Move section line", _with(job, board, tuple(lines)), merge=key)


def add_section(job: Job, board_id: BoardId, line: Line) -> tuple[Edit, int]:
    """Another section line; and its number. Raises ValueError where a board has as many as there are letters."""
    board = board_of(job, board_id)
    lines = board.sections or (_as_line(middle_line(board)),)
    if len(lines) >= MOST_SECTIONS:
        raise ValueError(f"a board has at most {MOST_SECTIONS} section lines; remove one first")
    return Edit("Add section line", _with(job, board, (*lines, _as_line(line)))), len(lines)


def remove_section(job: Job, board_id: BoardId, number: int) -> Edit:
    """Without a section line; those after it move up a letter."""
    board = board_of(job, board_id)
    lines = board.sections[:number] + board.sections[number + 1 :]
    return Edit("Remove section line", _with(job, board, lines))


def pin_distance(job: Job, board_id: BoardId, number: int, line: Line, distance: PinnedDistance) -> Edit:
    """Keep a distance measured in a section; the board's line there is ``line``, should it have none of its own yet. Raises ValueError where there are
    too many."""
    board = board_of(job, board_id)
    lines = list(board.sections) or [_as_line(line)]
    at = lines[min(number, len(lines) - 1)]
    if len(at.distances) >= MOST_DISTANCES:
        raise ValueError(f"a section line has at most {MOST_DISTANCES} pinned distances; remove one first")
    lines[min(number, len(lines) - 1)] = replace(at, distances=(*at.distances, distance))
    return Edit("Pin distance", _with(job, board, tuple(lines)))


def unpin_distances(job: Job, board_id: BoardId, number: int, gone: Collection[int]) -> Edit:
    """A section without some of its distances, by their numbers."""
    board = board_of(job, board_id)
    if not board.sections:
        return Edit("Remove distance", job)
    lines = list(board.sections)
    at = lines[min(number, len(lines) - 1)]
    left = tuple(distance for k, distance in enumerate(at.distances) if k not in gone)
    lines[min(number, len(lines) - 1)] = replace(at, distances=left)
    return Edit("Remove distance" if len(gone) == 1 else "Remove distances", _with(job, board, tuple(lines)))


def dismiss(job: Job, board_id: BoardId, key: str) -> Edit:
    """Keep a finding quiet until what it speaks of changes."""
    board = board_of(job, board_id)
    quiet = (*board.dismissed, key)[-MOST_DISMISSED:] if key not in board.dismissed else board.dismissed
    return Edit(
        "Dismiss finding",
        with_boards(job, tuple(replace(b, dismissed=quiet) if b.id == board_id else b for b in job.boards)),
    )


def recall(job: Job, board_id: BoardId) -> Edit:
    """Tell all that was dismissed on a board again."""
    boards = tuple(replace(b, dismissed=()) if b.id == board_id else b for b in job.boards)
    return Edit("Tell dismissed findings again", with_boards(job, boards))


def _as_line(line: Line) -> SectionLine:
    (ax, ay), (bx, by) = line
    return SectionLine(x0=ax, y0=ay, x1=bx, y1=by)


def _with(job: Job, board: Board, lines: tuple[SectionLine, ...]) -> Job:
    return with_boards(job, tuple(replace(b, sections=lines) if b.id == board.id else b for b in job.boards))
