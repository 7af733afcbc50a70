"""What is told of a board in view of other boards and of what was written: a plug that faces the wrong way, a zero that moved since."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archimetra.base.findings import Severity
from archimetra.checks.among_boards import all_found, plug_not_mirrored, zero_since_written
from archimetra.edits import basic
from archimetra.edits.history import History
from archimetra.edits.remedies import remedy_for
from archimetra.edits.writing import note_written
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit, BitKind
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.file import decode_job, encode_job
from archimetra.job.ids import BitId, CutId, LayerId, ShapeId
from archimetra.job.job import with_boards
from archimetra.job.shapes import Layer, Shape
from archimetra.job.sheet import Sheet, Zero, ZeroAt, ZeroZ
from archimetra.job.written import Written, WrittenFile
from shapes import blob, job_with, replace, star

SHEET = Sheet(width=300, height=200, readings=(18.0,))
VEE = Bit(id=BitId("bit9"), name="60 deg V", kind=BitKind.VEE, diameter=12.0, angle=60.0, cutting_length=12.0, place=5)
FLAG = Path.polyline([(0, 0), (8, 0), (8, 25), (30, 25), (22, 34), (30, 43), (8, 43), (8, 50), (0, 50)], closed=True)
HEART = Path.polyline([(0, 0), (20, 24), (14, 34), (0, 28), (-14, 34), (-20, 24)], closed=True)


def carved(job, number: int, *paths: Path, name="Carving"):
    """The job with the paths on a board, carved by a V bit."""
    board = job.boards[number]
    made = []
    for k, path in enumerate(paths):
        made.append(
            Shape(id=ShapeId(f"shape{100 * len(board.shapes) + 1000 * number + k}"), name="art", layer=LayerId(f"layer9{number}"), paths=(path,))
        )  # fmt: skip
    cut = CarveCut(
        id=CutId(f"cut{number}{len(board.cuts)}"),
        name=name,
        bit=VEE.id,
        shapes=tuple(s.id for s in made),
        end_depth=4.0,
    )
    boards = list(job.boards)
    boards[number] = replace(board, shapes=(*board.shapes, *made), cuts=(*board.cuts, cut))
    return with_boards(job, tuple(boards))


def start():
    job, _, _ = job_with(star(), sheet=SHEET)
    job = basic.add_board(replace(job, bits=(*job.bits, VEE)))[0].job
    return with_boards(
        job,
        tuple(
            replace(board, shapes=(), cuts=(), layers=(Layer(id=LayerId(f"layer9{k}"), name="art"),))
            for k, board in enumerate(job.boards)
        ),
    )


def framed(art: Path, turned: Affine) -> list[Path]:
    moved = art.transform(turned)
    x0, y0, x1, y1 = moved.bounds()
    return [moved, Path.rectangle(x0 - 12, y0 - 9, x1 - x0 + 24, y1 - y0 + 18)]


def told(art: Path, turned: Affine, *, pocket: Path | None = None, same_board=False):
    """The findings of the plug's board."""
    where = 0 if same_board else 1
    job = carved(start(), 0, pocket or art, name="Pocket")
    job = carved(job, where, *framed(art, turned), name="Plug")
    return job, list(plug_not_mirrored(job, job.boards[where]))


QUARTERS = [Affine.turn(90.0 * k) for k in range(4)]
OVER = Affine.scale(-1.0, 1.0)


class TestPlugs:
    @pytest.mark.parametrize("turn", range(4))
    @pytest.mark.parametrize("same_board", [False, True])
    def test_one_that_faces_as_its_pocket_is_told_and_its_mirror_image_is_not(self, turn, same_board):
        job, (finding,) = told(FLAG, QUARTERS[turn], same_board=same_board)
        assert finding.severity is Severity.CAUTION
        assert "Plug" in finding.words
        assert "Pocket" in finding.words
        assert finding.subject == job.boards[0 if same_board else 1].cuts[-1].id
        assert told(FLAG, OVER.then(QUARTERS[turn]), same_board=same_board)[1] == []

    @pytest.mark.parametrize("art", [star(), HEART, Path.circle((0, 0), 20), Path.rectangle(0, 0, 30, 12)])
    def test_art_that_is_its_own_mirror_image_fits_either_way(self, art):
        for turned in (*QUARTERS, *(OVER.then(q) for q in QUARTERS)):
            assert told(art, turned)[1] == []

    @given(st.integers(0, 50), st.floats(-40, 40), st.floats(-30, 30))
    def test_wherever_it_lies(self, seed, dx, dy):
        art = blob(seed, 22.0, 3)
        assert len(told(art, Affine.shift(dx, dy))[1]) == 1
        assert told(art, OVER.then(Affine.shift(dx, dy)))[1] == []

    def test_other_art_in_a_frame_is_no_plug_of_it(self):
        assert told(FLAG, QUARTERS[0], pocket=FLAG.transform(Affine.scale(1.1, 1.1)))[1] == []
        assert told(FLAG, QUARTERS[0], pocket=blob(3, 22.0, 3))[1] == []

    def test_both_halves_the_program_makes_are_never_told(self):
        from archimetra.demo import quay_tide_clock

        job = quay_tide_clock().job
        assert [f for board in job.boards for f in plug_not_mirrored(job, board)] == []

    def test_one_press_turns_it_over(self):
        job, (finding,) = told(FLAG, QUARTERS[1])
        board = job.boards[1]
        before = board.shapes_of(board.cuts[-1])
        words, edit = remedy_for(job, board, finding)
        assert words == "Mirror its shapes"
        history = History(job)
        history.apply(edit)
        after = history.job.boards[1]
        assert list(plug_not_mirrored(history.job, after)) == []
        for was, now in zip(before, after.shapes_of(after.cuts[-1]), strict=True):
            assert was.at.determinant * now.at.determinant < 0


