"""``Job`` and ``Board``: everything a person makes, frozen. An edit gives a new job that shares the rest."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from operator import is_
from typing import Any, NamedTuple

import msgspec

from archimetra.job.bits import Bit
from archimetra.job.cuts import Cut
from archimetra.job.flat import Made, by_base, flat_cut, flat_shapes, stored_cut, taken_in
from archimetra.job.ids import BitId, BoardId, CutId, InlayId, LayerId, PartId, ShapeId, SheetId, last_number, next_id
from archimetra.job.inlays import Inlay
from archimetra.job.parts import Instance, Part
from archimetra.job.quantities import Unit
from archimetra.job.record import Record
from archimetra.job.require import require
from archimetra.job.sections import MOST_SECTIONS, SectionLine
from archimetra.job.setups import Tiling, Turnover
from archimetra.job.shapes import Backdrop, Guide, Layer, Measure, Shape, Source
from archimetra.job.sheet import Fixture, Heights, Machine, Sheet, Zero
from archimetra.job.starter_rack import STARTER_BITS
from archimetra.job.turning import from_behind, from_the_front
from archimetra.job.written import Written

replace = msgspec.structs.replace
MOST_DISMISSED = 1000


class _OnASheet(Record, frozen=True, kw_only=True):
    """What a board holds itself, whichever form it is in."""

    id: BoardId
    name: str
    zero: Zero = Zero()
    heights: Heights = Heights()
    bed_x: float = 0.0
    bed_y: float = 0.0
    quarter_turns: int = 0
    tiling: Tiling | None = None
    back_of: Turnover | None = None
    fixtures: tuple[Fixture, ...] = ()
    auto_order: bool = False
    piece_by_piece: bool = False
    layers: tuple[Layer, ...] = ()
    shapes: tuple[Shape, ...] = ()
    sources: tuple[Source, ...] = ()
    backdrops: tuple[Backdrop, ...] = ()
    guides: tuple[Guide, ...] = ()
    margin: float = 0.0
    has_centre_lines: bool = False
    measures: tuple[Measure, ...] = ()
    instances: tuple[Instance, ...] = ()
    sections: tuple[SectionLine, ...] = ()
    dismissed: tuple[str, ...] = ()
    written: Written | None = None

    def __post_init__(self) -> None:
        require(len(self.sections) <= MOST_SECTIONS, f"a board has at most {MOST_SECTIONS} section lines")
        require(
            len(self.dismissed) <= MOST_DISMISSED and all(len(key) <= 80 for key in self.dismissed),
            f"a board keeps at most {MOST_DISMISSED} dismissed findings",
        )
        require(0 <= self.quarter_turns <= 3, "a board lies turned by 0 to 3 quarter turns")


class StoredBoard(_OnASheet, frozen=True, kw_only=True, dict=True):
    """A board as the document keeps it: it names its ``sheet`` and, in running ``order``, the cuts that have something on it. ``shapes``
    are its own, those of its ``instances`` their parts'."""

    sheet: SheetId
    order: tuple[CutId, ...] = ()


