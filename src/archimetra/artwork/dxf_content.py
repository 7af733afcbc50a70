"""What a layout or a block of a DXF file draws, in the drawing's units.

Loose open pieces are plain numbers (there may be hundreds of thousands), closed outlines are shapes.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from archimetra.geometry.affine import Affine
from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.geometry.path import Path, bounds_of
from archimetra.geometry.pieces import Pieces, pieces_of, taken
from archimetra.geometry.segments import Kind, boxes


class Whole(NamedTuple):
    """A closed outline, or several that belong together. ``layer`` is '' for the layer of whoever inserts it."""

    name: str
    layer: str
    paths: tuple[Path, ...]
    is_filled: bool
    key: str
    order: int


class Content:
    """What a layout or a block draws."""

    def __init__(self) -> None:
        self._rows: list[tuple[float, float, float, float, float]] = []  # lines and arcs: begin, end, bulge
        self._row_of: list[tuple[str, str, int]] = []  # layer, key, order
        self._paths: list[Path] = []  # open pieces of several segments
        self._path_of: list[tuple[str, str, int]] = []
        self.shapes: list[Whole] = []
        self._loose: Pieces | None = None
        self._boxes: FloatArray | None = None

    @property
    def count(self) -> int:
        return len(self._rows) + len(self._paths) + len(self.shapes)

    def add_row(self, row: tuple[float, float, float, float, float], layer: str, key: str, order: int) -> None:
        self._rows.append(row)
        self._row_of.append((layer, key, order))

    def add_path(self, path: Path, layer: str, key: str, order: int) -> None:
        self._paths.append(path)
        self._path_of.append((layer, key, order))

    def drop_unsound(self) -> int:
        """Rows with places that are no numbers taken out; how many there were."""
        rows = np.array(self._rows, dtype=np.float64).reshape(-1, 5)
        unsound = np.unique(np.flatnonzero(~np.isfinite(rows)) // 5)
        sound = np.ones(len(rows), dtype=bool)
        sound[unsound] = False
        if len(unsound):
            self._rows = [row for row, keep in zip(self._rows, sound.tolist(), strict=True) if keep]
            self._row_of = [of for of, keep in zip(self._row_of, sound.tolist(), strict=True) if keep]
        return len(unsound)

    def boxes(self) -> FloatArray:
        """The box (n, 4) of every loose piece, then of every shape, in the file's units. Found once."""
        if self._boxes is None:
            loose = self.loose()
            around = np.zeros((0, 4))
            if loose.number:
                each, first = boxes(loose.segments()), loose.first[:-1]
                low, high = np.minimum.reduceat(each[:, :2], first), np.maximum.reduceat(each[:, 2:], first)
                around = np.hstack((low, high))
            bounds_of([path for shape in self.shapes for path in shape.paths])  # finds all boxes in one go
            whole = np.array([bounds_of(shape.paths) for shape in self.shapes]).reshape(-1, 4)
            self._boxes = np.vstack((around, whole))
        return self._boxes

    def loose(self) -> Pieces:
        """All open pieces: the rows first, then the paths."""
        if self._loose is None:
            rows = np.array(self._rows, dtype=np.float64).reshape(-1, 5)
            params = np.zeros((len(rows), 4))
            params[:, 0] = rows[:, 4]
            kinds = np.where(rows[:, 4] == 0, Kind.LINE, Kind.ARC).astype(np.uint8)
            more = pieces_of(self._paths)
            first = np.concatenate((np.arange(len(rows)), more.first + len(rows))).astype(np.int64)
            self._loose = Pieces(
                np.vstack((rows[:, 0:2], more.p)),
                np.vstack((rows[:, 2:4], more.q)),
                np.concatenate((kinds, more.kinds)),
                np.vstack((params, more.params)),
                first,
            )
        return self._loose

    def loose_layers(self) -> list[str]:
        return [of[0] for of in (*self._row_of, *self._path_of)]

    def loose_keys(self) -> list[str]:
        return [of[1] for of in (*self._row_of, *self._path_of)]

    def loose_orders(self) -> list[int]:
        return [of[2] for of in (*self._row_of, *self._path_of)]

    def without(self, loose: BoolArray, shapes: BoolArray) -> Content:
        """The content less the pieces and shapes marked."""
        out = Content()
        keep = np.flatnonzero(~loose)
        of = [*self._row_of, *self._path_of]
        pieces = taken(self.loose(), keep, np.zeros(len(keep), dtype=bool))
        for k, n in enumerate(keep.tolist()):
            out.add_path(pieces.path(k), *of[n])
        out.shapes = [shape for shape, far in zip(self.shapes, shapes, strict=True) if not far]
        return out

    def mapped_into(self, out: Content, m: Affine, layer: str, key: str, order: int) -> None:
        """Everything here put into ``out``, mapped; what has no layer of its own goes on ``layer``."""
        if self._rows and m.is_similarity:
            rows = np.array(self._rows)
            p, q = m.apply(rows[:, 0:2]), m.apply(rows[:, 2:4])
            bulge = rows[:, 4] * (-1.0 if m.determinant < 0 else 1.0) + 0.0  # no line keeps a minus nought
            for row, (own, own_key, _) in zip(np.column_stack((p, q, bulge)).tolist(), self._row_of, strict=True):
                out.add_row(tuple(row), own or layer, f"{key}/{own_key}", order)
            paths, path_of = self._paths, self._path_of
        else:  # arcs squeezed unevenly are no arcs any more
            paths = [self.loose().path(k) for k in range(self.loose().number)]
            path_of = [*self._row_of, *self._path_of]
        for path, (own, own_key, _) in zip(paths, path_of, strict=True):
            out.add_path(path.transform(m), own or layer, f"{key}/{own_key}", order)
        for shape in self.shapes:
            out.shapes.append(
                shape._replace(
                    layer=shape.layer or layer,
                    paths=tuple(path.transform(m) for path in shape.paths),
                    key=f"{key}/{shape.key}",
                    order=order,
                )
            )
