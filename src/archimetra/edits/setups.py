"""Edits of how a board is laid on the machine: turned, in tiles with seams and pins, and its back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from archimetra.edits import cutting, layering, shaping
from archimetra.edits.edit import Edit, board_of, next_number, replace, with_board
from archimetra.geometry.affine import Affine
from archimetra.job.bits import Bit, BitKind
from archimetra.job.cuts.hole import HoleCut
from archimetra.job.forms import EllipseForm
from archimetra.job.ids import BoardId, CutId, ShapeId
from archimetra.job.job import Board, Job, with_boards
from archimetra.job.setups import HeldBy, TileBy, Tiling, TurnedAbout, Turnover
from archimetra.job.sheet import Sheet
from archimetra.job.turning import from_behind

PINS_LAYER = "pins"
_PAST_BOTTOM_MM = 1.0  # a pin's hole goes right through


def other_face(job: Job, board: Board) -> Board | None:
    """The board on the other face of the same sheet; None where it has one face."""
    return job.board(board.back_of.front) if board.back_of is not None else job.back_of(board.id)


def lie(job: Job, board_id: BoardId, quarter_turns: int) -> Edit:
    """Lay the board on the machine turned so many quarter turns counter-clockwise; nothing on it moves."""
    return Edit("Turn on the machine", with_board(job, board_id, lambda b: replace(b, quarter_turns=quarter_turns % 4)))


def tile(job: Job, board_id: BoardId, by: TileBy | None) -> Edit:
    """Part the board in tiles this way; None cuts it in one setup, and takes the pins' holes away."""
    board = board_of(job, board_id)
    if by is None:
        job = remove_pins(job, board_id).job
        return Edit("Cut in one setup", with_board(job, board_id, lambda b: replace(b, tiling=None)))
    old = board.tiling or Tiling()
    if board.tiling is not None and old.by is not by:
        job = remove_pins(job, board_id).job  # they would lie where this way does not look for them
    new = replace(old, by=by, seams_x=(), seams_y=(), pins=CutId("") if old.by is not by else old.pins)
    return Edit("Part in tiles", with_board(job, board_id, lambda b: replace(b, tiling=new)))


def change_tiling(job: Job, board_id: BoardId, label: str, *, merge: str = "", **fields: Any) -> Edit:
    """Fields of the board's tiling. Raises ValueError with a sentence where a value is out of its limits."""

    def change(board: Board) -> Board:
        return replace(board, tiling=replace(board.tiling or Tiling(), **fields))

    return Edit(label, with_board(job, board_id, change), merge)


def move_seam(job: Job, board_id: BoardId, axis: int, seams: Sequence[float], number: int, at: float) -> Edit:
    """One of the ``seams`` across an axis set by hand; the others of that axis stay where they are, and are set by hand with it."""
    placed = list(seams)
    placed[number] = round(at, 3)
    name = "seams_x" if axis == 0 else "seams_y"
    return change_tiling(
        job, board_id, "Move seam", merge=f"{board_id} {name} {number}", **{name: tuple(sorted(placed))}
    )


def find_seams(job: Job, board_id: BoardId) -> Edit:
    """Leave all seams to be found."""
    return change_tiling(job, board_id, "Find the seams", seams_x=(), seams_y=())


# ---- pins


def place_pins(job: Job, board_id: BoardId, places: Sequence[tuple[float, float]]) -> Edit:
    """Holes for pins at these places, as circles on a layer of their own with a cut that makes them; in place of those there were."""
    job = remove_pins(job, board_id).job
    board = board_of(job, board_id)
    tiling = board.tiling or Tiling()
    hole = round(tiling.pin_diameter + tiling.pin_slack, 4)
    job, made = _circles(job, board_id, places, hole)
    cut = cutting.new_cut(
        job, board_id, HoleCut, made, bit=_bit_for(job, hole).id, name="Pin holes", goes_through=True, allowance=_PAST_BOTTOM_MM,
    )  # fmt: skip
    job = cutting.add_cut(job, board_id, cut).job
    tiling = replace(tiling, has_pins=True, pins=cut.id)
    return Edit("Place pins", with_board(job, board_id, lambda b: replace(b, tiling=tiling)))


