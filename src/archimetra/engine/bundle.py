"""Everything that goes to the machine from a job: the files of all its boards, the job sheet, and a picture of each board."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable, Sequence

import msgspec

from archimetra.base.errors import OutputError
from archimetra.engine.jobsheet import sheet_of
from archimetra.engine.messages import BoardPlan
from archimetra.engine.planning import plan_board
from archimetra.engine.writing import files_of
from archimetra.job.ids import BoardId
from archimetra.job.job import Board, Job
from archimetra.output.controllers.of_job import controller_of
from archimetra.output.jobsheet.pdf import as_pdf
from archimetra.output.jobsheet.text import as_text
from archimetra.output.names import file_stem

Report = Callable[[float], None]
_DATE = (1980, 1, 1, 0, 0, 0)  # the same job gives the same archive


class BoardFiles(msgspec.Struct, frozen=True):
    """The files of a board as text, by name in running order; ``key`` is that of its plan."""

    board: BoardId
    key: str
    files: tuple[tuple[str, str], ...]


def boards_with_work(job: Job) -> list[Board]:
    return [board for board in job.boards if any(cut.is_on for cut in board.cuts)]


def all_files(job: Job, report: Report = lambda share: None) -> list[BoardFiles]:
    """The files of all boards. Raises OutputError where two would have one name."""
    profile = controller_of(job)
    boards = boards_with_work(job)
    out = []
    for number, board in enumerate(boards):
        report(number / max(len(boards), 1))
        plan = plan_board(job, board, {})
        files = files_of(job, board, plan.run, plan.setups, profile)
        out.append(BoardFiles(board.id, plan.key, tuple((file.name, file.text) for file in files)))
    _check_names(job, out)
    return out


def _check_names(job: Job, made: Sequence[BoardFiles]) -> None:
    of: dict[str, BoardId] = {}
    for one in made:
        for name, _ in one.files:
            if name in of and of[name] != one.board:
                names = [board.name for board in job.boards if board.id in (of[name], one.board)]
                raise OutputError(
                    f"The boards '{names[0]}' and '{names[-1]}' would both be written as {name}. Give one of them another name."
                )
            of[name] = one.board


def zipped(job: Job, *, paper: str = "a4", report: Report = lambda share: None) -> bytes:
    """A ZIP of the files in a folder for each board, the job sheet as PDF and text, and a picture of each board."""
    boards = boards_with_work(job)
    if not boards:
        raise OutputError("The job cuts nothing, so there is nothing to pack.")
    plans: list[BoardPlan] = []
    for number, board in enumerate(boards):
        report(0.5 * number / len(boards))
        plans.append(plan_board(job, board, {}))
    sheet = sheet_of(job, boards, plans=plans, report=lambda share: report(0.5 + 0.45 * share))
    profile = controller_of(job)
    out = io.BytesIO()
    folders = _folders(boards)
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:

        def put(name: str, data: bytes) -> None:
            archive.writestr(zipfile.ZipInfo(name, _DATE), data, zipfile.ZIP_DEFLATED)

        put("job-sheet.pdf", as_pdf(sheet, paper=paper))
        put("job-sheet.txt", as_text(sheet).encode())
        for board, plan, folder, said in zip(boards, plans, folders, sheet.boards, strict=True):
            for file in files_of(job, board, plan.run, plan.setups, profile):
                put(f"{folder}/{file.name}", file.text.encode("ascii"))
            put(f"{folder}/{folder}.png", said.plan_png)
    return out.getvalue()


def _folders(boards: Sequence[Board]) -> list[str]:
    """A folder's name for each board, no two alike."""
    out: list[str] = []
    for number, board in enumerate(boards, 1):
        stem = file_stem(board.name)
        out.append(stem if stem not in out else f"{stem}-{number}")
    return out
