"""A sheet cut from both sides: front and back meet where they should, whichever way it is turned over and wherever zero is.

What lies where on the other face is worked out here by hand: turned left to right x becomes width - x, front to back y becomes height - y.
"""

from __future__ import annotations

import json
from contextlib import redirect_stdout
from io import StringIO

import numpy as np
import pytest

from archimetra.base.findings import Severity
from archimetra.cli import main
from archimetra.edits import basic, cutting
from archimetra.edits import setups as edits
from archimetra.edits.finishing import finish_edit, finished
from archimetra.edits.history import History
from archimetra.engine.keys import plan_key
from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.job import turning
from archimetra.job.cut_parts import DepthFrom, Side, Tabs
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.hole import HoleCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.file import JobFile, load_job, save_job
from archimetra.job.ids import BitId, CutId, LayerId, ShapeId
from archimetra.job.job import with_boards
from archimetra.job.setups import HeldBy, TurnedAbout
from archimetra.job.shapes import Layer, Shape
from archimetra.job.sheet import HoldDown, Sheet, Zero, ZeroAt, ZeroZ
from archimetra.layout.face_pins import places_on_the_axis
from archimetra.output.gcode_reader import read_gcode
from archimetra.stock.faces import Behind
from archimetra.toolpath.shared.front import FrontFace
from cutting_board import board_with
from shapes import replace, sentence_of, straight_bit

W, H, T = 120.0, 80.0, 18.0
SHEET = Sheet(width=W, height=H, readings=(T,), hold_down=HoldDown.TAPED)
ELL = ((0.0, 0.0), (W, 0.0), (W, 30.0), (50.0, 30.0), (50.0, H), (0.0, H))


def behind(about: TurnedAbout, x: float, y: float) -> tuple[float, float]:
    return (W - x, y) if about is TurnedAbout.SIDEWAYS else (x, H - y)


def shape(id_: str, *paths: Path) -> Shape:
    return Shape(id=ShapeId(id_), name=id_, layer=LayerId("layer90"), paths=paths)


def two_faces(about: TurnedAbout, front=(), back=(), *, sheet: Sheet = SHEET, bit=None, **fields):
    """A job with cuts of a kind on both faces: each (kind, path, settings)."""
    job, board, _ = board_with(Path.rectangle(0, 0, 4, 4), kind=PocketCut, bit=bit or straight_bit(4.0), sheet=sheet)
    board = replace(
        board, name="Front", shapes=(), cuts=(), layers=(Layer(id=LayerId("layer90"), name="all"),), **fields
    )
    job = with_boards(job, (board,))
    edit, back_id = edits.add_back(job, board.id, about)
    job, number = edit.job, 90
    job = with_boards(
        job, (job.boards[0], replace(job.boards[1], name="Back", layers=(Layer(id=LayerId("layer91"), name="b"),)))
    )
    for k, cuts in enumerate((front, back)):
        for kind, path, settings in cuts:
            number += 1
            at = job.boards[k]
            made = shape(f"shape{number}", path)
            made = replace(made, layer=at.layers[0].id)
            cut = kind(
                id=CutId(f"cut{number}"),
                name=f"{kind.__name__} {number}",
                bit=job.bits[0].id,
                shapes=(made.id,),
                **settings,
            )
            changed = replace(at, shapes=(*at.shapes, made), cuts=(*at.cuts, cut))
            job = with_boards(job, tuple(changed if b.id == at.id else b for b in job.boards))
    return finished(job), board.id, back_id


def hole(x: float, y: float, **settings):
    return HoleCut, Path.circle((x, y), 2.0), {"goes_through": True} | settings


