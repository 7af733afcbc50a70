"""Each remedy mends what its finding tells: after it the finding is gone, and one undo brings it back."""

from __future__ import annotations

import pytest

from archimetra.base.findings import Finding, Severity, lengths_of, mm
from archimetra.checks.quieting import key_of, told
from archimetra.edits import cutting, looking
from archimetra.edits.finishing import finish_edit
from archimetra.edits.history import History
from archimetra.edits.remedies import REMEDIES, remedy_for
from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit, BitKind, Recipe
from archimetra.job.cut_parts import Entry, Overrides, Side, Tabs
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.ids import BitId, CutId, ShapeId
from archimetra.job.job import with_boards
from archimetra.job.marks import mark_at
from archimetra.job.sections import SectionLine
from archimetra.job.sheet import Heights, Machine, Sheet
from cutting_board import board_with
from shapes import replace, star, straight_bit

SHEET = Sheet(width=300, height=200, readings=(18.0,))
LONG = replace(straight_bit(6.0, cutting_length=32.0), id=BitId("bit9"), name="long 6 mm")
SHORT = straight_bit(6.0, cutting_length=8.0, recipe=Recipe(depth_per_pass=3.0))
VEE = Bit(
    id=BitId("bit1"),
    name="vee",
    kind=BitKind.VEE,
    diameter=32,
    angle=90,
    cutting_length=30,
    recipe=Recipe(depth_per_pass=14.0),
)


def nested():
    """An outline cut before what lies inside it."""
    job, board, cut = board_with(
        Path.rectangle(0, 0, 80, 60),
        kind=ProfileCut,
        sheet=SHEET,
        side=Side.OUTSIDE,
        goes_through=True,
        end_depth=0.0,
        tabs=Tabs(count=4),
    )
    inner = replace(board.shapes[0], id=ShapeId("inner"), paths=(Path.circle((40, 30), 8),), form=None)
    pocket = PocketCut(id=CutId("cut7"), name="Inner", bit=job.bits[0].id, shapes=(inner.id,), end_depth=3.0)
    board = replace(board, shapes=(*board.shapes, inner), cuts=(cut, pocket))
    return with_boards(job, (board,)), board


def one(path=None, *, kind=ProfileCut, bits=(), machine=None, heights=None, **fields):
    job, board, _ = board_with(path or star(), kind=kind, sheet=fields.pop("sheet", SHEET), **fields)
    board = replace(board, bed_x=20.0, bed_y=20.0, heights=heights or board.heights)
    return with_boards(replace(job, bits=(*job.bits, *bits)), (board,), machine=machine or job.machine), board


def thin_start():
    """A part with a tongue 3 mm wide, begun on the tongue."""
    tongue = Path.polyline([(0, 0), (60, 0), (60, 20), (90, 20), (90, 23), (60, 23), (60, 40), (0, 40)], closed=True)
    job, board = one(tongue, goes_through=True, end_depth=0.0, tabs=Tabs(count=4))
    x0, y0, _, _ = board.shapes[0].bounds()
    mark = mark_at(board.shapes[0], x0 + 75.0, y0 + 20.0)
    board = replace(board, cuts=(replace(board.cuts[0], starts=(mark,)),))
    return with_boards(job, (board,)), board


CASES = {
    "too-deep": lambda: one(end_depth=25.0),
    "floor-gone": lambda: one(kind=PocketCut, end_depth=18.1),
    "bit-too-short": lambda: one(kind=PocketCut, end_depth=12.0, bit=SHORT, bits=(LONG,)),
    "no-plunge": lambda: one(kind=PocketCut, bit=straight_bit(6.0, can_plunge=False), entry=Entry.PLUNGE),
    "loose-part": lambda: one(goes_through=True, end_depth=0.0),
    "one-tab": lambda: one(Path.rectangle(0, 0, 90, 60), goes_through=True, end_depth=0.0, tabs=Tabs(count=1)),
    "tab-thick": lambda: one(goes_through=True, end_depth=0.0, tabs=Tabs(count=3, thickness=19.0)),
    "pass-too-deep": lambda: one(kind=PocketCut, bit=SHORT, end_depth=6.0, run=Overrides(depth_per_pass=20.0)),
    "slot-heavy": lambda: one(kind=PocketCut, end_depth=12.0, run=Overrides(depth_per_pass=11.0)),
    "carve-heavy": lambda: one(Path.circle((0, 0), 14), kind=CarveCut, bit=VEE, end_depth=0.0),
    "spindle-limit": lambda: one(run=Overrides(spindle_rpm=60_000.0)),
    "feed-limit": lambda: one(run=Overrides(feed=40_000.0)),
    "out-of-travel": lambda: one(Path.rectangle(0, 0, 60, 280), machine=Machine(travel_x=400, travel_y=200), sheet=Sheet(width=190, height=360, readings=(18.0,))),
    "start-thin": lambda: thin_start(),
    "out-of-travel-z": lambda: one(machine=Machine(travel_z=60), heights=Heights(travel=15, park=50)),
}  # fmt: skip


def codes(job, board_id) -> list[str]:
    return [f.code for f in plan_board(job, job.board(board_id), {}).findings]


def told_in(job, board_id, code) -> Finding:
    return next(f for f in plan_board(job, job.board(board_id), {}).findings if f.code == code)


