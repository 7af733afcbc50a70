"""The sample job made from its drawings by the real readers and edits: ``python -m archimetra.demo.build`` writes the file
that ships, so that opening it takes no longer than opening any job. A test holds the file to what this makes."""

from __future__ import annotations

from collections.abc import Sequence
from importlib.resources import files
from pathlib import Path as FilePath
from typing import Any

from archimetra.artwork.drawing import Drawing, with_true_size
from archimetra.artwork.mend import simplify
from archimetra.artwork.read import read_artwork
from archimetra.artwork.text_form import TextForm
from archimetra.artwork.trace import open_picture, trace
from archimetra.artwork.trace_settings import TraceSettings
from archimetra.base.files import write_safely
from archimetra.demo import FILE, artwork
from archimetra.demo.nested import KNOT, NESTED, OFFCUT, WANTED
from archimetra.edits import basic as edits
from archimetra.edits import (
    copying,
    cutting,
    inlaying,
    layering,
    leftovers,
    parting,
    placement,
    placing,
    setups,
    shaping,
    stamping,
    test_piece,
)
from archimetra.edits.edit import replace
from archimetra.edits.finishing import finished
from archimetra.engine.planning import plan_board
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Lead, LeadKind, Overrides, Side, Tabs
from archimetra.job.cuts import Cut
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.cuts.hole import HoleCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.slot import SlotCut
from archimetra.job.file import JobFile, pack
from archimetra.job.forms import EllipseForm, RectangleForm
from archimetra.job.ids import BitId, BoardId, InstanceId, ShapeId
from archimetra.job.inlays import InlayKind
from archimetra.job.job import Board, Job, with_boards
from archimetra.job.materials import Material
from archimetra.job.parts import Instance
from archimetra.job.setups import TileBy
from archimetra.job.shapes import Source
from archimetra.job.sheet import Fixture, HoldDown, Sheet, Zero, ZeroAt
from archimetra.job.starter_rack import STARTER_BITS, starter_rack

_MORE = tuple(
    replace(bit, place=3 + k, id=BitId(f"bit{4 + k}"))
    for k, bit in enumerate(b for b in starter_rack() if b.name in ("60° V", "9.5 mm keyhole"))
)
RACK = (*STARTER_BITS, *_MORE)
BITS = {bit.name: bit.id for bit in RACK}
NONE = Tabs()


def build() -> JobFile:
    """The sample as a new document: its boards, five kinds of artwork, a V-carved dial, an inlay and a stamp."""
    boards = (
        _board("board1", "Dial face", 320, 320, (18.3, 18.1, 18.2), Material.ASH, bed=(120.0, 80.0)),
        _board("board2", "Dial back", 320, 320, (18.3, 18.1, 18.2), Material.ASH, bed=(120.0, 80.0)),
        _board("board3", "Star plug", 220, 220, (12.4, 12.3), Material.WALNUT, bed=(120.0, 80.0), zero=ZeroAt.CENTRE),
        _board("board4", "Hands", 400, 300, (3.1, 3.0), Material.BIRCH_PLY, bed=(60.0, 60.0)),
        _board("board5", "Notice board", 1480, 420, (21.0, 20.8), Material.PINE, bed=(0.0, 0.0)),
        _board("board6", "Café stamp", 150, 110, (15.2, 15.0), Material.OAK, bed=(60.0, 60.0)),
    )
    more = _board("board7", "Hands, more", 300, 224, (3.1, 3.0), Material.BIRCH_PLY, bed=(60.0, 60.0))
    more = replace(
        more, fixtures=(Fixture(x=231.0, y=184.0, width=30.0, height=40.0),),
        sheet=replace(more.sheet, outline=(OFFCUT,), flaws=(KNOT,)),
    )  # fmt: skip
    job = with_boards(Job(name="Quay tide clock", bits=RACK), (*boards, more))
    for make in (_dial_face, _dial_back, _two_faces, _star_plug, _name_tag, _notice_board, _stamp, _hands, _test_piece):
        job = make(job)
    names = ("dial-face.svg", "dial-back.dxf", "star-plug.svg", "gull.png", "hands.svg", "notice-board.pdf")
    return JobFile(finished(job), {name: artwork(name) for name in names})


