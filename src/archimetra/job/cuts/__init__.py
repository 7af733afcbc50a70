"""The kinds of cut: each a module with its type and its row. A new kind is one more module, and one more line in each list here."""

from __future__ import annotations

from archimetra.job.cuts import carve, chamfer, engrave, facing, hole, pocket, profile, slot
from archimetra.job.cuts.base import Clears, CutBase, Kind, Opening, Parting

Cut = (
    profile.ProfileCut
    | pocket.PocketCut
    | hole.HoleCut
    | engrave.EngraveCut
    | facing.FacingCut
    | slot.SlotCut
    | carve.CarveCut
    | chamfer.ChamferCut
)

KINDS: tuple[Kind, ...] = (
    profile.KIND,
    pocket.KIND,
    hole.KIND,
    engrave.KIND,
    facing.KIND,
    slot.KIND,
    carve.KIND,
    chamfer.KIND,
)
_BY_TYPE = {kind.type: kind for kind in KINDS}


def kind_of(cut: Cut | type[Cut]) -> Kind:
    """The row of a cut, or of a type of cut."""
    return _BY_TYPE[cut if isinstance(cut, type) else type(cut)]


__all__ = ["KINDS", "Clears", "Cut", "CutBase", "Kind", "Opening", "Parting", "kind_of"]
