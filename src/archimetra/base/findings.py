"""Findings: what a person should know and can mend, returned beside a result and never raised."""

from __future__ import annotations

from enum import StrEnum

import msgspec


class Severity(StrEnum):
    NOTE = "note"  # worth knowing
    CAUTION = "caution"  # look before cutting
    STOP = "stop"  # will spoil work if cut like this


class Finding(msgspec.Struct, frozen=True, omit_defaults=True):
    """One thing to know: a stable code, a sentence, where it is, and the fix in words.

    ``at`` is a point in board coordinates (mm) or, for a file, absent with ``place`` naming the line.
    ``subject`` is the id of the cut, shape or board it belongs to.
    """

    code: str
    severity: Severity
    sentence: str
    fix: str = ""
    at: tuple[float, float] | None = None
    place: str = ""
    subject: str = ""

    def text(self) -> str:
        """The sentence with its place and its fix, as one line."""
        where = f" ({self.place})" if self.place else ""
        return f"{self.sentence}{where} {self.fix}".strip()
