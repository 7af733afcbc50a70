"""From parts to a nested board and its G-code: what is written cuts every piece as the part alone, turned and moved; nothing kept is
touched. The files are read back, and what stands is measured by the area bits sweep."""

from __future__ import annotations

import json
from pathlib import Path as FilePath

import numpy as np
import pytest
import shapely
from shapely import affinity

from archimetra.cli import main
from archimetra.edits import basic, parting
from archimetra.edits.finishing import finish_edit
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Lead, LeadKind, Side
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.file import JobFile, load_job, save_job
from archimetra.job.ids import ShapeId
from archimetra.job.job import with_boards
from archimetra.job.parts import Turning
from archimetra.job.sheet import Fixture, HoldDown
from archimetra.layout.nest.checking import faults
from archimetra.layout.nest.stages import nest
from archimetra.layout.of_job import kept_wood, laid, nest_request
from archimetra.layout.spacing import proposed_spacing
from archimetra.output.gcode_reader import read_gcode
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.moves import straightened
from cutting_board import swept
from edits.test_parting import bracket_job
from sample_plans import plan_of, sample
from shapes import replace

WORK = 3e7


@pytest.fixture(scope="module")
def job():
    """Plates and stars on one board."""
    made = bracket_job()
    board = made.boards[0]
    edit, parts = parting.make_parts(made, board.id, [shape.id for shape in board.shapes])
    made = finish_edit(made, edit.job)
    for part, quantity in zip(parts, (5, 3), strict=True):
        made = finish_edit(made, parting.change_part(made, part, quantity=quantity, turning=Turning.ANY).job)
    return made


def nested(job, boards=None, **settings):
    boards = job.boards if boards is None else boards
    request, parts = nest_request(job, boards, **settings)
    found = nest(request, work=WORK)
    assert faults(request, found) == []
    return finish_edit(job, laid(job, [board.id for board in boards], parts, found).job), request, found


def placed(job, k: int = 0):
    """(part, kept wood where it lies) of every piece of a board."""
    board = job.boards[k]
    out = []
    for piece in board.instances:
        part = job.part(piece.part)
        at = piece.at
        out.append(
            (part, affinity.affine_transform(kept_wood(job, part, board.sheet), [at.a, at.c, at.b, at.d, at.e, at.f]))
        )
    return out


class TestNestedBoards:
    def test_every_piece_lies_and_no_kept_wood_is_touched(self, job):
        after, request, found = nested(job)
        board = after.boards[0]
        assert found.left_out == (0, 0)
        assert len(board.instances) == 8
        assert request.spacing == pytest.approx(6.0 + 2.0)
        pieces = placed(after)
        for k, (_, one) in enumerate(pieces):
            assert all(one.distance(other) >= 8.0 - 0.001 for _, other in pieces[:k])
        outline = next(cut for cut in board.cuts if isinstance(cut, ProfileCut))
        ground = swept(plan_cut(resolve(after, board, outline))[0], 3.0, deeper_than=0.1)
        for _, kept in pieces:
            assert ground.intersection(kept.buffer(-0.01)).area < 1e-3

    def test_the_written_file_cuts_each_piece_as_the_part_alone(self, job, tmp_path):
        after, _, _ = nested(job)
        save_job(tmp_path / "n.archimetra", JobFile(after))
        assert main(["export", str(tmp_path / "n.archimetra"), "--out", str(tmp_path / "out"), "--force"]) == 0
        texts = [path.read_text() for path in sorted((tmp_path / "out").iterdir())]
        deep = shapely.union_all([_cut_through(text) for text in texts])
        alone = bracket_job()
        board = alone.boards[0]
        outline = next(cut for cut in board.cuts if isinstance(cut, ProfileCut))
        plate = replace(outline, shapes=outline.shapes[:1], tabs=replace(outline.tabs, count=0))
        board = replace(board, shapes=board.shapes[:3], cuts=(plate,))
        alone = with_boards(alone, (board,))
        board = alone.boards[0]
        own = swept(plan_cut(resolve(alone, board, plate))[0], 3.0, deeper_than=11.9)
        x, y = board.shapes[0].bounds()[:2]
        own = affinity.translate(own, -x, -y)
        part = after.parts[0]
        for piece in after.boards[0].instances:
            if piece.part == part.id:
                at = piece.at
                wanted = affinity.affine_transform(own, [at.a, at.c, at.b, at.d, at.e, at.f])
                missing = wanted.difference(deep.buffer(0.03))
                tabs = 2 * (7.0 + 6.0) * 6.0
                assert missing.area < tabs

    def test_clamps_and_what_is_cut_beside_the_parts_are_kept_clear(self, job):
        board = job.boards[0]
        line = ShapeId("shape50")
        slot = replace(
            board.shapes[0], id=line, paths=(Path.rectangle(0, 0, 80, 60),), at=Affine.shift(60.0, 60.0), group=""
        )
        clamp = Fixture(x=30.0, y=200.0, width=60.0, height=40.0)
        outline = next(cut for cut in board.cuts if isinstance(cut, ProfileCut))
        cuts = tuple(replace(c, shapes=(*c.shapes, line)) if c is outline else c for c in board.cuts)
        full = with_boards(job, (replace(board, shapes=(*board.shapes, slot), cuts=cuts, fixtures=(clamp,)),))
        after, _, found = nested(full)
        assert sum(found.left_out) == 0
        clamped, kept = shapely.box(0, 180, 60, 220), shapely.box(60, 60, 140, 120)
        for _, piece in placed(after):
            assert piece.distance(clamped) >= 6.0
            assert piece.distance(kept) >= 8.0 - 0.001

    def test_nested_again_pieces_keep_their_names_and_more_of_them_get_new_ones(self, job):
        once, _, _ = nested(job)
        more = finish_edit(once, parting.change_part(once, once.parts[1].id, quantity=5).job)
        twice, _, _ = nested(more)
        before = {piece.id for piece in once.boards[0].instances}
        after = [piece.id for piece in twice.boards[0].instances]
        assert before < set(after)
        assert len(after) == len(set(after)) == 10

    def test_over_several_boards(self, job):
        edit, second = basic.add_board(job)
        two = finish_edit(job, edit.job)
        many = finish_edit(two, parting.change_part(two, two.parts[0].id, quantity=40).job)
        after, _, found = nested(many)
        assert found.sheets_used == 2
        assert len(after.boards[0].instances) + len(after.boards[1].instances) == 43 - sum(found.left_out)
        assert {cut.id for cut in after.board(second).cuts} == {cut.id for cut in after.boards[0].cuts}


