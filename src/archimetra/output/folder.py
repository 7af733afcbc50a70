"""What lies in a folder already where files are to be written: looked at before anything is replaced."""

from __future__ import annotations

import re
from collections.abc import Sequence
from enum import StrEnum
from pathlib import Path as FilePath
from typing import NamedTuple

from archimetra.job.written import Written
from archimetra.output.comments import shortened
from archimetra.output.files import Text
from archimetra.output.gcode_file import digest_of

_HEAD_BYTES = 4000
_BOARD = re.compile(rb"Board: ([^)\r\n]*)")
_JOB = re.compile(rb"Job: ([^)\r\n]*)")


class State(StrEnum):
    NEW = "new"
    SAME = "the same"
    OLDER = "older"  # as it was written of this board last
    CHANGED = "changed by hand"  # written of this job, but not as it is now
    UNLIKE = "of this job, but not as written last"  # into another folder: older, or changed by hand
    BOARD = "of another board of this job"
    OTHER = "of another job"
    UNREADABLE = "unreadable"


LOSES = frozenset({State.CHANGED, State.UNLIKE, State.BOARD, State.OTHER, State.UNREADABLE})
"""What is asked about before it is replaced: nobody else may have it."""


class Found(NamedTuple):
    """What stands under the name of a file that is to be written."""

    name: str
    state: State


def look_into(folder: FilePath, files: Sequence[Text], job_name: str, written: Written | None) -> list[Found]:
    """What each file would replace. ``written`` is what was written of the board last, wherever that was."""
    last = {file.name: file.digest for file in written.files} if written is not None else {}
    is_here = written is not None and FilePath(written.folder) == folder
    unlike = State.CHANGED if is_here else State.UNLIKE
    return [Found(file.name, _state(folder / file.name, file, job_name, last.get(file.name), unlike)) for file in files]


def _state(path: FilePath, file: Text, job_name: str, last: str | None, unlike: State) -> State:
    try:
        content = path.read_bytes()
    except FileNotFoundError:
        return State.NEW
    except OSError:
        return State.UNREADABLE
    digest = digest_of(content)
    if digest == digest_of(file.text.encode("ascii")):
        return State.SAME
    if digest == last:
        return State.OLDER
    head = _JOB.search(content[:_HEAD_BYTES])
    if head is None or head.group(1).decode("ascii", "replace").strip() != shortened(job_name):
        return State.OTHER
    boards = [_BOARD.search(text) for text in (content[:_HEAD_BYTES], file.text[:_HEAD_BYTES].encode("ascii"))]
    if boards[0] is not None and boards[1] is not None and boards[0].group(1).strip() != boards[1].group(1).strip():
        return State.BOARD
    # of this job: if we know what was written last, it is not that any more; else it may well be an older one
    return unlike if last is not None else State.OLDER


def in_words(found: Sequence[Found]) -> str:
    """What would be lost, in a sentence; '' for nothing."""
    parts = []
    for state in (State.CHANGED, State.UNLIKE, State.BOARD, State.OTHER, State.UNREADABLE):
        names = [one.name for one in found if one.state is state]
        if names:
            shown = ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
            parts.append(f"{shown} {'is' if len(names) == 1 else 'are'} {state.value}")
    return "; ".join(parts)
