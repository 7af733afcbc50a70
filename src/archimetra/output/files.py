"""Which files a board needs: their split by bit, names in running order, and writing them safely."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from pathlib import Path as FilePath
from typing import Protocol

from archimetra import __version__
from archimetra.base.errors import OutputError
from archimetra.base.files import write_safely
from archimetra.job.ids import CutId
from archimetra.job.job import Board, Job
from archimetra.job.lying import only_setup
from archimetra.job.setups import Setup
from archimetra.job.written import Written, WrittenFile
from archimetra.output.controllers import Controller
from archimetra.output.gcode_file import GcodeFile, digest_of
from archimetra.output.gcode_writer import write_file
from archimetra.output.names import Called, Part, board_called, file_names
from archimetra.output.times import RunTimes
from archimetra.toolpath.shared.program import Block, Run


def gcode_files(
    job: Job, board: Board, run: Run, profile: Controller, setups: Sequence[Setup] = (), called: Called | None = None
) -> list[GcodeFile]:
    """The files of a board in running order, each of one of the ``setups`` its blocks number. Without bit changes in the file, neighbouring blocks of
    one bit share one; the order of cuts is never changed to save a file. ``called`` is what ``board_called`` says of the whole job."""
    setups = setups or (only_setup(board, job.machine),)
    begins = {cut.id for cut in board.cuts if cut.begins_file}
    groups = split_blocks(run, in_one_file=profile.bit_changes_in_file, begins=begins)
    names = file_names(
        job.name, called or board_called(job, board), profile, [_part(job, blocks, setups) for blocks in groups]
    )
    return [
        write_file(name, job, board, run, blocks, profile, setups=setups, version=__version__)
        for name, blocks in zip(names, groups, strict=True)
    ]


def _part(job: Job, blocks: Sequence[Block], setups: Sequence[Setup]) -> Part:
    bit = job.bit(blocks[0].bit) if len({block.bit for block in blocks}) == 1 else None
    setup = setups[blocks[0].setup].name if len(setups) > 1 else ""
    return Part(setup, bit.name if bit is not None else "", bit.letter if bit is not None else "")


def split_blocks(run: Run, *, in_one_file: bool, begins: Collection[CutId] = ()) -> list[list[Block]]:
    """Blocks grouped into files; cuts that are to begin one do so each time their turn comes."""
    groups: list[list[Block]] = []
    for block in run.blocks:
        same = groups and groups[-1][-1].setup == block.setup
        if same and block.cut in begins and groups[-1][-1].cut != block.cut:
            same = False
        if same and (in_one_file or groups[-1][-1].bit == block.bit):
            groups[-1].append(block)
        else:
            groups.append([block])
    return groups


def file_times(times: RunTimes, files: Sequence[GcodeFile]) -> list[float]:
    """Seconds each of a board's files takes; together they are those of its run. 0 for a file that is none of its run."""
    out, done = [], 0.0
    last = next((k for k in reversed(range(len(files))) if files[k].blocks), -1)
    for number, file in enumerate(files):
        if not file.blocks:
            out.append(0.0)
            continue
        end = times.total if number == last else float(times.ends[file.blocks[-1].last - 1])
        out.append(end - done)
        done = end
    return out


def as_written(job: Job, board: Board, files: Sequence[Text], folder: FilePath, key: str) -> Written:
    """What a board keeps of files that were written; ``key`` is that of what they come from."""
    return Written(
        folder=str(folder), controller=job.controller, zero=board.zero, key=key,
        files=tuple(WrittenFile(name=file.name, digest=digest_of(file.text.encode("ascii"))) for file in files),
    )  # fmt: skip


class Text(Protocol):
    """A file to be written: all that is needed of it."""

    @property
    def name(self) -> str: ...
    @property
    def text(self) -> str: ...


def write_files(files: Sequence[Text], folder: FilePath) -> list[FilePath]:
    """All files written, each by write-new and rename. Raises OutputError with what went wrong; whole files only, and none where two would have
    one name."""
    names = [file.name for file in files]
    twice = next((name for k, name in enumerate(names) if name in names[:k]), None)
    if twice is not None:
        raise OutputError(f"Two files would both be written as {twice}. Give the boards names that differ sooner.")
    out = []
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for file in files:
            path = folder / file.name
            write_safely(path, file.text.encode("ascii"))
            out.append(path)
    except OSError as error:
        raise OutputError(
            f"{folder} could not be written: {error.strerror or error}. Choose a folder you may write to, with room left."
        ) from error
    return out
