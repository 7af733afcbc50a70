"""Parts: made in one press, laid turned and mirrored, edited in one place and changed in all, taken apart where they lie. What is cut is
measured by the area the bit covers, which knows nothing of parts."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from archimetra.edits import (
    aligning,
    basic,
    copying,
    cutting,
    inlaying,
    layering,
    leftovers,
    marking,
    parting,
    placing,
    repeating,
    shaping,
)
from archimetra.edits.finishing import finish_edit, finished
from archimetra.edits.history import History
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Direction, Mark, Side, Tabs
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.file import decode_job, encode_job
from archimetra.job.flat import base_of, instance_of
from archimetra.job.ids import ShapeId
from archimetra.job.inlays import InlayKind
from archimetra.job.job import Job, with_boards
from archimetra.job.parts import Instance, laid
from archimetra.job.sheet import Sheet
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve
from cutting_board import swept
from shapes import job_with, replace, sentence_of, star, straight_bit

SHEET = Sheet(width=600.0, height=400.0, readings=(12.0,))
PLATE = Path.polyline([(0, 0), (90, 0), (90, 30), (40, 60), (0, 60)], closed=True)
BESIDE = shapely.box(430, 50, 530, 150)  # where the star lies, which is no part
HOLE = Path.circle((20, 20), 8)
SLOT = Path.polyline([(50, 8), (80, 8), (80, 20), (50, 20)], closed=True)


def bracket_job() -> Job:
    """A plate with a hole pocketed and a slot in it, cut out outside with tabs; a star beside it, cut out by the same cut."""
    job, board, cut = job_with(PLATE, sheet=SHEET, bit=straight_bit(6.0))
    plate = board.shapes[0]
    place = plate.at
    shapes = [
        plate,
        replace(plate, id=ShapeId("shape2"), name="hole", paths=(HOLE,), at=place),
        replace(plate, id=ShapeId("shape3"), name="slot", paths=(SLOT,), at=place),
        replace(plate, id=ShapeId("shape4"), name="star", paths=(star(),), at=Affine.shift(480.0, 100.0)),
    ]
    tabs = Tabs(count=2, length=7.0)
    outline = ProfileCut(
        id=cut.id, name="Cut out", bit=cut.bit, shapes=(shapes[0].id, shapes[3].id), side=Side.OUTSIDE, goes_through=True,
        end_depth=12.0, tabs=tabs,
    )  # fmt: skip
    job = with_boards(job, (replace(board, shapes=tuple(shapes), cuts=(outline,)),))
    made = cutting.new_cut(job, board.id, PocketCut, [ShapeId("shape2"), ShapeId("shape3")], end_depth=5.0)
    return finished(cutting.add_cut(job, board.id, made).job)


def parted() -> tuple[Job, str]:
    job = bracket_job()
    edit, (part,) = parting.make_parts(job, job.boards[0].id, [ShapeId("shape1")])
    return finish_edit(job, edit.job), part


def with_pieces(*places) -> tuple[Job, str]:
    job, part = parted()
    edit, _ = parting.add_pieces(job, job.boards[0].id, part, places)
    return finish_edit(job, edit.job), part


def cut_area(job: Job, name: str, deeper: float = 0.1, k: int = 0) -> shapely.Geometry:
    board = job.boards[k]
    cut = next(cut for cut in board.cuts if cut.name == name)
    return swept(plan_cut(resolve(job, board, cut))[0], job.bit(cut.bit).radius, deeper_than=deeper)


def consistent(job: Job) -> None:
    """The flat boards say what the document does; a file keeps it; finishing changes nothing."""
    assert decode_job(encode_job(job), name="a.archimetra") == job
    assert finish_edit(bracket_job(), job) == job or finished(job) == job
    for board, stored in zip(job.boards, job.stored, strict=True):
        assert not any("@" in shape.id for shape in stored.shapes)
        want = {
            f"{shape.id}@{piece.id}": shape.at.then(piece.at)
            for piece in stored.instances
            for shape in job.part(piece.part).shapes
        }
        have = {shape.id: shape.at for shape in board.shapes if "@" in shape.id}
        assert set(have) == set(want)
        for id_, at in have.items():
            assert np.allclose([at.a, at.b, at.c, at.d, at.e, at.f], [*_six(want[id_])], atol=1e-9)
        known = {shape.id for b in job.boards for shape in b.shapes} | {s.id for part in job.parts for s in part.shapes}
        assert all(id_ in known for cut in board.cuts for id_ in cut.shapes)
    assert not any("@" in id_ for cut in job.cuts for id_ in cut.shapes)


def _six(at: Affine):
    return at.a, at.b, at.c, at.d, at.e, at.f


class TestMaking:
    def test_what_lies_inside_comes_along_and_what_is_cut_stays_the_same(self):
        before = bracket_job()
        job, part = parted()
        consistent(job)
        assert [shape.name for shape in job.part(part).shapes] == ["part", "hole", "slot"]
        assert [shape.name for shape in job.stored[0].shapes] == ["star"]
        assert [cut.shapes for cut in job.cuts] == [cut.shapes for cut in before.cuts]
        for name in ("Cut out", before.cuts[1].name):
            one, other = cut_area(before, name), cut_area(job, name)
            assert one.symmetric_difference(other).area < 1e-3

    def test_a_whole_drawing_becomes_its_parts_in_one_press(self):
        job = bracket_job()
        board = job.boards[0]
        edit, made = parting.make_parts(job, board.id, [shape.id for shape in board.shapes])
        after = finish_edit(job, edit.job)
        consistent(after)
        assert [len(after.part(id_).shapes) for id_ in made] == [3, 1]
        assert edit.label == "Make 2 parts"
        assert {part.name for part in after.parts} == {"part", "star"}

    def test_all_inside_the_outermost_outline_comes_along_unless_it_was_made_a_part_before(self):
        job = bracket_job()
        board = job.boards[0]
        at = Affine.shift(40.0, 40.0)
        rings = (Path.circle((30, 30), 30), Path.circle((30, 30), 18))
        ring_ = replace(board.shapes[0], id=ShapeId("shape8"), name="ring", paths=rings, at=at)
        dot = replace(ring_, id=ShapeId("shape9"), name="dot", paths=(Path.circle((30, 30), 8),))
        notch = replace(
            ring_, id=ShapeId("shape10"), name="notch", paths=(Path.circle((30, 54), 6.0),)
        )  # touches from inside
        job = with_boards(job, (replace(board, shapes=(*board.shapes, ring_, dot, notch)),))
        edit, made = parting.make_parts(job, board.id, [ring_.id, dot.id])
        assert [[shape.name for shape in edit.job.part(id_).shapes] for id_ in made] == [["ring", "dot", "notch"]]
        first, _ = parting.make_parts(job, board.id, [dot.id])
        job = finish_edit(job, first.job)
        edit, (second,) = parting.make_parts(job, board.id, [ring_.id])
        assert [shape.name for shape in edit.job.part(second).shapes] == ["ring", "notch"]

    def test_a_shape_that_crosses_an_outline_stays_on_the_board(self):
        job = bracket_job()
        board = job.boards[0]
        crossing = replace(board.shapes[1], id=ShapeId("shape9"), paths=(Path.circle((90, 10), 5),))
        job = with_boards(job, (replace(board, shapes=(*board.shapes, crossing)),))
        edit, (part,) = parting.make_parts(job, board.id, [ShapeId("shape1")])
        assert "shape9" not in {shape.id for shape in edit.job.part(part).shapes}

    @pytest.mark.parametrize(
        ("picked", "words"), [((), "closed outline"), (("shape7",), "closed outline"), (("shape99",), "closed outline")]
    )
    def test_without_a_closed_outline_there_is_no_part(self, picked, words):
        job = bracket_job()
        board = job.boards[0]
        line = replace(board.shapes[0], id=ShapeId("shape7"), paths=(Path.polyline([(0, 0), (9, 9)], closed=False),))
        job = with_boards(job, (replace(board, shapes=(*board.shapes, line)),))
        assert words in sentence_of(ValueError, lambda: parting.make_parts(job, board.id, picked))

    def test_a_piece_is_no_art_of_an_inlay_and_what_belongs_to_one_is_no_part(self):
        job, _ = parted()
        board = job.boards[0]
        flat = next(shape.id for shape in board.shapes if "@" in shape.id)
        inlay = {"kind": InlayKind.STRAIGHT, "bit": job.bits[0].id}
        assert "take it apart" in sentence_of(ValueError, lambda: inlaying.add_inlay(job, board.id, [flat], **inlay))
        whole = bracket_job()
        edit, _ = inlaying.add_inlay(whole, board.id, [ShapeId("shape3")], **inlay)
        after = finish_edit(whole, edit.job)
        assert "inlay" in sentence_of(ValueError, lambda: parting.make_parts(after, board.id, [ShapeId("shape1")]))

    def test_an_inlay_of_a_layer_takes_pieces_that_lie_on_it_and_can_be_read_again(self):
        job, part = parted()
        board = job.boards[0]
        layer = job.part(part).shapes[0].layer
        edit, _ = inlaying.add_inlay(job, board.id, [], kind=InlayKind.STRAIGHT, bit=job.bits[0].id, layer=layer)
        consistent(finish_edit(job, edit.job))

    def test_a_piece_is_no_outline_for_another_part(self):
        job, _ = parted()
        flat = next(shape.id for shape in job.boards[0].shapes if "@" in shape.id)
        assert "already" in sentence_of(ValueError, lambda: parting.make_parts(job, job.boards[0].id, [flat]))


class TestPieces:
    @pytest.mark.parametrize(
        ("degrees", "mirrored"), [(0.0, False), (90.0, False), (37.0, False), (180.0, True), (23.0, True)]
    )
    def test_each_is_cut_as_the_part_alone_turned_and_moved(self, degrees, mirrored):
        alone, _part = parted()
        origin = alone.boards[0].instances[0]
        job, _ = with_pieces((420.0, 260.0, degrees, mirrored))
        consistent(job)
        for name in ("Cut out", alone.cuts[1].name):
            one = cut_area(alone, name)
            both = cut_area(job, name)
            own = affinity.translate(one.difference(BESIDE), -origin.x, -origin.y)
            own = affinity.scale(own, -1, 1, origin=(0, 0)) if mirrored else own
            own = affinity.translate(affinity.rotate(own, degrees, origin=(0, 0)), 420.0, 260.0)
            assert both.symmetric_difference(one.union(own)).buffer(-0.02).area < 0.05

    def test_climb_stays_climb_when_a_piece_is_mirrored(self):
        job, _ = with_pieces((450.0, 250.0, 0.0, True))
        board = job.boards[0]
        cut = next(c for c in board.cuts if isinstance(c, ProfileCut))
        assert cut.direction is Direction.CLIMB
        xyz = plan_cut(resolve(job, board, cut))[0].xyz
        turns = []
        for centre in ((300.0, 200.0), (405.0, 280.0)):  # the first piece in the middle, the mirrored one
            near = np.hypot(*(xyz[:, :2] - centre).T) < 75
            ring = xyz[near & (xyz[:, 2] < -11.9), :2] - centre
            turns.append(np.sign(np.sum(ring[:-1, 0] * ring[1:, 1] - ring[1:, 0] * ring[:-1, 1])))
        assert turns[0] == turns[1]
        assert turns[0] != 0

    def test_moved_as_a_whole_it_moves_alone(self):
        job, _part = with_pieces((400.0, 250.0, 90.0, False))
        board = job.boards[0]
        first, second = board.instances
        ids = [shape.id for shape in board.shapes if instance_of(shape.id) == second.id]
        moved = finish_edit(job, placing.map_shapes(job, board.id, ids, Affine.shift(20.0, -30.0)).job)
        consistent(moved)
        assert moved.parts == job.parts
        assert moved.boards[0].instances == (first, replace(second, x=420.0, y=220.0))
        turned = finish_edit(job, placing.map_shapes(job, board.id, ids, Affine.turn(30.0, about=(400.0, 250.0))).job)
        assert turned.boards[0].instances[1].degrees == pytest.approx(120.0)
        assert turned.parts == job.parts

    def test_what_is_done_to_one_shape_is_done_to_all_pieces_on_every_board(self):
        job, part = with_pieces((400.0, 250.0, 90.0, False))
        edit, second_board = basic.add_board(job)
        job = finish_edit(job, edit.job)
        edit, _ = parting.add_pieces(job, second_board, part, [(50.0, 50.0, 0.0, True)])
        job = finish_edit(job, edit.job)
        consistent(job)
        board, other = job.boards
        hole = next(s for s in board.shapes if base_of(s.id) == "shape2" and instance_of(s.id) == board.instances[1].id)
        # 10 mm along the board's Y is 10 mm along the part's X where it lies turned a quarter
        moved = finish_edit(job, placing.map_shapes(job, board.id, [hole.id], Affine.shift(0.0, 10.0)).job)
        consistent(moved)
        was, now = (next(s for s in j.part(part).shapes if s.id == "shape2") for j in (job, moved))
        assert (now.at.e - was.at.e, now.at.f - was.at.f) == pytest.approx((10.0, 0.0))
        assert moved.boards[1] != other
        assert {s.id for s in moved.boards[1].shapes} == {s.id for s in other.shapes}

    def test_cuts_of_a_part_come_along_to_another_board_with_their_layers_and_go_when_the_last_piece_goes(self):
        job, part = parted()
        edit, second = basic.add_board(job)
        job = finish_edit(job, edit.job)
        assert job.boards[1].cuts == ()
        edit, _ = parting.add_pieces(job, second, part, [(50.0, 50.0, 0.0, False)])
        there = finish_edit(job, edit.job)
        consistent(there)
        assert {cut.id for cut in there.boards[1].cuts} == {cut.id for cut in job.cuts}
        assert all(there.boards[1].layer(shape.layer) is not None for shape in there.boards[1].shapes)
        assert cut_area(there, "Cut out", k=1).area > 1000
        gone = finish_edit(there, parting.lay_pieces(there, {second: ()}).job)
        assert gone.boards[1].cuts == ()
        assert gone.boards[0] == there.boards[0]

    def test_removing_a_piece_leaves_the_part_and_removing_a_shape_takes_it_from_all(self):
        job, part = with_pieces((400.0, 250.0, 90.0, False))
        board = job.boards[0]
        ids = [shape.id for shape in board.shapes if instance_of(shape.id) == board.instances[1].id]
        less = finish_edit(job, placing.remove_shapes(job, board.id, ids).job)
        consistent(less)
        assert less.boards[0].instances == board.instances[:1]
        assert less.parts == job.parts
        assert less.cuts == job.cuts
        holeless = finish_edit(job, placing.remove_shapes(job, board.id, [ids[1]]).job)
        consistent(holeless)
        assert len(holeless.part(part).shapes) == 2
        assert len(holeless.boards[0].instances) == 2
        none = finish_edit(job, placing.remove_shapes(job, board.id, [s.id for s in board.shapes if "@" in s.id]).job)
        consistent(none)
        assert none.boards[0].instances == ()
        assert none.part(part) is not None
        back, _ = parting.add_pieces(none, board.id, part, [(50.0, 50.0, 0.0, False)])
        again = finish_edit(none, back.job)
        assert cut_area(again, "Cut out").area == pytest.approx(cut_area(bracket_job(), "Cut out").area, rel=1e-3)

    def test_a_tab_dragged_on_one_piece_moves_on_all(self):
        job, _ = with_pieces((400.0, 250.0, 90.0, False))
        board = job.boards[0]
        cut = next(c for c in board.cuts if isinstance(c, ProfileCut))
        outlines = [id_ for id_ in cut.shapes if "@" in id_]
        assert len(outlines) == 2
        marks = tuple(Mark(id_, 0.0, 0.0, 0, 0.3) for id_ in outlines)
        job = finish_edit(job, marking.set_tab_marks(job, cut.id, marks).job)
        flat = next(c for c in job.boards[0].cuts if c.id == cut.id)
        assert flat.tabs.by_hand == marks
        dragged = (marks[0], replace(marks[1], along=0.8))
        after = finish_edit(job, marking.set_tab_marks(job, cut.id, dragged).job)
        consistent(after)
        now = next(c for c in after.boards[0].cuts if c.id == cut.id)
        assert {mark.along for mark in now.tabs.by_hand} == {0.8}
        assert len(now.tabs.by_hand) == 2

    def test_copies_of_a_piece_are_plain_shapes_cut_alike(self):
        job, _ = parted()
        board = job.boards[0]
        ids = [shape.id for shape in board.shapes if "@" in shape.id]
        edit, _ = copying.copies(job, board.id, ids, [Affine.shift(-180.0, 0.0)], "Copy")
        after = finish_edit(job, edit.job)
        consistent(after)
        assert after.boards[0].instances == board.instances
        assert len(after.stored[0].shapes) == 1 + len(ids)
        one, two = cut_area(job, "Cut out"), cut_area(after, "Cut out")
        copied = affinity.translate(one.difference(BESIDE), -180, 0)
        assert two.symmetric_difference(one.union(copied)).buffer(-0.02).area < 0.05


class TestOwnAndApart:
    def test_made_its_own_a_piece_no_longer_follows(self):
        job, part = with_pieces((400.0, 250.0, 90.0, False))
        board = job.boards[0]
        edit, own = parting.make_own(job, board.id, [board.instances[1].id])
        after = finish_edit(job, edit.job)
        consistent(after)
        assert cut_area(after, "Cut out").symmetric_difference(cut_area(job, "Cut out")).area < 1e-3
        assert after.part(own).name != after.part(part).name
        flat = [s.id for s in after.boards[0].shapes if instance_of(s.id) == board.instances[1].id]
        changed = finish_edit(after, placing.map_shapes(after, board.id, [flat[1]], Affine.shift(3.0, 3.0)).job)
        assert changed.part(part) == after.part(part)
        assert changed.part(own) != after.part(own)
        lonely, _ = parted()
        only = lonely.boards[0].instances[0].id
        assert "its own" in sentence_of(ValueError, lambda: parting.make_own(lonely, board.id, [only]))

    def test_taken_apart_everything_lies_and_is_cut_where_it_was(self):
        job, part = with_pieces((400.0, 250.0, 90.0, False), (120.0, 300.0, 15.0, True))
        after = finish_edit(job, parting.take_apart(job, part).job)
        consistent(after)
        assert after.parts == ()
        assert after.boards[0].instances == ()
        assert len(after.boards[0].shapes) == len(job.boards[0].shapes)
        for name in ("Cut out", job.cuts[1].name):
            assert cut_area(after, name).symmetric_difference(cut_area(job, name)).area < 1e-3

    def test_undo_goes_back_step_by_step(self):
        job = bracket_job()
        history = History(job)
        board = job.boards[0].id
        edit, (part,) = parting.make_parts(job, board, [ShapeId("shape1")])
        history.apply(edit)
        edit, _ = parting.add_pieces(history.job, board, part, [(400.0, 250.0, 0.0, False)])
        history.apply(edit)
        history.apply(parting.change_part(history.job, part, quantity=7))
        history.apply(parting.take_apart(history.job, part))
        for _ in range(3):
            history.undo()
        assert len(history.job.boards[0].instances) == 1
        consistent(history.job)
        history.undo()
        assert history.job == job
        while history.redo():
            pass
        assert history.job.parts == ()


class TestPlaces:
    @given(st.floats(-1e4, 1e4), st.floats(-1e4, 1e4), st.floats(-720, 720), st.booleans())
    def test_a_place_read_back_from_its_map_is_the_same_place(self, x, y, degrees, mirrored):
        piece = Instance("piece1", "part1", x, y, degrees, mirrored)
        back = laid(piece, piece.at)
        assert back.mirrored == mirrored
        assert np.allclose(_six(back.at), _six(piece.at), atol=1e-9)

    @pytest.mark.parametrize("at", [Affine.scale(2.0), Affine.scale(1.0, 2.0), Affine(1.0, 0.2, 0.0, 1.0)])
    def test_what_is_more_than_laying_is_no_place(self, at):
        assert laid(Instance("piece1", "part1"), at) is None


STEPS = st.lists(
    st.tuples(
        st.sampled_from([
            "move piece", "turn piece", "mirror piece", "move shape", "size shape", "add", "remove piece", "remove shape", "own", "apart",
            "make", "board", "quantity", "cut", "copy", "paste", "row", "layer", "group", "ungroup", "lock", "unite", "offset", "frame", "round",
            "quarter", "follow", "rest", "order", "align", "convert", "remove cut", "remove board", "start",
        ]),
        st.integers(0, 20), st.floats(-40, 40),
    ), max_size=8,
)  # fmt: skip


def _step(job: Job, what: str, k: int, by: float) -> Job:
    board = job.boards[k % len(job.boards)]
    pieces = board.instances
    piece = pieces[k % len(pieces)] if pieces else None
    flat = [s.id for s in board.shapes if piece is not None and instance_of(s.id) == piece.id]
    centre = (board.sheet.width / 2, board.sheet.height / 2)
    maps = {
        "move": Affine.shift(by, by / 2), "turn": Affine.turn(by, about=centre), "size": Affine.scale(1.1, about=centre),
        "mirror": Affine.scale(-1.0, 1.0, about=centre),
    }  # fmt: skip
    try:
        match what.split():
            case [("move" | "turn" | "mirror") as act, "piece"] if flat:
                return placing.map_shapes(job, board.id, flat, maps[act]).job
            case [("move" | "size") as act, "shape"] if flat:
                return placing.map_shapes(job, board.id, [flat[k % len(flat)]], maps[act]).job
            case ["remove", "piece"] if flat:
                return placing.remove_shapes(job, board.id, flat).job
            case ["remove", "shape"] if flat:
                return placing.remove_shapes(job, board.id, [flat[k % len(flat)]]).job
            case ["add"] if job.parts:
                return parting.add_pieces(
                    job, board.id, job.parts[k % len(job.parts)].id, [(by + 100, 100 - by, by, k % 2 == 0)]
                )[0].job
            case ["own"] if piece is not None:
                return parting.make_own(job, board.id, [piece.id])[0].job
            case ["apart"] if job.parts:
                return parting.take_apart(job, job.parts[k % len(job.parts)].id).job
            case ["make"]:
                return parting.make_parts(job, board.id, [s.id for s in board.shapes if "@" not in s.id])[0].job
            case ["board"]:
                return basic.duplicate_board(job, board.id)[0].job if k % 2 else basic.add_board(job)[0].job
            case ["quantity"] if job.parts:
                return parting.change_part(job, job.parts[0].id, quantity=k).job
            case ["copy"] if flat:
                return repeating.duplicate(job, board.id, flat, by, by)[0].job
            case ["paste"] if flat:
                other = job.boards[(k + 1) % len(job.boards)].id
                return copying.paste(job, other, copying.copied(job, board.id, flat), at=(100 + by, 100 - by))[0].job
            case ["row"] if flat:
                return repeating.rows_and_columns(job, board.id, flat, repeating.Rows(2, 1, 5.0, 5.0, True))[0].job
            case ["layer"] if flat:
                edit, layer = layering.add_layer(job, board.id, "more")
                return layering.move_to_layer(edit.job, board.id, flat[:1] if k % 2 else flat, layer).job
            case [("group" | "ungroup") as act] if flat:
                change = layering.group_shapes if act == "group" else layering.ungroup_shapes
                return change(job, board.id, [s.id for s in board.shapes][: k + 1]).job
            case ["lock"] if flat:
                return layering.lock_shapes(job, board.id, flat[:1], is_locked=k % 2 == 0).job
            case ["unite"] if len(flat) > 1:
                return shaping.unite(job, board.id, flat[:2]).edit.job
            case ["offset"] if flat:
                return shaping.offset(job, board.id, flat[:1], 1.5).edit.job
            case ["frame"] if flat:
                return shaping.frame(job, board.id, flat, 5.0).edit.job
            case ["round"] if flat:
                return shaping.round_corners(job, board.id, flat[:1], 2.0).edit.job
            case ["convert"] if flat:
                return shaping.convert(job, board.id, flat).job
            case ["quarter"]:
                return basic.turn_quarter(job, board.id).job
            case ["align"] if flat:
                return aligning.align(
                    job, board.id, [s.id for s in board.shapes], aligning.Edge.LEFT, aligning.AlignTo.SHEET
                ).job
            case ["follow"] if board.cuts and board.layers:
                return layering.follow_layer(
                    job, board.cuts[k % len(board.cuts)].id, board.layers[k % len(board.layers)].id
                ).job
            case ["rest"] if any(isinstance(c, PocketCut) for c in board.cuts):
                pocket = next(c for c in board.cuts if isinstance(c, PocketCut))
                return leftovers.add_rest(job, pocket.id, pocket.bit)[0].job
            case ["order"] if len(board.cuts) > 1:
                return cutting.reorder_cut(job, board.id, board.cuts[-1].id, 0).job
            case ["remove", "cut"] if board.cuts:
                return basic.remove_cut(job, board.cuts[k % len(board.cuts)].id).job
            case ["remove", "board"] if len(job.boards) > 1:
                return basic.remove_board(job, board.id).job
            case ["start"] if flat and board.cuts:
                return marking.set_start_mark(
                    job, board.cuts[k % len(board.cuts)].id, flat[0], Mark(flat[0], 1.0, 2.0, 0, abs(by) / 41)
                ).job
            case ["cut"] if flat:
                return cutting.add_cut(job, board.id, cutting.new_cut(job, board.id, PocketCut, flat[:1])).job
    except ValueError:
        pass
    return job


@settings(max_examples=60)
@given(STEPS)
def test_whatever_is_done_the_document_holds_together_and_all_of_it_can_be_undone(steps):
    first, _ = with_pieces((400.0, 250.0, 90.0, False), (150.0, 300.0, 20.0, True))
    history = History(first)
    for what, k, by in steps:
        job = history.job
        after = _step(job, what, k, by)
        if after is not job:
            history.apply(type("E", (), {"job": after, "label": what, "merge": ""})())
            consistent(history.job)
    while history.undo():
        pass
    assert history.job == first
