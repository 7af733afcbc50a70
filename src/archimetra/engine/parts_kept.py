"""What of a sheet are parts, once everything is cut: the rest falls away."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import shapely

from archimetra.base.errors import GeometryError
from archimetra.geometry.region import Region, as_region, polygons_of
from archimetra.job.cut_parts import Side
from archimetra.toolpath.groups import groups_of
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.contours import kept_region
from archimetra.toolpath.wanted import Freed


def parts_kept(works: Iterable[ResolvedCut]) -> Region | None:
    """The ground of what outlines free, openings taken out; None where nothing is cut out of the sheet."""
    return freed_by(works).kept or None


def freed_by(works: Iterable[ResolvedCut], worked: Sequence[Region] = ()) -> Freed:
    """What cuts through the sheet free. A part in another's opening is a part, and so is what falls out of one where that has ground of its own
    that is ``worked``: a plate cut out inside its frame."""
    outlines: list[Region] = []
    openings: list[Region] = []
    frames: list[Region] = []
    for work in works:
        cut = work.cut
        if not cut.is_on or cut.loosens is None or not work.is_through:
            continue
        for group in groups_of(work):
            try:
                region = kept_region(group.work.shapes)
            except GeometryError:
                continue
            if cut.loosens is Side.OUTSIDE:
                outlines.append(region)
                continue
            for opening in polygons_of(region):
                is_frame = _holds_one_of(opening, worked)
                (frames if is_frame else openings).append(opening)
                if is_frame:
                    outlines.append(as_region(shapely.buffer(opening, -work.bit.diameter, quad_segs=16)))
    # the innermost outline around a place decides: a part in an opening lies in the part around it, too
    parts = shapely.union_all(outlines)
    for opening in sorted(openings, key=lambda region: -region.area):
        inner = [part for part in outlines if opening.buffer(0.05).covers(part)]
        parts = shapely.difference(parts, shapely.difference(opening, shapely.union_all(inner)) if inner else opening)
    fallen = shapely.difference(shapely.union_all(openings), parts)
    return Freed(as_region(parts), as_region(fallen), as_region(shapely.union_all(frames)))


def _holds_one_of(opening: Region, worked: Sequence[Region]) -> bool:
    whole = shapely.buffer(opening, 0.05)
    return any(ground.area > 0 and whole.covers(ground) for ground in worked)