def _dial_face(job: Job) -> Job:
    """SVG in millimetres."""
    job, by_name = _bring(job, "board1", read_artwork(artwork("dial-face.svg"), name="dial-face.svg"), "dial-face.svg")
    job, ring = _ring_of_words(job)
    carve = cutting.new_cut(job, BoardId("board1"), CarveCut, ring, bit=BITS["60° V"], name="Words", end_depth=1.5)
    job = cutting.add_cut(job, BoardId("board1"), carve).job
    job = _cut(job, "board1", EngraveCut, "Wave border", [by_name["wave border"]], bit=BITS["1.5 mm straight"],
               end_depth=1.2)  # fmt: skip
    job = _cut(job, "board1", HoleCut, "Arbor hole", [by_name["arbor hole"]], bit=BITS["6 mm straight"], allowance=0.2)
    arc = Lead(kind=LeadKind.ARC, length=6.0)
    return _profile(job, "board1", "Outline", [by_name["dial"]], bit=BITS["6 mm straight"], side=Side.OUTSIDE,
                    tabs=Tabs(count=4, length=12.0, thickness=3.0), run=Overrides(depth_per_pass=4.0), finish=0.3,
                    lead_in=arc, lead_out=arc)  # fmt: skip


def _ring_of_words(job: Job) -> tuple[Job, list[ShapeId]]:
    """What the tide does, over the top and under the bottom, and between them the hours to the next turn."""
    board, made = BoardId("board1"), list[ShapeId]()
    edit, layer = layering.add_layer(job, board, "words")
    job = edit.job
    words = [("HIGH WATER", 94.0, 0.0), ("LOW WATER", -109.0, 0.0)]
    hours = [(str(hour), 94.0, turn) for turn, hour in zip((60, 75, 90, 105, 120), (5, 4, 3, 2, 1), strict=True)]
    hours += [(str(hour), 94.0, turn) for turn, hour in zip((-60, -75, -90, -105, -120), (1, 2, 3, 4, 5), strict=True)]
    for text, radius, turn in (*words, *[(t, r, -turn) for t, r, turn in hours]):
        form = TextForm(
            text=text, font="Libre Baskerville Bold", cap_height=12.0, arc_radius=radius, letter_spacing=0.8
        )
        at = Affine.turn(float(turn)).then(Affine.shift(160.0, 160.0))
        done = shaping.draw(job, board, form, at, name=text.capitalize(), layer=layer)
        job, made = done.edit.job, [*made, *done.pick]
    return job, made


def _dial_back(job: Job) -> Job:
    """DXF of loose lines, some drawn twice, and blocks: a stepped pocket, dowel holes, two hanger slots."""
    job, _ = _bring(job, "board2", read_artwork(artwork("dial-back.dxf"), name="dial-back.dxf"), "dial-back.dxf")
    board = job.boards[1]
    by_layer = {layer.name: [s.id for s in board.shapes if s.layer == layer.id] for layer in board.layers}
    wide, deep = by_layer["movement"]
    job = _cut(job, "board2", PocketCut, "Movement ledge", [wide], bit=BITS["6 mm straight"], end_depth=6.0)
    job = _cut(job, "board2", PocketCut, "Movement", [deep], bit=BITS["6 mm straight"], start_depth=6.0, end_depth=11.0,
               wall_allowance=0.3, floor_allowance=0.5)  # fmt: skip
    job = _cut(job, "board2", HoleCut, "Dowel holes", by_layer["dowels"], bit=BITS["6 mm straight"], goes_through=False,
               end_depth=12.0)  # fmt: skip
    lines: list[ShapeId] = []
    for x in (100.0, 220.0):
        done = shaping.draw_path(
            job, BoardId("board2"), Path.polyline([(x, 254.0), (x, 270.0)], closed=False), name="hanger"
        )
        job, lines = done.edit.job, [*lines, *done.pick]
    return _cut(job, "board2", SlotCut, "Hanger slots", lines, bit=BITS["9.5 mm keyhole"], end_depth=10.0)


def _two_faces(job: Job) -> Job:
    """Face and back are one sheet, turned over left to right."""
    return setups.join_faces(job, BoardId("board1"), BoardId("board2")).job


