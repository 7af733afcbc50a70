"""Parts' names engraved on their pieces, so that they are told from each other when they have been cut."""

from __future__ import annotations

from collections.abc import Sequence
from math import hypot
from typing import NamedTuple

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from archimetra.artwork.text_form import TextForm
from archimetra.edits import cutting
from archimetra.edits.edit import Edit, board_of, next_number, replace
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import bounds_of
from archimetra.job.bits import BitKind
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.flat import base_of
from archimetra.job.footprints import enclosed_by, lines_of
from archimetra.job.forms import outlines_of
from archimetra.job.ids import BitId, BoardId, PartId, ShapeId
from archimetra.job.job import Job
from archimetra.job.parts import Part
from archimetra.job.shapes import Shape

CUT_NAME = "Names"
DEPTH_MM = 0.3
HEIGHT_MM = 5.0  # of capitals, where there is room
SMALLEST_MM = 1.8  # what a bit can still write
_AROUND_MM = 1.5  # wood left between a name and anything else on the part


class _Place(NamedTuple):
    part: Part
    shape: Shape


def engrave_names(job: Job, board_id: BoardId, parts: Sequence[PartId]) -> tuple[Edit, tuple[str, ...]]:
    """Each part's name on it, where most room is, engraved by one cut on every piece of it on every board; and the names of parts that have no room for it. Those that bear theirs
    already keep it. Raises ValueError with a sentence where there is room on none."""
    known = _named(job)
    wanted = [part for part in job.parts if part.id in parts and part.id not in known]
    if not wanted:
        raise ValueError("these parts bear their names already")
    number = next_number(job, "shape")
    places: list[_Place] = []
    without: list[str] = []
    for part in wanted:
        shape = _name_on(part, ShapeId(f"shape{number + len(places)}"))
        if shape is None:
            without.append(part.name)
        else:
            places.append(_Place(part, shape))
    if not places:
        raise ValueError(f"there is no room for a name on {_listed(without)}")
    grown = {place.part.id: replace(place.part, shapes=(*place.part.shapes, place.shape)) for place in places}
    job = replace(job, parts=tuple(grown.get(part.id, part) for part in job.parts))
    board = board_of(job, board_id)
    new = {place.shape.id for place in places}
    flat = tuple(shape.id for shape in board.shapes if base_of(shape.id) in new)
    cut = next((cut for cut in board.cuts if isinstance(cut, EngraveCut) and cut.name == CUT_NAME), None)
    label = "Engrave names" if len(places) > 1 else "Engrave its name"
    if cut is not None:
        edit = cutting.change_cut(job, cut.id, label, shapes=(*cut.shapes, *flat))
    else:
        made = cutting.new_cut(job, board_id, EngraveCut, flat, bit=_finest(job), name=CUT_NAME, end_depth=DEPTH_MM)
        edit = cutting.add_cut(job, board_id, made, label)
    return replace(edit, label=label), tuple(without)


def _named(job: Job) -> set[PartId]:
    """The parts whose name is engraved on them."""
    written: set[ShapeId] = set()
    for cut in job.cuts:
        if isinstance(cut, EngraveCut) and cut.name == CUT_NAME:
            written |= {base_of(id_) for id_ in cut.shapes}
    return {part.id for part in job.parts if any(shape.id in written for shape in part.shapes)}


def _name_on(part: Part, id_: ShapeId) -> Shape | None:
    """A shape with the part's name in the largest disc of its wood that nothing else is on, as large as it goes there; None where that is too small."""
    room = _room(part)
    if room.is_empty:
        return None
    disc = shapely.get_coordinates(shapely.maximum_inscribed_circle(room, tolerance=0.05))
    (cx, cy), radius = disc[0], hypot(*(disc[1] - disc[0]))
    form = TextForm(text=part.name, cap_height=HEIGHT_MM)
    box = bounds_of(outlines_of(form))
    if box is None:
        return None
    half = hypot(box[2] - box[0], box[3] - box[1]) / 2
    height = min(HEIGHT_MM, HEIGHT_MM * radius / half)
    if height < SMALLEST_MM:
        return None
    form = TextForm(text=part.name, cap_height=height)
    paths = outlines_of(form)
    x0, y0, x1, y1 = bounds_of(paths) or box
    at = Affine.shift(float(cx) - (x0 + x1) / 2, float(cy) - (y0 + y1) / 2)
    first = part.shapes[0]
    return Shape(id=id_, name=f"name of {part.name}"[:60], layer=first.layer, paths=paths, at=at, form=form)


def _room(part: Part) -> BaseGeometry:
    """The wood of a part that nothing else is cut or drawn on, its edges left free."""
    areas = enclosed_by(part.shapes)
    outer = int(np.argmax(shapely.area(areas)))
    others = [area for k, area in enumerate(areas) if k != outer]
    taken = shapely.buffer(shapely.union_all([*others, *lines_of(part.shapes)]), _AROUND_MM)
    room: BaseGeometry = shapely.difference(areas[outer], taken)
    return room


def _finest(job: Job) -> BitId:
    """The narrowest pointed bit, or else the narrowest straight one."""
    pointed = [bit for bit in job.bits if bit.kind is BitKind.VEE]
    straight = [bit for bit in job.bits if bit.kind is BitKind.STRAIGHT]
    return min(pointed or straight or list(job.bits), key=lambda bit: bit.diameter).id


def _listed(names: Sequence[str]) -> str:
    return ", ".join(f"'{name}'" for name in names)