# ---- zero


ONE_FILE = (WrittenFile(name="a.nc", digest="00"),)


def written_with(zero: Zero, *, files=ONE_FILE) -> Written:
    return Written(folder="/media/stick", controller="c", zero=zero, key="k", files=tuple(files))


def board_written(at: Zero, before: Zero):
    job = start()
    board = job.boards[0]
    job = basic.set_zero(job, board.id, at).job
    return note_written(job, board.id, written_with(before))


class TestZero:
    @pytest.mark.parametrize(
        ("now", "before", "is_told"),
        [
            (Zero(), Zero(), False),
            (Zero(at=ZeroAt.CENTRE), Zero(), True),
            (Zero(z=ZeroZ.SPOILBOARD), Zero(), True),
            (Zero(at=ZeroAt.TYPED, x=0.0, y=0.0), Zero(), False),  # the same place said otherwise
            (Zero(at=ZeroAt.TYPED, x=0.005, y=0.0), Zero(), False),
            (Zero(at=ZeroAt.TYPED, x=0.02, y=0.0), Zero(), True),
            (Zero(at=ZeroAt.TYPED, x=150.0, y=100.0), Zero(at=ZeroAt.CENTRE), False),
        ],
    )
    def test_a_zero_that_moved_since_the_files_were_written_is_told(self, now, before, is_told):
        job = board_written(now, before)
        found = list(zero_since_written(job, job.boards[0]))
        assert bool(found) == is_told
        if is_told:
            assert "/media/stick" in found[0].mend
            _, edit = remedy_for(job, job.boards[0], found[0])
            assert list(zero_since_written(edit.job, edit.job.boards[0])) == []

    def test_a_sheet_that_grew_moves_the_middle_and_it_is_told(self):
        job = board_written(Zero(at=ZeroAt.TYPED, x=150.0, y=100.0), Zero(at=ZeroAt.CENTRE))
        wider = basic.change_board(job, job.boards[0].id, "", sheet=replace(job.boards[0].sheet, width=310.0)).job
        assert len(list(zero_since_written(wider, wider.boards[0]))) == 1

    def test_nothing_written_nothing_told(self):
        job = start()
        assert list(zero_since_written(job, job.boards[0])) == []
        job = note_written(job, job.boards[0].id, written_with(Zero(at=ZeroAt.CENTRE), files=()))
        assert list(zero_since_written(job, job.boards[0])) == []

    def test_it_stands_among_what_the_plan_found_the_gravest_first(self):
        job = board_written(Zero(at=ZeroAt.CENTRE), Zero())
        from archimetra.base.findings import Finding

        planned = (Finding("a", Severity.NOTE, "n"), Finding("b", Severity.STOP, "s"))
        assert [f.code for f in all_found(job, job.boards[0], planned)] == ["b", "zero-since-written", "a"]
        assert all_found(start(), start().boards[0], planned) == planned


class TestRecord:
    def test_undo_and_redo_do_not_take_it_back_and_it_is_kept_in_the_file(self):
        job = start()
        history = History(job)
        board = history.job.boards[0].id
        history.apply(basic.set_zero(history.job, board, Zero(at=ZeroAt.CENTRE)))
        record = written_with(Zero(at=ZeroAt.CENTRE))
        assert history.note(lambda j: note_written(j, board, record))
        assert not history.note(lambda j: note_written(j, board, record))
        assert history.undo_label == "Zero"
        history.undo()
        assert history.job.boards[0].written == record
        history.redo()
        assert history.job.boards[0].written == record
        assert decode_job(encode_job(history.job), name="a").boards[0].written == record

    def test_a_file_that_came_out_the_same_keeps_how_often_it_was_cut(self):
        job = start()
        id_ = job.boards[0].id
        old = [WrittenFile(name="a.nc", digest="1", runs=3), WrittenFile(name="b.nc", digest="2", runs=1)]
        job = note_written(job, id_, written_with(Zero(), files=[replace(file, runs=0) for file in old]))
        job = with_boards(
            job, (replace(job.boards[0], written=written_with(Zero(), files=old)), job.boards[1])
        )  # cut since
        new = [WrittenFile(name="a.nc", digest="1"), WrittenFile(name="b.nc", digest="9")]
        job = note_written(job, id_, written_with(Zero(), files=new))
        assert [file.runs for file in job.boards[0].written.files] == [3, 0]

    def test_a_copy_of_a_board_has_written_nothing(self):
        job = board_written(Zero(), Zero())
        edit, new = basic.duplicate_board(job, job.boards[0].id)
        assert edit.job.board(new).written is None
        assert edit.job.boards[0].written is not None
