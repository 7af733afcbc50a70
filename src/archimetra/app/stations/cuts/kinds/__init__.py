"""The row of each kind of cut in the window. A new kind is one module here and one line in the table."""

from __future__ import annotations

from archimetra.app.stations.cuts.form_row import FormRow
from archimetra.app.stations.cuts.kinds import carve, chamfer, engrave, facing, hole, pocket, profile, slot
from archimetra.job.cuts import Cut

ROWS: tuple[FormRow, ...] = (
    profile.ROW,
    pocket.ROW,
    hole.ROW,
    engrave.ROW,
    facing.ROW,
    slot.ROW,
    carve.ROW,
    chamfer.ROW,
)
_BY_TYPE = {row.kind: row for row in ROWS}


def form_of(cut: Cut | type[Cut]) -> FormRow:
    return _BY_TYPE[cut if isinstance(cut, type) else type(cut)]