class Board(_OnASheet, frozen=True, kw_only=True, dict=True):
    """Work on one sheet, with the sheet and its cuts in running order at hand: what everything but the document works on. Among its
    ``shapes`` are those of its ``instances`` (see ``job.flat``). ``bed_x,
    bed_y``: where the front left corner of the sheet lies on the machine's bed, as it lies: turned counter-clockwise by ``quarter_turns``. With a
    ``tiling`` it is cut in several setups. ``back_of`` says which board this is the back of. ``margin`` (0 for none) is a set of guides that far inside the
    sheet's edges. ``sections`` are the lines it is cut along to be looked at, ``dismissed`` the keys of findings that stay quiet,
    ``written`` what was last written of it. With ``auto_order`` cuts stand in the running order that suits them; dragging one turns it off. With ``piece_by_piece``
    what one bit does is done for one piece of a part after the other."""

    sheet: Sheet
    cuts: tuple[Cut, ...] = ()

    @cached_property
    def _shapes_by_id(self) -> dict[ShapeId, Shape]:
        return {shape.id: shape for shape in self.shapes}

    def shape(self, id_: ShapeId) -> Shape | None:
        """The shape of that id, None where there is none."""
        return self._shapes_by_id.get(id_)

    def layer(self, id_: LayerId) -> Layer | None:
        """The layer of that id, None where there is none."""
        return next((layer for layer in self.layers if layer.id == id_), None)

    def cut(self, id_: CutId) -> Cut | None:
        """The cut of that id, None where there is none."""
        return next((cut for cut in self.cuts if cut.id == id_), None)

    @property
    def travel_heights(self) -> Heights:
        """The heights the bit travels at over this board."""
        return self.heights.over(self.fixtures)

    @property
    def dwells(self) -> dict[CutId, float]:
        """How long bits wait at the bottom of the holes they drill, s, by cut."""
        return {cut.id: cut.waits_s for cut in self.cuts if cut.waits_s > 0}

    def shapes_of(self, cut: Cut) -> tuple[Shape, ...]:
        """The shapes a cut takes, in the cut's order, then those of the layer it follows; ones that are gone are passed
        over. A cut that clears the rest or the floor of another takes the other's."""
        cut = self.root_cut(cut)
        known = self._shapes_by_id
        own = tuple(known[id_] for id_ in cut.shapes if id_ in known)
        if not cut.layer:
            return own
        taken = set(cut.shapes)
        return own + tuple(s for s in self.shapes if s.layer == cut.layer and s.id not in taken)

    def root_cut(self, cut: Cut) -> Cut:
        """The cut whose shapes and depths count: itself, the first of the pockets it clears the rest of, or the V-carve whose
        floor that clears."""
        seen = set()
        while cut.clears is not None and cut.id not in seen:
            seen.add(cut.id)
            parent = self.cut(cut.parent)
            if parent is None or parent.leftover is not cut.clears:
                break
            cut = parent
        return cut


class Job(Record, frozen=True, kw_only=True, eq=False, dict=True):
    """The whole document. Sheets and cuts are its own, boards (``stored``) name them; ``boards`` has them put together, and
    ``with_boards`` takes changed ones in. ``typed`` remembers what was typed where it says more than the number, by
    ``owner.field``; a text that no longer comes to the number it stands for is ignored.

    ``numbers`` are the last ones given to ids of each kind. They stand beside the content: they never go back, undo included, and
    jobs that differ in nothing else are equal.
    """

    name: str = "Untitled"
    unit: Unit = Unit.MM
    controller: str = "rs274"
    controller_text: str = ""
    output_unit: Unit = Unit.MM
    machine: Machine = Machine()
    bits: tuple[Bit, ...] = STARTER_BITS
    sheets: tuple[Sheet, ...] = ()
    cuts: tuple[Cut, ...] = ()
    stored: tuple[StoredBoard, ...] = msgspec.field(default=(), name="boards")
    inlays: tuple[Inlay, ...] = ()
    parts: tuple[Part, ...] = ()
    typed: dict[str, str] = msgspec.field(default_factory=dict)
    numbers: dict[str, int] = msgspec.field(default_factory=dict)

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Job):
            return NotImplemented
        return self is other or all(getattr(self, name) == getattr(other, name) for name in _CONTENT)

    def __ne__(self, other: object) -> bool:  # not derived from the above: the base has one of its own
        return not self == other

    __hash__ = None  # type: ignore[assignment]  # it holds dictionaries

    @cached_property
    def boards(self) -> tuple[Board, ...]:
        """The boards with their sheets and cuts. A board of which nothing changed is the same object as in the job before."""
        sheets = {sheet.id: sheet for sheet in self.sheets}
        cuts = {cut.id: cut for cut in self.cuts}
        parts = {part.id: part for part in self.parts}
        known = {stored.id: stored for stored in self.stored}
        out = []
        for stored in self.stored:
            sheet, over = sheets[stored.sheet], stored.back_of
            if over is not None:
                front = known.get(over.front)
                faced = _faced(sheet, [cuts[id_] for id_ in front.order]) if front is not None else 0.0
                sheet = from_behind(sheet, over.about, faced)
            out.append(_put_together(stored, sheet, [cuts[id_] for id_ in stored.order], parts))
        return tuple(out)

    def back_of(self, id_: BoardId) -> Board | None:
        """The board that is the back of that one; None where it has none."""
        return next((board for board in self.boards if board.back_of is not None and board.back_of.front == id_), None)

    def board(self, id_: BoardId) -> Board | None:
        """The board of that id, put together with its sheet and cuts; None where there is none."""
        return next((board for board in self.boards if board.id == id_), None)

    def inlay(self, id_: InlayId) -> Inlay | None:
        """The inlay of that id, None where there is none."""
        return next((inlay for inlay in self.inlays if inlay.id == id_), None)

    def part(self, id_: PartId) -> Part | None:
        """The part of that id, None where there is none."""
        return next((part for part in self.parts if part.id == id_), None)

    def bit(self, id_: BitId) -> Bit | None:
        """The bit of that id, None where there is none."""
        return next((bit for bit in self.bits if bit.id == id_), None)


