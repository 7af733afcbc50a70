"""``Inlay``: a pocket and the plug that fills it, on two boards, as one thing. What follows from it is in ``inlaying``."""

from __future__ import annotations

from enum import StrEnum
from math import isfinite

from archimetra.job.ids import BoardId, InlayId, LayerId, ShapeId
from archimetra.job.record import Record
from archimetra.job.require import require


class InlayKind(StrEnum):
    VEE = "v"  # both halves with the same V bit: walls slope, corners stay sharp
    STRAIGHT = "straight"  # straight bits: walls stand upright, corners are rounded so that both halves mate


class Inlay(Record, frozen=True, kw_only=True):
    """Settings of an inlay, mm. ``shapes`` and ``layer`` are the art, on the pocket board.

    V: the pocket is ``depth`` deep; pressed home, ``glue_gap`` stays open under the plug's face and ``saw_gap`` between the boards.
    ``fit`` makes the plug smaller all round, which lets it sink by fit / tan(half the angle).
    Straight: ``clearance`` is open all round, the insert stands ``proud`` of the pocket board's face (below it, where negative);
    with ``show_face_down`` it is cut mirrored and turned over. The plug board holds ``copies`` of it at ``x, y``, ``spacing`` apart,
    with ``margin`` around (V: inside a frame).
    """

    id: InlayId
    name: str
    kind: InlayKind = InlayKind.VEE
    pocket_board: BoardId
    plug_board: BoardId
    shapes: tuple[ShapeId, ...] = ()
    layer: LayerId = LayerId("")
    depth: float = 5.0
    glue_gap: float = 0.5
    saw_gap: float = 1.5
    fit: float = 0.0
    clearance: float = 0.05
    proud: float = 0.0
    show_face_down: bool = True
    copies: int = 1
    x: float = 10.0
    y: float = 10.0
    spacing: float = 8.0
    margin: float = 8.0

    def __post_init__(self) -> None:
        require(isfinite(self.depth) and 0.2 <= self.depth <= 200, "an inlay's pocket is 0.2 to 200 mm deep")
        require(
            isfinite(self.glue_gap) and 0 <= self.glue_gap < self.depth,
            "the room for glue under a plug is less than its pocket is deep",
        )
        require(
            isfinite(self.saw_gap) and 0 <= self.saw_gap <= 50, "the room for the saw above the sheet is 0 to 50 mm"
        )
        require(isfinite(self.fit) and 0 <= self.fit <= 2, "a side clearance is 0 to 2 mm")
        require(isfinite(self.clearance) and 0 <= self.clearance <= 2, "a clearance is 0 to 2 mm a side")
        require(
            isfinite(self.proud) and -100 <= self.proud <= 100, "an insert stands up to 100 mm proud, or as far below"
        )
        require(1 <= self.copies <= 500, "an inlay has 1 to 500 plugs")
        require(isfinite(self.x) and isfinite(self.y), "plugs lie at a finite place")
        require(isfinite(self.spacing) and 0 <= self.spacing <= 1000, "plugs lie 0 to 1000 mm apart")
        require(isfinite(self.margin) and 0.5 <= self.margin <= 500, "a margin is 0.5 to 500 mm")
        require(self.pocket_board != self.plug_board, "an inlay's two halves lie on two boards")
