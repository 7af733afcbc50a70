"""What nesting is asked."""

from __future__ import annotations

from math import isfinite

import msgspec
from shapely.geometry import Polygon

from archimetra.base.errors import ArchimetraError
from archimetra.geometry.region import Region

MOST_COPIES = 5_000
BEST, WORST = 0, 9  # priorities


class NestError(ArchimetraError):
    """A sentence about what cannot be nested as asked."""


class Reach(msgspec.Struct, frozen=True, eq=False):
    """Where a bit runs for a part: its centres as a region (mm, the part's coordinates; lines may be given a hair of width), and how
    wide it is."""

    centres: Region
    radius: float


class NestPart(msgspec.Struct, frozen=True, eq=False, kw_only=True):
    """A part: the wood that is kept of it (mm, its own coordinates; openings as holes), how many, and how it may lie. ``turns`` in
    degrees counter-clockwise. Lower ``priority`` is placed first. ``reaches`` say where bits run for it beyond its outline."""

    name: str
    outline: Region
    quantity: int = 1
    turns: tuple[float, ...] = (0.0,)
    may_mirror: bool = False
    priority: int = BEST
    reaches: tuple[Reach, ...] = ()


class KeepClear(msgspec.Struct, frozen=True, eq=False):
    """An area no part may come nearer to than ``clearance`` mm: a clamp, a flaw."""

    area: Polygon
    clearance: float


class NestSheet(msgspec.Struct, frozen=True, eq=False, kw_only=True):
    """A sheet of any outline without openings (mm, its own coordinates). ``count`` of them are cut alike: a piece laid on one is one on each."""

    outline: Polygon
    keep_clear: tuple[KeepClear, ...] = ()
    count: int = 1


class NestRequest(msgspec.Struct, frozen=True, eq=False, kw_only=True):
    """Parts onto sheets, which are used in their order. ``spacing`` between the kept wood of two parts, ``margin`` between kept wood and
    the sheet's edge, mm. The same ``seed`` and work give the same answer. With ``gathers`` what lies is moved together at the end on every sheet, to the
    front and the left: edges then lie along each other."""

    parts: tuple[NestPart, ...]
    sheets: tuple[NestSheet, ...]
    spacing: float = 8.0
    margin: float = 10.0
    seed: int = 1
    gathers: bool = False


def check_request(request: NestRequest) -> None:
    """Raises NestError with a sentence where something cannot be nested at all."""
    if not request.parts:
        raise NestError("There are no parts to nest. Pick outlines and make them parts first.")
    if not request.sheets:
        raise NestError("There is no sheet to nest on. Add one.")
    if not (isfinite(request.spacing) and 0 <= request.spacing <= 500):
        raise NestError("The spacing between parts is 0 to 500 mm.")
    if not (isfinite(request.margin) and 0 <= request.margin <= 500):
        raise NestError("The margin to the sheet's edge is 0 to 500 mm.")
    for part in request.parts:
        if part.outline.is_empty or part.outline.area <= 0:
            raise NestError(f"'{part.name}' encloses no area. Close its outline, or leave it out.")
        if part.quantity < 0:
            raise NestError(f"The quantity of '{part.name}' is {part.quantity}; enter 0 or more.")
        if not part.turns:
            raise NestError(f"'{part.name}' may not lie any way round. Allow it one turn.")
    asked = sum(part.quantity for part in request.parts)
    if asked == 0:
        raise NestError("Every quantity is 0. Say how many are wanted.")
    if asked > MOST_COPIES:
        raise NestError(
            f"{asked:,} pieces are more than the {MOST_COPIES:,} that are nested at once. Nest in several goes."
        )
