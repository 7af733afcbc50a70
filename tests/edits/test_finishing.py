"""Whatever is done to a job: nothing names what is gone, orders and inlays agree, ids never come back."""

from __future__ import annotations

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.artwork.drawing import Drawing, DrawnLayer, DrawnShape, Scale
from archimetra.demo import quay_tide_clock
from archimetra.edits import basic as edits
from archimetra.edits import copying, cutting, inlaying, layering, marking, placement, placing, repeating, shaping
from archimetra.edits.edit import Edit
from archimetra.edits.finishing import finish_edit
from archimetra.edits.history import History
from archimetra.edits.ordering import suited_order
from archimetra.geometry.affine import Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Side, Tabs
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.file import decode_job, encode_job
from archimetra.job.forms import EllipseForm, RectangleForm
from archimetra.job.inlays import InlayKind
from archimetra.job.marks import mark_at
from shapes import job_with, replace

DEMO = quay_tide_clock().job


def loose_ends(job) -> list[str]:
    """Every name of something that is not there."""
    out = []
    inlays = {inlay.id for inlay in job.inlays}
    of_parts = {shape.id for part in job.parts for shape in part.shapes}
    for board in job.boards:
        shapes, layers, cuts = ({t.id for t in things} for things in (board.shapes, board.layers, board.cuts))
        for cut in board.cuts:
            named = list(cut.shapes)
            if isinstance(cut, ProfileCut):
                named += [m.shape for m in (*cut.tabs.by_hand, *cut.starts, *cut.turned)]
                named += [tabs.shape for tabs in cut.tabs_of]
            # a part without a piece here stands for those elsewhere; a cut that several boards share takes shapes of each
            homes = [other for other in job.boards if other.cut(cut.id) is not None]
            known = shapes | of_parts if len(homes) == 1 else of_parts | {s.id for other in homes for s in other.shapes}
            out += [f"{cut.name} names {id_}" for id_ in named if id_ not in known]
            zone = cut.tabs.avoid if isinstance(cut, ProfileCut) else ""
            layers = {layer.id for other in homes for layer in other.layers}
            out += [f"{cut.name} follows {id_}" for id_ in (cut.layer, zone) if id_ and id_ not in layers]
            if isinstance(cut, PocketCut):
                out += [f"{cut.name} is of {id_}" for id_ in (cut.rest_of, cut.floor_of) if id_ and id_ not in cuts]
            if cut.mating is not None and cut.mating.inlay not in inlays:
                out.append(f"{cut.name} is half of nothing")
        out += [
            f"{shape.name} follows nothing" for shape in board.shapes if shape.follows and shape.follows not in inlays
        ]
        out += [f"a measure of {id_}" for measure in board.measures for id_ in measure.shapes if id_ not in shapes]
    return out


def everything(job) -> set[tuple[str, str]]:
    """(kind, id) of all there is."""
    found = (
        {("bit", b.id) for b in job.bits}
        | {("inlay", i.id) for i in job.inlays}
        | {("board", b.id) for b in job.boards}
    )
    for board in job.boards:
        found |= {("cut", c.id) for c in board.cuts}
    return found


def check(before, job) -> None:
    assert loose_ends(job) == []
    for board in job.boards:
        if board.auto_order and board is not before.board(board.id):
            assert suited_order(board) == board.cuts
    assert inlaying.derive_inlays(job) is job
    assert finish_edit(job, job) is job
    again = finish_edit(before, job)
    assert again == job
    assert again.numbers == job.numbers
    assert all(number >= before.numbers.get(kind, 0) for kind, number in job.numbers.items())


def test_jobs_that_differ_in_the_numbers_of_ids_alone_are_equal_both_ways_of_asking():
    other = replace(DEMO, numbers={"cut": 999})
    assert other == DEMO
    assert not other != DEMO  # noqa: SIM202
    renamed = replace(DEMO, name="other")
    assert renamed != DEMO
    assert not renamed == DEMO  # noqa: SIM201
    assert DEMO != "a job"
    opened = decode_job(encode_job(DEMO), name="a.archimetra")
    assert not opened != DEMO  # noqa: SIM202


# ---- one thing at a time


def profiled(*paths: Path):
    """A job with a profile of these outlines, with marks of every kind on the last of them."""
    job, board, _ = job_with(paths[0])
    for path in paths[1:]:
        drawn = DrawnShape("more", 0, (path,), FillRule.EVENODD, True, None, 1)
        drawing = Drawing("more", (DrawnLayer("all"),), (drawn,), Scale("mm", 1.0, "", True), None, ())
        job = placement.place_drawing(job, board.id, drawing)[0].job
    job = cutting.remove_cuts(job, [cut.id for cut in job.boards[0].cuts]).job
    edit, cut_id = edits.add_profile(job, board.id, [shape.id for shape in job.boards[0].shapes])
    job = edit.job
    last = job.boards[0].shapes[-1]
    mark = mark_at(last, *last.placed()[0].nodes[0])
    job = marking.set_tab_marks(job, cut_id, (mark,)).job
    job = marking.set_start_mark(job, cut_id, last.id, mark).job
    job = marking.turn_contour(job, cut_id, mark).job
    return marking.set_shape_tabs(job, cut_id, [last.id], 0).job, board.id, cut_id