def refit_pins(job: Job, board_id: BoardId) -> Edit:
    """The holes for pins where they are, as wide as the pins ask for now."""
    board = board_of(job, board_id)
    cut = board.cut(board.tiling.pins) if board.tiling is not None else None
    if cut is None:
        return Edit("Pins", job)
    return Edit("Pins", place_pins(job, board_id, [(s.at.e, s.at.f) for s in board.shapes_of(cut)]).job)


def remove_pins(job: Job, board_id: BoardId) -> Edit:
    """Without the holes for pins, their circles and their cut."""
    board = board_of(job, board_id)
    pins = board.tiling.pins if board.tiling is not None else CutId("")
    cut = board.cut(pins)
    if cut is None:
        return Edit("Remove pins", job)
    gone = {shape.id for shape in board.shapes_of(cut)}

    def change(board: Board) -> Board:
        assert board.tiling is not None
        return replace(
            board, shapes=tuple(s for s in board.shapes if s.id not in gone), cuts=tuple(c for c in board.cuts if c.id != cut.id),
            layers=tuple(
                layer for layer in board.layers
                if layer.name != PINS_LAYER or any(s.layer == layer.id and s.id not in gone for s in board.shapes)
            ),
            tiling=replace(board.tiling, pins=CutId("")),
        )  # fmt: skip

    return Edit("Remove pins", with_board(job, board_id, change))


def _bit_for(job: Job, hole: float) -> Bit:
    """The widest bit a hole of this size can be made with; the narrowest there is where none is."""
    able = [bit for bit in job.bits if bit.kind in (BitKind.STRAIGHT, BitKind.DRILL)] or list(job.bits)
    fitting = [
        b for b in able if b.diameter <= hole + 1e-6 and (b.kind is BitKind.STRAIGHT or b.diameter >= hole - 0.05)
    ]
    return max(fitting, key=lambda b: b.diameter) if fitting else min(able, key=lambda b: b.diameter)


# ---- the other face

FACE_PIN_MM, FACE_PIN_SLACK_MM, FACE_PIN_DEPTH_MM = 6.0, 0.2, 10.0


def lay_alike(job: Job, back: BoardId) -> Edit:
    """Lay a back on the bed as its front lies, with the same zero."""

    def change(board: Board) -> Board:
        assert board.back_of is not None
        front = board_of(job, board.back_of.front)
        return replace(
            board,
            bed_x=front.bed_x,
            bed_y=front.bed_y,
            quarter_turns=front.quarter_turns,
            zero=replace(front.zero, z=board.zero.z),
        )

    return Edit("Lay both alike", with_board(job, back, change))


def face_pins(job: Job, back: Board) -> list[tuple[float, float]]:
    """Where the pins of a back go through the sheet, in the coordinates of its front."""
    front = job.board(back.back_of.front) if back.back_of is not None else None
    cut = front.cut(back.back_of.pins) if front is not None and back.back_of is not None else None
    return [(s.at.e, s.at.f) for s in front.shapes_of(cut)] if front is not None and cut is not None else []


def place_face_pins(job: Job, back: BoardId, places: Sequence[tuple[float, float]]) -> Edit:
    """Holes on the front for pins that go on into the bed, in place of those there were; the back lies as the front does."""
    job = lay_alike(job, back).job
    board = board_of(job, back)
    assert board.back_of is not None
    front = board.back_of.front
    before = board_of(job, front)
    old = before.cut(board.back_of.pins)
    if old is not None:
        gone = {shape.id for shape in before.shapes_of(old)}
        job = with_board(
            job, front, lambda b: replace(
                b, shapes=tuple(s for s in b.shapes if s.id not in gone), cuts=tuple(c for c in b.cuts if c.id != old.id)
            ),
        )  # fmt: skip
    job, made = _circles(job, front, places, round(FACE_PIN_MM + FACE_PIN_SLACK_MM, 4))
    cut = cutting.new_cut(
        job, front, HoleCut, made, bit=_bit_for(job, FACE_PIN_MM + FACE_PIN_SLACK_MM).id, name="Pin holes", goes_through=True,
        allowance=FACE_PIN_DEPTH_MM,
    )  # fmt: skip
    job = cutting.add_cut(job, front, cut).job
    return Edit("Place pins", turn_over(job, back, held_by=HeldBy.PINS, pins=cut.id).job)


