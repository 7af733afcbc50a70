"""What of a board the plan shows: three settings, and any mixture of what they are made of."""

from __future__ import annotations

from enum import StrEnum
from typing import Any, NamedTuple


class Paths(StrEnum):
    """Of which cuts the paths are drawn."""

    NONE = "none"
    PICKED = "picked"
    ALL = "all"


class Shown(NamedTuple):
    stock: bool = True
    artwork: bool = True
    paths: Paths = Paths.PICKED
    travel: bool = False
    marks: bool = True  # entries, starts and tabs
    findings: bool = True
    clamps: bool = True
    offcuts: bool = True  # what falls away once the run is done
    guides: bool = True  # and the section line, zero, measures

    @property
    def name(self) -> str:
        """The setting this is; '' where it was mixed by hand."""
        return next((name for name, setting in SETTINGS.items() if setting == self), "")


SETTINGS: dict[str, Shown] = {
    "wood": Shown(artwork=False, paths=Paths.NONE, marks=False, findings=False, clamps=False, guides=False),
    "work": Shown(),
    "lines": Shown(stock=False, paths=Paths.NONE, marks=False),
}

OF_STATION = {"artwork": "lines"}
"""The setting a station begins with, where it is not ``work``."""


def toggled(shown: Shown, row: str) -> Shown:
    """One row switched; ``picked`` and ``all`` are the two of the paths."""
    if row in ("picked", "all"):
        wanted = Paths(row)
        return shown._replace(paths=Paths.NONE if shown.paths is wanted else wanted)
    switched: dict[str, Any] = {row: not getattr(shown, row)}
    return shown._replace(**switched)


def is_on(shown: Shown, row: str) -> bool:
    return shown.paths == row if row in ("picked", "all") else bool(getattr(shown, row))