class TestWhatIsKept:
    def with_slot_cut(self, job, side, through: bool):
        board = job.boards[0]
        slot = next(s.id for s in board.shapes if s.id.startswith("shape3@"))
        inside = ProfileCut(
            id="cut9",
            name="Opening",
            bit=job.bits[0].id,
            shapes=(slot,),
            side=side,
            goes_through=through,
            end_depth=5.0,
        )
        return finish_edit(job, with_boards(job, (replace(board, cuts=(*board.cuts, inside)),)))

    def test_an_opening_cut_through_inside_is_room_and_a_pocket_is_not(self, job):
        part = job.parts[0]
        sheet = replace(job.boards[0].sheet, hold_down=HoldDown.TAPED)
        whole = 90 * 60 - 50 * 30 / 2
        assert kept_wood(job, part, sheet).area == pytest.approx(whole)
        opened = self.with_slot_cut(job, Side.INSIDE, through=True)
        assert kept_wood(opened, part, sheet).area == pytest.approx(whole - 30 * 12)
        assert kept_wood(opened, part, job.boards[0].sheet).area == pytest.approx(whole - 30 * 12)
        for side, through in ((Side.INSIDE, False), (Side.OUTSIDE, True)):
            assert kept_wood(self.with_slot_cut(job, side, through=through), part, sheet).area == pytest.approx(whole)

    def test_the_widest_bit_that_cuts_a_part_out_rules_the_spacing(self, job):
        assert proposed_spacing(job, job.parts) == 8.0
        assert proposed_spacing(job, []) == 2.0

    def test_leads_longer_than_the_spacing_keep_others_away(self, job):
        board = job.boards[0]
        outline = next(cut for cut in board.cuts if isinstance(cut, ProfileCut))
        led = replace(
            outline,
            lead_in=Lead(kind=LeadKind.LINE, length=25.0),
            lead_out=Lead(kind=LeadKind.LINE, length=25.0),
        )
        long = with_boards(job, (replace(board, cuts=tuple(led if c is outline else c for c in board.cuts)),))
        assert nest_request(job, job.boards)[0].parts[0].reaches == ()
        after, request, _ = nested(long)
        assert request.parts[0].reaches
        now = after.boards[0]
        cut = next(c for c in now.cuts if isinstance(c, ProfileCut))
        path = plan_cut(resolve(after, now, cut))[0]
        points, _ = straightened(path.xyz, path.kind, path.centre, chord_tolerance_mm=0.01)
        low = np.minimum(points[:-1, 2], points[1:, 2]) < 0
        lines = shapely.multilinestrings(list(np.stack((points[:-1][low, :2], points[1:][low, :2]), axis=1)))
        assert all(lines.distance(kept) >= 3.0 - 0.02 for _, kept in placed(after))


