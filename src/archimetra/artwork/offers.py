"""Repairs that an entry of a report offers for what is to be decided."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from archimetra.artwork.drawing import DrawnShape
from archimetra.artwork.mend import Mended, areas_as_parts, join_ends
from archimetra.artwork.report import ReportLine

CLOSE_GAPS = "close-gaps"
AREAS = "areas-as-parts"


def words_of(entry: ReportLine) -> str:
    """What the button says; '' where nothing is offered."""
    if entry.offer == CLOSE_GAPS:
        return f"Close gaps up to {entry.within_mm:g} mm"
    return "Make each area a part" if entry.offer == AREAS else ""


def repair_of(entry: ReportLine) -> Callable[[Sequence[DrawnShape]], Mended]:
    if entry.offer == CLOSE_GAPS:
        return lambda shapes: join_ends(shapes, tolerance_mm=entry.within_mm)
    assert entry.offer == AREAS
    return areas_as_parts
