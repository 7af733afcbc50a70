"""An inlay as one thing: both halves follow its numbers, its art and its bits; nothing of it is left when it goes."""

from __future__ import annotations

import pytest

from archimetra.edits import basic as edits
from archimetra.edits import copying, cutting, inlaying, kits, layering, leftovers, placing, shaping, stamping
from archimetra.geometry.affine import Affine
from archimetra.job.bits import Bit, BitKind
from archimetra.job.cut_parts import Half, Side
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.file import JobFile, pack, unpack
from archimetra.job.ids import BitId
from archimetra.job.inlays import Inlay, InlayKind
from archimetra.job.job import Job, new_job
from shapes import replace, star

VEE = Bit(id=BitId("v"), name="60 V", kind=BitKind.VEE, diameter=12.7, angle=60.0)


def job_with_star() -> tuple[Job, list]:
    job = replace(new_job(), bits=(*new_job().bits, VEE))
    done = shaping.draw_path(job, job.boards[0].id, star(at=(150.0, 120.0)), name="star")
    return done.edit.job, list(done.pick)


@pytest.fixture
def made() -> tuple[Job, Inlay]:
    job, ids = job_with_star()
    edit, inlay = inlaying.add_inlay(
        job,
        job.boards[0].id,
        ids,
        kind=InlayKind.VEE,
        bit=VEE.id,
        floor_bit=BitId("bit2"),
        out_bit=BitId("bit1"),
        margin=12.0,
    )
    return edit.job, edit.job.inlay(inlay)


def plug(job: Job):
    return next(c for c in job.boards[1].cuts if isinstance(c, CarveCut))


class TestOneAction:
    def test_it_makes_both_halves_their_floors_and_the_way_out(self, made):
        job, inlay = made
        pocket, other = job.boards
        assert inlay.plug_board == other.id
        assert [type(c) for c in pocket.cuts] == [PocketCut, CarveCut]
        assert [type(c) for c in other.cuts] == [PocketCut, CarveCut, ProfileCut]
        assert other.cuts[2].side is Side.INSIDE
        assert {c.mating.half for c in pocket.cuts} == {Half.POCKET}
        assert {c.mating.half for c in other.cuts} == {Half.PLUG}

    def test_the_plug_is_the_art_mirrored_within_its_frame(self, made):
        job, inlay = made
        art = job.boards[0].shapes[0]
        frame, copy = (s for s in job.boards[1].shapes if s.follows)
        assert copy.at.determinant == pytest.approx(-1.0)
        assert copy.paths is art.paths
        a, b, f = art.bounds(), copy.bounds(), frame.bounds()
        assert (b[2] - b[0], b[3] - b[1]) == pytest.approx((a[2] - a[0], a[3] - a[1]))
        assert (b[0] - f[0], b[1] - f[1], f[2] - b[2], f[3] - b[3]) == pytest.approx((inlay.margin,) * 4)
        assert frame.is_locked
        assert copy.is_locked

    @pytest.mark.parametrize(("kind", "bit"), [(InlayKind.VEE, "bit1"), (InlayKind.STRAIGHT, "v")])
    def test_a_bit_of_the_wrong_kind_is_refused(self, kind, bit):
        job, ids = job_with_star()
        with pytest.raises(ValueError, match="inlay is"):
            inlaying.add_inlay(job, job.boards[0].id, ids, kind=kind, bit=BitId(bit))

    def test_many_copies_stand_in_rows_that_fit_the_board(self):
        job, ids = job_with_star()
        edit, inlay = inlaying.add_inlay(
            job, job.boards[0].id, ids, kind=InlayKind.STRAIGHT, bit=BitId("bit2"), copies=5
        )
        job = edit.job
        board = job.boards[1]
        boxes = [s.bounds() for s in board.shapes if s.follows]
        assert len(boxes) == 5
        assert max(b[2] for b in boxes) <= board.sheet.width
        for k, a in enumerate(boxes):
            for b in boxes[k + 1 :]:
                apart = max(b[0] - a[2], a[0] - b[2], b[1] - a[3], a[1] - b[3])
                assert apart >= job.inlay(inlay).spacing - 1e-6