def _circles(
    job: Job, board_id: BoardId, places: Sequence[tuple[float, float]], hole: float
) -> tuple[Job, list[ShapeId]]:
    """Circles of the holes for pins, on their layer."""
    board = board_of(job, board_id)
    layer = next((layer.id for layer in board.layers if layer.name == PINS_LAYER), None)
    if layer is None:
        edit, layer = layering.add_layer(job, board_id, PINS_LAYER)
        job = edit.job
    made: list[ShapeId] = []
    for number, (x, y) in enumerate(places, 1):
        done = shaping.draw(
            job, board_id, EllipseForm(width=hole, height=hole), Affine.shift(x, y), name=f"pin {number}", layer=layer
        )
        job, made = done.edit.job, [*made, *done.pick]
    return job, made


def add_back(job: Job, front: BoardId, about: TurnedAbout = TurnedAbout.SIDEWAYS) -> tuple[Edit, BoardId]:
    """The back of a board: a board of its own on the same sheet, right behind it; and its id."""
    board = board_of(job, front)
    new = BoardId(f"board{next_number(job, 'board')}")
    sheet = from_behind(board.sheet, about, 0.0)
    back = Board(
        id=new, name=f"{board.name}, back"[:60], sheet=sheet, zero=board.zero, heights=board.heights, bed_x=board.bed_x,
        bed_y=board.bed_y, quarter_turns=board.quarter_turns, auto_order=True, back_of=Turnover(front=front, about=about),
    )  # fmt: skip
    boards = [each for b in job.boards for each in ((b, back) if b.id == front else (b,))]
    return Edit("Add the back", with_boards(job, boards)), new


def join_faces(job: Job, front: BoardId, back: BoardId, about: TurnedAbout = TurnedAbout.SIDEWAYS) -> Edit:
    """Make a board the back of another, on the other's sheet. Raises ValueError where one of them is a back or has one already."""
    a, b = board_of(job, front), board_of(job, back)
    if front == back:
        raise ValueError("a board cannot be its own back")
    if a.back_of is not None or any(
        each.back_of is not None and each.back_of.front in (front, back) for each in job.boards
    ):
        raise ValueError(f"'{a.name}' or '{b.name}' has two faces already")
    made = replace(b, sheet=from_behind(a.sheet, about, 0.0), back_of=Turnover(front=front, about=about))
    rest = [each for each in job.boards if each.id != back]
    return Edit(
        "Join the faces", with_boards(job, [each for x in rest for each in ((x, made) if x.id == front else (x,))])
    )


def part_faces(job: Job, back: BoardId) -> Edit:
    """Let a back be a board on a sheet of its own again."""
    board = board_of(job, back)
    sheet = replace(_own_sheet(job, board), id=type(board.sheet.id)(f"sheet{next_number(job, 'sheet')}"))
    return Edit("Part the faces", with_board(job, back, lambda b: replace(b, back_of=None, sheet=sheet)))


def _own_sheet(job: Job, board: Board) -> Sheet:
    """The sheet of a board as the document has it: seen from its front."""
    return next(sheet for sheet in job.sheets if sheet.id == board.sheet.id)


def turn_over(job: Job, back: BoardId, **fields: Any) -> Edit:
    """How a back comes to lie up: about which edge, and held by what."""

    def change(board: Board) -> Board:
        assert board.back_of is not None
        over = replace(board.back_of, **fields)
        return replace(board, back_of=over, sheet=from_behind(_own_sheet(job, board), over.about, 0.0))

    return Edit("Turn over", with_board(job, back, change))
