"""Controller profiles: what each kind of machine control wants in its files. Data, one TOML file each."""

from __future__ import annotations

import tomllib
from functools import cache
from importlib.resources import files

import msgspec

from archimetra.base.errors import OutputError
from archimetra.output.comments import LONGEST


class Controller(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """One profile. Templates are filled with ``number`` (of the bit), ``seconds`` or ``text``."""

    name: str
    title: str
    extension: str
    bit_changes_in_file: bool
    has_arcs: bool
    decimals_mm: int
    decimals_inch: int
    longest_arc_radius: float
    preamble: tuple[str, ...]
    dwell: str
    bit_change: tuple[str, ...]
    end: tuple[str, ...]
    comment: str
    has_drill_cycles: bool = False
    comment_width: int = LONGEST


@cache
def controllers() -> dict[str, Controller]:
    """All profiles by name."""
    found = {}
    for entry in sorted(files(__package__).iterdir(), key=lambda entry: entry.name):
        if entry.name.endswith(".toml"):
            data = tomllib.loads(entry.read_text(encoding="utf-8"))
            profile = msgspec.convert(data, Controller)
            found[profile.name] = profile
    return found


def controller(name: str) -> Controller:
    """Raises OutputError with the names there are."""
    found = controllers().get(name)
    if found is None:
        raise OutputError(f"There is no controller '{name}'. Known are: {', '.join(controllers())}.")
    return found
