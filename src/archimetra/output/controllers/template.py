"""Lines of a controller with named values in them: ``{number}``, or ``{seconds:.1f}`` with a number of decimals.

Only names are put in, nothing is worked out: a template comes from a file somebody may have been sent.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

from archimetra.base.errors import OutputError
from archimetra.output.comments import plain

Value = str | float
NAMES: Mapping[str, str] = {
    "job": "name of the job",
    "board": "name of the board",
    "file": "name of the file",
    "unit": "mm or inch",
    "bit": "name of the bit",
    "letter": "its letter",
    "number": "its number in the holder",
    "diameter": "its diameter, in the file's unit",
    "speed": "spindle speed, 1/min",
    "seconds": "how long to wait, s",
    "text": "what a comment says",
    "top": "the park height, in the file's unit",
}
"""What can stand in a template, and what it is."""

FILE_NAMES: Mapping[str, str] = {
    "job": "name of the job",
    "board": "name of the board",
    "place": "place of the board in the job, from 1",
    "count": "number of the file in running order, nothing where there is but one",
    "setup": "name of the tile or setup, nothing where there is but one",
    "bit": "name of the bit, nothing where there are several",
    "letter": "its letter",
}
"""What can stand in the name of a file."""

MOST_LETTERS = 200
_FIELD = re.compile(r"\{([^{}:]*)(?::\.([0-6])f)?\}")


def check_template(line: str, where: str, names: Mapping[str, str] = NAMES) -> None:
    """Raises OutputError with ``where`` and what is wrong in a line that may hold these ``names``."""
    if not line.isascii() or not line.isprintable():
        raise OutputError(
            f"{where}: a controller takes plain letters, digits and signs alone; '{line[:40]}' holds others."
        )
    if len(line) > MOST_LETTERS:
        raise OutputError(f"{where}: the line is longer than {MOST_LETTERS} letters.")
    for found in _FIELD.finditer(line):
        if found.group(1) not in names:
            raise OutputError(f"{where}: there is no value '{found.group(1)}'. Known are: {', '.join(names)}.")
        if found.group(2) is not None and found.group(1) not in _NUMBERS:
            raise OutputError(f"{where}: '{found.group(1)}' is no number, so it has no decimals.")
    if any(brace in _FIELD.sub("", line) for brace in "{}"):
        raise OutputError(
            f"{where}: '{line[:40]}' has a bracket that opens or closes nothing. A value is {{number}} or {{seconds:.1f}}."
        )


def filled(line: str, values: Mapping[str, Value]) -> str:
    """The line with its values; names of things in letters any control takes, numbers without needless zeros."""

    def put(found: re.Match[str]) -> str:
        value = values.get(found.group(1), "")
        if isinstance(value, str):
            return plain(value)
        return f"{value:.{found.group(2)}f}" if found.group(2) is not None else f"{value:g}"

    return _FIELD.sub(put, line)


_NUMBERS = frozenset({"number", "diameter", "speed", "seconds", "top"})