def files_of(tmp_path, job):
    """(board, said by layout --json, moves in board coordinates) of every file."""
    path = tmp_path / "two.archimetra"
    save_job(path, JobFile(job, {}))
    out = StringIO()
    with redirect_stdout(out):
        assert main(["layout", str(path), "--json"]) == 0
        layout = out.getvalue()
        assert main(["export", str(path), "--out", str(tmp_path / "out"), "--force"]) == 0
    for board in json.loads(layout)["boards"]:
        (setup,) = board["setups"]
        m = setup["file_to_board"]
        for name in setup["files"]:
            moves = read_gcode((tmp_path / "out" / name).read_text())
            assert not moves.findings
            x, y, z = moves.xyz.T
            at = np.column_stack(
                (m["a"] * x + m["c"] * y + m["e"], m["b"] * x + m["d"] * y + m["f"], z + setup["file_z_to_board"])
            )
            yield board, (tmp_path / "out" / name).read_text(), at


def holes_in(at: np.ndarray) -> set[tuple[float, float]]:
    low = at[at[:, 2] < -1.0]
    return {tuple(np.round(p, 2)) for p in low[:, :2]}


# ---- the transform


@pytest.mark.parametrize("about", list(TurnedAbout))
@pytest.mark.parametrize(
    "zero", [*[Zero(at=at) for at in ZeroAt if at is not ZeroAt.TYPED], Zero(at=ZeroAt.TYPED, x=33.0, y=-7.0)]
)
@pytest.mark.parametrize("z", list(ZeroZ))
def test_front_and_back_meet_on_a_lopsided_part(tmp_path, about, zero, z):
    """Holes from both faces in a pattern that no wrong mirror lays on itself."""
    places = [(17.0, 11.0), (91.0, 23.0), (40.0, 66.0)]
    job, _, _ = two_faces(
        about, [hole(*p) for p in places], [hole(*behind(about, *p)) for p in places],
        zero=replace(zero, z=z), bed_x=200.0, bed_y=150.0, quarter_turns=1 if zero.at is ZeroAt.CENTRE else 0,
    )  # fmt: skip
    seen = {board["board"]: (board, text, holes_in(at)) for board, text, at in files_of(tmp_path, job)}
    assert seen["Front"][2] == set(places)
    assert {tuple(np.round(behind(about, *p), 2)) for p in seen["Back"][2]} == set(places)
    assert seen["Back"][0]["back_of"] == {"board": "Front", "turned_over": about.value, "held_by": "corner stops"}
    assert f"turned over {about.value}" in seen["Back"][1]
    assert "turned over" not in seen["Front"][1]


@pytest.mark.parametrize("about", list(TurnedAbout))
def test_the_back_shows_the_sheet_from_behind(about):
    outline = (Path.polyline(np.array(ELL), closed=True),)
    job, front, back = two_faces(about, sheet=replace(SHEET, outline=outline, grain_degrees=30.0))
    seen = job.board(back).sheet
    assert job.board(front).sheet.outline == outline
    corner = behind(about, 100.0, 60.0)  # no wood there
    assert not seen.region.contains_properly(_point(corner))
    assert seen.region.contains(_point(behind(about, 100.0, 15.0)))
    assert seen.region.area == pytest.approx(job.board(front).sheet.region.area)
    assert seen.grain_degrees == -30.0
    again = with_boards(job, job.boards)
    assert again.sheets == job.sheets
    assert again.board(back) == job.board(back)


def _point(at):
    import shapely

    return shapely.points(*at)


@pytest.mark.parametrize("about", list(TurnedAbout))
def test_what_is_changed_of_the_sheet_on_its_back_is_changed_of_the_sheet(about):
    outline = (Path.polyline(np.array(ELL), closed=True),)
    job, front, back = two_faces(about, sheet=replace(SHEET, outline=outline))
    board = job.board(back)
    job = finish_edit(job, basic.change_board(job, back, "", sheet=replace(board.sheet, tint="#C9A66B")).job)
    assert len(job.sheets) == 1
    assert job.board(front).sheet.tint == job.board(back).sheet.tint == "#C9A66B"
    assert job.board(front).sheet.outline[0].flatten(0.1).tolist() == outline[0].flatten(0.1).tolist()
    other = finish_edit(job, edits.turn_over(job, back, about=_other(about)).job)
    assert other.board(back).sheet.region.contains(_point(behind(_other(about), 100.0, 15.0)))
    assert other.board(front).sheet.outline[0].flatten(0.1).tolist() == outline[0].flatten(0.1).tolist()


