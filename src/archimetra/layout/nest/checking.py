"""The exact check of a layout on the true parts, which shares no code with the search."""

from __future__ import annotations

import numpy as np
import shapely
from shapely import affinity

from archimetra.geometry.region import Region
from archimetra.layout.nest.answer import Nested, Placement
from archimetra.layout.nest.request import NestRequest

EXACT_MM = 0.001


def placed_outline(request: NestRequest, placement: Placement) -> Region:
    """The kept wood of a piece where it lies on its sheet."""
    placed: Region = affinity.affine_transform(request.parts[placement.part].outline, list(placement.matrix))
    return placed


def faults(request: NestRequest, nested: Nested) -> list[str]:
    """What is wrong with a layout, a sentence each; none for a good one."""
    found: list[str] = []
    parts, sheets = request.parts, request.sheets
    count = np.zeros(len(parts), int)
    by_sheet: dict[int, list[tuple[int, Region, list[tuple[Region, float]]]]] = {}
    for p in nested.placements:
        count[p.part] += sheets[p.sheet].count
        reaches = [(affinity.affine_transform(r.centres, list(p.matrix)), r.radius) for r in parts[p.part].reaches]
        by_sheet.setdefault(p.sheet, []).append((p.part, placed_outline(request, p), reaches))
    for number, part in enumerate(parts):
        if count[number] + nested.left_out[number] != part.quantity:
            found.append(
                f"{count[number]} of {part.quantity} '{part.name}' lie, {nested.left_out[number]} are left out."
            )
    for sheet, lying in by_sheet.items():
        outlines = [outline for _, outline, _ in lying]
        names = [parts[part].name for part, _, _ in lying]
        tree = shapely.STRtree(outlines)
        near = tree.query(outlines, predicate="dwithin", distance=request.spacing + 1.0)
        for a, b in near.T.tolist():
            if a < b:
                gap = float(shapely.distance(outlines[a], outlines[b]))
                is_over = gap == 0 and shapely.intersection(outlines[a], outlines[b]).area > 1e-9
                if gap < request.spacing - EXACT_MM or is_over:
                    found.append(f"'{names[a]}' and '{names[b]}' are {gap:.4f} mm apart.")
        for a, (_, _, reaches) in enumerate(lying):
            for centres, radius in reaches:
                for b in tree.query(centres, predicate="dwithin", distance=radius).tolist():
                    gap = float(shapely.distance(centres, outlines[b]))
                    if a != b and gap < radius - EXACT_MM:
                        found.append(f"What is cut for '{names[a]}' gets {radius - gap:.4f} mm into '{names[b]}'.")
        edge = sheets[sheet].outline.boundary
        for name, outline in zip(names, outlines, strict=True):
            if not sheets[sheet].outline.covers(outline.buffer(-1e-6)):
                found.append(f"'{name}' lies off its sheet.")
            elif float(shapely.distance(edge, outline)) < request.margin - EXACT_MM:
                found.append(f"'{name}' is {float(shapely.distance(edge, outline)):.4f} mm from the edge.")
            for keep in sheets[sheet].keep_clear:
                is_over = shapely.intersection(keep.area, outline.buffer(-1e-6)).area > 1e-9
                if float(shapely.distance(keep.area, outline)) < keep.clearance - EXACT_MM or is_over:
                    found.append(f"'{name}' is too near to what is to be kept clear.")
    return found