def _test_piece(job: Job) -> Job:
    """Feeds and depths of the 3 mm bit in ash."""
    bit = job.bit(BITS["3 mm straight"])
    assert bit is not None
    piece = test_piece.suggested(
        bit, bit.recipe_for(Material.ASH), BITS["60° V"],
        quantities=(test_piece.Quantity.FEED, test_piece.Quantity.DEPTH_PER_PASS),
    )  # fmt: skip
    return test_piece.add_test_piece(job, BoardId("board1"), piece)[0].job


def _star_plug(job: Job) -> Job:
    """SVG in pixels, 96 to the inch: the walnut blank. The star on it is the plug of the dial's own star, mirrored."""
    job, by_name = _bring(job, "board3", read_artwork(artwork("star-plug.svg"), name="star-plug.svg"), "star-plug.svg")
    job = placing.remove_shapes(job, BoardId("board3"), [by_name["star"]]).job
    star = next(shape.id for shape in job.boards[0].shapes if shape.name == "star")
    return inlaying.add_inlay(
        job, BoardId("board1"), [star], kind=InlayKind.VEE, bit=BITS["60° V"], plug_board=BoardId("board3"),
        floor_bit=BITS["6 mm straight"], out_bit=BITS["3 mm straight"], name="Star", depth=5.0, glue_gap=0.5, saw_gap=1.5, x=12.0,
        y=12.0, margin=12.0,
    )[0].job  # fmt: skip


def _stamp(job: Job) -> Job:
    """The café's stamp: the gull of the name tags over its name, mirrored and left standing."""
    board = BoardId("board6")
    gull = next(shape for shape in job.boards[3].shapes if shape.name == "trace 1")
    edit, made = copying.paste(job, board, copying.copied(job, job.boards[3].id, [gull.id]), at=(75.0, 72.0))
    job = edit.job
    done = shaping.draw(
        job,
        board,
        TextForm(text="Quay Café", font="Pacifico Regular", cap_height=15.0),
        Affine.shift(75.0, 34.0),
        name="name",
    )
    return stamping.add_stamp(
        done.edit.job, board, [*made, *done.pick], bit=BITS["60° V"], floor_bit=BITS["3 mm straight"],
        out_bit=BITS["6 mm straight"], depth=1.8, margin=11.0,
    )[0].job  # fmt: skip


def _name_tag(job: Job) -> Job:
    """A traced picture on a name tag that is drawn and lettered."""
    board = BoardId("board4")
    picture = open_picture(artwork("gull.png"), name="gull.png")
    traced = with_true_size(trace(picture, TraceSettings(speck_px=12), name="gull.png"), is_width=True, true_mm=46.0)
    job, by_name = _bring(job, "board4", traced, "gull.png")
    gull = list(by_name.values())
    job = shaping.mend(job, board, gull, lambda s: simplify(s, tolerance_mm=0.05)[0], "Simplify")[0].edit.job
    job = placing.move_to(job, board, gull, placing.Anchor.MIDDLE, (72.0, 238.0)).job
    for form, at, name in (
        (RectangleForm(width=96.0, height=66.0, corner_radius=10.0), (72.0, 231.0), "name tag"),
        (EllipseForm(width=5.0, height=5.0), (31.5, 256.5), "tag hole"),
        (TextForm(text="QUAY", font="Zilla Slab Bold", cap_height=13.0), (72.0, 204.5), "QUAY"),
    ):
        done = shaping.draw(job, board, form, Affine.shift(*at), name=name)
        job = done.edit.job
    return job


