"""Corners of an outline: rounded, cut off, or relieved so that a square mate goes all the way in.

Only corners between two straight lines are changed. A radius too large for its lines is cut back to what fits.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from enum import StrEnum
from math import asin, degrees, hypot, tan
from typing import NamedTuple

import numpy as np

from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.geometry.refit import FINE_MM, FIT_MM, region_paths
from archimetra.geometry.region import region_of, subtract, unite
from archimetra.geometry.segments import Kind

SHARPEST_DEGREES = 175.0
FLATTEST_DEGREES = 2.0
EQUAL_MM = 1e-6
SQUARE_DEGREES = 8.0  # a relief along one side takes corners this near to square


class Relief(StrEnum):
    """Where the bit goes past a corner."""

    CORNER = "on the corner"
    LONG_SIDE = "along the longer side"
    SHORT_SIDE = "along the shorter side"


class Corner(NamedTuple):
    """``node`` with the directions in and out (unit), the lengths of its lines, and the turn to the left in degrees."""

    node: int
    into: FloatArray
    out: FloatArray
    length_in: float
    length_out: float
    turn: float


def corners_of(path: Path) -> list[Corner]:
    """The corners between straight lines, in the order of the nodes."""
    n = len(path)
    out = []
    for node in range(0 if path.closed else 1, n):
        before = (node - 1) % n
        if path.kinds[before] != Kind.LINE or path.kinds[node] != Kind.LINE:
            continue
        a = path.nodes[node] - path.nodes[before]
        b = path.nodes[node + 1] - path.nodes[node]
        la, lb = float(hypot(*a)), float(hypot(*b))
        if la < 1e-9 or lb < 1e-9:
            continue
        u, v = a / la, b / lb
        turn = degrees(np.arctan2(u[0] * v[1] - u[1] * v[0], u @ v))
        if FLATTEST_DEGREES < abs(turn) < SHARPEST_DEGREES:
            out.append(Corner(node, u, v, la, lb, turn))
    return out


def rounded(path: Path, radius: float, nodes: Collection[int] | None = None) -> Path:
    """Corners (all, or those at the nodes) replaced by arcs of that radius that leave the lines smoothly."""
    _need(radius > 0, "a radius is above 0 mm")

    def cut(corner: Corner, room: float) -> tuple[float, float]:
        reach = min(radius * tan(np.radians(abs(corner.turn)) / 2), room)
        return reach, tan(np.radians(corner.turn) / 4)

    return _cut_corners(path, nodes, cut)


def cut_back(path: Path, radius: float, nodes: Collection[int] | None = None) -> tuple[int, float]:
    """How many corners ``rounded`` gives a smaller radius than asked, for want of room, and the smallest."""
    found = {c.node: c for c in corners_of(path) if nodes is None or c.node in nodes}
    smallest, count, n = radius, 0, len(path)
    for node, corner in found.items():
        room = min(
            corner.length_in / (2 if (node - 1) % n in found else 1),
            corner.length_out / (2 if (node + 1) % n in found else 1),
        )
        fits = room / tan(np.radians(abs(corner.turn)) / 2)
        if fits < radius - 1e-9:
            count, smallest = count + 1, min(smallest, float(fits))
    return count, smallest


def chamfered(path: Path, length: float, nodes: Collection[int] | None = None) -> Path:
    """Corners cut off straight, that far from the corner on both lines."""
    _need(length > 0, "a chamfer is longer than 0 mm")
    return _cut_corners(path, nodes, lambda _corner, room: (min(length, room), 0.0))


def _cut_corners(
    path: Path, nodes: Collection[int] | None, cut: Callable[[Corner, float], tuple[float, float]]
) -> Path:
    found = {c.node: c for c in corners_of(path) if nodes is None or c.node in nodes}
    if not found:
        return path
    n = len(path)
    reach: dict[int, tuple[float, float]] = {}
    for node, corner in found.items():
        # a line with corners at both ends is shared between them
        room_in = corner.length_in / (2 if (node - 1) % n in found else 1)
        room_out = corner.length_out / (2 if (node + 1) % n in found else 1)
        reach[node] = cut(corner, min(room_in, room_out))
    pieces: list[tuple[FloatArray, int, FloatArray]] = []  # begin, kind, params
    for node in range(n):
        if node in found:
            corner, (far, bulge) = found[node], reach[node]
            at = path.nodes[node]
            pieces.append((at - corner.into * far, Kind.LINE if bulge == 0 else Kind.ARC, np.array([bulge, 0, 0, 0])))
            pieces.append((at + corner.out * far, int(path.kinds[node]), path.params[node]))
        else:
            pieces.append((path.nodes[node], int(path.kinds[node]), path.params[node]))
    return _strung(pieces, path.nodes[n] if not path.closed else pieces[0][0], closed=path.closed)


def relieved(path: Path, bit_radius: float, how: Relief, *, is_hole: bool) -> tuple[Path, int]:
    """A closed outline with room for a round bit at the corners it cannot reach, and how many were relieved.

    For a hole or pocket (``is_hole``) those are the corners that point outward, for a part the ones that point in. The bit's
    circle passes through the corner: with its centre on the bisector, or on one of the two lines.
    """
    _need(bit_radius > 0, "a bit's radius is above 0 mm")
    if not path.closed:
        return path, 0
    area = path.area()
    if area == 0:
        return path, 0
    source = path if area > 0 else path.reverse()
    found = {}
    for corner in corners_of(source):
        if (corner.turn > 0) != is_hole:
            continue
        inner = 180.0 - abs(corner.turn)
        reach = 2 * bit_radius * np.cos(np.radians(inner) / 2)
        if how is not Relief.CORNER:
            if abs(inner - 90.0) > SQUARE_DEGREES:
                continue
            reach = 2 * bit_radius
        along_in = _in_is_longer(corner) == (how is Relief.LONG_SIDE)
        room = (
            min(corner.length_in, corner.length_out)
            if how is Relief.CORNER
            else (corner.length_in if along_in else corner.length_out)
        )
        if reach >= room - 1e-9:
            continue
        found[corner.node] = (corner, float(reach), along_in)
    if not found:
        return path, 0
    if _meet(source, found, how):
        return _united(source, found, how, bit_radius, is_hole=is_hole, turned=area < 0), len(found)
    sign = 1.0 if is_hole else -1.0
    pieces: list[tuple[FloatArray, int, FloatArray]] = []
    for node in range(len(source)):
        at, own = source.nodes[node], (int(source.kinds[node]), source.params[node])
        if node not in found:
            pieces.append((at, *own))
            continue
        corner, reach, along_in = found[node]
        if how is Relief.CORNER:
            bulge = np.array([sign * tan(asin(min(reach / 2 / bit_radius, 1.0)) / 2), 0, 0, 0])
            pieces.append((at - corner.into * reach, Kind.ARC, bulge))
            pieces.append((at, Kind.ARC, bulge))
            pieces.append((at + corner.out * reach, *own))
        elif along_in:
            pieces.append((at - corner.into * reach, Kind.ARC, np.array([sign, 0, 0, 0])))
            pieces.append((at, *own))
        else:
            pieces.append((at, Kind.ARC, np.array([sign, 0, 0, 0])))
            pieces.append((at + corner.out * reach, *own))
    out = _strung(pieces, pieces[0][0], closed=True)
    return (out if area > 0 else out.reverse()), len(found)


def _in_is_longer(corner: Corner) -> bool:
    """Whether the line into a corner is the longer; of two equally long ones the more level is taken for it."""
    if abs(corner.length_in - corner.length_out) <= EQUAL_MM:
        return bool(abs(corner.into[0]) > abs(corner.out[0]))
    return corner.length_in > corner.length_out


def has_equal_sides(path: Path) -> bool:
    """Whether any square corner lies between lines of one length, so that neither is the longer."""
    return any(
        abs(c.length_in - c.length_out) <= EQUAL_MM and abs(abs(c.turn) - 90.0) <= SQUARE_DEGREES
        for c in corners_of(path)
    )


_Reliefs = dict[int, tuple[Corner, float, bool]]


def _meet(source: Path, found: _Reliefs, how: Relief) -> bool:
    """Whether two reliefs share a line too short for both."""
    n = len(source)
    for node, (corner, reach, along_in) in found.items():
        after = (node + 1) % n
        if after not in found:
            continue
        mine = reach if how is Relief.CORNER or not along_in else 0.0
        theirs = found[after][1] if how is Relief.CORNER or found[after][2] else 0.0
        if mine + theirs > corner.length_out - 1e-9:
            return True
    return False


def _united(source: Path, found: _Reliefs, how: Relief, r: float, *, is_hole: bool, turned: bool) -> Path:
    """Reliefs that run into each other: the outline with the bit's circles as one area, refitted with arcs."""
    circles = []
    for node, (corner, _, along_in) in found.items():
        at = source.nodes[node]
        if how is Relief.CORNER:
            inward = corner.out - corner.into  # into the hole, or away from the part: where the bit is
            centre = at + inward / np.hypot(*inward) * r
        else:
            centre = at - corner.into * r if along_in else at + corner.out * r
        circles.append(Path.circle((float(centre[0]), float(centre[1])), r))
    area = region_of([source], FillRule.NONZERO, chord_tolerance_mm=FINE_MM)
    bits = unite([region_of([circle], FillRule.NONZERO, chord_tolerance_mm=FINE_MM) for circle in circles])
    paths = region_paths(unite([area, bits]) if is_hole else subtract(area, bits), tolerance_mm=FIT_MM)
    out = max(paths, key=lambda path: abs(path.area()))
    return out.reverse() if (out.area() < 0) != turned else out


def _strung(pieces: list[tuple[FloatArray, int, FloatArray]], end: FloatArray, *, closed: bool) -> Path:
    """Segments by their begins as a path; ones without length left out."""
    begins = [*[piece[0] for piece in pieces], end]
    keep = [k for k in range(len(pieces)) if np.abs(begins[k + 1] - begins[k]).max() > 1e-9]
    nodes = np.array([*[begins[k] for k in keep], end])
    if closed:
        nodes[-1] = nodes[0]
    kinds = np.array([pieces[k][1] for k in keep], np.uint8)
    return Path(nodes, kinds, np.array([pieces[k][2] for k in keep]), closed=closed)


def _need(is_so: bool, words: str) -> None:
    if not is_so:
        raise ValueError(words)