_CONTENT = tuple(name for name in Job.__struct_fields__ if name != "numbers")


def with_boards(job: Job, boards: Sequence[Board], **fields: Any) -> Job:
    """The job with these boards in this order, and other fields of it changed. A sheet or a cut that several boards name and one of
    them has otherwise than before is that one's for all; those that no board names any more go, those that none named stay.
    A sheet without an id is a new one, or the board's own with other sizes where the board is known."""
    job = replace(job, **fields) if fields else job
    known = {stored.id: stored for stored in job.stored}
    parts = {part.id: part for part in job.parts}
    old_sheets = {sheet.id: sheet for sheet in job.sheets}
    old_cuts = {cut.id: cut for cut in job.cuts}
    sheets = _Gathered(old_sheets, {stored.sheet for stored in job.stored})
    cuts = _Gathered(old_cuts, {id_ for stored in job.stored for id_ in stored.order})
    given = _SheetIds(job, boards)
    stored_boards = []
    for board in boards:
        stored = known.get(board.id)
        if stored is not None and _whole_of(stored) is board:
            sheets.take(old_sheets[stored.sheet])
            cuts.take(*[old_cuts[id_] for id_ in stored.order])
            stored_boards.append(stored)
            continue
        sheet = board.sheet
        if not sheet.id:
            sheet = replace(sheet, id=stored.sheet if stored is not None else given.next())
            board = replace(board, sheet=sheet)
        sheets.take(sheet if board.back_of is None else _of_the_front(board, stored, old_sheets))
        fresh, own_cuts, changed = _taken_apart(board, stored, old_cuts, parts)
        parts |= changed
        cuts.take(*own_cuts)
        stored_boards.append(fresh)
    more: dict[str, Any] = {"sheets": sheets.all(), "cuts": cuts.all(), "stored": tuple(stored_boards)}
    if any(parts[part.id] is not part for part in job.parts):
        more["parts"] = tuple(parts[part.id] for part in job.parts)
    return replace(job, **more)


def _faced(sheet: Sheet, cuts: Sequence[Cut]) -> float:
    """What facing all of one face takes off a sheet."""
    taken = 0.0
    for cut in cuts:
        if cut.is_on and cut.lowers_face and cut.takes_whole_sheet:
            left = replace(sheet, readings=(max(sheet.thickest - taken, 0.1),))
            taken += cut.depth(left)
    return taken


def _of_the_front(board: Board, stored: StoredBoard | None, sheets: dict[SheetId, Sheet]) -> Sheet:
    """The sheet a back shows from behind, with what was changed of it there. ``sheets`` are those of the job before."""
    assert board.back_of is not None
    about, origin = board.back_of.about, sheets.get(board.sheet.id)
    if origin is None:
        return from_the_front(board.sheet, about, 0.0)
    whole = _whole_of(stored) if stored is not None else None
    is_new = whole is None or whole.sheet.id != origin.id or whole.back_of is None or whole.back_of.about is not about
    faced = 0.0 if is_new or whole is None else origin.thickest - whole.sheet.thickest
    if board.sheet == (from_behind(origin, about, faced) if is_new or whole is None else whole.sheet):
        return origin
    return from_the_front(board.sheet, about, faced)


class _Source(NamedTuple):
    """What a board was put together from."""

    sheet: Sheet
    cuts: tuple[Cut, ...]
    made: dict[ShapeId, Made]


def _whole_of(stored: StoredBoard) -> Board | None:
    return stored.__dict__.get("whole")


