"""Edits of inlays, and what follows from them: the plug's outlines on its board and the depths of both halves.

``derive_inlays`` works all of it out anew from the inlay, the art and the bits; the window calls it after every edit, so that
a change in art or numbers moves both halves. What it writes (shapes that ``follow`` the inlay, depths of cuts with its ``mating``) is
nobody's to edit.

V inlay, from the pocket's depth D, glue gap g, saw gap w, fit c a side, half angle a with t = tan a, tip flat 2 rt:

    pocket: V-carve of the art with depth limit D
    plug:   V-carve of what lies around the mirrored art within a frame, the whole path lowered by the *sink*
            s = D - g + (c + rt) / t, and its floor w below the outline: s + w below the plug board's face

At any depth the plug's section is then the pocket's, c smaller a side, corners included. Straight inlay: the pocket is as deep as
the plug board is thick, less what the insert stands proud; the outlines are matched by ``toolpath.mates``.
"""

from __future__ import annotations

from collections.abc import Sequence
from math import floor, radians, tan
from typing import Any

from archimetra.edits import cutting, leftovers
from archimetra.edits.basic import add_board
from archimetra.edits.edit import Edit, board_of, next_number, replace
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit, BitKind
from archimetra.job.cut_parts import Half, Mating, Side
from archimetra.job.cuts import Cut
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut, default_tabs
from archimetra.job.flat import MARK
from archimetra.job.ids import BitId, BoardId, CutId, InlayId, LayerId, ShapeId
from archimetra.job.inlays import Inlay, InlayKind
from archimetra.job.job import Board, Job, with_boards
from archimetra.job.shapes import LAYER_COLOURS, Layer, Shape

FRAME = ".frame"  # ends the id of a plug's frame
DEEPEST_SINK = 400.0  # no board is so thick; a needle of a bit asks for more, and is told by the checks
LEAST_STANDING = 0.8  # features of a plug thinner than this are marked
ROUND_SHARE = 1.05  # of a tip flat's radius: corners rounded so far are reached by the flat


def add_inlay(
    job: Job, board_id: BoardId, shapes: Sequence[ShapeId], *, kind: InlayKind, bit: BitId, plug_board: BoardId | None = None,
    floor_bit: BitId | None = None, plug_bit: BitId | None = None, out_bit: BitId | None = None, layer: LayerId | None = None, name: str = "", **fields: Any,
) -> tuple[Edit, InlayId]:  # fmt: skip
    """A pocket on this board and its plug on another, which is made where none is given.

    ``bit`` carves both halves of a V inlay, or clears the pocket of a straight one, whose insert ``plug_bit`` cuts out. ``floor_bit``
    clears the floors of a V inlay, ``out_bit`` cuts its plug out of the frame. Raises ValueError with a sentence where the bit does not suit the kind,
    or the art is a piece of a part.
    """
    found = job.bit(bit)
    if found is None or (kind is InlayKind.VEE) != (found.kind is BitKind.VEE):
        raise ValueError(
            "a V inlay is carved with a V bit"
            if kind is InlayKind.VEE
            else "a straight inlay is cut with straight bits"
        )
    if any(MARK in shape for shape in shapes):
        raise ValueError("an inlay goes into one board, and these belong to a part; take it apart first")
    art = board_of(job, board_id)
    if plug_board is None:
        edit, plug_board = add_board(job)
        job = edit.job
        own = board_of(job, plug_board).sheet.id
        sheet = replace(
            art.sheet,
            id=own,
            width=max(150.0, art.sheet.width / 2),
            height=max(150.0, art.sheet.height / 2),
            outline=(),
            flaws=(),
            count=1,
        )
        if kind is InlayKind.STRAIGHT:  # an insert is as thick as its pocket is deep
            sheet = replace(sheet, readings=(round(min(6.0, art.sheet.thinnest / 3), 1),))
        job = _with_board(
            job, replace(board_of(job, plug_board), name=f"{name or 'Inlay'} plug", sheet=sheet, auto_order=True)
        )
    id_ = InlayId(f"inlay{next_number(job, 'inlay')}")
    wanted = set(shapes)
    names = [shape.name for shape in art.shapes if shape.id in wanted]
    name = name or (names[0].capitalize() if len(names) == 1 else f"Inlay {len(job.inlays) + 1}")
    settings: dict[str, Any] = {"depth": round(min(5.0, art.sheet.thinnest / 2), 1)}
    inlay = Inlay(
        id=id_, name=name, kind=kind, pocket_board=board_id, plug_board=plug_board, shapes=tuple(shapes),
        layer=layer or LayerId(""), **(settings | fields),
    )  # fmt: skip
    job = replace(job, inlays=(*job.inlays, inlay))
    pocket = Mating(inlay=id_, half=Half.POCKET, is_vee=kind is InlayKind.VEE)
    plug = replace(pocket, half=Half.PLUG)
    if kind is InlayKind.VEE:
        job, _ = _cut(job, board_id, CarveCut, f"{name}, pocket", bit, mating=pocket)
        job, _ = _cut(job, plug_board, CarveCut, f"{name}, plug", bit, mating=plug)
        if out_bit is not None:
            board = board_of(job, plug_board)
            job, _ = _cut(
                job, plug_board, ProfileCut, f"{name}, plug out", out_bit, mating=plug, side=Side.INSIDE, goes_through=True,
                end_depth=0.0, tabs=default_tabs(board.sheet),
            )  # fmt: skip
        if floor_bit is not None:
            for side, half in ((board_id, pocket), (plug_board, plug)):
                carve = next(c for c in board_of(job, side).cuts if c.mating == half and isinstance(c, CarveCut))
                job = leftovers.add_floor(job, carve.id, floor_bit)[0].job
    else:
        job, _ = _cut(job, board_id, PocketCut, f"{name}, pocket", bit, mating=pocket)
        tabs = default_tabs(board_of(job, plug_board).sheet)
        job, _ = _cut(
            job, plug_board, ProfileCut, f"{name}, insert", plug_bit or bit, mating=plug, side=Side.OUTSIDE,
            goes_through=True, end_depth=0.0, tabs=replace(tabs, count=min(tabs.count, 3)),
        )  # fmt: skip
    return Edit("Add inlay", derive_inlays(job)), id_


