"""The areas that a net of lines encloses: every smallest closed way round, traced edge by edge.

The lines may meet only at their ends. At every joint the way turns as far left as it can, so that the area stays on the
left; ways with a positive area are the bounded faces (the planar-graph construction, as in de Berg et al.,
Computational Geometry, on doubly connected edge lists).
"""

from __future__ import annotations

from collections.abc import Sequence
from math import atan2

import numpy as np

from archimetra.geometry.path import Path

Way = list[tuple[int, bool]]  # numbers of lines, each with whether it is walked backwards


def faces(lines: Sequence[Path], joints: Sequence[tuple[int, int]]) -> list[Way]:
    """The bounded faces of open lines, ``joints`` (begin, end) naming the joint at either end of each.

    Lines that lead nowhere appear in no face twice over: a way that walks a line both ways is not a face.
    """
    leaving: dict[int, list[tuple[float, int, bool]]] = {}
    for k, line in enumerate(lines):
        flat = line.flatten(0.05)
        for (a, b), is_back, joint in (
            ((flat[0], flat[1]), False, joints[k][0]),
            ((flat[-1], flat[-2]), True, joints[k][1]),
        ):
            leaving.setdefault(joint, []).append((atan2(b[1] - a[1], b[0] - a[0]), k, is_back))
    turn: dict[tuple[int, bool], tuple[int, bool]] = {}
    for around in leaving.values():
        around.sort()
        for position, (_, k, is_back) in enumerate(around):
            # arriving against this direction, the next way out clockwise keeps the area on the left
            _, n, n_back = around[position - 1]
            turn[(k, not is_back)] = (n, n_back)
    seen: set[tuple[int, bool]] = set()
    out = []
    for k in range(len(lines)):
        for is_back in (False, True):
            way: Way = []
            step = (k, is_back)
            while step not in seen:
                seen.add(step)
                way.append(step)
                step = turn[step]
            if way and _area(lines, way) > 0 and len({n for n, _ in way}) == len(way):
                out.append(way)
    return out


def _area(lines: Sequence[Path], way: Way) -> float:
    return sum(_swept(lines[k]) * (-1.0 if is_back else 1.0) for k, is_back in way)


def _swept(line: Path) -> float:
    """The signed area between the line and the origin; sums over a closed way to its area."""
    a, b = line.nodes[0], line.nodes[-1]
    return line.area() + float(a[0] * b[1] - b[0] * a[1]) / 2


def walked(lines: Sequence[Path], way: Way) -> Path:
    """A way as one closed path."""
    return chained([lines[k].reverse() if is_back else lines[k] for k, is_back in way])


def chained(parts: Sequence[Path]) -> Path:
    """Open lines that follow each other as one closed path. Each begins where it begins; a hair between one's end and the
    next one's begin goes."""
    return Path(
        np.vstack([*[part.nodes[:-1] for part in parts], parts[0].nodes[:1]]),
        np.concatenate([part.kinds for part in parts]),
        np.vstack([part.params for part in parts]),
        closed=True,
    )