def test_a_sheet_keeps_its_thickness_however_many_others_were_looked_at_in_between():
    """Nothing of the document hangs on what was worked out for it before."""
    facing = FacingCut(id=CutId("cut80"), name="Face", bit=BitId("bit1"), end_depth=1.5)
    job, front, back = two_faces(TurnedAbout.SIDEWAYS, [], [hole(30.0, 30.0)], sheet=replace(SHEET, grain_degrees=20.0))
    job = finish_edit(job, with_boards(job, (replace(job.board(front), cuts=(facing,)), job.board(back))))
    assert job.board(back).sheet.readings == (T - 1.5,)
    turning._kept.clear()
    moved = finish_edit(job, basic.change_board(job, back, "", name="Other").job)
    assert moved.sheets == job.sheets
    assert moved.board(back).sheet == job.board(back).sheet
    turning._kept.clear()
    again = finish_edit(moved, edits.turn_over(moved, back, about=TurnedAbout.LENGTHWAYS).job)
    assert again.sheets == job.sheets
    turning._kept.clear()
    apart = finish_edit(again, edits.part_faces(again, back).job)
    assert apart.board(back).sheet.readings == (T,)
    assert apart.board(back).sheet.grain_degrees == 20.0


def _other(about: TurnedAbout) -> TurnedAbout:
    return next(a for a in TurnedAbout if a is not about)


@pytest.mark.parametrize("about", list(TurnedAbout))
def test_the_underside_is_what_was_cut_of_the_front(about):
    pocket = (PocketCut, Path.rectangle(15, 9, 30, 14), {"end_depth": 6.0})
    job, front, back = two_faces(about, [pocket, hole(90.0, 60.0)])
    run = plan_board(job, job.board(front), {}).run
    other = Behind(FrontFace(job.board(front).sheet, run), about, job.board(back).sheet, job.bits, cell=0.5)
    for (x, y), depth in {
        (30.0, 16.0): 6.0,
        (90.0, 60.0): T,
        (60.0, 40.0): 0.0,
        (16.5, 21.5): 6.0,
        (47.0, 16.0): 0.0,
    }.items():
        bx, by = behind(about, x, y)
        left = -other.under[int(by / 0.5), int(bx / 0.5)]
        assert left == pytest.approx(T - depth, abs=0.01) or (depth == T and left <= 0.0)
    a, b = behind(about, 5.0, 16.0), behind(about, 55.0, 16.0)
    section = other.section(a, b, samples=501)
    assert section[250] == pytest.approx(-T + 6.0)
    assert section[0] == section[-1] == pytest.approx(-T)
    assert (section > -T + 0.01).mean() == pytest.approx(30.0 / 50.0, abs=0.01)


# ---- depths


def test_depths_keep_what_they_count_from_as_the_sheet_changes():
    job, _, back = two_faces(
        TurnedAbout.SIDEWAYS, [],
        [(PocketCut, Path.rectangle(20, 20, 30, 20), {"end_depth": 5.0, "depth_from": way}) for way in DepthFrom],
    )  # fmt: skip

    def depths(job):
        sheet = job.board(back).sheet
        return [cut.depth(sheet) for cut in sorted(job.board(back).cuts, key=lambda c: c.id)]

    assert depths(job) == [5.0, T - 5.0, T / 2 + 5.0]
    thicker = basic.change_board(
        job, job.boards[0].id, "", sheet=replace(job.boards[0].sheet, readings=(18.6, 18.4))
    ).job
    assert depths(thicker) == pytest.approx([5.0, 18.4 - 5.0, 9.3 + 5.0])  # what stays counts from the thinnest reading
    plan = plan_board(job, job.board(back), {})
    for cut, planned in zip(job.board(back).cuts, plan.cuts, strict=True):
        assert planned.toolpath.xyz[:, 2].min() == pytest.approx(-cut.depth(job.board(back).sheet))