def two_squares():
    return profiled(Path.rectangle(10, 10, 30, 30), Path.rectangle(60, 10, 30, 30))


class TestWhatIsGone:
    def test_marks_and_tabs_go_with_their_shape(self):
        job, board, cut = two_squares()
        history = History(job)
        gone = job.boards[0].shapes[-1].id
        history.apply(placing.remove_shapes(history.job, board, [gone]))
        left = history.job.boards[0].cut(cut)
        assert gone not in left.shapes
        assert (left.tabs.by_hand, left.starts, left.turned, left.tabs_of) == ((), (), (), ())
        history.undo()
        assert history.job == job

    def test_a_new_shape_inherits_nothing_of_one_that_is_gone(self):
        """The newest shape deleted, another drawn: before, it took the old one's id and its '0 tabs'."""
        job, board, _ = two_squares()
        history = History(job)
        gone = job.boards[0].shapes[-1].id
        history.apply(placing.remove_shapes(history.job, board, [gone]))
        done = shaping.draw(history.job, board, EllipseForm(width=9.0, height=9.0), Affine.shift(80, 80))
        history.apply(done.edit)
        assert done.pick[0] != gone
        assert done.pick[0] not in {s.id for s in job.boards[0].shapes}

    @pytest.mark.parametrize("back", [1, 2, 3])
    def test_ids_taken_back_by_undo_are_not_given_again(self, back):
        job, board, _ = two_squares()
        history, given = History(job), set()
        for _ in range(3):
            done = shaping.draw(history.job, board, RectangleForm(width=9.0, height=9.0), Affine.shift(80, 80))
            history.apply(done.edit)
            given.update(done.pick)
        for _ in range(back):
            history.undo()
        fresh = shaping.draw(history.job, board, RectangleForm(width=9.0, height=9.0), Affine.shift(90, 80)).pick[0]
        assert fresh not in given

    def test_nor_after_saving_and_opening(self):
        job, board, _ = two_squares()
        history = History(job)
        edit, cut = edits.add_profile(history.job, board, [])
        history.apply(edit)
        history.apply(edits.remove_cut(history.job, cut))
        opened = decode_job(encode_job(history.job), name="a.archimetra")
        assert edits.add_profile(opened, board, [])[1] != cut

    def test_an_inlay_goes_with_its_art(self):
        job, board, _ = job_with(Path.circle((60, 60), 20))
        edit, inlay = inlaying.add_inlay(
            job, board.id, [job.boards[0].shapes[0].id], kind=InlayKind.STRAIGHT, bit=job.bits[0].id, depth=2.0
        )
        history = History(job)
        history.apply(edit)
        assert history.job.inlay(inlay) is not None
        history.apply(placing.remove_shapes(history.job, board.id, [job.boards[0].shapes[0].id]))
        assert history.job.inlays == ()
        assert not [c for b in history.job.boards for c in b.cuts if c.mating is not None]
        assert not [s for b in history.job.boards for s in b.shapes if s.follows]
        history.undo()
        assert history.job.inlay(inlay) is not None
        assert loose_ends(history.job) == []


class TestFacingAnArea:
    """Without its area a facing cut would face the whole sheet, and take the face off all that is not to be touched."""

    def start(self, **fields):
        job, board, _ = two_squares()
        ids = [shape.id for shape in job.boards[0].shapes]
        history = History(job)
        face = cutting.new_cut(job, board, FacingCut, ids, end_depth=1.0)
        history.apply(cutting.add_cut(job, board, replace(face, **fields)))
        return history, board, ids, face.id

    def test_it_goes_with_the_last_of_its_shapes(self):
        history, board, ids, face = self.start()
        history.apply(placing.remove_shapes(history.job, board, ids[:1]))
        assert history.job.boards[0].cut(face).shapes == tuple(ids[1:])
        history.apply(placing.remove_shapes(history.job, board, ids[1:]))
        assert history.job.boards[0].cut(face) is None
        history.undo()
        assert history.job.boards[0].cut(face).shapes == tuple(ids[1:])

    def test_it_goes_with_the_layer_it_follows(self):
        job, board, _ = two_squares()
        layer = job.boards[0].layers[0].id
        history, board, _, face = self.start(shapes=(), layer=layer)
        kept = tuple(each for each in history.job.boards[0].layers if each.id != layer)
        history.apply(edits.change_board(history.job, board, "", layers=kept))
        assert history.job.boards[0].cut(face) is None

    def test_the_whole_sheet_asked_for_stays_asked_for(self):
        history, board, ids, face = self.start()
        history.apply(cutting.change_cut(history.job, face, "", shapes=()))
        assert history.job.boards[0].cut(face).takes_whole_sheet
        history.apply(placing.remove_shapes(history.job, board, ids))
        assert history.job.boards[0].cut(face).takes_whole_sheet


