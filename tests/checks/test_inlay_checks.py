"""What would spoil a pair of boards is told before either is cut."""

from __future__ import annotations

import pytest

from archimetra.base.findings import Severity
from archimetra.edits import basic as edits
from archimetra.edits import cutting, inlaying
from archimetra.engine.comparing import compare_bits
from archimetra.engine.planning import plan_board
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.ids import BitId
from archimetra.job.inlays import InlayKind
from archimetra.job.job import with_boards
from carved_board import vee
from edits.test_inlaying import VEE, job_with_star
from shapes import replace


def pair(bit=VEE, *, plug_thickness: float = 18.0, **fields):
    job, ids = job_with_star()
    job = replace(job, bits=(*job.bits[:-1], replace(bit, id=VEE.id, recipe=VEE.recipe)))
    settings = {"depth": 4.0, "margin": 14.0} | fields
    edit, inlay = inlaying.add_inlay(
        job, job.boards[0].id, ids, kind=InlayKind.VEE, bit=VEE.id, floor_bit=BitId("bit2"), **settings
    )
    job = edit.job
    sheet = replace(job.boards[1].sheet, readings=(plug_thickness,))
    return inlaying.derive_inlays(edits.change_board(job, job.boards[1].id, "", sheet=sheet).job), inlay


def told(job, board: int) -> dict[str, object]:
    return {f.code: f for f in plan_board(job, job.boards[board], {}).findings}


def test_a_sound_pair_is_silent():
    job, _ = pair()
    for board in (0, 1):
        # that the plug's board is cleared where its zero lies is true, and said
        found = [f for f in told(job, board).values() if f.severity is not Severity.NOTE]
        assert [f.code for f in found] == ([] if board == 0 else ["touch-off-gone"])


def test_a_bit_that_is_too_short_for_the_plug():
    job, _ = pair(vee(60.0, diameter=6.0), depth=4.5)
    found = told(job, 1)["inlay-bit-short"]
    assert found.severity is Severity.STOP
    assert "5.50 mm deep" in found.sentence
    assert "inlay-bit-short" not in told(job, 0)


def test_a_plug_taller_than_its_sheet_and_one_that_leaves_next_to_nothing():
    assert told(pair(plug_thickness=4.0)[0], 1)["inlay-sheet-thin"].severity is Severity.STOP
    thin = told(pair(plug_thickness=6.2)[0], 1)["inlay-plug-back"]
    assert "1.20 mm" in thin.sentence


def test_a_fit_that_uses_up_the_glue_gap_says_how_much_it_needs():
    job, _ = pair(fit=0.3, glue_gap=0.5)
    found = told(job, 0)["inlay-bottoms"]
    assert "sinks up to 0.52 mm" in found.sentence
    assert "0.62 mm" in found.fix
    assert "inlay-bottoms" not in told(pair(fit=0.1)[0], 0)


def test_a_half_switched_off_and_a_frame_too_tight():
    job, _ = pair(margin=3.0)
    assert "too tight" in told(job, 1)["inlay-margin"].sentence
    plug = next(c for c in job.boards[1].cuts if isinstance(c, CarveCut))
    off = cutting.change_cut(job, plug.id, "", is_on=False).job
    assert "switched off" in told(off, 1)["inlay-half"].sentence
    gone = cutting.remove_cuts(job, [plug.id]).job
    assert "gone" in told(gone, 1)["inlay-half"].sentence


def test_another_kind_of_bit_in_a_v_inlay_is_told():
    job, _ = pair()
    carve = next(c for c in job.boards[0].cuts if isinstance(c, CarveCut))
    wrong = inlaying.derive_inlays(cutting.change_cut(job, carve.id, "", bit=BitId("bit1")).job)
    assert "is no V bit" in told(wrong, 0)["inlay-no-vee"].sentence


@pytest.mark.parametrize("is_late", [True, False])
def test_a_floor_after_its_carving_or_without_it(is_late):
    job, _ = pair()
    board = job.boards[0]
    floor, carve = board.cuts
    assert isinstance(floor, PocketCut)
    cuts = (carve, floor) if is_late else (floor, replace(carve, is_on=False))
    job = with_boards(job, (replace(board, cuts=cuts, auto_order=False), job.boards[1]))
    assert ("floor-order" if is_late else "floor-alone") in told(job, 0)


def test_bits_are_compared_by_depth_time_and_what_they_leave():
    job, _ = pair()
    board = job.boards[0]
    carve = next(c for c in board.cuts if isinstance(c, CarveCut))
    blunt = vee(90.0, tip=1.0, id=BitId("blunt"), cutting_length=20.0)
    job = replace(job, bits=(*job.bits, blunt))
    own, other = compare_bits(job, board, carve.id, [carve.bit, blunt.id], {})
    assert own.deepest == pytest.approx(4.0)
    assert other.deepest == pytest.approx(4.0)
    assert any("short of their point" in words for words in other.leaves)
    assert own.leaves == ()
    assert compare_bits(job, board, board.cuts[0].id, [carve.bit], {}) == []


@pytest.mark.parametrize(("depth", "code"), [(30.0, "too-deep"), (18.0, "floor-gone")])
def test_a_depth_limit_beyond_the_sheet_is_told_and_not_cut(depth, code):
    job, ids = job_with_star()
    wide = vee(90.0, diameter=80.0, id=BitId("wide"))
    job = replace(job, bits=(*job.bits, wide))
    cut = cutting.new_cut(job, job.boards[0].id, CarveCut, ids, bit=wide.id, end_depth=depth)
    job = cutting.add_cut(job, job.boards[0].id, cut).job
    plan = plan_board(job, job.boards[0], {})
    assert code in {f.code for f in plan.findings}
    assert plan.run.xyz[:, 2].min() >= -18.0


@pytest.mark.parametrize(
    ("tip", "glue_gap", "is_told"), [(0.0, 0.5, False), (0.3, 0.5, True), (0.1, 0.5, False), (0.3, 1.0, False)]
)
def test_a_tip_flat_that_uses_up_the_glue_gap_is_told(tip, glue_gap, is_told):
    """30 degrees: half of a 0.3 mm flat over tan 15 is 0.56 mm of sink."""
    job, _ = pair(vee(30.0, tip=tip, diameter=12.0), glue_gap=glue_gap, fit=0.0)
    found = told(job, 0)
    assert ("inlay-bottoms" in found) == is_told
    assert ("inlay-flat" in found) == (tip > 0.12)
    if tip > 0.12:
        assert f"{tip / 2:.2f} mm a side" in found["inlay-flat"].sentence
