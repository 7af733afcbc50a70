"""Findings: what a person should know and can mend, returned beside a result and never raised.

What a finding says holds its lengths as values, and names of things by their ids until they are known (``engine.own_place``): both
are put into words where they are shown, in the unit of the job and under the names of the moment.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from enum import StrEnum

import msgspec


class Severity(StrEnum):
    NOTE = "note"  # worth knowing
    CAUTION = "caution"  # look before cutting
    STOP = "stop"  # will spoil work if cut like this


# Puts lengths into words: the values in mm, the format they have in mm, what stands between them.
Lengths = Callable[[Sequence[float], str, str], str]

# Strict, so that a name which happens to look like one stays as it was typed.
_NUMBER = r"-?(?:\d+\.?\d*(?:e[-+]\d+)?|inf|nan)"
_LENGTHS = re.compile(rf"⟦mm (g|\.\df)\|([^|⟧]*)\|({_NUMBER}(?:\|{_NUMBER})*)⟧")


def mm(value: float, form: str = "g") -> str:
    """A length within the words of a finding; ``form`` is how it is formatted in mm."""
    return mm_each((value,), form)


def mm_each(values: Iterable[float], form: str = "g", between: str = " x ") -> str:
    """Several lengths with one unit behind them."""
    return f"⟦mm {form}|{between}|{'|'.join(repr(float(value)) for value in values)}⟧"


def in_mm(values: Sequence[float], form: str, between: str) -> str:
    return f"{between.join(format(value, form) for value in values)} mm"


class Finding(msgspec.Struct, frozen=True, omit_defaults=True):
    """One thing to know: a stable code, what it says, where it is, and what mends it.

    ``words`` and ``mend`` (what to do about it) may hold lengths (``mm``). ``at`` is a point in board coordinates (mm) or, for a file,
    absent with ``place`` naming the line. ``subject`` is the id of the cut, shape or board it belongs to.
    """

    code: str
    severity: Severity
    words: str
    mend: str = ""
    at: tuple[float, float] | None = None
    place: str = ""
    subject: str = ""

    @property
    def sentence(self) -> str:
        """What it says, lengths in mm."""
        return worded(self.words)

    @property
    def fix(self) -> str:
        """What to do about it, lengths in mm; '' where nothing is to be done."""
        return worded(self.mend)

    def text(self, lengths: Lengths = in_mm) -> str:
        """What it says with its place and its fix, as one line."""
        where = f" ({self.place})" if self.place else ""
        return worded(f"{self.words}{where} {self.mend}".strip(), lengths)


def lengths_of(words: str) -> list[float]:
    """The lengths within the words of a finding, mm, in their order."""
    return [float(value) for found in _LENGTHS.finditer(words) for value in found.group(3).split("|")]


def worded(words: str, lengths: Lengths = in_mm) -> str:
    """Words with their lengths put in."""

    def put(found: re.Match[str]) -> str:
        form, between, values = found.groups()
        return lengths([float(value) for value in values.split("|")], form, between)

    return _LENGTHS.sub(put, words)


def gravest_first(findings: Iterable[Finding]) -> list[Finding]:
    """Stops, then cautions, then notes; those of a kind stay as they stand."""
    gravest = tuple(reversed(Severity))
    return sorted(findings, key=lambda finding: gravest.index(finding.severity))
