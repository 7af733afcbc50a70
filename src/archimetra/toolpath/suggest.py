"""Which cuts make sense for picked shapes, each with the bit that suits it and why: one click to a good default."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import msgspec

from archimetra.edits import cutting, inlaying, rack, stamping
from archimetra.edits.edit import Edit, board_of, replace
from archimetra.job.bits import Bit
from archimetra.job.cuts import Cut, kind_of
from archimetra.job.ids import BoardId, CutId, InlayId, LayerId
from archimetra.job.inlays import InlayKind
from archimetra.job.job import Job
from archimetra.job.shapes import Shape
from archimetra.toolpath.offer import BitsAtHand, Offer, Picked
from archimetra.toolpath.rows import ROWS

_AFTER_CARVING = 4.5  # where inlays and stamps, which are several cuts each, stand among the offers of the kinds


class Suggestion(msgspec.Struct, frozen=True, eq=False):
    """A cut that would make sense: what it is called, why, and with which bit. ``make`` adds it; ``kind`` is that of the cut it comes to,
    None for several."""

    kind: type[Cut] | None
    title: str
    why: str
    bit: Bit
    make: Callable[[], tuple[Edit, CutId]]


def suggestions(
    job: Job, board_id: BoardId, shapes: Sequence[Shape], shop: rack.Rack, *, layer: LayerId | None = None
) -> list[Suggestion]:
    """Cuts that suit the shapes, the likeliest first. Bits are the job's own, or the rack's where the job has none that
    fits."""
    picked = Picked(job, board_of(job, board_id), shapes, BitsAtHand(job, shop))
    found: list[tuple[bool, float, Suggestion]] = []
    for row in ROWS:
        for offer in row.offers(picked):
            made = Suggestion(row.kind, offer.title, offer.why, offer.bit, _maker(picked, row.kind, offer, layer))
            found.append((not offer.leads, offer.place, made))
    found += [(True, _AFTER_CARVING, pair) for pair in _pairs(picked)]
    return [made for _, _, made in sorted(found, key=lambda each: each[:2])]


def _maker(picked: Picked, kind: type[Cut], offer: Offer, layer: LayerId | None) -> Callable[[], tuple[Edit, CutId]]:
    board_id, bits = picked.board.id, picked.bits

    def make() -> tuple[Edit, CutId]:
        job, own = bits.taken(offer.bit)
        ids = [shape.id for shape in (picked.closed if offer.takes_only_areas else picked.shapes)]
        follows = layer if layer and not offer.takes_only_areas else None
        cut = cutting.new_cut(
            job, board_id, kind, () if follows else ids, bit=own, layer=follows, name=offer.name, **offer.fields
        )
        if follows and len(picked.shapes) != 1:
            named = picked.board.layer(follows)
            cut = replace(cut, name=f"{kind_of(kind).name} {named.name if named is not None else ''}".strip())
        edit = cutting.add_cut(job, board_id, cut, f"Add {offer.title.lower()}")
        if offer.after is not None:
            edit = replace(edit, job=offer.after(edit.job, cut.id, bits))
        return edit, cut.id

    return make


def _pairs(picked: Picked) -> Iterator[Suggestion]:
    """Both kinds of inlay and a stamp: more than one cut each, so each has its own maker."""
    if not picked.closed or picked.holes:
        return
    board, bits, room = picked.board, picked.bits, picked.room
    ids = [shape.id for shape in picked.closed]
    carver = bits.carver()
    depth = round(min(5.0, board.sheet.thinnest / 3), 1)
    if carver is not None:
        floor = bits.straight(depth, at_most=0.8 * room)
        out = bits.straight(board.sheet.thickest)

        def vee() -> tuple[Edit, CutId]:
            taken, (v, f, o) = bits.all_taken(carver, floor, out)
            edit, inlay = inlaying.add_inlay(
                taken, board.id, ids, kind=InlayKind.VEE, bit=v, floor_bit=f, out_bit=o,
                depth=min(depth, carver.rise_at(carver.radius) - 2.5), margin=max(8.0, out.diameter + 5.0),
            )  # fmt: skip
            return edit, _pocket_cut(edit.job, inlay)

        def stamp() -> tuple[Edit, CutId]:
            taken, (v, f, o) = bits.all_taken(carver, floor, out)
            return stamping.add_stamp(taken, board.id, ids, bit=v, floor_bit=f, out_bit=o, depth=min(2.0, depth))

        yield Suggestion(None, "V inlay", "both halves from one setting, the plug on a board of its own", carver, vee)
        yield Suggestion(None, "Stamp", "mirrored and left standing in a frame", carver, stamp)
    fine = bits.straight(depth, at_most=0.5 * room)

    def upright() -> tuple[Edit, CutId]:
        taken, (b,) = bits.all_taken(fine)
        edit, inlay = inlaying.add_inlay(taken, board.id, ids, kind=InlayKind.STRAIGHT, bit=b)
        return edit, _pocket_cut(edit.job, inlay)

    yield Suggestion(None, "Straight inlay", "corners rounded so that both mate", fine, upright)


def _pocket_cut(job: Job, inlay_id: InlayId) -> CutId:
    inlay = job.inlay(inlay_id)
    assert inlay is not None
    pocket, _ = inlaying.halves(job, inlay)
    assert pocket is not None
    return pocket.id