def test_choosing_what_a_depth_counts_from_leaves_it_as_deep():
    job, _, back = two_faces(
        TurnedAbout.SIDEWAYS, [], [(PocketCut, Path.rectangle(20, 20, 30, 20), {"end_depth": 11.0})]
    )
    (cut,) = job.board(back).cuts
    for way, end in ((DepthFrom.OTHER, 7.0), (DepthFrom.MIDDLE, 2.0), (DepthFrom.FACE, 11.0)):
        job = finish_edit(job, cutting.count_depth_from(job, back, [cut.id], way).job)
        (now,) = job.board(back).cuts
        assert (now.depth_from, now.end_depth) == (way, end)
        assert now.depth(job.board(back).sheet) == 11.0


def test_a_faced_front_leaves_the_back_thinner():
    facing = FacingCut(id=CutId("cut80"), name="Face", bit=BitId("bit1"), end_depth=1.5)
    job, front, back = two_faces(TurnedAbout.LENGTHWAYS, [], [hole(30.0, 30.0)])
    board = job.board(front)
    job = finish_edit(job, with_boards(job, (replace(board, cuts=(facing,)), job.board(back))))
    assert job.board(front).sheet.readings == (T,)
    assert job.board(back).sheet.readings == (T - 1.5,)
    run = plan_board(job, job.board(back), {}).run
    assert run.xyz[:, 2].min() == pytest.approx(-(T - 1.5) - 0.2)
    # to a target thickness, half from each face
    split = replace(facing, target=15.0, is_split=True)
    job = finish_edit(job, with_boards(job, (replace(job.board(front), cuts=(split,)), job.board(back))))
    rest = replace(facing, id=CutId("cut81"), target=15.0)
    job = finish_edit(
        job, with_boards(job, (job.board(front), replace(job.board(back), cuts=(*job.board(back).cuts, rest))))
    )
    assert job.board(back).sheet.thickest == T - 1.5
    assert rest.depth(job.board(back).sheet) == pytest.approx(1.5)
    typed = basic.change_board(job, back, "", sheet=replace(job.board(back).sheet, readings=(17.0,))).job
    assert typed.board(front).sheet.readings == pytest.approx((18.5,))  # read from behind, the front is as much thicker


# ---- what would spoil it


@pytest.mark.parametrize("about", list(TurnedAbout))
@pytest.mark.parametrize(
    ("deep", "code", "severity"),
    [
        (7.0, None, None),
        (9.5, "faces-thin", Severity.CAUTION),
        (10.0, "faces-meet", Severity.STOP),
        (10.5, "faces-meet", Severity.STOP),
    ],
)
def test_pockets_of_both_faces_are_told_where_they_come_too_near(about, deep, code, severity):
    x, y = behind(about, 60.0, 40.0)
    front = [(PocketCut, Path.rectangle(45, 30, 30, 20), {"end_depth": 8.0})]
    back = [(PocketCut, Path.rectangle(x - 12, y - 8, 24, 16), {"end_depth": deep})]
    job, _, back_id = two_faces(about, front, back)
    found = {f.code: f for f in plan_board(job, job.board(back_id), {}).findings}
    assert {c for c in found if c.startswith("faces")} == ({code} if code else set())
    if code:
        assert found[code].severity is severity
        assert found[code].at == pytest.approx((x, y), abs=13.0)
    elsewhere = [
        (PocketCut, Path.rectangle(W - x - 12 if about is TurnedAbout.SIDEWAYS else x, 2, 24, 16), {"end_depth": deep})
    ]
    job, _, back_id = two_faces(about, [(PocketCut, Path.rectangle(4, 50, 30, 20), {"end_depth": 8.0})], elsewhere)
    assert not [f for f in plan_board(job, job.board(back_id), {}).findings if f.code.startswith("faces")]