def _taken_apart(
    board: Board, stored: StoredBoard | None, old_cuts: dict[CutId, Cut], parts: dict[PartId, Part]
) -> tuple[StoredBoard, list[Cut], dict[PartId, Part]]:
    """A changed board as the document keeps it, its cuts likewise, and the parts that were changed with it."""
    own = {name: getattr(board, name) for name in _OnASheet.__struct_fields__}
    order = tuple(cut.id for cut in board.cuts)
    source: _Source | None = stored.__dict__.get("source") if stored is not None else None
    made = source.made if source is not None else {}
    if not made and not board.instances:
        fresh = StoredBoard(**own, sheet=board.sheet.id, order=order)
        fresh.__dict__["whole"] = board
        fresh.__dict__["source"] = _Source(board.sheet, board.cuts, {})
        return fresh, list(board.cuts), {}
    taken = taken_in(board.shapes, board.instances, made, parts)
    whole = _whole_of(stored) if stored is not None else None
    flat_before = {cut.id: cut for cut in whole.cuts} if whole is not None else {}
    cuts = []
    for cut in board.cuts:
        was, before = old_cuts.get(cut.id), flat_before.get(cut.id)
        kept = was if was is not None and cut is before else stored_cut(cut, before, taken.gone)
        cuts.append(was if was is not None and kept == was else kept)
    own |= {"shapes": taken.shapes, "instances": taken.instances}
    fresh = StoredBoard(**own, sheet=board.sheet.id, order=order)
    if source is not None:
        fresh.__dict__["source"] = source  # shapes made of the same are kept
    return fresh, cuts, taken.parts


class _Gathered:
    """What boards name, each sheet or cut once, those known before in the order they had."""

    def __init__(self, old: dict[Any, Any], named: set[Any]) -> None:
        self._old, self._named = old, named
        self._now: dict[Any, Any] = {}

    def take(self, *things: Sheet | Cut) -> None:
        for thing in things:
            if thing.id not in self._now or thing is not self._old.get(thing.id):
                self._now[thing.id] = thing

    def all(self) -> tuple[Any, ...]:
        kept = [
            self._now.get(id_, thing) for id_, thing in self._old.items() if id_ in self._now or id_ not in self._named
        ]
        return (*kept, *(thing for id_, thing in self._now.items() if id_ not in self._old))


class _SheetIds:
    """Ids for sheets that are new to a job."""

    def __init__(self, job: Job, boards: Sequence[Board]) -> None:
        taken = [sheet.id for sheet in job.sheets] + [board.sheet.id for board in boards]
        self._last = max(last_number("sheet", taken), job.numbers.get("sheet", 0))

    def next(self) -> SheetId:
        self._last += 1
        return SheetId(f"sheet{self._last}")


def _put_together(stored: StoredBoard, sheet: Sheet, cuts: Sequence[Cut], parts: dict[PartId, Part]) -> Board:
    whole = _whole_of(stored)
    source: _Source | None = stored.__dict__.get("source")
    made = flat_shapes(stored.instances, parts, source.made if source is not None else {}) if stored.instances else {}
    if (
        whole is not None
        and source is not None
        and source.sheet is sheet
        and len(source.cuts) == len(cuts)
        and all(map(is_, source.cuts, cuts))
        and len(made) == len(source.made)
        and all(source.made.get(id_) is each for id_, each in made.items())
    ):
        return whole
    own = {name: getattr(stored, name) for name in _OnASheet.__struct_fields__}
    flats = by_base(made)
    known = {cut.id: (cut, flat) for cut, flat in zip(source.cuts, whole.cuts, strict=True)} if whole and source else {}
    is_same = whole is not None and source is not None and list(made) == list(source.made)
    own["shapes"] = (*stored.shapes, *[each.flat for each in made.values()]) if made else stored.shapes
    flat_cuts = []
    for cut in cuts:
        was, flat = known.get(cut.id, (None, None))
        flat_cuts.append(flat if flat is not None and was is cut and is_same else flat_cut(cut, flats))
    whole = Board(**own, sheet=sheet, cuts=tuple(flat_cuts))
    stored.__dict__["whole"] = whole
    stored.__dict__["source"] = _Source(sheet, tuple(cuts), made)
    return whole


def new_board(job: Job, *, name: str = "Board") -> Board:
    return Board(
        id=BoardId(next_id("board", [board.id for board in job.boards], job.numbers)),
        name=name,
        sheet=Sheet(width=400.0, height=300.0, readings=(18.0,)),
        heights=Heights(follows_clamps=True),
        auto_order=True,
    )


def new_job() -> Job:
    """An empty job with one board and the starter rack."""
    job = Job()
    return with_boards(job, (new_board(job, name="Board 1"),))
