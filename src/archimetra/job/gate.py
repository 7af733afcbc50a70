"""What a job may hold at all: the one gate every file passes. Numbers are finite and of this world, and in sum a machine can
carry them; whatever passes can be shown and planned without end."""

from __future__ import annotations

from math import isfinite
from typing import Any

import msgspec
import numpy as np

from archimetra.geometry.path import Path, bounds_of
from archimetra.job.bits import Bit
from archimetra.job.flat import MARK
from archimetra.job.job import Job, StoredBoard
from archimetra.job.parts import Part

FARTHEST_MM = 100_000.0  # nothing on a router is a hundred metres away
LARGEST = 1e7  # of any other number
MOST_SEGMENTS = 5_000_000
MOST_RPM = 500_000.0
MOST_IDS = 1_000_000_000_000


def whats_loose(job: Job) -> str:
    """Which id is there twice or names nothing, as a sentence without its stop; '' where none does. Shapes that are gone are harmless."""
    sheets, cuts, parts = ({thing.id for thing in things} for things in (job.sheets, job.cuts, job.parts))
    ids: list[str] = [
        thing.id for things in (job.stored, job.sheets, job.cuts, job.bits, job.inlays, job.parts) for thing in things
    ]
    ids += [thing.id for board in job.stored for things in (board.shapes, board.instances) for thing in things]
    ids += [shape.id for part in job.parts for shape in part.shapes]
    ids += _layer_ids(job)
    if not job.bits or len(set(ids)) != len(ids) or any(len(set(b.order)) != len(b.order) for b in job.stored):
        return "two of its parts carry the same id, or it has no bits"
    if any(MARK in id_ for id_ in ids):
        return f"one of its ids holds the mark {MARK}"
    for board in job.stored:
        if board.sheet not in sheets:
            return f"{board.name or 'a board'} names a sheet that is not in the job"
        if any(piece.part not in parts for piece in board.instances):
            return f"{board.name or 'a board'} names a part that is not in the job"
        if not cuts.issuperset(board.order):
            return f"{board.name or 'a board'} names a cut that is not in the job"
    bits = {bit.id for bit in job.bits}
    for cut in job.cuts:
        if cut.bit not in bits:
            return f"'{cut.name}' names a bit that is not in the job"
    return ""


def _layer_ids(job: Job) -> list[str]:
    """Those of every board, each once where it stands for the layer of a part on several."""
    of_parts = {layer.id for part in job.parts for layer in part.layers}
    ids: list[str] = []
    for board in job.stored:
        own = [layer.id for layer in board.layers]
        ids += [id_ for id_ in own if id_ not in of_parts] if len(set(own)) == len(own) else own
    return ids


def whats_wrong(job: Job) -> str:
    """Why a job cannot be, as the rest of a sentence; '' where it can."""
    segments = 0
    heavy: dict[str, int] = {}
    for part in job.parts:
        if not part.shapes:
            return f"the part {part.name} has no shape"
        problem = _of_shapes(part)
        if problem:
            return f"{problem} in the part {part.name}"
        heavy[part.id] = sum(len(path) for shape in part.shapes for path in shape.paths)
    for board in job.stored:
        problem = _of_shapes(board)
        if problem:
            return f"{problem} on {board.name or 'a board'}"
        segments += sum(len(path) for shape in board.shapes for path in shape.paths)
        segments += sum(heavy.get(piece.part, 0) for piece in board.instances)
    if segments > MOST_SEGMENTS:
        return f"it holds {segments:,} lines and curves, more than {MOST_SEGMENTS:,}"
    for bit in job.bits:
        problem = _of_bit(bit)
        if problem:
            return f"{problem} of the bit {bit.name}"
    if any(not 0 <= number <= MOST_IDS for number in job.numbers.values()):
        return "it counts more ids than there can be"
    lean = tuple(msgspec.structs.replace(board, shapes=()) for board in job.stored)
    lean_parts = tuple(msgspec.structs.replace(part, shapes=()) for part in job.parts)
    return _of_numbers(msgspec.structs.replace(job, stored=lean, parts=lean_parts), "")


def _of_shapes(board: StoredBoard | Part) -> str:
    if not board.shapes:
        return ""
    at = np.array([(s.at.a, s.at.b, s.at.c, s.at.d, s.at.e, s.at.f) for s in board.shapes], dtype=np.float64)
    if not np.isfinite(at).all() or np.abs(at).max() > LARGEST:
        return "a shape lies at no place"
    if min(abs(s.at.determinant) for s in board.shapes) < 1e-12:
        return "a shape is squeezed to nothing"
    if any(s.stroke_width is not None and not 0 <= s.stroke_width <= FARTHEST_MM for s in board.shapes):
        return "a line is drawn wider than can be"
    paths = [path for shape in board.shapes for path in shape.paths]
    if any(np.abs(path.nodes).max() > LARGEST or np.abs(path.params).max(initial=0.0) > LARGEST for path in paths):
        return "a shape is larger than can be"
    for shape in board.shapes:
        box = bounds_of(shape.placed())
        if box is not None and not max(abs(side) for side in box) <= FARTHEST_MM:
            return f"{shape.name or 'a shape'} lies more than {FARTHEST_MM / 1000:g} m away"
        problem = _of_numbers(shape.form, "") if shape.form is not None else ""
        if problem:
            return problem
    return ""


def _of_bit(bit: Bit) -> str:
    speeds = [entry.recipe.spindle_rpm for entry in bit.recipes]
    if any(not 0 < speed <= MOST_RPM for speed in speeds):
        return "the spindle speed of a recipe cannot be"
    return ""


def _of_numbers(thing: Any, what: str) -> str:
    """The first number that is no number, or beyond all measure, by the name of its field."""
    if isinstance(thing, float | int) and not isinstance(thing, bool):
        return (
            ""
            if isfinite(thing) and abs(thing) <= LARGEST
            else f"its {what.replace('_', ' ') or 'number'} is {thing:g}"
        )
    if isinstance(thing, Path):
        return "" if np.abs(thing.nodes).max() <= FARTHEST_MM else f"its {what.replace('_', ' ')} is larger than can be"
    if isinstance(thing, msgspec.Struct):
        for name in thing.__struct_fields__:
            problem = _of_numbers(getattr(thing, name), name)
            if problem:
                return problem
    elif isinstance(thing, tuple | list):
        for inner in thing:
            problem = _of_numbers(inner, what)
            if problem:
                return problem
    return ""