class TestOrder:
    def test_it_follows_a_shape_dragged_into_an_outline(self):
        job, board, outline = job_with(
            Path.rectangle(10, 10, 60, 60), side=Side.OUTSIDE, goes_through=True, tabs=Tabs(count=4)
        )
        history = History(job)
        history.apply(edits.change_board(job, board.id, "", auto_order=True))
        done = shaping.draw(history.job, board.id, RectangleForm(width=8.0, height=8.0), Affine.shift(120, 40))
        history.apply(done.edit)
        bit = replace(job.bits[0], id="bit9", name="other", place=1)
        history.apply(edits.change_job(history.job, "", bits=(*job.bits, bit)))
        profile = cutting.new_cut(
            history.job, board.id, ProfileCut, done.pick, bit=bit.id, side=Side.OUTSIDE, goes_through=True
        )
        history.apply(cutting.add_cut(history.job, board.id, profile))
        x0, y0, x1, y1 = placing.box_of(job.boards[0].shapes)
        inside = Affine.shift((x0 + x1) / 2 - 120, (y0 + y1) / 2 - 40)
        history.apply(placing.map_shapes(history.job, board.id, done.pick, inside))
        order = [cut.id for cut in history.job.boards[0].cuts]
        assert order.index(profile.id) < order.index(outline.id)
        history.apply(placing.map_shapes(history.job, board.id, done.pick, Affine.shift(150, 0)))
        check(job, history.job)

    def test_an_order_of_one_s_own_stays(self):
        history = History(DEMO)
        board = next(b for b in DEMO.boards if len(b.cuts) > 3)
        history.apply(cutting.reorder_cut(history.job, board.id, board.cuts[-1].id, 0))
        order = [c.id for c in history.job.board(board.id).cuts]
        history.apply(placing.map_shapes(history.job, board.id, [s.id for s in board.shapes], Affine.shift(1, 0)))
        assert [c.id for c in history.job.board(board.id).cuts] == order


# ---- anything at all


def any_edit(rng: random.Random, job) -> Edit | None:
    board = rng.choice(job.boards)
    shapes = [s.id for s in board.shapes if not s.follows]
    some = rng.sample(shapes, min(len(shapes), rng.randint(1, 3)))
    cuts = [c.id for b in job.boards for c in b.cuts]
    layers = [layer.id for layer in board.layers]
    shift = Affine.shift(rng.uniform(-60, 60), rng.uniform(-60, 60))
    kind = rng.randrange(16)
    if kind == 0:
        return edits.add_board(job)[0]
    if kind == 1 and len(job.boards) > 2:
        return edits.remove_board(job, board.id)
    if kind == 2:
        return edits.duplicate_board(job, board.id)[0]
    if kind == 3:
        return placing.remove_shapes(job, board.id, some)
    if kind == 4:
        return placing.map_shapes(job, board.id, some, shift)
    if kind == 5:
        return copying.paste(job, board.id, copying.copied(job, rng.choice(job.boards).id, some))[0]
    if kind == 6:
        return repeating.duplicate(job, board.id, some, 12.0, -7.0)[0]
    if kind == 7 and some:
        return edits.add_profile(job, board.id, some)[0]
    if kind == 8 and cuts:
        return cutting.remove_cuts(job, rng.sample(cuts, 1))
    if kind == 9 and cuts:
        return cutting.copy_cut(job, rng.choice(cuts))[0]
    if kind == 10 and cuts and layers:
        return layering.follow_layer(job, rng.choice(cuts), rng.choice(layers))
    if kind == 11 and layers:
        return layering.remove_layer(job, board.id, rng.choice(layers))
    if kind == 12 and some:
        form = RectangleForm(width=rng.uniform(5, 40), height=rng.uniform(5, 40))
        return shaping.draw(job, board.id, form, Affine.shift(rng.uniform(0, 200), rng.uniform(0, 200))).edit
    if kind == 13 and cuts:
        return cutting.change_cuts(job, cuts, "", end_depth=rng.uniform(0.5, 12), goes_through=rng.random() < 0.3)
    if kind == 14 and some:
        return inlaying.add_inlay(job, board.id, some, kind=InlayKind.STRAIGHT, bit=job.bits[0].id)[0]
    if kind == 15:
        return cutting.order_by_itself(job, board.id)
    return None


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10**9))
def test_any_sequence_of_edits(seed):
    rng = random.Random(seed)
    history = History(finish_edit(replace(DEMO, name=""), DEMO))
    named: dict[tuple[str, str], str] = {}
    for _ in range(14):
        before = history.job
        try:
            edit = any_edit(rng, before)
        except ValueError:
            continue  # out of its limits, and said so
        if edit is not None and history.apply(edit):
            check(before, history.job)
            for thing in everything(history.job) - everything(before):
                assert thing not in named, f"{thing} was given before"
                named[thing] = edit.label
        for _ in range(rng.choice((0, 0, 0, 1, 2))):
            history.undo()
    opened = decode_job(encode_job(history.job), name="a.archimetra")
    assert opened == history.job
    assert opened.numbers == history.job.numbers
