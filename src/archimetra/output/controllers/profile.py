"""``Controller``: what one kind of machine control wants in its files."""

from __future__ import annotations

import re
import tomllib
from enum import StrEnum

import msgspec

from archimetra.base.errors import OutputError
from archimetra.job.quantities import Unit
from archimetra.output.comments import LONGEST
from archimetra.output.controllers.template import FILE_NAMES, check_template

MOST_LINES = 200  # of a template
MOST_BYTES = 100_000  # of a profile's file


class Arcs(StrEnum):
    CENTRE = "centre"  # I and J from where the arc begins
    NONE = "none"  # short straight lines


class FileUnit(StrEnum):
    JOB = "job"  # as the job says
    MM = "mm"
    INCH = "inch"


class Spindle(StrEnum):
    SPEED = "speed"  # S and M3
    ON = "on"  # M3 alone: its speed is set by hand
    NONE = "none"  # switched by hand


class LineEnding(StrEnum):
    LF = "lf"
    CRLF = "crlf"


class Controller(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """One profile; every field is a key of its file (docs/controllers.md). Lines are templates (``controllers.template``)."""

    name: str
    title: str
    extension: str = "nc"
    file_name: str = "{job} {board} {count} {setup} {bit}"
    longest_name: int = 80
    unit: FileUnit = FileUnit.JOB
    bit_changes_in_file: bool = False
    arcs: Arcs = Arcs.CENTRE
    longest_arc_radius: float = 1000.0
    decimals_mm: int = 3
    decimals_inch: int = 5
    has_drill_cycles: bool = False
    has_bit_lengths: bool = False
    spindle: Spindle = Spindle.SPEED
    line_numbers: int = 0
    line_ending: LineEnding = LineEnding.LF
    longest_line: int = 0
    has_spaces: bool = True
    comment: str = "({text})"
    comment_width: int = LONGEST
    dwell: str = "G4 P{seconds:.1f}"
    opening: tuple[str, ...] = ()
    start: tuple[str, ...] = ()
    before_bit_change: tuple[str, ...] = ()
    bit_change: tuple[str, ...] = ()
    after_bit_change: tuple[str, ...] = ()
    dust_on: tuple[str, ...] = ()
    dust_off: tuple[str, ...] = ()
    end: tuple[str, ...] = ("M30",)

    def unit_for(self, job_unit: Unit) -> Unit:
        """The unit of its files for a job whose files are in ``job_unit``."""
        return {FileUnit.JOB: job_unit, FileUnit.MM: Unit.MM, FileUnit.INCH: Unit.INCH}[self.unit]

    @property
    def newline(self) -> str:
        return "\r\n" if self.line_ending is LineEnding.CRLF else "\n"


TEMPLATES = (
    "opening", "start", "before_bit_change", "bit_change", "after_bit_change", "dust_on", "dust_off", "end",
)  # fmt: skip
_NAME = re.compile(r"[a-z0-9][a-z0-9-]{0,39}")
_EXTENSION = re.compile(r"[a-z0-9]{1,8}")


def check(profile: Controller) -> Controller:
    """The profile. Raises OutputError with the key, the line and what is wrong there."""
    told = f"Controller '{profile.name[:40]}'"
    if not _NAME.fullmatch(profile.name):
        raise OutputError(f"{told}: name is up to 40 small letters, digits and hyphens.")
    if not 0 < len(profile.title) <= 60 or not profile.title.isprintable():
        raise OutputError(f"{told}: title is 1 to 60 letters.")
    if not _EXTENSION.fullmatch(profile.extension):
        raise OutputError(f"{told}: extension is up to 8 small letters and digits, without a dot.")
    for key, low, high in (
        ("decimals_mm", 1, 6), ("decimals_inch", 2, 7), ("longest_arc_radius", 1.0, 100_000.0), ("comment_width", 30, 500),
        ("line_numbers", 0, 1000), ("longest_name", 8, 80),
    ):  # fmt: skip
        if not low <= getattr(profile, key) <= high:
            raise OutputError(f"{told}: {key} is {low:g} to {high:g}.")
    _check_names(profile, told)
    if profile.longest_line and not 60 <= profile.longest_line <= 1000:
        raise OutputError(f"{told}: longest_line is 60 to 1000 letters, or 0 for no limit.")
    for key in ("comment", "dwell"):
        line = getattr(profile, key)
        check_template(line, f"{told}, {key}")
    if profile.comment and "{text}" not in profile.comment:
        raise OutputError(f"{told}: comment has to hold {{text}}, or be empty for a control that takes no comments.")
    if "{seconds" not in profile.dwell:
        raise OutputError(f"{told}: dwell has to hold {{seconds}}.")
    for key in TEMPLATES:
        lines = getattr(profile, key)
        if len(lines) > MOST_LINES:
            raise OutputError(f"{told}: {key} has more than {MOST_LINES} lines.")
        for number, line in enumerate(lines, 1):
            check_template(line, f"{told}, {key}, line {number}")
    if profile.bit_changes_in_file and not profile.bit_change:
        raise OutputError(f"{told}: bits are changed in the file, so bit_change has to say how.")
    return profile


def _check_names(profile: Controller, told: str) -> None:
    """That its files can be told apart by their names."""
    check_template(profile.file_name, f"{told}, file_name", FILE_NAMES)
    if not any(f"{{{name}}}" in profile.file_name for name in ("board", "place")):
        raise OutputError(
            f"{told}: file_name has to hold {{board}} or {{place}}, or boards would be written over each other."
        )


def parsed(data: bytes, name: str) -> Controller:
    """A profile out of the text of its file. Raises OutputError with what is wrong and where."""
    if len(data) > MOST_BYTES:
        raise OutputError(f"{name} is larger than {MOST_BYTES // 1000} kB: no controller's file is.")
    try:
        return check(msgspec.convert(tomllib.loads(data.decode("utf-8")), Controller))
    except UnicodeDecodeError as error:
        raise OutputError(f"{name} is no text: byte {error.start} is not UTF-8.") from error
    except tomllib.TOMLDecodeError as error:
        raise OutputError(f"{name} is no TOML: {error}.") from error
    except msgspec.ValidationError as error:
        raise OutputError(f"{name}: {_said(str(error))}.") from error
    except RecursionError as error:
        raise OutputError(f"{name}: it is nested too deep.") from error


def _said(problem: str) -> str:
    """msgspec's words in those of a reader: 'Expected `int`, got `str` - at `$.decimals_mm`'."""
    words, _, where = problem.partition(" - at ")
    key = where.strip("`").removeprefix("$.")
    words = words.replace("Object contains unknown field", "there is no key").replace(
        "Object missing required field", "it lacks the key"
    )
    return f"{key}: {words[0].lower()}{words[1:]}" if key and key != "$" else words[0].lower() + words[1:]


def as_toml(profile: Controller) -> str:
    """The text of its file."""
    lines = []
    for key in profile.__struct_fields__:
        value = getattr(profile, key)
        lines.append(f"{key} = {_toml(value)}")
    return "\n".join(lines) + "\n"


def _toml(value: object) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int | float):
        return repr(value)
    if isinstance(value, tuple):
        return "[" + ", ".join(_toml(one) for one in value) + "]"
    return '"' + str(value).replace("\\", "\\\\").replace('"', '\\"') + '"'
