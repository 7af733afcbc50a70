"""Plugs laid into their pockets, measured on the cut stocks: no interference, gaps as asked, both boards from one setting."""

from __future__ import annotations

from math import radians, tan

import numpy as np
import pytest

from archimetra.artwork.text_form import TextForm
from archimetra.edits import basic as edits
from archimetra.edits import inlaying, shaping
from archimetra.engine.mating import MateError, mating_of
from archimetra.engine.planning import plan_board
from archimetra.geometry.affine import Affine
from archimetra.job.bits import Bit
from archimetra.job.ids import BitId, InlayId
from archimetra.job.inlays import InlayKind
from archimetra.job.job import Job, new_job, with_boards
from archimetra.stock.depth_sampler import DepthSampler
from archimetra.stock.mating import outline_places
from archimetra.stock.timeline import StockTimeline
from carved_board import vee
from shapes import replace, star

STRAIGHT = Bit(id=BitId("s3"), name="3 mm", diameter=3.0, cutting_length=30.0)
FINE = Bit(id=BitId("s1"), name="1.5 mm", diameter=1.5, cutting_length=20.0)
T60 = tan(radians(30))


def board_with_art(*, text: str = "", bit: Bit, height: float = 30.0) -> tuple[Job, list]:
    job = replace(new_job(), bits=(bit, STRAIGHT, FINE))
    board = job.boards[0].id
    if text:
        done = shaping.draw(
            job, board, TextForm(text=text, font="Zilla Slab Bold", cap_height=height), Affine.shift(200, 150)
        )
    else:
        done = shaping.draw_path(job, board, star(at=(200.0, 150.0)), name="star")
    return done.edit.job, list(done.pick)


def vee_inlay(*, text: str = "", tip: float = 0.0, **fields) -> tuple[Job, InlayId]:
    bit = vee(60.0, tip=tip, per_pass=4.0)
    job, ids = board_with_art(text=text, bit=bit)
    settings = {"depth": 4.0, "glue_gap": 0.5, "saw_gap": 1.0} | fields
    edit, inlay = inlaying.add_inlay(
        job, job.boards[0].id, ids, kind=InlayKind.VEE, bit=bit.id, floor_bit=STRAIGHT.id, **settings
    )
    return edit.job, inlay


def straight_inlay(
    *, text: str = "", thickness: float = 5.0, bit: BitId = STRAIGHT.id, plug_bit: BitId | None = None, **fields
) -> tuple[Job, InlayId]:
    job, ids = board_with_art(text=text, bit=vee(), height=45.0)
    edit, inlay = inlaying.add_inlay(
        job, job.boards[0].id, ids, kind=InlayKind.STRAIGHT, bit=bit, plug_bit=plug_bit, **fields
    )
    job = edit.job
    sheet = replace(job.boards[1].sheet, readings=(thickness,))
    return inlaying.derive_inlays(edits.change_board(job, job.boards[1].id, "", sheet=sheet).job), inlay


def mate(job: Job, inlay: InlayId):
    found = mating_of(job, inlay, {})
    return found, found.measured()


class TestProbe:
    def test_it_says_what_the_section_says(self):
        job, _ = vee_inlay()
        board = job.boards[0]
        plan = plan_board(job, board, {})
        probe = DepthSampler(plan.run, job.bits, width=board.sheet.width, height=board.sheet.height)
        timeline = StockTimeline(board.sheet, plan.run, job.bits, cell=0.5, times=plan.times.ends)
        a, b = (150.0, 131.0), (250.0, 172.0)
        heights = timeline.section(a, b, plan.times.total, samples=400)
        t = np.linspace(0, 1, 400)[:, None]
        depths = probe.depths(np.array(a) * (1 - t) + np.array(b) * t)
        assert np.abs(depths + heights).max() < 0.05  # the timeline's arcs are as coarse as its cells ask
        assert np.median(np.abs(depths + heights)) < 1e-3

    def test_uncut_and_off_the_board_it_is_zero(self):
        job, _ = vee_inlay()
        board = job.boards[0]
        plan = plan_board(job, board, {})
        probe = DepthSampler(plan.run, job.bits, width=board.sheet.width, height=board.sheet.height)
        assert probe.depths(np.array([[5.0, 5.0], [-1000.0, 0.0], [1e6, 1e6]])).tolist() == [0.0, 0.0, 0.0]