class TestFollowing:
    def test_a_change_in_art_moves_both(self, made):
        job, _ = made
        before = [s.bounds() for s in job.boards[1].shapes]
        grown = placing.map_shapes(
            job, job.boards[0].id, [job.boards[0].shapes[0].id], Affine.scale(1.5, about=(150.0, 120.0))
        )
        after = [s.bounds() for s in inlaying.derive_inlays(grown.job).boards[1].shapes]
        assert all(b[2] - b[0] > a[2] - a[0] + 20 for a, b in zip(before, after, strict=True))

    def test_a_change_in_numbers_moves_both(self, made):
        job, inlay = made
        after = inlaying.change_inlay(job, inlay.id, "Pocket", depth=3.0, glue_gap=0.3).job
        assert next(c for c in after.boards[0].cuts if isinstance(c, CarveCut)).end_depth == 3.0
        assert plug(after).sink == pytest.approx(2.7)

    def test_another_angle_on_the_pocket_is_the_plug_s_too(self, made):
        job, _ = made
        ninety = replace(VEE, id=BitId("v90"), name="90 V", angle=90.0)
        job = replace(job, bits=(*job.bits, ninety))
        pocket = next(c for c in job.boards[0].cuts if isinstance(c, CarveCut))
        after = inlaying.derive_inlays(cutting.change_cut(job, pocket.id, "", bit=ninety.id).job)
        assert plug(after).bit == ninety.id

    def test_a_tip_flat_is_allowed_for_in_both(self, made):
        job, _ = made
        after = inlaying.derive_inlays(edits.change_bit(job, VEE.id, "", tip_flat=0.2).job)
        assert plug(after).sink == pytest.approx(plug(job).sink + 0.1 / 0.57735, abs=1e-4)
        rounds = [c.mating.round_mm for b in after.boards for c in b.cuts]
        assert rounds == pytest.approx([0.105] * len(rounds))

    def test_what_follows_cannot_be_set_by_hand(self, made):
        job, _ = made
        wrong = cutting.change_cut(job, plug(job).id, "", end_depth=1.0, sink=0.0, shapes=()).job
        assert inlaying.derive_inlays(wrong) == job

    def test_a_straight_pocket_is_as_deep_as_the_plug_board_is_thick(self):
        job, ids = job_with_star()
        edit, inlay = inlaying.add_inlay(
            job, job.boards[0].id, ids, kind=InlayKind.STRAIGHT, bit=BitId("bit2"), proud=0.5
        )
        job = edit.job
        sheet = replace(job.boards[1].sheet, readings=(4.1, 4.2))
        job = inlaying.derive_inlays(edits.change_board(job, job.boards[1].id, "", sheet=sheet).job)
        assert job.boards[0].cuts[0].end_depth == pytest.approx(3.7)
        assert job.boards[0].cuts[0].mating.pocket_radius == 1.5
        finer = inlaying.derive_inlays(leftovers.add_rest(job, job.boards[0].cuts[0].id, BitId("bit3"))[0].job)
        assert {c.mating.pocket_radius for c in finer.boards[0].cuts} == {0.75}
        assert finer.inlay(inlay) == job.inlay(inlay)

    def test_a_needle_of_a_bit_asks_for_more_than_any_board_and_breaks_nothing(self, made):
        job, inlay = made
        needle = edits.change_bit(job, VEE.id, "", angle=1.0, tip_flat=10.0).job
        after = inlaying.change_inlay(needle, inlay.id, "", fit=2.0).job
        assert plug(after).sink == inlaying.DEEPEST_SINK

    def test_derived_twice_it_is_the_very_same(self, made):
        job, _ = made
        assert inlaying.derive_inlays(job) is job
        assert inlaying.derive_inlays(new_job()).inlays == ()

    def test_it_comes_back_from_a_file(self, made):
        job, _ = made
        back = unpack(pack(JobFile(job)), name="t").job
        assert back == job
        assert inlaying.derive_inlays(back) == back


class TestGoing:
    def test_removed_it_leaves_the_art_and_the_boards_and_nothing_else(self, made):
        job, inlay = made
        after = inlaying.remove_inlay(job, inlay.id).job
        assert after.inlays == ()
        assert len(after.boards) == 2
        assert all(not board.cuts for board in after.boards)
        assert [s.name for s in after.boards[0].shapes] == ["star"]
        assert after.boards[1].shapes == ()

    def test_without_the_plug_board_the_pocket_stays_as_a_carving(self, made):
        job, inlay = made
        after = inlaying.derive_inlays(edits.remove_board(job, inlay.plug_board).job)
        assert after.inlays == ()
        assert {c.mating for c in after.boards[0].cuts} == {None}
        assert len(after.boards[0].cuts) == 2

    def test_without_either_half_it_is_gone(self, made):
        job, _ = made
        cuts = [c.id for b in job.boards for c in b.cuts]
        after = inlaying.derive_inlays(cutting.remove_cuts(job, cuts).job)
        assert after.inlays == ()
        assert after.boards[1].shapes == ()

    def test_a_copied_plug_outline_is_a_shape_of_its_own(self, made):
        job, _ = made
        board = job.boards[1]
        clip = copying.copied(job, board.id, [s.id for s in board.shapes])
        edit, ids = copying.paste(job, board.id, clip, at=(100.0, 100.0))
        after = inlaying.derive_inlays(edit.job).boards[1]
        assert all(after.shape(id_) is not None and not after.shape(id_).follows for id_ in ids)

    def test_a_copied_half_is_no_half(self, made):
        job, _ = made
        edit, new = cutting.copy_cut(job, plug(job).id)
        assert edit.job.boards[1].cut(new).mating is None

    def test_plug_outlines_cannot_be_dragged_off(self, made):
        job, _ = made
        ids = [s.id for s in job.boards[1].shapes]
        assert layering.free_shapes(job.boards[1], ids) == []


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"glue_gap": 6.0}, "room for glue"), ({"depth": 0.0}, "pocket"), ({"saw_gap": -1.0}, "room for the saw"), ({"copies": 0}, "plugs"),
        ({"fit": float("nan")}, "side clearance"), ({"margin": 0.0}, "margin"), ({"clearance": -0.1}, "clearance"),
    ],
)  # fmt: skip
def test_numbers_out_of_their_limits_are_refused_in_words(made, fields, words):
    job, inlay = made
    with pytest.raises(ValueError, match=words):
        inlaying.change_inlay(job, inlay.id, "", **fields)


