"""The planning rows of all kinds of cut. Light: planners are loaded when they first plan."""

from __future__ import annotations

from archimetra.job.cuts import Cut
from archimetra.toolpath.carve import row as carve
from archimetra.toolpath.chamfer import row as chamfer
from archimetra.toolpath.engrave import row as engrave
from archimetra.toolpath.facing import row as facing
from archimetra.toolpath.hole import row as hole
from archimetra.toolpath.pocket import row as pocket
from archimetra.toolpath.profile import row as profile
from archimetra.toolpath.row import Row
from archimetra.toolpath.slot import row as slot

ROWS: tuple[Row, ...] = (
    profile.ROW, pocket.ROW, hole.ROW, engrave.ROW, facing.ROW, slot.ROW, carve.ROW, chamfer.ROW,
)  # fmt: skip
_BY_TYPE = {row.kind: row for row in ROWS}


def row_of(cut: Cut) -> Row:
    return _BY_TYPE[type(cut)]