class TestVeeInlay:
    @pytest.mark.parametrize("text", ["", "Q&8y"], ids=["star", "letters"])
    def test_at_no_fit_the_walls_touch_all_round_and_nothing_interferes(self, text):
        job, inlay = vee_inlay(text=text)
        found, got = mate(job, inlay)
        assert got.seat == pytest.approx(3.5, abs=0.005)
        assert got.glue[1] == pytest.approx(0.5, abs=0.03)
        assert got.saw[1] == pytest.approx(1.0, abs=0.03)
        assert got.side[0] > -0.003
        assert got.side[2] < 0.006
        places, _ = found._grid()
        d, v = found.sums(places)
        assert (d + v - got.seat).min() >= -1e-9  # the seat is where they meet, nowhere beyond

    @pytest.mark.parametrize("fit", [0.02, 0.05, 0.1])
    def test_fit_lets_the_plug_sink_by_fit_over_the_tangent(self, fit):
        job, inlay = vee_inlay(fit=fit)
        _, got = mate(job, inlay)
        assert got.seat == pytest.approx(3.5 + fit / T60, abs=0.006)
        assert got.seat == pytest.approx(got.meant, abs=0.006)
        assert got.glue[1] == pytest.approx(0.5 - fit / T60, abs=0.03)

    @pytest.mark.parametrize("text", ["", "Qy"], ids=["star", "letters"])
    @pytest.mark.parametrize("tip", [0.1, 0.2])
    def test_with_a_tip_flat_corners_still_go_in_as_deep_as_meant(self, text, tip):
        job, inlay = vee_inlay(text=text, tip=tip)
        _, got = mate(job, inlay)
        assert got.seat > got.meant - 0.005
        assert got.side[0] > -0.003
        assert got.side[2] < tip / 2 + 0.01

    def test_the_depths_are_the_pocket_s_less_the_glue_and_plus_the_saw_gap(self):
        job, inlay = vee_inlay(depth=3.0, glue_gap=0.4, saw_gap=0.8)
        pocket, plug = inlaying.halves(job, job.inlay(inlay))
        assert pocket.end_depth == 3.0
        assert plug.sink == pytest.approx(2.6)
        assert plug.end_depth == pytest.approx(3.4)

    def test_the_section_shows_the_plug_where_it_lies_and_nowhere_in_wood(self):
        job, inlay = vee_inlay()
        found, got = mate(job, inlay)
        section = found.section((150.0, 150.0), (250.0, 150.0), got.seat, samples=800)
        there = np.isfinite(section.plug)
        assert 0.4 < there.mean() < 0.9
        assert (section.plug[there] - section.pocket[there]).min() > -0.003
        assert section.pocket.min() == pytest.approx(-4.0, abs=0.005)
        assert np.nanmin(section.plug) == pytest.approx(-3.5, abs=0.005)

    def test_copies_are_all_cut_alike(self):
        job, _ = vee_inlay(copies=4)
        board = job.boards[1]
        frames = [s for s in board.shapes if s.id.endswith(inlaying.FRAME)]
        assert len(frames) == 4
        plan = plan_board(job, board, {})
        probe = DepthSampler(plan.run, job.bits, width=board.sheet.width, height=board.sheet.height)
        boxes = np.array([frame.bounds() for frame in frames])
        x, y = np.meshgrid(np.linspace(1, 40, 60), np.linspace(1, 40, 60))
        places = np.column_stack((x.ravel(), y.ravel()))
        first = probe.depths(places + boxes[0, :2])
        for box in boxes[1:]:
            assert np.abs(probe.depths(places + box[:2]) - first).max() < 0.06  # ridges may lie elsewhere


class TestStraightInlay:
    @pytest.mark.parametrize("text", ["", "Rb"], ids=["star", "letters"])
    @pytest.mark.parametrize("clearance", [0.05, 0.15])
    def test_the_gap_is_the_clearance_all_round_and_the_face_is_flush(self, text, clearance):
        job, inlay = straight_inlay(text=text, clearance=clearance, bit=FINE.id if text else STRAIGHT.id)
        _, got = mate(job, inlay)
        assert got.proud == pytest.approx(0.0, abs=1e-6)
        assert got.side[0] > clearance - 0.012
        assert got.side[1] == pytest.approx(clearance, abs=0.008)

    @pytest.mark.parametrize("proud", [0.5, -0.4])
    def test_proud_or_sunk_by_what_is_asked(self, proud):
        job, inlay = straight_inlay(proud=proud)
        assert mate(job, inlay)[1].proud == pytest.approx(proud, abs=1e-6)

    def test_different_bits_for_both_halves(self):
        job, inlay = straight_inlay(bit=STRAIGHT.id, plug_bit=FINE.id)
        _, got = mate(job, inlay)
        assert got.side[0] > 0.035

    def test_with_its_show_face_up_it_is_not_mirrored(self):
        down, _ = straight_inlay(text="R", bit=FINE.id)
        up, b = straight_inlay(text="R", bit=FINE.id, show_face_down=False)
        first, second = (next(s for s in j.boards[1].shapes if s.follows) for j in (down, up))
        assert first.at.determinant == pytest.approx(-1.0)
        assert second.at.determinant == pytest.approx(1.0)
        assert mate(up, b)[1].side[0] > 0.035


class TestTrouble:
    def test_a_lost_half_is_a_sentence(self):
        job, inlay = vee_inlay()
        board = replace(job.boards[1], cuts=())
        with pytest.raises(MateError, match="lost one of its halves"):
            mating_of(with_boards(job, (job.boards[0], board)), inlay, {})
        with pytest.raises(MateError, match="not in the job"):
            mating_of(job, InlayId("inlay99"), {})

    def test_an_unmirrored_plug_is_seen_as_wood_meeting_wood(self):
        """What the mate view is for: the mirrored art undone by hand, as if it had been forgotten."""
        job, inlay = vee_inlay(text="R")
        board = job.boards[1]
        frame = next(s for s in board.shapes if s.id.endswith(inlaying.FRAME)).bounds()
        middle = (frame[0] + frame[2]) / 2
        shapes = tuple(
            replace(s, at=s.at.then(Affine.scale(-1.0, 1.0, about=(middle, 0.0)))) if s.follows else s
            for s in board.shapes
        )
        wrong = with_boards(job, (job.boards[0], replace(board, shapes=shapes)))
        _, got = mate(wrong, inlay)
        assert got.seat < 0.5  # it does not go in
        assert got.seat < got.meant - 2.0

    def test_places_near_corners_are_left_out_of_the_side_gap(self):
        from archimetra.geometry.region import region_of

        region = region_of([star()], "nonzero", chord_tolerance_mm=0.01)
        places, inward, corner = outline_places(region)
        assert np.allclose(np.hypot(*inward.T), 1.0)
        nodes = star().nodes[:-1]
        gap = np.hypot(*(places[:, None] - nodes[None]).transpose(2, 0, 1)).min(axis=1)
        assert (gap[corner] < 0.7).all()
        assert (gap[~corner] > 0.5).all()
