"""``Job`` and ``Board``: everything a person makes, frozen. An edit gives a new job that shares the rest."""

from __future__ import annotations

from functools import cached_property

import msgspec

from archimetra.job.bits import Bit
from archimetra.job.cuts import CarveCut, Cut, HoleCut, PocketCut
from archimetra.job.ids import BitId, BoardId, CutId, InlayId, LayerId, ShapeId, next_id
from archimetra.job.inlays import Inlay
from archimetra.job.quantities import Unit
from archimetra.job.record import Record
from archimetra.job.shapes import Backdrop, Guide, Layer, Measure, Shape, Source
from archimetra.job.sheet import Fixture, Heights, Machine, Sheet, Zero
from archimetra.job.starter_rack import STARTER_BITS


class Board(Record, frozen=True, kw_only=True, dict=True):
    """One sheet with its artwork and its cuts in running order. ``bed_x, bed_y``: the sheet's front left corner
    on the machine's bed. ``margin`` (0 for none) is a set of guides that far inside the sheet's edges. With ``auto_order`` new
    cuts take the place in the running order that suits them; dragging one turns it off."""

    id: BoardId
    name: str
    sheet: Sheet
    zero: Zero = Zero()
    heights: Heights = Heights()
    bed_x: float = 0.0
    bed_y: float = 0.0
    fixtures: tuple[Fixture, ...] = ()
    auto_order: bool = False
    layers: tuple[Layer, ...] = ()
    shapes: tuple[Shape, ...] = ()
    cuts: tuple[Cut, ...] = ()
    sources: tuple[Source, ...] = ()
    backdrops: tuple[Backdrop, ...] = ()
    guides: tuple[Guide, ...] = ()
    margin: float = 0.0
    has_centre_lines: bool = False
    measures: tuple[Measure, ...] = ()

    @cached_property
    def _shapes_by_id(self) -> dict[ShapeId, Shape]:
        return {shape.id: shape for shape in self.shapes}

    def shape(self, id_: ShapeId) -> Shape | None:
        return self._shapes_by_id.get(id_)

    def layer(self, id_: LayerId) -> Layer | None:
        return next((layer for layer in self.layers if layer.id == id_), None)

    def cut(self, id_: CutId) -> Cut | None:
        return next((cut for cut in self.cuts if cut.id == id_), None)

    @property
    def flight(self) -> Heights:
        """The heights the bit travels at over this board."""
        return self.heights.over(self.fixtures)

    @property
    def dwells(self) -> dict[CutId, float]:
        """How long bits wait at the bottom of the holes they drill, s, by cut."""
        return {cut.id: cut.dwell_s for cut in self.cuts if isinstance(cut, HoleCut) and cut.dwell_s > 0}

    def shapes_of(self, cut: Cut) -> tuple[Shape, ...]:
        """The shapes a cut takes, in the cut's order, then those of the layer it follows; ones that are gone are passed
        over. A cut that clears the rest or the floor of another takes the other's."""
        cut = self.whose_shapes(cut)
        known = self._shapes_by_id
        own = tuple(known[id_] for id_ in cut.shapes if id_ in known)
        if not cut.layer:
            return own
        taken = set(cut.shapes)
        return own + tuple(s for s in self.shapes if s.layer == cut.layer and s.id not in taken)

    def whose_shapes(self, cut: Cut) -> Cut:
        """The cut whose shapes and depths count: itself, the first of the pockets it clears the rest of, or the V-carve whose
        floor that clears."""
        seen = set()
        while isinstance(cut, PocketCut) and (cut.rest_of or cut.floor_of) and cut.id not in seen:
            seen.add(cut.id)
            parent = self.cut(cut.rest_of or cut.floor_of)
            if not isinstance(parent, PocketCut if cut.rest_of else CarveCut):
                break
            cut = parent
        return cut


class Job(Record, frozen=True, kw_only=True, eq=False):
    """The whole document. ``typed`` remembers what was typed where it says more than the number, by
    ``owner.field``; a text that no longer comes to the number it stands for is ignored.

    ``numbers`` are the last ones given to ids of each kind. They stand beside the content: they never go back, undo included, and
    jobs that differ in nothing else are equal.
    """

    name: str = "Untitled"
    unit: Unit = Unit.MM
    controller: str = "rs274"
    output_unit: Unit = Unit.MM
    machine: Machine = Machine()
    bits: tuple[Bit, ...] = STARTER_BITS
    boards: tuple[Board, ...] = ()
    inlays: tuple[Inlay, ...] = ()
    typed: dict[str, str] = msgspec.field(default_factory=dict)
    numbers: dict[str, int] = msgspec.field(default_factory=dict)

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Job):
            return NotImplemented
        return self is other or all(getattr(self, name) == getattr(other, name) for name in _CONTENT)

    def __ne__(self, other: object) -> bool:  # not derived from the above: the base has one of its own
        return not self == other

    __hash__ = None  # type: ignore[assignment]  # it holds dictionaries

    def board(self, id_: BoardId) -> Board | None:
        return next((board for board in self.boards if board.id == id_), None)

    def inlay(self, id_: InlayId) -> Inlay | None:
        return next((inlay for inlay in self.inlays if inlay.id == id_), None)

    def bit(self, id_: BitId) -> Bit | None:
        return next((bit for bit in self.bits if bit.id == id_), None)


_CONTENT = tuple(name for name in Job.__struct_fields__ if name != "numbers")


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
    return msgspec.structs.replace(job, boards=(new_board(job, name="Board 1"),))