def test_cuts_that_are_meant_to_meet_are_only_noted():
    both = {"end_depth": 0.5, "depth_from": DepthFrom.MIDDLE}
    x, y = behind(TurnedAbout.SIDEWAYS, 60.0, 40.0)
    job, _, back = two_faces(
        TurnedAbout.SIDEWAYS,
        [(PocketCut, Path.rectangle(50, 30, 20, 20), both)],
        [(PocketCut, Path.rectangle(x - 10, y - 10, 20, 20), both)],
    )
    (found,) = [f for f in plan_board(job, job.board(back), {}).findings if f.code == "faces-meet"]
    assert found.severity is Severity.NOTE
    assert "1.00 mm deeper" in found.sentence


@pytest.mark.parametrize("tabs", [0, 4])
def test_a_part_cut_half_from_each_side_is_loose_only_without_tabs(tabs):
    half = {"side": Side.OUTSIDE, "end_depth": 0.2, "depth_from": DepthFrom.MIDDLE}
    held = half | {"tabs": Tabs(count=tabs, length=8.0, thickness=3.0)}
    job, front, back = two_faces(
        TurnedAbout.SIDEWAYS, [(ProfileCut, Path.rectangle(40, 25, 40, 30), half | {"tabs": Tabs(count=0)})],
        [(ProfileCut, Path.rectangle(W - 80, 25, 40, 30), held)], sheet=replace(SHEET, hold_down=HoldDown.CLAMPED),
    )  # fmt: skip
    told = [f for f in plan_board(job, job.board(back), {}).findings if f.code == "loose-part"]
    assert len(told) == (0 if tabs else 1)
    assert "loose-part" not in {f.code for f in plan_board(job, job.board(front), {}).findings}


# ---- pins


@pytest.mark.parametrize("about", list(TurnedAbout))
@pytest.mark.parametrize("turns", [0, 1, 2, 3])
def test_pins_come_to_the_same_places_of_the_bed(about, turns):
    outline = (
        ProfileCut,
        Path.rectangle(28, 22, 60, 34),
        {"side": Side.OUTSIDE, "goes_through": True, "tabs": Tabs(count=4)},
    )
    job, front, back = two_faces(
        about, [outline], [hole(60.0, 40.0)], bit=straight_bit(3.0), quarter_turns=turns, bed_x=100.0, bed_y=90.0
    )
    places = places_on_the_axis(job, job.board(front), job.board(back), hole=6.2)
    assert len(places) == 2
    job = finish_edit(job, edits.place_face_pins(job, back, places).job)
    assert job.board(back).back_of.held_by is HeldBy.PINS
    (a,), (b,) = (plan_board(job, board, {}).setups for board in job.boards)
    there = {tuple(np.round(a.on_bed(*p), 6)) for p in places}
    assert {tuple(np.round(b.on_bed(*behind(about, *p)), 6)) for p in places} == there
    assert a.zero == b.zero
    middle = (W / 2, H / 2)  # laid half round, or turned over the other way, the sheet does not go on them
    for wrong in (
        [(2 * middle[0] - x, 2 * middle[1] - y) for x, y in places],
        [behind(_other(about), *p) for p in places],
    ):
        assert max(min(np.hypot(p[0] - q[0], p[1] - q[1]) for q in places) for p in wrong) > 1.5
    low = plan_board(job, job.board(front), {}).run.xyz[:, 2].min()
    assert low == pytest.approx(-T - edits.FACE_PIN_DEPTH_MM)  # through the sheet into the bed


