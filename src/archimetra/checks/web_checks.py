"""Checks of what stands between parts: webs so thin that they break off under the bit."""

from __future__ import annotations

from collections.abc import Iterator

import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from archimetra.base.findings import Finding, Severity, mm
from archimetra.checks.check_input import CheckInput
from archimetra.checks.holding_checks import through_slots
from archimetra.geometry.region import polygons_of
from archimetra.job.cut_parts import Side
from archimetra.toolpath.shared.contours import kept_region

LEAST_WEB_MM, WEB_SHARE, MOST_WEB_MM = (
    0.8,
    0.2,
    3.0,
)  # in thick sheets a web has to be wider: it is as tall as the sheet
THICK_MM = 6.0
_HAIR_MM = 0.1  # what grounds and outlines worked out in two ways may leave between them
SHORTEST_MM = 8.0  # what is shorter is a chip, or stands by itself


def thin_webs(given: CheckInput) -> Iterator[Finding]:
    """Strips of waste between two cuts that go through. What is thin within a part was drawn so, and is not told here."""
    slots = through_slots(given)
    if len(slots) == 0:
        return
    least = min(max(LEAST_WEB_MM, WEB_SHARE * given.sheet.thinnest), MOST_WEB_MM)
    ground = shapely.union_all([slot.ground for slot in slots])
    parts = [kept_region(given.board.shapes_of(slot.cut)) for slot in slots if slot.cut.loosens is Side.OUTSIDE]
    waste = shapely.difference(given.sheet.region, shapely.buffer(shapely.union_all([ground, *parts]), _HAIR_MM))
    # opened by a disc of that width only what is wider is left; what lies at the sheet's edge is held by nothing either
    wide = shapely.buffer(
        shapely.buffer(waste, -(least / 2 - _HAIR_MM), quad_segs=4), least / 2 - _HAIR_MM + 0.02, quad_segs=4
    )
    webs = []
    beside = shapely.buffer(ground, 3 * _HAIR_MM)
    for web in polygons_of(shapely.difference(waste, wide)):
        width, length = _size(web)
        width += 2 * _HAIR_MM
        if length >= SHORTEST_MM and width <= least and length > 3 * width and _is_cut_along(web, beside):
            webs.append((length, width, web))
    if not webs:
        return
    webs.sort(key=lambda one: -one[0])
    length, width, web = webs[0]
    near = [slot for slot in slots if slot.ground.distance(web) < 3 * _HAIR_MM]
    last = near[-1].cut if near else slots[-1].cut
    at = shapely.get_coordinates(shapely.point_on_surface(web))[0]
    more = f", and so are {len(webs) - 1} more" if len(webs) > 2 else ", and so is another" if len(webs) == 2 else ""
    # in a thick sheet a loose strip is a wedge beside the bit, in thin ply a splinter
    severity = Severity.CAUTION if given.sheet.thinnest >= THICK_MM else Severity.NOTE
    yield Finding(
        "web-thin", severity,
        f"A web {mm(width, '.1f')} wide and {mm(length, '.0f')} long stands beside '{last.name}'{more}: it may break off under the bit.",
        mend=f"Lay the parts {mm(least, '.1f')} farther apart, or so near that one cut parts both.",
        at=(float(at[0]), float(at[1])), subject=last.id,
    )  # fmt: skip


def _is_cut_along(web: Polygon, ground: BaseGeometry) -> bool:
    """Whether most of its outline was cut: else it hangs on a part, as in a notch the bit does not get into."""
    return float(shapely.length(shapely.intersection(web.exterior, ground))) > 0.7 * float(web.exterior.length)


def _size(web: Polygon) -> tuple[float, float]:
    """Width and length of a strip, from its area A and its outline L: w + l = L / 2, w l = A."""
    half = float(web.length) / 2
    root = max(half * half / 4 - float(web.area), 0.0) ** 0.5
    return half / 2 - root, half / 2 + root
