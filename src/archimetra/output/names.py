"""What files are called: as the controller asks, in letters it can show, no two of a board alike however long or alike the names of
things are. Boards that would come out alike all the same, shortened by a controller that leaves the number out, are told before anything is written."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

from archimetra.job.job import Board, Job
from archimetra.output.comments import plain
from archimetra.output.controllers.profile import Controller
from archimetra.output.controllers.template import filled

_MOST = 100  # letters of a name that are looked at
_LEAST = 3  # letters that stay of a name that is shortened


class Called(NamedTuple):
    """A board among those of its job: a name no other has, and its place from 1."""

    name: str
    place: int


class Part(NamedTuple):
    """What one file of a board holds: the setup it is run in and the bit it needs, '' where there is but one setup or more than one bit."""

    setup: str
    bit: str
    letter: str


def board_called(job: Job, board: Board) -> Called:
    """The name of a board in its files' names: with its place behind it where another is written alike."""
    place = next((k for k, one in enumerate(job.boards, 1) if one.id == board.id), 1)
    stems = [file_stem(one.name) for one in job.boards]
    if not job.boards or stems.index(stems[place - 1]) == place - 1:
        return Called(board.name, place)
    name = f"{board.name} {place}"
    while file_stem(name) in stems:
        name += f" {place}"
    return Called(name, place)


def file_stem(text: str) -> str:
    """Small ASCII letters, digits and hyphens, as every control can show them."""
    return _stem(text)[:80] or "job"


def file_names(job: str, called: Called, profile: Controller, parts: Sequence[Part]) -> list[str]:
    """The name of each file of a board, in running order, with its ending."""
    out: list[str] = []
    for number, part in enumerate(parts, 1):
        values = {
            "job": job, "board": called.name, "setup": part.setup, "bit": part.bit, "letter": part.letter,
            "count": f"{number}" if len(parts) > 1 else "", "place": f"{called.place}",
        }  # fmt: skip
        stem = _fitted(profile, values, called.place)
        room = profile.longest_name
        k = 2
        while stem in out:
            stem = f"{stem[: room - len(str(k)) - 1].rstrip('-.')}-{k}"
            k += 1
        out.append(stem)
    return [f"{stem}.{profile.extension}" for stem in out]


def _fitted(profile: Controller, values: dict[str, str], place: int) -> str:
    """The stem, the names in it shortened until it fits: the longest first. A shortened board keeps its place, so that no other comes out alike."""

    def made() -> str:
        return _stem(filled(profile.file_name, values)) or f"board-{place}"

    values = {name: plain(value[:_MOST])[:_MOST] for name, value in values.items()}
    is_cut = False
    while len(made()) > profile.longest_name:
        name = max(
            ("job", "board", "bit", "setup"),
            key=lambda one: len(values[one]) if f"{{{one}}}" in profile.file_name else 0,
        )
        if len(values[name]) <= _LEAST:
            break
        values[name] = values[name][:-1]
        if name == "board" and not is_cut:
            is_cut = True
            values["count"] = f"{place} {values['count']}".strip()
    return made()[: profile.longest_name].strip("-.")


def _stem(text: str) -> str:
    return re.sub(r"[^a-z0-9.]+", "-", plain(text).lower()).strip("-.")
