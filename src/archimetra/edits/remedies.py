"""What mends a finding in one press, by its code. A finding without a row here needs a person's choice; its own words say which."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

from archimetra.base.findings import Finding, lengths_of
from archimetra.edits import basic, cutting, inlaying, placing, setups
from archimetra.edits.edit import Edit, replace
from archimetra.job.bits import Bit
from archimetra.job.cut_parts import DepthFrom, Entry
from archimetra.job.cuts import Cut
from archimetra.job.ids import CutId
from archimetra.job.inlays import Inlay
from archimetra.job.job import Board, Job
from archimetra.job.recipes import limit_to_machine
from archimetra.job.setups import TileBy
from archimetra.job.sheet import ZeroZ

HELD_BY_TABS = 4  # to begin with; a piece too small for so many gets what fits
_SHARE_OF_SHEET = 0.3  # of its thickness, as a tab's


class Case(NamedTuple):
    """A finding with what it speaks of; ``pins`` are places its plan has found for pins."""

    job: Job
    board: Board
    finding: Finding
    pins: tuple[tuple[float, float], ...] = ()

    @property
    def cut(self) -> Cut | None:
        return self.board.cut(CutId(self.finding.subject))

    @property
    def bit(self) -> Bit | None:
        return self.job.bit(self.cut.bit) if self.cut is not None else None

    def change(self, words: str, **fields: Any) -> Edit | None:
        """The cut with other settings."""
        return cutting.change_cut(self.job, self.cut.id, words, **fields) if self.cut is not None else None

    @property
    def asked(self) -> float | None:
        """The last length its advice names, mm."""
        lengths = lengths_of(self.finding.mend)
        return lengths[-1] if lengths else None


class Remedy(NamedTuple):
    """``words`` stand on its button. ``make`` gives the edit, None where it does not apply to this case."""

    words: str
    make: Callable[[Case], Edit | None]


def remedy_for(
    job: Job, board: Board, finding: Finding, pins: Sequence[tuple[float, float]] = ()
) -> tuple[str, Edit] | None:
    """What one press would do about a finding, if anything. ``pins`` are the places the board's plan has found for pins."""
    row = REMEDIES.get(finding.code)
    if row is None:
        return None
    try:
        edit = row.make(Case(job, board, finding, tuple(pins)))
    except ValueError:  # a limit of the document stands against it
        return None
    return (row.words, edit) if edit is not None and edit.job is not job else None


# ---- the remedies


def _zero_back(case: Case) -> Edit | None:
    written = case.board.written
    if written is None:
        return None
    return replace(basic.set_zero(case.job, case.board.id, written.zero), label="Put zero back")


def _mirrored(case: Case) -> Edit | None:
    cut = case.cut
    if cut is None:
        return None
    ids = [shape.id for shape in case.board.shapes_of(cut)]
    return placing.mirror(case.job, case.board.id, ids, is_across=True)[0]


def _through(case: Case) -> Edit | None:
    return case.change("Let it go through", goes_through=True, depth_from=DepthFrom.FACE)


def _longer_bit(case: Case) -> Edit | None:
    """A bit of the job that is just like it, but cuts as deep as is asked."""
    bit, depth = case.bit, lengths_of(case.finding.words)
    if bit is None or not depth:
        return None
    fitting = [
        one for one in case.job.bits
        if one.kind is bit.kind and abs(one.diameter - bit.diameter) < 0.05 and one.cutting_length >= depth[0] - 1e-6
        and (one.angle, one.tip_flat, one.tip_ball) == (bit.angle, bit.tip_flat, bit.tip_ball)
    ]  # fmt: skip
    return case.change("Use a longer bit", bit=min(fitting, key=lambda one: one.cutting_length).id) if fitting else None


def _by_ramp(case: Case) -> Edit | None:
    cut = case.cut
    return case.change("Enter by a ramp", entry=Entry.RAMP) if cut is not None and cut.has_entries else None


def _tabs(case: Case) -> Edit | None:
    cut = case.cut
    if cut is None or cut.bridges is None:
        return None
    tabs = replace(cut.bridges, count=max(cut.bridges.count, HELD_BY_TABS))
    if tabs.thickness >= 0.8 * case.board.sheet.thinnest:
        tabs = replace(tabs, thickness=round(_SHARE_OF_SHEET * case.board.sheet.thinnest, 1))
    return case.change("Add tabs", tabs=tabs)


def _thinner_tabs(case: Case) -> Edit | None:
    cut = case.cut
    if cut is None or cut.bridges is None:
        return None
    thin = max(round(_SHARE_OF_SHEET * case.board.sheet.thinnest, 1), 0.1)
    return case.change("Make tabs thinner", tabs=replace(cut.bridges, thickness=thin))


def _sorted(case: Case) -> Edit | None:
    return replace(cutting.order_by_itself(case.job, case.board.id), label="Sort the cuts")


def _shallower_pass(case: Case) -> Edit | None:
    bit, cut = case.bit, case.cut
    if bit is None or cut is None:
        return None
    return cutting.override(
        case.job, (cut.id,), "depth_per_pass", min(case.asked or bit.cutting_length, bit.cutting_length)
    )


