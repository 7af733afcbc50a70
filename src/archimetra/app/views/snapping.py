"""What a dragged thing catches on: edges and middle of the sheet, centres of other shapes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

Box = tuple[float, float, float, float]


class Snap(NamedTuple):
    """The move after snapping, what was caught in words, and where to draw the catching lines (None: not)."""

    dx: float
    dy: float
    words: str
    x_line: float | None
    y_line: float | None


def snap_move(box: Box, dx: float, dy: float, sheet: tuple[float, float], others: Sequence[Box], reach: float) -> Snap:
    """Snap the move (dx, dy) of ``box`` so that an edge or its centre meets a target within ``reach`` mm."""
    width, height = sheet
    x_targets = [(0.0, "left edge of sheet"), (width, "right edge of sheet"), (width / 2, "centre of sheet")]
    y_targets = [(0.0, "front edge of sheet"), (height, "back edge of sheet"), (height / 2, "centre of sheet")]
    centres = [((b[0] + b[2]) / 2, (b[1] + b[3]) / 2) for b in others]
    x = _best(box[0], box[2], dx, x_targets, [c[0] for c in centres], reach)
    y = _best(box[1], box[3], dy, y_targets, [c[1] for c in centres], reach)
    words = list(dict.fromkeys(found[1] for found in (x, y) if found is not None))
    return Snap(
        dx if x is None else dx + x[0],
        dy if y is None else dy + y[0],
        " and ".join(words),
        None if x is None else x[2],
        None if y is None else y[2],
    )


def _best(
    low: float, high: float, move: float, targets: list[tuple[float, str]], centres: list[float], reach: float
) -> tuple[float, str, float] | None:
    """The smallest correction that meets a target: (correction, words, where)."""
    middle = (low + high) / 2 + move
    found: list[tuple[float, float, str, float]] = []
    for at, words in targets:
        found.append((abs(at - middle), at - middle, words, at))
        if "centre" not in words:
            found.extend((abs(at - edge - move), at - edge - move, words, at) for edge in (low, high))
    found.extend((abs(at - middle), at - middle, "centre of a shape", at) for at in centres)
    best = min(found, key=lambda f: f[0])
    return (best[1], best[2], best[3]) if best[0] <= reach else None