def _hands(job: Job) -> Job:
    """Hands, brackets and spacers from a drawing, and the name tag: parts, wanted in quantities and nested on two sheets."""
    board = BoardId("board4")
    tag, hole = (next(s.id for s in job.boards[3].shapes if s.name == name) for name in ("name tag", "tag hole"))
    job, ids = _bring(job, "board4", read_artwork(artwork("hands.svg"), name="hands.svg"), "hands.svg")
    job = placing.move_to(job, board, list(ids.values()), placing.Anchor.FRONT_LEFT, (130.0, 20.0)).job
    small = BITS["3 mm straight"]
    holes = [hole, *[id_ for name, id_ in ids.items() if "hole" in name]]
    job = _cut(job, "board4", HoleCut, "Holes", holes, bit=small, allowance=0.2)
    job = _profile(job, "board4", "Openings", [ids["ring-opening"]], bit=small, side=Side.INSIDE, tabs=NONE)
    outlines = [tag, *[ids[name] for name in ("high-hand", "low-hand", "bracket", "ring", "spacer")]]
    job = _profile(job, "board4", "Parts", outlines, bit=small, side=Side.OUTSIDE, tabs=NONE)
    edit, parts = parting.make_parts(job, board, outlines)
    job = edit.job
    for id_ in parts:
        part = job.part(id_)
        assert part is not None
        quantity, turning = WANTED[part.name]
        job = parting.change_part(job, id_, quantity=quantity, turning=turning).job
    named = {part.name: part.id for part in job.parts}
    places = {
        BoardId(board): [
            Instance(InstanceId(""), named[name], x, y, turn, mirrored) for name, x, y, turn, mirrored in rows
        ]
        for board, rows in NESTED.items()
    }
    return parting.lay_pieces(job, places).job


def _notice_board(job: Job) -> Job:
    """PDF. Longer than the bed: cut in tiles, shifted along on pins."""
    drawing = read_artwork(artwork("notice-board.pdf"), name="notice-board.pdf")
    job, _ = _bring(job, "board5", drawing, "notice-board.pdf")
    id_ = BoardId("board5")
    board = next(b for b in job.boards if b.id == id_)
    by_layer = {layer.name: [s.id for s in board.shapes if s.layer == layer.id] for layer in board.layers}
    straight = BITS["6 mm straight"]
    job = _cut(job, "board5", CarveCut, "Lettering", by_layer["Red areas"], bit=BITS["60° V"], end_depth=4.0)
    carve = next(b for b in job.boards if b.id == id_).cuts[0]
    job = leftovers.add_floor(job, carve.id, straight)[0].job
    job = _cut(job, "board5", PocketCut, "Map recess", by_layer["Blue areas"], bit=straight, end_depth=6.0)
    job = _profile(job, "board5", "Outline", by_layer["Black lines"], bit=straight, side=Side.OUTSIDE,
                   tabs=Tabs(count=12, length=14.0, thickness=3.0))  # fmt: skip
    job = finished(setups.tile(job, id_, TileBy.GRID).job)
    plan = plan_board(job, next(b for b in job.boards if b.id == id_), {})
    return setups.place_pins(job, id_, [place for shift in plan.shifts for place in shift.places]).job


# ---- inner workings


def _board(
    id_: str,
    name: str,
    width: float,
    height: float,
    readings: tuple[float, ...],
    material: Material,
    *,
    bed: tuple[float, float],
    zero: ZeroAt = ZeroAt.FRONT_LEFT,
) -> Board:
    hold_down = HoldDown.TAPED if readings[0] < 5 else HoldDown.CLAMPED
    sheet = Sheet(width=float(width), height=float(height), readings=readings, material=material, grain_degrees=0.0,
                  hold_down=hold_down)  # fmt: skip
    return Board(id=BoardId(id_), name=name, sheet=sheet, zero=Zero(at=zero), bed_x=bed[0], bed_y=bed[1],
                 auto_order=True)  # fmt: skip


def _bring(job: Job, board: str, drawing: Drawing, source: str) -> tuple[Job, dict[str, ShapeId]]:
    edit, ids = placement.place_drawing(job, BoardId(board), drawing, source=Source(name=source))
    shapes = {shape.id: shape for b in edit.job.boards if b.id == board for shape in b.shapes}
    return edit.job, {shapes[id_].name: id_ for id_ in ids}


def _profile(job: Job, board: str, name: str, shapes: Sequence[ShapeId], **fields: Any) -> Job:
    edit, cut = edits.add_profile(job, BoardId(board), shapes, name=name)
    return edits.change_cut(edit.job, cut, name, **fields).job


def _cut(job: Job, board: str, kind: type[Cut], name: str, shapes: Sequence[ShapeId], **fields: Any) -> Job:
    made = cutting.new_cut(job, BoardId(board), kind, shapes, name=name, **fields)
    return cutting.add_cut(job, BoardId(board), made).job


if __name__ == "__main__":
    write_safely(
        FilePath(str(files("archimetra.demo").joinpath(FILE))), pack(build())
    )  # no copy of the one before is shipped
