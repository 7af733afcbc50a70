"""What happened to a file on its way in: one kind of entry for every reader and every repair.

An entry says under which head it belongs, in one sentence, and points at its places on the drawing (``places``, mm in the
drawing's coordinates) and in the file (``place``).
"""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum
from typing import Any

import msgspec
import numpy as np

from archimetra.base.findings import Severity

MOST_SPOTS = 400  # more are counted in the sentence, not pointed at


class Topic(StrEnum):
    READ = "read"
    UNIT = "unit"
    MENDED = "mended"
    LEFT_OUT = "left out"
    DECIDE = "to decide"


class ReportLine(msgspec.Struct, frozen=True, omit_defaults=True):
    topic: Topic
    code: str
    severity: Severity
    sentence: str
    places: tuple[tuple[float, float], ...] = ()
    place: str = ""
    offer: str = ""  # the repair that would settle it, see artwork/offers.py
    within_mm: float = 0.0  # and how far that repair may reach

    def text(self) -> str:
        """The sentence with its place in the file, as one line."""
        return f"{self.sentence} ({self.place})" if self.place else self.sentence


def read(code: str, sentence: str, *, place: str = "") -> ReportLine:
    return ReportLine(Topic.READ, code, Severity.NOTE, sentence, place=place)


def mended(code: str, sentence: str, places: Iterable[Any] = ()) -> ReportLine:
    return ReportLine(Topic.MENDED, code, Severity.NOTE, sentence, spots_of(places))


def left_out(
    code: str,
    sentence: str,
    *,
    places: Iterable[Any] = (),
    place: str = "",
    is_harmless: bool = False,
) -> ReportLine:
    severity = Severity.NOTE if is_harmless else Severity.CAUTION
    return ReportLine(Topic.LEFT_OUT, code, severity, sentence, spots_of(places), place)


def decide(
    code: str, sentence: str, places: Iterable[Any] = (), *, place: str = "", offer: str = "", within_mm: float = 0.0
) -> ReportLine:
    return ReportLine(Topic.DECIDE, code, Severity.CAUTION, sentence, spots_of(places), place, offer, within_mm)


def unit_entry(reason: str, *, is_certain: bool) -> ReportLine:
    return ReportLine(Topic.UNIT, "unit", Severity.NOTE if is_certain else Severity.CAUTION, reason)


def spots_of(points: Iterable[Any]) -> tuple[tuple[float, float], ...]:
    rows = np.asarray(list(points) if not isinstance(points, np.ndarray) else points, dtype=np.float64)
    return tuple((float(x), float(y)) for x, y in rows.reshape(-1, 2)[:MOST_SPOTS].tolist())


def together(entries: Iterable[ReportLine]) -> tuple[ReportLine, ...]:
    """Entries that say the same as one, with how often it happened and where it did first."""
    same: dict[tuple[str, str, str], list[ReportLine]] = {}
    for entry in entries:
        same.setdefault((entry.topic, entry.code, entry.sentence), []).append(entry)
    out = []
    for group in same.values():
        first = group[0]
        if len(group) > 1:
            place = f"{len(group):,} times{', first ' if first.place else ''}{first.place}"
            places = tuple(spot for entry in group for spot in entry.places)[:MOST_SPOTS]
            first = msgspec.structs.replace(first, place=place, places=places)
        out.append(first)
    return tuple(out)


def counted(count: int, one: str, many: str = "") -> str:
    """``1 line``, ``1,200 lines``."""
    return f"{count:,} {one if count == 1 else many or one + 's'}"