class TestCommands:
    @pytest.fixture
    def file(self, job, tmp_path) -> FilePath:
        save_job(tmp_path / "parts.archimetra", JobFile(job, {"a.svg": b"<svg/>"}))
        return tmp_path / "parts.archimetra"

    def test_nest_saves_the_layout_and_says_what_it_is_and_layout_lets_anybody_check_it(self, file, capsys):
        assert main(["nest", str(file), "--work", "3e6", "--json"]) == 0
        said = json.loads(capsys.readouterr().out)
        assert said["pieces"] == 8
        assert said["left_out"] == {}
        assert said["spacing"] == 8.0
        assert load_job(file).sources == {"a.svg": b"<svg/>"}
        assert main(["layout", str(file), "--json"]) == 0
        told = json.loads(capsys.readouterr().out)
        outlines = {
            part["id"]: shapely.Polygon(part["outlines"][0][0], part["outlines"][0][1:]) for part in told["parts"]
        }
        (board,) = told["boards"]
        pieces = []
        for p in board["instances"]:
            shape = affinity.scale(outlines[p["part"]], -1, 1, origin=(0, 0)) if p["mirrored"] else outlines[p["part"]]
            pieces.append(affinity.translate(affinity.rotate(shape, p["degrees"], origin=(0, 0)), p["x"], p["y"]))
        sheet = shapely.Polygon(board["sheet"]["outline"])
        assert len(pieces) == 8
        for k, piece in enumerate(pieces):
            assert sheet.exterior.distance(piece) >= 10.0 - 0.001
            assert all(piece.distance(other) >= 8.0 - 0.001 for other in pieces[:k])

    def test_the_same_work_gives_the_same_file_and_what_finds_no_room_is_an_answer_of_its_own(
        self, file, capsys, tmp_path
    ):
        twin = tmp_path / "twin.archimetra"
        twin.write_bytes(file.read_bytes())
        for each in (file, twin):
            assert main(["nest", str(each), "--work", "3e6"]) == 0
        assert load_job(file).job == load_job(twin).job
        assert "pieces on 1 sheet" in capsys.readouterr().out
        job = load_job(file).job
        many = finish_edit(job, parting.change_part(job, job.parts[0].id, quantity=80).job)
        save_job(file, JobFile(many))
        assert main(["nest", str(file), "--work", "3e6"]) == 1
        assert "found no room" in capsys.readouterr().err

    @pytest.mark.parametrize(
        ("options", "words"),
        [
            (["--board", "Nowhere"], "no board 'Nowhere'"),
            (["--seconds", "0"], "more than 0"),
            (["--margin", "300"], "leaves nothing"),
            (["--spacing", "900mm"], "0 to 500"),
            (["--spacing", "wide"], "wide"),
        ],
    )
    def test_what_cannot_be_is_a_sentence_and_the_file_stays(self, file, capsys, options, words):
        before = file.read_bytes()
        assert main(["nest", str(file), "--work", "1e6", *options]) == 1
        assert words in capsys.readouterr().err
        assert file.read_bytes() == before

    def test_a_job_without_parts_says_what_to_do(self, tmp_path, capsys):
        save_job(tmp_path / "plain.archimetra", JobFile(bracket_job()))
        assert main(["nest", str(tmp_path / "plain.archimetra"), "--work", "1e6"]) == 1
        assert "no parts" in capsys.readouterr().err


def _cut_through(text: str) -> shapely.Geometry:
    """What a file's moves sweep right through the sheet, read back."""
    run = read_gcode(text)
    return swept(run, 3.0, deeper_than=11.9)


@pytest.mark.parametrize("name", ["Hands", "Hands, more"])
def test_of_the_sample_nothing_kept_of_any_piece_is_touched_and_all_of_its_edge_is_cut(name):
    job = sample()
    board, plan = plan_of(name)
    ground = shapely.union_all(
        [swept(cut.toolpath, job.bit(cut.toolpath.bit).radius, deeper_than=0.05) for cut in plan.cuts]
    )
    holes = shapely.union_all(
        [
            shapely.Polygon(shape.placed()[0].flatten(0.01)).buffer(0.6)
            for cut in board.cuts
            if not isinstance(cut, ProfileCut)
            for shape in board.shapes_of(cut)
        ]
    )
    for piece in board.instances:
        at = piece.at
        wood = affinity.affine_transform(
            kept_wood(job, job.part(piece.part), board.sheet), [at.a, at.c, at.b, at.d, at.e, at.f]
        )
        assert wood.difference(holes).buffer(-0.03).intersection(ground).area < 0.02, piece
        assert shapely.boundary(wood.buffer(0.1)).difference(ground).length < 0.01, piece
