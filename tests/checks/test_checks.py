"""Each check tells what would spoil work, once, at its cut, with a way to mend it; and stays silent on sound work."""

from __future__ import annotations

import importlib
import inspect
import re
from pathlib import Path as FilePath

import pytest

from archimetra import checks
from archimetra.base.findings import Severity
from archimetra.checks.board_checks import CHECKS
from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit, BitKind, Recipe
from archimetra.job.cut_parts import Entry, Overrides, Side, Tabs
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.hole import HoleCut, HoleMethod
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.cuts.slot import SlotCut
from archimetra.job.ids import BitId
from archimetra.job.job import with_boards
from archimetra.job.quantities import Unit, lengths_in
from archimetra.job.sheet import HoldDown, Machine, Sheet
from cutting_board import board_with
from shapes import replace, star, straight_bit

SHORT = straight_bit(6.0, cutting_length=8.0, recipe=Recipe(depth_per_pass=4.0))
SURFACER = straight_bit(20.0, can_plunge=False, cutting_length=30.0)
DRILL = Bit(id=BitId("bit1"), name="drill", kind=BitKind.DRILL, diameter=5.0, cutting_length=40.0, angle=118.0)
KEYHOLE = Bit(id=BitId("bit1"), name="keyhole", kind=BitKind.KEYHOLE, diameter=9.5, cutting_length=11.0)
HOLE = Path.circle((0, 0), 2.5)


def found(*paths, kind, machine=None, **fields):
    job, board, _ = board_with(*paths, kind=kind, **fields)
    board = replace(board, bed_x=50.0, bed_y=50.0)
    job = with_boards(job, (board,), machine=machine or job.machine)
    return plan_board(job, board, {}).findings


class TestEachIsTold:
    @pytest.mark.parametrize(
        ("code", "severity", "kind", "path", "fields"),
        [
            ("too-deep", Severity.STOP, PocketCut, star(), {"end_depth": 30.0}),
            ("too-deep", Severity.STOP, ProfileCut, star(), {"end_depth": 19.0, "goes_through": False}),
            ("floor-gone", Severity.CAUTION, PocketCut, star(), {"end_depth": 18.1}),
            ("floor-gone", Severity.CAUTION, EngraveCut, star(), {"end_depth": 18.0}),
            ("facing-deep", Severity.CAUTION, FacingCut, star(), {"end_depth": 12.0}),
            ("bit-too-short", Severity.STOP, PocketCut, star(), {"end_depth": 12.0, "bit": SHORT}),
            ("bit-too-short", Severity.STOP, HoleCut, HOLE, {"end_depth": 12.0, "bit": SHORT}),
            (
                "pass-too-deep",
                Severity.CAUTION,
                PocketCut,
                star(),
                {"bit": SHORT, "run": Overrides(depth_per_pass=20.0)},
            ),
            ("finish-deep", Severity.CAUTION, ProfileCut, star(), {"bit": SHORT, "finish": 0.3, "goes_through": True}),
            ("no-plunge", Severity.STOP, PocketCut, star(), {"bit": SURFACER, "entry": Entry.PLUNGE}),
            ("no-plunge", Severity.STOP, EngraveCut, star(), {"bit": SURFACER, "entry": Entry.PLUNGE}),
            (
                "no-plunge",
                Severity.STOP,
                HoleCut,
                Path.circle((0, 0), 13),
                {"bit": SURFACER, "method": HoleMethod.DRILL},
            ),
            ("drill-sideways", Severity.STOP, PocketCut, star(), {"bit": DRILL}),
            ("undercut-bit", Severity.STOP, PocketCut, star(), {"bit": KEYHOLE}),
            (
                "tab-thick",
                Severity.CAUTION,
                ProfileCut,
                star(),
                {"goes_through": True, "tabs": Tabs(count=3, thickness=18.0)},
            ),
            ("loose-part", Severity.CAUTION, ProfileCut, star(), {"goes_through": True, "tabs": Tabs(count=0)}),
            ("depth-zero", Severity.STOP, PocketCut, star(), {"end_depth": 0.0}),
            (
                "slot-shallow",
                Severity.STOP,
                SlotCut,
                Path.polyline([(0, 0), (20, 0)], closed=False),
                {"bit": KEYHOLE, "end_depth": 3.0},
            ),
            ("area-open", Severity.STOP, PocketCut, Path.polyline([(0, 0), (20, 0), (20, 20)], closed=False), {}),
            (
                "pocket-ridges",
                Severity.CAUTION,
                PocketCut,
                star(),
                {"bit": Bit(id=BitId("bit1"), name="V", kind=BitKind.VEE, diameter=6.0)},
            ),
        ],
    )
    def test_once_at_its_cut_with_a_way_out(self, code, severity, kind, path, fields):
        told = [f for f in found(path, kind=kind, **fields) if f.code == code]
        assert len(told) == 1
        assert told[0].severity is severity
        assert told[0].sentence.endswith(".")
        assert "'Cut'" in told[0].sentence or code in ("too-deep", "tab-thick")
        assert told[0].fix
        bit = fields.get("bit", straight_bit(6.0)).name  # names stay as they are
        in_mm, in_inches = (told[0].text(lengths_in(unit)).replace(bit, "the bit") for unit in Unit)
        assert re.search(r"mm(?![²/])|[⟦⟧]", in_inches) is None
        assert in_mm.count(" mm") == len(re.findall(r"\d in\b", in_inches))

    def test_limits_of_the_machine(self):
        fast = {"run": Overrides(spindle_rpm=30_000.0)}
        codes = {f.code: f for f in found(star(), kind=PocketCut, machine=Machine(max_rpm=12_000.0), **fast)}
        assert "12000" in codes["spindle-limit"].sentence
        assert "chip load stays" in codes["spindle-limit"].sentence
        hurried = {"run": Overrides(feed=9_000.0)}
        assert "feed-limit" in {f.code for f in found(star(), kind=PocketCut, **hurried)}

    def test_off_the_sheet_but_not_what_is_meant_to_run_past(self):
        sheet = Sheet(width=50.0, height=50.0, readings=(18.0,))
        wide = Path.rectangle(0, 0, 60, 20)
        assert "off-sheet" in {f.code for f in found(wide, kind=PocketCut, sheet=sheet)}
        assert "off-sheet" not in {f.code for f in found(wide, kind=PocketCut, sheet=sheet, open_edges=True)}
        assert "off-sheet" not in {f.code for f in found(wide, kind=FacingCut, sheet=sheet)}