def change_inlay(job: Job, inlay_id: InlayId, label: str, *, merge: str = "", **fields: Any) -> Edit:
    """Fields of an inlay, both halves moved with them. Raises ValueError with a sentence where a value is out of its limits."""
    inlays = tuple(replace(inlay, **fields) if inlay.id == inlay_id else inlay for inlay in job.inlays)
    return Edit(label, derive_inlays(replace(job, inlays=inlays)), merge)


def remove_inlay(job: Job, inlay_id: InlayId) -> Edit:
    """Without the inlay, its cuts and its plug's outlines; the boards stay."""
    cuts = [
        cut.id for board in job.boards for cut in board.cuts if cut.mating is not None and cut.mating.inlay == inlay_id
    ]
    job = cutting.remove_cuts(job, cuts).job
    inlays = tuple(inlay for inlay in job.inlays if inlay.id != inlay_id)
    return Edit("Remove inlay", derive_inlays(replace(job, inlays=inlays)))


def halves(job: Job, inlay: Inlay) -> tuple[Cut | None, Cut | None]:
    """The cut that makes the pocket and the one that makes the plug; None where it is gone."""
    return _main(job.board(inlay.pocket_board), inlay, Half.POCKET), _main(
        job.board(inlay.plug_board), inlay, Half.PLUG
    )


def inlay_of(job: Job, cut: Cut) -> Inlay | None:
    """The inlay a cut is half of."""
    return job.inlay(cut.mating.inlay) if cut.mating is not None else None


def sink_of(inlay: Inlay, bit: Bit) -> float:
    """How far below its board's face the outline of a V plug lies, mm: s = D - g + (c + rt) / t."""
    return inlay.depth - inlay.glue_gap + (inlay.fit + bit.tip_flat / 2) / tan(radians(bit.angle / 2))


def seat_of(inlay: Inlay, bit: Bit) -> float:
    """How far a V plug's face is meant to go below the pocket board's, mm: D - g + c / t. A tip flat's share of the sink only keeps
    its rounded groove bottoms free; where there are none the plug goes that much deeper."""
    return inlay.depth - inlay.glue_gap + inlay.fit / tan(radians(bit.angle / 2))


