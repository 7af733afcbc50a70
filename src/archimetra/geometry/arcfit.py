"""Lines and arcs fitted to a run of points, within a tolerance, corners kept.

Greedy and one-sided: from each start the longest line or arc (sweep <= 180 degrees) that passes all
points and mid-chords within the tolerance and in order. Ends are input points, so neighbours meet
exactly. The tolerance should be at least the chord tolerance the points were flattened with, better
twice it; otherwise nothing merges.
"""

from __future__ import annotations

import numpy as np

from archimetra.geometry.arc_kernels import fit_run
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.path import Path
from archimetra.geometry.segments import Kind

CORNER_DEGREES = 20.0  # a sharper turn between two chords is a corner that no arc may round


def fit_arcs(points: FloatArray, *, tolerance_mm: float, closed: bool) -> Path:
    """A path of lines and arcs along ``points`` (n, 2); a closed run repeats its first point.

    Raises ValueError for fewer than two different points.
    """
    points = without_repeats(points)
    if len(points) < 2:
        raise ValueError("a path needs two different points")
    turn = _turns(points, closed=closed)
    if closed:
        # begin at the sharpest corner, if there is one, so that no arc has to end early at the seam
        sharpest = int(np.argmax(turn[:-1]))
        if turn[sharpest] > CORNER_DEGREES and sharpest > 0:
            points = np.vstack((points[sharpest:-1], points[: sharpest + 1]))
            turn = np.concatenate((turn[sharpest:-1], turn[: sharpest + 1]))
    corners = turn > CORNER_DEGREES
    ends, bulges = fit_run(np.ascontiguousarray(points), corners, tolerance_mm)
    nodes = np.vstack((points[:1], points[ends]))
    return Path.arcs(nodes, bulges, closed=closed)


def to_arcs(path: Path, *, tolerance_mm: float) -> Path:
    """``path`` with its cubics replaced by lines and arcs within the tolerance; lines and arcs stay exact."""
    if not (path.kinds == Kind.CUBIC).any():
        return path
    nodes = [path.nodes[:1]]
    bulges: list[float] = []
    i = 0
    while i < len(path):
        if path.kinds[i] != Kind.CUBIC:
            nodes.append(path.nodes[i + 1 : i + 2])
            bulges.append(float(path.params[i, 0]) if path.kinds[i] == Kind.ARC else 0.0)
            i += 1
            continue
        j = i
        while j < len(path) and path.kinds[j] == Kind.CUBIC:
            j += 1
        run = Path(path.nodes[i : j + 1], path.kinds[i:j], path.params[i:j], closed=False)
        fitted = fit_arcs(run.flatten(tolerance_mm / 4), tolerance_mm=tolerance_mm * 0.7, closed=False)
        nodes.append(fitted.nodes[1:])
        bulges.extend(fitted.params[:, 0])
        i = j
    joined = np.vstack(nodes)
    if path.closed:
        joined[-1] = joined[0]
    return Path.arcs(joined, np.array(bulges), closed=path.closed)


def without_repeats(points: FloatArray, *, closer_than_mm: float = 1e-9) -> FloatArray:
    """Points with consecutive repeats dropped, first and last kept."""
    if len(points) < 2:
        return points
    step = np.hypot(*np.diff(points, axis=0).T)
    keep = np.concatenate(([True], step > closer_than_mm))
    if not keep[-1]:
        keep[np.flatnonzero(keep)[-1]] = len(np.flatnonzero(keep)) == 1
        keep[-1] = True
    return np.asarray(points[keep])


def _turns(points: FloatArray, *, closed: bool) -> FloatArray:
    """Turn angle in degrees at each inner point (and at the seam of a closed run), (n,)."""
    d = np.diff(points, axis=0)
    before, after = d[:-1], d[1:]
    turn = np.zeros(len(points))
    turn[1:-1] = _angle(before, after)
    if closed:
        turn[0] = turn[-1] = _angle(d[-1:], d[:1])[0]
    return turn


def _angle(a: FloatArray, b: FloatArray) -> FloatArray:
    cross = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
    return np.asarray(np.degrees(np.abs(np.arctan2(cross, (a * b).sum(axis=1)))))