class TestStamp:
    def test_one_action_mirrors_frames_carves_and_cuts_out(self):
        job, ids = job_with_star()
        edit, cut_id = stamping.add_stamp(
            job, job.boards[0].id, ids, bit=VEE.id, floor_bit=BitId("bit2"), out_bit=BitId("bit1"), depth=1.5
        )
        board = edit.job.boards[0]
        assert [type(c) for c in board.cuts] == [PocketCut, CarveCut, ProfileCut]
        carve = board.cut(cut_id)
        assert carve.end_depth == 1.5
        assert carve.least_standing > 0
        art = board.shape(ids[0])
        assert art.at.determinant == pytest.approx(-1.0)
        frame = next(s for s in board.shapes if s.name == "stamp frame")
        a, f = art.bounds(), frame.bounds()
        room = min(a[0] - f[0], a[1] - f[1], f[2] - a[2], f[3] - a[3])
        assert room >= 6.0 + 1.5  # the widest bit gets in
        assert edit.job.boards[0].cuts[-1].side is Side.INSIDE

    def test_nothing_to_stamp_is_refused(self):
        job, _ = job_with_star()
        with pytest.raises(ValueError, match="not locked"):
            stamping.add_stamp(job, job.boards[0].id, [], bit=VEE.id)
        with pytest.raises(ValueError, match="V bit"):
            stamping.add_stamp(job, job.boards[0].id, [job.boards[0].shapes[0].id], bit=BitId("bit1"))


class TestFloors:
    def test_floors_come_and_go_with_their_carving(self):
        job, ids = job_with_star()
        cut = cutting.new_cut(job, job.boards[0].id, CarveCut, ids, bit=VEE.id, end_depth=3.0)
        job = cutting.add_cut(job, job.boards[0].id, cut).job
        for bit in ("bit1", "bit2"):
            job = leftovers.add_floor(job, cut.id, BitId(bit))[0].job
        board = job.boards[0]
        first, finer, carve = board.cuts
        assert (first.floor_of, finer.rest_of) == (cut.id, first.id)
        assert board.root_cut(finer) is carve
        assert board.shapes_of(first) == board.shapes_of(carve)
        without_first = cutting.remove_cuts(job, [first.id]).job.boards[0]
        assert [c.floor_of for c in without_first.cuts if isinstance(c, PocketCut)] == [cut.id]
        assert cutting.remove_cuts(job, [cut.id]).job.boards[0].cuts == ()

    def test_a_kit_lays_them_with_their_carving(self):
        job, ids = job_with_star()
        board = job.boards[0].id
        cut = cutting.new_cut(job, board, CarveCut, ids, bit=VEE.id, end_depth=3.0)
        job = cutting.add_cut(job, board, cut).job
        job = leftovers.add_floor(job, cut.id, BitId("bit2"))[0].job
        kit = kits.kit_of(job, board, "carved")
        laid = kits.lay_kit(job_with_star()[0], board, kit)
        floor, carve = laid.edit.job.boards[0].cuts
        assert floor.floor_of == carve.id
        assert laid.edit.job.boards[0].shapes_of(floor) == laid.edit.job.boards[0].shapes_of(carve)
        assert len(laid.edit.job.boards[0].shapes_of(carve)) == 1

    def test_a_pointed_bit_clears_no_floor(self):
        job, ids = job_with_star()
        cut = cutting.new_cut(job, job.boards[0].id, CarveCut, ids, bit=VEE.id, end_depth=3.0)
        job = cutting.add_cut(job, job.boards[0].id, cut).job
        with pytest.raises(ValueError, match="flat bottom"):
            leftovers.add_floor(job, cut.id, VEE.id)