def _speed_of_machine(case: Case) -> Edit | None:
    bit, cut = case.bit, case.cut
    if bit is None or cut is None:
        return None
    asked = cut.recipe(bit, case.board.sheet.material)
    can = limit_to_machine(asked, case.job.machine).recipe
    job = case.job
    for name in ("spindle_rpm", "feed", "plunge"):
        if getattr(can, name) != getattr(asked, name):
            job = cutting.override(job, (cut.id,), name, getattr(can, name)).job
    return Edit("Set the machine's speed", job)


def _lower_park(case: Case) -> Edit | None:
    heights = case.board.heights
    over = lengths_of(case.finding.words)
    if len(over) < 2:
        return None
    park = round(heights.park - (over[0] - over[1]) - 0.05, 1)
    if park < case.board.travel_heights.travel:
        return None
    changed = replace(heights, park=park)
    return basic.change_board(case.job, case.board.id, "Lower the park height", heights=changed)


def _fit_on_machine(case: Case) -> Edit | None:
    """As its advice says: turned, or in tiles."""
    board = case.board
    if "turned a quarter" in case.finding.mend:
        return setups.lie(case.job, board.id, (board.quarter_turns + 1) % 4)
    if "in tiles" in case.finding.mend:
        return setups.tile(case.job, board.id, TileBy.GRID)
    if "seams to be found" in case.finding.mend:
        return setups.find_seams(case.job, board.id)
    if "on the bed" in case.finding.mend and (board.bed_x, board.bed_y) != (0.0, 0.0):
        return basic.change_board(case.job, board.id, "Move the sheet on the bed", bed_x=0.0, bed_y=0.0)
    return None


def _pins(case: Case) -> Edit | None:
    return setups.place_pins(case.job, case.board.id, case.pins) if case.pins else None


def _zero_on_spoilboard(case: Case) -> Edit | None:
    zero = replace(case.board.zero, z=ZeroZ.SPOILBOARD)
    return basic.set_zero(case.job, case.board.id, zero)


def _inlay(case: Case) -> Inlay | None:
    return inlaying.inlay_of(case.job, case.cut) if case.cut is not None else None


def _wider_margin(case: Case) -> Edit | None:
    inlay, asked = _inlay(case), case.asked
    return (
        inlaying.change_inlay(case.job, inlay.id, "Widen the margin", margin=asked + 0.1) if inlay and asked else None
    )


def _more_glue(case: Case) -> Edit | None:
    inlay, asked = _inlay(case), case.asked
    return (
        inlaying.change_inlay(case.job, inlay.id, "Leave room for glue", glue_gap=asked + 0.01)
        if inlay and asked
        else None
    )


def _switched_on(case: Case) -> Edit | None:
    return case.change("Switch it on", is_on=True)


def _parent_on(case: Case) -> Edit | None:
    cut = case.cut
    parent = case.board.cut(cut.parent) if cut is not None else None
    return cutting.change_cut(case.job, parent.id, "Switch it on", is_on=True) if parent is not None else None


REMEDIES: dict[str, Remedy] = {
    "too-deep": Remedy("Let it go through", _through),
    "floor-gone": Remedy("Let it go through", _through),
    "bit-too-short": Remedy("Use a longer bit", _longer_bit),
    "no-plunge": Remedy("Enter by a ramp", _by_ramp),
    "loose-part": Remedy("Add tabs", _tabs),
    "one-tab": Remedy("Add tabs", _tabs),
    "tab-thick": Remedy("Make tabs thinner", _thinner_tabs),
    "order-inside": Remedy("Sort the cuts", _sorted),
    "rest-order": Remedy("Sort the cuts", _sorted),
    "floor-order": Remedy("Sort the cuts", _sorted),
    "facing-late": Remedy("Sort the cuts", _sorted),
    "pass-too-deep": Remedy("Shallower passes", _shallower_pass),
    "carve-heavy": Remedy("Shallower passes", _shallower_pass),
    "slot-heavy": Remedy("Shallower passes", _shallower_pass),
    "spindle-limit": Remedy("Keep to its limits", _speed_of_machine),
    "feed-limit": Remedy("Keep to its limits", _speed_of_machine),
    "out-of-travel": Remedy("Make it fit the machine", _fit_on_machine),
    "out-of-travel-z": Remedy("Lower the park height", _lower_park),
    "pins-missing": Remedy("Place the pins", _pins),
    "start-thin": Remedy("Let it be chosen", lambda case: case.change("Choose the start", starts=())),
    "touch-off-gone": Remedy("Zero on the spoilboard", _zero_on_spoilboard),
    "plug-not-mirrored": Remedy("Mirror its shapes", _mirrored),
    "zero-since-written": Remedy("Put zero back", _zero_back),
    "inlay-margin": Remedy("Widen the margin", _wider_margin),
    "inlay-bottoms": Remedy("More room for glue", _more_glue),
    "inlay-half": Remedy("Switch it on", _switched_on),
    "rest-alone": Remedy("Switch it on", _parent_on),
}