def placements(inlay: Inlay, art: Sequence[Shape], board: Board) -> list[Affine]:
    """Where the copies of the plug lie on their board: a map from the pocket board for each, mirrored where the plug is turned
    over."""
    boxes = [shape.bounds() for shape in art]
    if not boxes:
        return []
    x0, y0 = min(b[0] for b in boxes), min(b[1] for b in boxes)
    x1, y1 = max(b[2] for b in boxes), max(b[3] for b in boxes)
    edge = 2 * inlay.margin if inlay.kind is InlayKind.VEE else 0.0  # every V plug stands in a frame of its own
    wide, high = x1 - x0 + edge, y1 - y0 + edge
    is_mirrored = inlay.kind is InlayKind.VEE or inlay.show_face_down
    inset = inlay.margin if inlay.kind is InlayKind.VEE else 0.0
    room = board.sheet.width - inlay.x + inlay.spacing
    columns = min(inlay.copies, max(1, floor(room / (wide + inlay.spacing) + 1e-9)))
    out = []
    for k in range(inlay.copies):
        px = inlay.x + inset + (k % columns) * (wide + inlay.spacing)
        py = inlay.y + inset + (k // columns) * (high + inlay.spacing)
        if is_mirrored:
            out.append(Affine(-1.0, 0.0, 0.0, 1.0, x1 + px, py - y0))
        else:
            out.append(Affine.shift(px - x0, py - y0))
    return out


# ---- what follows


def derive_inlays(job: Job) -> Job:
    """The job with everything that follows from its inlays worked out anew; the very same job where nothing changes."""
    alive = {inlay.id for inlay in job.inlays if _is_whole(job, inlay)}
    if not job.inlays and not any(_leftovers(board, alive) for board in job.boards):
        return job
    fresh = replace(job, inlays=tuple(inlay for inlay in job.inlays if inlay.id in alive))
    fresh = with_boards(fresh, tuple(_without_leftovers(board, alive) for board in fresh.boards))
    for inlay in fresh.inlays:
        fresh = _settle(fresh, inlay)
    return job if fresh == job else fresh


def _is_whole(job: Job, inlay: Inlay) -> bool:
    if job.board(inlay.pocket_board) is None or job.board(inlay.plug_board) is None:
        return False
    return any(half is not None for half in halves(job, inlay))


def _leftovers(board: Board, alive: set[InlayId]) -> bool:
    return any(s.follows and s.follows not in alive for s in board.shapes) or any(
        c.mating is not None and c.mating.inlay not in alive for c in board.cuts
    )


def _without_leftovers(board: Board, alive: set[InlayId]) -> Board:
    """What an inlay that is gone left: its plug's outlines go, its cuts stay as cuts of their own."""
    if not _leftovers(board, alive):
        return board
    shapes = tuple(shape for shape in board.shapes if not shape.follows or shape.follows in alive)
    cuts = tuple(
        replace(cut, mating=None) if cut.mating is not None and cut.mating.inlay not in alive else cut
        for cut in board.cuts
    )
    return replace(board, shapes=shapes, cuts=cuts)


def _settle(job: Job, inlay: Inlay) -> Job:
    pocket_board, plug_board = board_of(job, inlay.pocket_board), board_of(job, inlay.plug_board)
    pocket, plug = halves(job, inlay)
    taken = set(inlay.shapes)
    art = [s for s in pocket_board.shapes if s.id in taken or (inlay.layer and s.layer == inlay.layer)]
    plug_board = _with_outlines(job, plug_board, inlay, art)
    followers = tuple(shape.id for shape in plug_board.shapes if shape.follows == inlay.id)
    mating = Mating(inlay=inlay.id, half=Half.POCKET, is_vee=inlay.kind is InlayKind.VEE)
    pocket_fields: dict[str, Any] = {"shapes": inlay.shapes, "layer": inlay.layer}
    plug_fields: dict[str, Any] = {"shapes": followers, "layer": LayerId("")}
    if inlay.kind is InlayKind.VEE:
        half = pocket or plug
        bit = job.bit(half.bit) if half is not None else None
        assert bit is not None, "the job file and every edit keep bits that are in use"
        sink = (
            round(min(sink_of(inlay, bit), DEEPEST_SINK), 6)
            if bit.kind is BitKind.VEE
            else inlay.depth - inlay.glue_gap
        )
        mating = replace(mating, round_mm=ROUND_SHARE * bit.tip_flat / 2)
        pocket_fields |= {"start_depth": 0.0, "end_depth": inlay.depth, "sink": 0.0}
        plug_fields |= {
            "bit": bit.id,
            "start_depth": 0.0,
            "end_depth": sink + inlay.saw_gap,
            "sink": sink,
            "least_standing": max(plug.least_standing, LEAST_STANDING) if isinstance(plug, CarveCut) else 0.0,
        }
    else:
        mating = replace(
            mating, pocket_radius=_finest(job, pocket_board, pocket), insert_radius=_finest(job, plug_board, plug),
            clearance=inlay.clearance,
        )  # fmt: skip
        depth = max(plug_board.sheet.thickest - inlay.proud, 0.0)
        pocket_fields |= {"start_depth": 0.0, "end_depth": round(depth, 6), "goes_through": False}
        plug_fields |= {"side": Side.OUTSIDE, "goes_through": True}
    pocket_board = _with_cut(pocket_board, pocket, pocket_fields, mating)
    plug_board = _with_cut(plug_board, plug, plug_fields, replace(mating, half=Half.PLUG))
    if inlay.kind is InlayKind.VEE:
        frames = tuple(id_ for id_ in followers if id_.endswith(FRAME))
        outs = [
            c
            for c in plug_board.cuts
            if isinstance(c, ProfileCut) and c.mating is not None and c.mating.inlay == inlay.id
        ]
        for out in outs:
            plug_board = _with_cut(
                plug_board, out, {"shapes": frames, "layer": LayerId("")}, replace(mating, half=Half.PLUG)
            )
    return _with_board(_with_board(job, pocket_board), plug_board)


def _finest(job: Job, board: Board, cut: Cut | None) -> float:
    """The radius of the smallest bit that cuts a half."""
    if cut is None:
        return 0.5
    cuts = [
        cut,
        *[c for c in board.cuts if c.is_on and isinstance(c, PocketCut) and board.root_cut(c).id == cut.id],
    ]
    bits = [job.bit(c.bit) for c in cuts]
    return min(bit.radius for bit in bits if bit is not None)


def _with_cut(board: Board, cut: Cut | None, fields: dict[str, Any], mating: Mating) -> Board:
    if cut is None:
        return board
    fresh = replace(cut, mating=mating, **fields)

    def changed(each: Cut) -> Cut:
        if each.id == cut.id:
            return fresh if fresh != each else each
        if isinstance(each, PocketCut) and board.root_cut(each).id == cut.id and each.mating != mating:
            return replace(each, mating=mating)
        return each

    cuts = tuple(changed(each) for each in board.cuts)
    return board if cuts == board.cuts else replace(board, cuts=cuts)


def _with_outlines(job: Job, board: Board, inlay: Inlay, art: Sequence[Shape]) -> Board:
    """The plug board with the plug's outlines as they should be: kept where they are already, after all other shapes."""
    own = [shape for shape in board.shapes if shape.follows != inlay.id]
    old = {shape.id: shape for shape in board.shapes if shape.follows == inlay.id}
    maps = placements(inlay, art, board)
    layer, layers = _layer(job, board, inlay)
    fresh: list[Shape] = []
    for k, m in enumerate(maps):
        plug = [
            Shape(
                id=ShapeId(f"{inlay.id}.{k + 1}.{shape.id.replace(MARK, '.')}"), name=shape.name, layer=layer, paths=shape.paths,
                fill_rule=shape.fill_rule, at=shape.at.then(m), is_filled=shape.is_filled, is_locked=True, follows=inlay.id,
            )
            for shape in art
        ]  # fmt: skip
        if inlay.kind is InlayKind.VEE:
            plug.insert(0, _frame(inlay, plug, k, layer))
        fresh += plug
    kept = [old[shape.id] if old.get(shape.id) == shape else shape for shape in fresh]
    shapes = (*own, *kept)
    if not kept:
        layers = board.layers
    return board if shapes == board.shapes and layers == board.layers else replace(board, shapes=shapes, layers=layers)


def _frame(inlay: Inlay, plug: Sequence[Shape], k: int, layer: LayerId) -> Shape:
    """The rectangle around a copy of the plug within which all but the plug is carved away."""
    boxes = [shape.bounds() for shape in plug]
    x0, y0 = (min(b[n] for b in boxes) - inlay.margin for n in (0, 1))
    x1, y1 = (max(b[n] for b in boxes) + inlay.margin for n in (2, 3))
    ring = Path.polyline([(x0, y0), (x1, y0), (x1, y1), (x0, y1)], closed=True)
    return Shape(
        id=ShapeId(f"{inlay.id}.{k + 1}{FRAME}"), name=f"{inlay.name} frame", layer=layer, paths=(ring,), is_locked=True,
        follows=inlay.id,
    )  # fmt: skip


def _layer(job: Job, board: Board, inlay: Inlay) -> tuple[LayerId, tuple[Layer, ...]]:
    """The layer the plug's outlines lie on: the one they are on, or a new one named after the inlay."""
    known = next((s.layer for s in board.shapes if s.follows == inlay.id and board.layer(s.layer) is not None), None)
    if known is not None:
        return known, board.layers
    id_ = LayerId(f"layer{next_number(job, 'layer')}")
    colour = LAYER_COLOURS[len(board.layers) % len(LAYER_COLOURS)]
    return id_, (*board.layers, Layer(id=id_, name=f"{inlay.name}, plug", colour=colour))


def _main(board: Board | None, inlay: Inlay, half: Half) -> Cut | None:
    if board is None:
        return None
    for cut in board.cuts:
        if cut.mating is None or cut.mating.inlay != inlay.id or cut.mating.half is not half:
            continue
        if inlay.kind is InlayKind.VEE and not isinstance(cut, CarveCut):
            continue
        if isinstance(cut, PocketCut) and (cut.rest_of or cut.floor_of):
            continue
        return cut
    return None


def _cut(job: Job, board_id: BoardId, kind: type[Cut], name: str, bit: BitId, **fields: Any) -> tuple[Job, CutId]:
    cut = cutting.new_cut(job, board_id, kind, (), bit=bit, name=name, **fields)
    return cutting.add_cut(job, board_id, cut).job, cut.id


def _with_board(job: Job, board: Board) -> Job:
    if board is job.board(board.id):
        return job
    return with_boards(job, tuple(board if b.id == board.id else b for b in job.boards))
