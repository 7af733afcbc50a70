"""Checks of a sheet that is cut from both sides: where cuts meet, what comes loose only then, pins that do not agree.

Measured on coarse fields of both faces, as they have been cut.
"""

from __future__ import annotations

from collections.abc import Iterator
from math import sqrt

import numpy as np
from scipy import ndimage

from archimetra.base.findings import Finding, Severity, mm, mm_each
from archimetra.checks.check_input import CheckInput
from archimetra.geometry.arrays import AnyArray, BoolArray
from archimetra.job.cuts import Cut
from archimetra.job.sheet import HoldDown
from archimetra.stock.faces import Behind
from archimetra.stock.surface import lowest_by_block
from archimetra.stock.timeline import StockTimeline

_CELLS = 250_000
_FINEST_MM = 0.5
THIN_MM = 1.0  # what is thinner between two faces may break
_MEETS_MM2 = 3.0  # less is where walls stand, to within a cell
_THIN_MM2 = 30.0
_PIECE_MM2 = 150.0
_EDGE_MM = 8.0


_last: list[tuple[CheckInput, _Faces]] = []  # of one board several checks ask


def _faces_of(given: CheckInput) -> _Faces:
    if not _last or _last[0][0] is not given:
        _last[:] = [(given, _Faces(given))]
    return _last[0][1]


class _Faces:
    """What is left between the faces: ``left`` (ny, nx) mm, and which cells each face cuts."""

    def __init__(self, given: CheckInput) -> None:
        assert given.front is not None
        assert given.board.back_of is not None
        sheet = given.sheet
        self.cell = max(_FINEST_MM, sqrt(sheet.width * sheet.height / _CELLS))
        behind = Behind(given.front, given.board.back_of.about, sheet, given.job.bits, cell=self.cell)
        stock = StockTimeline(sheet, given.run, given.job.bits, cell=self.cell)
        stock.seek(stock.duration)
        self.top = stock.field
        self.under = behind.under
        self.left = self.top - self.under
        self.thickness = sheet.thinnest

    @property
    def from_both(self) -> BoolArray:
        """Where both faces are cut, and neither goes through by itself."""
        up = self.under + self.thickness
        return np.asarray((self.top < -0.02) & (up > 0.02) & (self.top > -self.thickness) & (up < self.thickness))

    def area(self, where: BoolArray) -> float:
        return float(where.sum()) * self.cell**2

    def place(self, where: BoolArray, value: AnyArray) -> tuple[float, float]:
        """The cell of those where the value is least."""
        j, i = np.unravel_index(int(np.argmin(np.where(where, value, np.inf))), where.shape)
        return (float(i) + 0.5) * self.cell, (float(j) + 0.5) * self.cell


def faces_meet(given: CheckInput) -> Iterator[Finding]:
    """Cuts of one face that break into those of the other, or leave next to nothing between."""
    if given.front is None or not given.front.run.blocks or not given.run.blocks:
        return
    faces = _faces_of(given)
    both = faces.from_both
    # a wall stands within a cell of where it is: what is met only along a rim is none of this
    meets = ndimage.binary_opening(both & (faces.left <= 1e-6), iterations=1)
    if faces.area(meets) > _MEETS_MM2:
        at = faces.place(meets, faces.left)
        cut = _cut_at(given, at)
        name = cut.name if cut is not None else given.board.name
        over = -float(faces.left[meets].min())
        meant = cut is not None and cut.meets_other_face
        yield Finding(
            "faces-meet", Severity.NOTE if meant else Severity.STOP,
            f"'{name}' meets what is cut of the front at x {mm(at[0], '.0f')}, y {mm(at[1], '.0f')}: together they are {mm(over, '.2f')} deeper than "
            "the sheet is thick.",
            mend="" if meant else "Make one of the two less deep, or let its depth count from the middle if they are to meet.",
            at=at, subject=cut.id if cut is not None else given.board.id,
        )  # fmt: skip
    thin = ndimage.binary_opening(both & (faces.left > 1e-6) & (faces.left < THIN_MM), iterations=1)
    if faces.area(thin) > _THIN_MM2:
        at = faces.place(thin, faces.left)
        cut = _cut_at(given, at)
        name = cut.name if cut is not None else given.board.name
        yield Finding(
            "faces-thin", Severity.CAUTION,
            f"Between '{name}' and what is cut of the front only {mm(float(faces.left[thin].min()), '.2f')} is left at x {mm(at[0], '.0f')}, "
            f"y {mm(at[1], '.0f')}.",
            mend="Make one of the two less deep.", at=at, subject=cut.id if cut is not None else given.board.id,
        )  # fmt: skip


def loose_from_both(given: CheckInput) -> Iterator[Finding]:
    """Pieces that come loose only since both faces are cut: tabs are wood that is left, and so hold them."""
    if given.front is None or given.sheet.hold_down is not HoldDown.CLAMPED or not given.run.blocks:
        return
    faces = _faces_of(given)
    if not (faces.from_both & (faces.left <= 1e-6)).any():
        return
    wood = faces.left > 1e-6
    pieces, count = ndimage.label(wood)
    alone, _ = ndimage.label((faces.top > -faces.thickness + 1e-6) & (faces.under < -1e-6))
    edge = max(1, int(_EDGE_MM / faces.cell))
    rim = np.ones_like(wood)
    rim[edge:-edge, edge:-edge] = False
    held = set(np.unique(pieces[rim]).tolist())
    sizes = ndimage.sum_labels(np.ones_like(pieces), pieces, np.arange(1, count + 1)) * faces.cell**2
    for number in range(1, count + 1):
        if number in held or sizes[number - 1] < _PIECE_MM2:
            continue
        mine = pieces == number
        around = np.unique(alone[mine])
        if not ((alone == around[0]) & wood & ~mine).any():
            continue  # loose by what one face does alone: told there
        rows, columns = np.nonzero(mine)
        size = ((np.ptp(columns) + 1) * faces.cell, (np.ptp(rows) + 1) * faces.cell)
        at = (float(columns.mean() + 0.5) * faces.cell, float(rows.mean() + 0.5) * faces.cell)
        yield Finding(
            "loose-part", Severity.CAUTION,
            f"Cut from both sides, a piece of {mm_each(size, '.0f')} comes loose from a clamped sheet, and no tab holds it.",
            mend="Add tabs on one of the faces, or say on the Board page that tape holds it.", at=at, subject=given.board.id,
        )  # fmt: skip


def pins_of_faces(given: CheckInput) -> Iterator[Finding]:
    """A place on the bed that is another for the back than for the front."""
    over = given.board.back_of
    if over is None or given.front is None or not given.front_place:
        return
    x, y, turns = given.front_place
    board = given.board
    if abs(x - board.bed_x) > 0.005 or abs(y - board.bed_y) > 0.005 or (turns - board.quarter_turns) % 4:
        yield Finding(
            "faces-apart", Severity.CAUTION,
            f"This face lies at {mm_each((board.bed_x, board.bed_y))} on the bed, the front at {mm_each((x, y))}: after turning over the sheet does "
            "not come to the same stops or pins.",
            mend="Let both lie alike, on the Layout page under Faces.", subject=board.id,
        )  # fmt: skip


def _cut_at(given: CheckInput, at: tuple[float, float]) -> Cut | None:
    """The cut of this face that goes deepest at a place."""
    low = lowest_by_block(given.run, given.job.bits, [at])
    return given.board.cut(given.run.blocks[int(np.argmin(low[0]))].cut) if low.size else None
