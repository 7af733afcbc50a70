"""Shapes cut to the part of them that a clip lets through."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely

from archimetra.geometry.arcfit import fit_arcs
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path, bounds_of
from archimetra.geometry.refit import FINE_MM, FIT_MM, region_paths
from archimetra.geometry.region import Region, intersect, region_of


def clipped(paths: Sequence[Path], clip: Region, *, fill_rule: FillRule, is_filled: bool) -> tuple[Path, ...] | None:
    """What is left of a shape: itself (None) where it lies wholly inside, nothing (empty) where wholly outside.

    Areas stay areas. Lines are cut where the clip's edge crosses them; a closed line that is cut becomes open ones.
    """
    box = bounds_of(paths)
    if box is None or clip.is_empty:
        return ()
    shapely.prepare(clip)
    if shapely.contains_properly(clip, shapely.box(*box)):
        return None
    lines = [shapely.linestrings(path.flatten(FINE_MM)) for path in paths]
    if all(shapely.covers(clip, line) for line in lines):
        return None
    if is_filled:
        region = intersect(region_of(paths, fill_rule, chord_tolerance_mm=FINE_MM), clip)
        return region_paths(region)
    out: list[Path] = []
    for path, line in zip(paths, lines, strict=True):
        if shapely.covers(clip, line):
            out.append(path)
            continue
        inside = shapely.line_merge(shapely.intersection(line, clip))
        for part in shapely.get_parts(inside):
            points = shapely.get_coordinates(part)
            if part.geom_type == "LineString" and len(points) > 1 and part.length > FINE_MM:
                out.append(fit_arcs(np.asarray(points), tolerance_mm=FIT_MM, closed=False))
    return tuple(out)