def test_nothing_on_the_back_runs_into_its_pins():
    job, _, back = two_faces(
        TurnedAbout.SIDEWAYS, [], [(PocketCut, Path.rectangle(40, 10, 40, 60), {"end_depth": 5.0})]
    )
    job = finish_edit(job, edits.place_face_pins(job, back, [(60.0, 12.0), (60.0, 64.0)]).job)
    plan = plan_board(job, job.board(back), {})
    assert "into-clamp" in {f.code for f in plan.findings}
    low = plan.run.xyz[plan.run.xyz[:, 2] < 0][:, :2]
    for pin in ((60.0, 12.0), (60.0, 64.0)):
        assert np.hypot(*(low - pin).T).min() > 2.0 + 3.0


def test_faces_that_lie_at_different_places_are_told():
    job, _, back = two_faces(TurnedAbout.SIDEWAYS, [hole(10.0, 10.0)], [hole(20.0, 20.0)], bed_x=50.0)
    assert "faces-apart" not in {f.code for f in plan_board(job, job.board(back), {}).findings}
    job = finish_edit(job, basic.change_board(job, back, "", bed_x=51.0).job)
    assert "faces-apart" in {f.code for f in plan_board(job, job.board(back), {}).findings}
    job = finish_edit(job, edits.lay_alike(job, back).job)
    assert job.board(back).bed_x == 50.0


# ---- the document


def test_joining_parting_and_removing_faces():
    job, front, back = two_faces(TurnedAbout.SIDEWAYS)
    edit, third = basic.add_board(job)
    job = finish_edit(job, edit.job)
    assert "two faces" in sentence_of(ValueError, lambda: edits.join_faces(job, front, third))
    assert "its own back" in sentence_of(ValueError, lambda: edits.join_faces(job, third, third))
    assert "two faces" in sentence_of(ValueError, lambda: basic.turn_quarter(job, front))
    apart = finish_edit(job, edits.part_faces(job, back).job)
    assert apart.board(back).back_of is None
    assert apart.board(back).sheet.id != apart.board(front).sheet.id
    joined = finish_edit(apart, edits.join_faces(apart, front, back).job)
    assert joined.board(back).sheet.id == joined.board(front).sheet.id
    assert [b.id for b in joined.boards][:2] == [front, back]
    alone = finish_edit(job, basic.remove_board(job, front).job)
    assert alone.board(back).back_of is None
    history = History(job)
    history.apply(basic.remove_board(job, front))
    history.undo()
    assert history.job.board(back).back_of is not None


def test_a_job_with_two_faces_is_read_as_it_was_written(tmp_path):
    outline = (Path.polyline(np.array(ELL), closed=True),)
    job, _, back = two_faces(
        TurnedAbout.LENGTHWAYS, [hole(20.0, 20.0)], [hole(30.0, 15.0)], sheet=replace(SHEET, outline=outline)
    )
    path = tmp_path / "two.archimetra"
    save_job(path, JobFile(job, {}))
    read = load_job(path).job
    assert read == job
    assert read.board(back).sheet == job.board(back).sheet


def test_a_back_is_planned_anew_when_its_front_changes_and_only_then():
    job, front, back = two_faces(TurnedAbout.SIDEWAYS, [hole(20.0, 20.0)], [hole(30.0, 15.0)])
    before = plan_key(job, job.board(back))
    moved = with_boards(job, tuple(
        replace(b, shapes=tuple(replace(s, at=s.at.then(type(s.at).shift(3.0, 0.0))) for s in b.shapes)) if b.id == front else b
        for b in job.boards
    ))  # fmt: skip
    assert plan_key(moved, moved.board(back)) != before
    named = basic.change_board(job, front, "", name="Other").job
    assert plan_key(named, named.board(back)) == before
    assert plan_key(job, job.board(front)) == plan_key(
        finish_edit(job, edits.turn_over(job, back, about=TurnedAbout.LENGTHWAYS).job), job.board(front)
    )