@pytest.mark.parametrize("code", CASES)
def test_it_mends_what_is_told(code):
    job, board = CASES[code]()
    finding = told_in(job, board.id, code)
    made = remedy_for(job, board, finding)
    assert made is not None, finding.sentence
    words, edit = made
    assert words == REMEDIES[code].words
    history = History(job)
    assert history.apply(edit)
    assert code not in codes(history.job, board.id)
    history.undo()
    assert code in codes(history.job, board.id)


def test_the_order_mends_by_itself():
    job, board = nested()
    _, edit = remedy_for(job, job.boards[0], told_in(job, board.id, "order-inside"))
    mended = finish_edit(job, edit.job)
    assert "order-inside" not in codes(mended, board.id)
    assert [cut.name for cut in mended.boards[0].cuts] == ["Inner", board.cuts[0].name]


def test_a_start_is_told_on_a_tongue_and_not_where_the_part_is_thick():
    job, board = thin_start()
    x0, y0, _, _ = board.shapes[0].bounds()
    for dx, dy, is_told in ((30.0, 0.0, False), (0.0, 20.0, False), (75.0, 23.0, True), (90.0, 21.5, True)):
        mark = mark_at(board.shapes[0], x0 + dx, y0 + dy)
        marked = replace(board, cuts=(replace(board.cuts[0], starts=(mark,)),))
        found = codes(with_boards(job, (marked,)), board.id)
        assert ("start-thin" in found) == is_told, (dx, dy)


def test_what_needs_a_choice_has_no_button():
    job, board = one(end_depth=6.0, kind=PocketCut, bit=SHORT)
    for code in ("off-sheet", "pieces-touch", "drill-sideways", "nothing-known"):
        assert remedy_for(job, board, Finding(code, Severity.STOP, "")) is None
    deep, there = one(kind=PocketCut, end_depth=12.0, bit=SHORT)
    assert (
        remedy_for(deep, there, told_in(deep, there.id, "bit-too-short")) is None
    )  # there is no longer bit in the job
    assert remedy_for(job, board, Finding("too-deep", Severity.STOP, "", subject="gone")) is None


def test_lengths_within_words():
    assert lengths_of(f"from {mm(3.5)} to {mm(-2)}, not 7") == [3.5, -2.0]
    assert lengths_of("none") == []


class TestDismissing:
    def test_it_is_quiet_until_what_it_speaks_of_changes(self):
        job, board = one(end_depth=25.0)
        finding = told_in(job, board.id, "too-deep")
        quiet = looking.dismiss(job, board.id, key_of(finding)).job
        here = quiet.boards[0]
        assert finding.code not in [f.code for f in told(plan_board(quiet, here, {}).findings, here.dismissed)]
        assert looking.dismiss(quiet, board.id, key_of(finding)).job.boards[0].dismissed == here.dismissed
        deeper = cutting.change_cut(quiet, here.cuts[0].id, "", end_depth=26.0).job
        again = deeper.boards[0]
        assert finding.code in [f.code for f in told(plan_board(deeper, again, {}).findings, again.dismissed)]
        assert looking.recall(quiet, board.id).job.boards[0].dismissed == ()

    def test_two_places_of_one_kind_are_two(self):
        a = Finding("x", Severity.NOTE, "said", at=(1.0, 2.0))
        keys = {
            key_of(a),
            key_of(replace(a, at=(1.0, 2.1))),
            key_of(replace(a, words="other")),
            key_of(replace(a, subject="cut1")),
        }
        assert len(keys) == 4
        assert key_of(a) == key_of(replace(a, at=(1.0 + 1e-6, 2.0)))


class TestSectionLines:
    def test_they_are_placed_added_removed_and_turn_with_the_board(self):
        from archimetra.edits.basic import turn_quarter

        job, board = one()
        moved = looking.place_section(job, board.id, 0, ((10.0, 20.0), (200.0, 20.0))).job
        assert moved.boards[0].sections == (SectionLine(x0=10.0, y0=20.0, x1=200.0, y1=20.0),)
        edit, number = looking.add_section(moved, board.id, ((30.0, 0.0), (30.0, 90.0)))
        assert number == 1
        gone = looking.remove_section(edit.job, board.id, 0).job
        assert [s.ends for s in gone.boards[0].sections] == [((30.0, 0.0), (30.0, 90.0))]
        turned = turn_quarter(gone, board.id).job.boards[0].sections[0]
        assert turned.ends == ((SHEET.height, 30.0), (SHEET.height - 90.0, 30.0))

    def test_a_line_of_no_length_stays_where_it_was_and_there_are_as_many_as_letters(self):
        job, board = one()
        assert looking.place_section(job, board.id, 0, ((5.0, 5.0), (5.0, 5.2))).job is job
        with pytest.raises(ValueError, match="at least 1 mm"):
            SectionLine(x0=0.0, y0=0.0, x1=0.0, y1=0.5)
        for _ in range(25):
            job = looking.add_section(job, board.id, ((0.0, 10.0), (50.0, 10.0)))[0].job
        assert len(job.boards[0].sections) == 26
        with pytest.raises(ValueError, match="at most 26"):
            looking.add_section(job, board.id, ((0.0, 10.0), (50.0, 10.0)))
