"""Checks of where contours begin: a start set by hand where the part is thin gives way as the bit comes in."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from archimetra.base.errors import GeometryError
from archimetra.base.findings import Finding, Severity, mm
from archimetra.checks.check_input import CheckInput
from archimetra.job.cut_parts import Side
from archimetra.job.marks import place_of
from archimetra.toolpath.shared.contours import kept_region

THIN_DIAMETERS = 1.0  # of the bit: thinner wood bends before it is cut
_RAYS = 16
_FAR_MM = 1000.0


def start_on_thin(given: CheckInput) -> Iterator[Finding]:
    """Marks of profiles; what begins by itself begins where the wood is firm."""
    for work in given.resolved():
        cut, bit = work.cut, work.bit
        if not cut.takes_marks or cut.loosens is None:
            continue
        shapes = {shape.id: shape for shape in work.shapes}
        for mark in cut.start_marks:
            shape = shapes.get(mark.shape)
            if shape is None:
                continue
            try:
                region = kept_region((shape,))
            except GeometryError:
                continue
            kept = region if cut.loosens is Side.OUTSIDE else shapely.difference(work.sheet.region, region)
            at = place_of(shape, mark)
            thick = _thickness(kept, at)
            if thick < THIN_DIAMETERS * bit.diameter:
                yield Finding(
                    "start-thin", Severity.CAUTION,
                    f"'{cut.name}' begins where the wood beside it is only {mm(thick, '.1f')} thick; it gives way as {bit.name} comes in.",
                    mend="Drag the start to where the part is thicker, or let it be chosen.", at=at, subject=cut.id,
                )  # fmt: skip


def _thickness(kept: BaseGeometry, at: tuple[float, float]) -> float:
    """The least way through the wood from a place on its outline, straight in and a little to both sides."""
    point = np.array(at)
    angles = np.arange(_RAYS) * 2 * np.pi / _RAYS
    ways = np.column_stack((np.cos(angles), np.sin(angles)))
    inwards = shapely.contains_xy(kept, *(point + 0.05 * ways).T)
    if not inwards.any():
        return _FAR_MM
    straight = ways[inwards].sum(axis=0)
    least = _FAR_MM
    for degrees in (-35.0, 0.0, 35.0):
        turn = np.arctan2(straight[1], straight[0]) + np.radians(degrees)
        way = np.array((np.cos(turn), np.sin(turn)))
        if not shapely.contains_xy(kept, *(point + 0.05 * way)):
            continue
        ray = shapely.linestrings([point + 0.02 * way, point + _FAR_MM * way])
        pieces = shapely.get_parts(shapely.intersection(ray, kept))
        first = [piece for piece in pieces if shapely.distance(piece, shapely.points(point)) < 0.1]
        if first:
            least = min(least, float(shapely.length(first[0])))
    return least