class TestSilence:
    @pytest.mark.parametrize(
        ("kind", "path", "fields"),
        [
            (PocketCut, star(), {}),
            (PocketCut, Path.rectangle(0, 0, 60, 40), {"goes_through": True}),
            (HoleCut, Path.circle((0, 0), 4), {"goes_through": True, "allowance": 0.3}),
            (EngraveCut, star(), {"end_depth": 0.5}),
            (ProfileCut, star(), {"goes_through": True, "tabs": Tabs(count=4, length=6), "side": Side.OUTSIDE}),
            (ProfileCut, star(), {"goes_through": True, "skin": 0.5, "tabs": Tabs(count=0)}),
            (FacingCut, star(), {"shapes": (), "end_depth": 0.5}),
        ],
    )
    def test_sound_work_has_no_findings(self, kind, path, fields):
        assert [f for f in found(path, kind=kind, **fields) if f.severity is not Severity.NOTE] == []

    def test_taped_work_needs_no_tabs(self):
        taped = Sheet(width=400, height=300, readings=(18.0,), hold_down=HoldDown.TAPED)
        assert not found(star(), kind=ProfileCut, sheet=taped, goes_through=True, tabs=Tabs(count=0))

    def test_every_check_stands_an_empty_board(self):
        job, board, _ = board_with(star(), kind=PocketCut)
        empty = replace(board, shapes=(), cuts=())
        assert plan_board(with_boards(job, (empty,)), empty, {}).findings == ()
        assert len(CHECKS) == len(set(CHECKS))


def test_every_check_there_is_stands_in_the_table():
    """A function that is handed what checks are given, and is in no table, would tell nobody anything."""
    written = set()
    for name in sorted(path.stem for path in FilePath(checks.__path__[0]).glob("*_checks.py")):
        module = importlib.import_module(f"archimetra.checks.{name}")
        for known, thing in inspect.getmembers(module, inspect.isfunction):
            is_own = thing.__module__ == module.__name__ and not known.startswith("_")
            if is_own and list(inspect.signature(thing).parameters) == ["given"]:
                written.add(known)
    assert written == {check.__name__ for check in CHECKS}
    assert len(CHECKS) == len(written) > 20


@pytest.mark.parametrize("drills_first", [True, False])
def test_it_is_the_cut_that_plunges_which_is_told(drills_first):
    """Of two cuts with the same bit one goes straight down: as its own moves say, not the other's."""
    job, board, cut = board_with(
        Path.circle((0, 0), 10.0), kind=HoleCut, bit=SURFACER, end_depth=6.0, method=HoleMethod.DRILL
    )
    bored = replace(cut, id="cut7", name="Bored", method=HoleMethod.BORE)
    drilled = replace(cut, name="Drilled")
    order = (drilled, bored) if drills_first else (bored, drilled)
    board = replace(board, cuts=order, shapes=(replace(board.shapes[0], paths=(Path.circle((0, 0), 16.0),)),))
    told = [f for f in plan_board(with_boards(job, (board,)), board, {}).findings if f.code == "no-plunge"]
    assert [f.subject for f in told] == [cut.id]
    assert told[0].fix == "Choose another bit."
