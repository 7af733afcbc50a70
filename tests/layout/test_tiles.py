"""A board parted in tiles comes out as if it had been cut whole, and nothing on the way is harder on the bit or out of the machine's reach.

Measured by stamping the bit along the moves on a height field that shares no code with the planners (``load``), by the ground swept as GEOS
has it, and by the files read back.
"""

from __future__ import annotations

import json

import numpy as np
import pytest
import shapely

from archimetra.base.findings import Severity
from archimetra.cli import main
from archimetra.edits import setups as edits
from archimetra.edits.finishing import finished
from archimetra.engine.planning import plan_board
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit, BitKind, Recipe
from archimetra.job.cut_parts import Entry, Lead, LeadKind, Pattern, Side, Tabs
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.chamfer import ChamferCut
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.hole import HoleCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.file import JobFile, save_job
from archimetra.job.ids import BitId, CutId
from archimetra.job.job import with_boards
from archimetra.job.setups import TileBy, Tiling
from archimetra.job.sheet import Fixture, HoldDown, Machine, Sheet, Zero, ZeroAt, ZeroZ
from archimetra.output.gcode_reader import read_gcode
from archimetra.toolpath.shared.moves import Move, Toolpath
from cutting_board import board_with, swept
from load import load_of
from shapes import blob, replace, star, straight_bit

SHEET = Sheet(width=190.0, height=64.0, readings=(9.0,), hold_down=HoldDown.TAPED)
SMALL = Machine(travel_x=76.0, travel_y=90.0)
WAVE = Path.polyline([(0.0, 0.0), (40.0, 22.0), (80.0, 2.0), (120.0, 24.0), (160.0, 4.0)], closed=False)
WAVY = blob(3, 24.0, 3).transform(Affine.scale(3.0, 0.9))
LONG = Path.rectangle(0, 0, 168, 46)
NO_PLUNGE = replace(straight_bit(6.0), can_plunge=False)
VEE = Bit(id=BitId("bit1"), name="60° V", kind=BitKind.VEE, diameter=12.7, angle=60.0, tip_flat=0.2)
BALL = Bit(id=BitId("bit1"), name="ball", kind=BitKind.BALL, diameter=6.0)


def tiled(job, by: TileBy = TileBy.GRID, machine: Machine = SMALL, **fields):
    """The job's first board cut whole on a machine that is large enough, and in tiles on one that is not: (job, plan whole, job, plan in tiles)."""
    board = job.boards[0]
    large = replace(job, machine=Machine(travel_x=2000.0, travel_y=2000.0))
    parted = with_boards(
        replace(job, machine=machine), (replace(board, tiling=Tiling(by=by, has_pins=False, **fields)), *job.boards[1:])
    )
    cache: dict = {}
    return large, plan_board(large, board, cache), parted, plan_board(parted, parted.boards[0], cache)


def blocks_of(plan):
    """Each block of a run as a toolpath by itself, with where the bit comes from."""
    run = plan.run
    for block in plan.run.blocks:
        rows = slice(block.first - 1, block.last)
        path = Toolpath(
            block.cut, block.bit, np.array(run.xyz[rows]), np.array(run.kind[rows]), np.array(run.centre[rows]),
            np.array(run.feed[rows]), np.array(run.role[rows]), np.array(run.pass_no[rows]),
        )  # fmt: skip
        yield block, path


def carved(job, plan, *, cell: float, is_strict: bool = True):
    """The field after a whole run, the widest bite, and what rapids took of it."""
    sheet = job.boards[0].sheet
    pad = 16.0
    shape = (int((sheet.height + 2 * pad) / cell), int((sheet.width + 2 * pad) / cell))
    field, wide, by_rapid, slack = np.zeros(shape), 0.0, 0.0, []
    for block, path in blocks_of(plan):
        bit, cut = job.bit(block.bit), job.boards[0].cut(block.cut)
        recipe = cut.recipe(bit, sheet.material)
        load, field, _ = load_of(path, bit, per_pass=recipe.depth_per_pass, cell=cell, field=field, origin=(-pad, -pad))
        wide, by_rapid = max(wide, float(load.wide.max())), by_rapid + load.rapid_bites
        slack.append(float(load.fall.max()) - recipe.plunge)
        if is_strict and not bit.can_plunge:
            assert load.steep[load.solid > 3.0].max(initial=0.0) < 20.0
    return field, wide, by_rapid, max(slack)


def off_by(a: np.ndarray, b: np.ndarray) -> float:
    """How far one field is from the other, where a wall may stand a cell to either side."""
    around = [np.roll(b, (i, j), axis=(0, 1)) for i in (-1, 0, 1) for j in (-1, 0, 1)]
    low, high = np.minimum.reduce(around), np.maximum.reduce(around)
    return float(np.maximum(a - high, low - a).max())


def within_travel(plan, machine: Machine) -> bool:
    """Whether no move of any block leaves the bed, arcs included, laid as its setup says."""
    for block, path in blocks_of(plan):
        setup = plan.setups[block.setup]
        for x, y, _ in path.xyz[1:]:
            bx, by = setup.on_bed(float(x), float(y))
            if not (-1e-6 <= bx <= machine.travel_x + 1e-6 and -1e-6 <= by <= machine.travel_y + 1e-6):
                return False
    return "out-of-travel" not in {f.code for f in plan.findings}


CASES = {
    "profile ramped": (ProfileCut, (LONG,), straight_bit(6.0), {"side": Side.OUTSIDE, "goes_through": True, "end_depth": 0.0}),
    "profile inside, tabs, leads": (
        ProfileCut, (WAVY,), straight_bit(3.0),
        {"side": Side.INSIDE, "end_depth": 7.0, "tabs": Tabs(count=5, length=8.0, thickness=3.0),
         "lead_in": Lead(kind=LeadKind.ARC, length=3.0), "lead_out": Lead(kind=LeadKind.ARC, length=3.0)},
    ),
    "profile with a last pass": (ProfileCut, (LONG,), straight_bit(6.0), {"side": Side.OUTSIDE, "end_depth": 8.0, "finish": 0.4}),
    "bit that cannot plunge": (ProfileCut, (LONG,), NO_PLUNGE, {"side": Side.OUTSIDE, "end_depth": 8.0}),
    "pocket": (PocketCut, (LONG, Path.circle((85.0, 20.0), 11.0)), straight_bit(6.0), {"end_depth": 7.0}),
    "pocket in rows": (PocketCut, (LONG,), straight_bit(6.0), {"end_depth": 5.0, "pattern": Pattern.RASTER}),
    "pocket, plunged, last pass": (PocketCut, (LONG,), straight_bit(6.0), {"end_depth": 6.0, "entry": Entry.PLUNGE, "wall_allowance": 0.3}),
    "engraved line": (EngraveCut, (WAVE,), straight_bit(2.0), {"end_depth": 3.0}),
    "V-carve": (CarveCut, (WAVY,), VEE, {"end_depth": 4.0}),
    "V-carve, narrow": (CarveCut, (Path.rectangle(0, 0, 168, 6), star(6, 22.0, 9.0, at=(84.0, 30.0))), VEE, {"end_depth": 6.0}),
    "ball along a line": (EngraveCut, (WAVE,), BALL, {"end_depth": 4.0}),
    "bevel": (ChamferCut, (LONG,), VEE, {"end_depth": 2.0}),
    "facing": (FacingCut, (LONG,), straight_bit(10.0), {"end_depth": 1.5, "shapes": ()}),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_tiles_put_together_are_the_whole(name):
    kind, paths, bit, fields = CASES[name]
    job, _, _ = board_with(*paths, kind=kind, bit=bit, sheet=SHEET, **fields)
    large, whole, parted, tiles = tiled(job)
    assert {block.setup for block in tiles.run.blocks} == set(range(len(tiles.setups)))
    assert len(tiles.setups) >= 2
    assert not [
        f for f in tiles.findings if f.severity is Severity.STOP and f.code not in {w.code for w in whole.findings}
    ]
    one, wide, rapid, slack = carved(large, whole, cell=0.2)
    all_, wide_tiles, rapid_tiles, slack_tiles = carved(parted, tiles, cell=0.2)
    assert off_by(all_, one) < 0.02
    assert off_by(one, all_) < 0.02
    assert rapid == rapid_tiles == 0.0
    assert wide_tiles < max(wide, 0.3) + 0.4
    assert slack_tiles < max(slack, 1e-6) + 1e-6
    assert within_travel(tiles, SMALL)


@pytest.mark.parametrize("name", [n for n, c in CASES.items() if c[2].kind is BitKind.STRAIGHT])
def test_the_ground_swept_is_the_same_to_hundredths(name):
    kind, paths, bit, fields = CASES[name]
    job, _, _ = board_with(*paths, kind=kind, bit=bit, sheet=SHEET, **fields)
    _, whole, _, tiles = tiled(job)
    for depth in (0.2, 3.2, 6.1):
        (one,) = [swept(path, bit.radius, deeper_than=depth) for _, path in blocks_of(whole)]
        parts = shapely.union_all([swept(path, bit.radius, deeper_than=depth) for _, path in blocks_of(tiles)])
        assert parts.difference(one.buffer(0.01)).area < 1e-6
        assert one.difference(parts.buffer(0.01)).area < 1e-6


def test_what_counts_on_wood_taken_before_finds_it_taken():
    """Faced, then a pocket in the pocket's floor, then its rest with a smaller bit, then letters in that: parted by the same seams, each meets
    no more wood than whole."""
    job, board, cut = board_with(LONG, kind=PocketCut, bit=straight_bit(6.0), sheet=SHEET, end_depth=3.0)
    wide = Bit(id=BitId("bit7"), name="10 mm", kind=BitKind.STRAIGHT, diameter=10.0, place=1)
    fine = Bit(id=BitId("bit8"), name="2 mm", kind=BitKind.STRAIGHT, diameter=2.0, place=2)
    inner = replace(board.shapes[0], id="shape77", paths=(Path.rectangle(-70, -12, 140, 24),))
    facing = FacingCut(id=CutId("cut70"), name="Face", bit=wide.id, end_depth=1.0)
    deeper = PocketCut(
        id=CutId("cut71"), name="Deeper", bit=job.bits[0].id, shapes=(inner.id,), start_depth=3.0, end_depth=5.0
    )
    rest = PocketCut(id=CutId("cut72"), name="Rest", bit=fine.id, shapes=(), rest_of=CutId("cut71"))
    board = replace(board, shapes=(*board.shapes, inner), cuts=(facing, cut, deeper, rest))
    job = with_boards(replace(job, bits=(*job.bits, wide, fine)), (board,))
    large, whole, parted, tiles = tiled(job, machine=Machine(travel_x=120.0, travel_y=90.0))
    one, was, rapid, _ = carved(large, whole, cell=0.2)
    all_, wide_bite, rapid_tiles, _ = carved(parted, tiles, cell=0.2)
    assert off_by(all_, one) < 0.02
    assert off_by(one, all_) < 0.02
    assert wide_bite <= max(was, 0.3) + 0.4
    assert rapid == rapid_tiles == 0.0


def grid_of_parts():
    """Plates with a hole each all over a board, cut out after their holes, some across the seams."""
    places = [(x, y) for x in (4.0, 50.0, 96.0, 142.0) for y in (4.0, 36.0)]
    job, board, cut = board_with(
        *[Path.rectangle(x, y, 40.0, 22.0) for x, y in places], kind=ProfileCut, bit=straight_bit(3.0), sheet=SHEET,
        side=Side.OUTSIDE, goes_through=True, end_depth=0.0,
    )  # fmt: skip
    at = board.shapes[0].at
    shape = replace(
        board.shapes[0], id="shape55", paths=tuple(Path.circle((x + 20.0, y + 11.0), 3.0) for x, y in places), at=at
    )
    hole = HoleCut(id=CutId("cut55"), name="Holes", bit=job.bits[0].id, shapes=(shape.id,), goes_through=True)
    board = replace(board, shapes=(*board.shapes, shape), cuts=(hole, cut))
    return with_boards(job, (board,))


@pytest.mark.parametrize("by", list(TileBy))
@pytest.mark.parametrize("travel", [100.0, 101.0, 120.0, 150.0])
def test_a_part_is_freed_no_earlier_than_its_hole_is_made(by, travel):
    job = grid_of_parts()
    large, whole, parted, tiles = tiled(job, by, Machine(travel_x=travel, travel_y=90.0))
    one, *_ = carved(large, whole, cell=0.2)
    all_, _, rapid, _ = carved(parted, tiles, cell=0.2)
    assert off_by(all_, one) < 0.02
    assert off_by(one, all_) < 0.02
    assert rapid == 0.0
    assert within_travel(tiles, parted.machine)
    assert "order-inside" not in {f.code for f in tiles.findings}
    # each hole is made once and whole, before the last of the outline around it is cut
    freed: dict[int, int] = {}
    holed: dict[int, int] = {}
    outlines = [shapely.Polygon(p.flatten(0.01)) for p in parted.boards[0].shapes[0].placed()]
    for number, (block, path) in enumerate(blocks_of(tiles)):
        low = path.xyz[path.xyz[:, 2] < -8.5][:, :2]
        for k, area in enumerate(outlines):
            if block.cut == "cut55" and shapely.intersects_xy(area, *low.T).any():
                assert k not in holed
                holed[k] = number
            elif block.cut != "cut55" and (shapely.distance(area.exterior, shapely.points(low)) < 1.6).any():
                freed[k] = number
    assert len(holed) == len(freed) == 8
    assert all(holed[k] < freed[k] for k in range(8))


@pytest.mark.parametrize("over", [-0.5, 0.0, 0.02, 0.5, 30.0])
def test_a_board_just_as_long_as_the_travel(over):
    """A hair shorter than the travel it is one tile; just longer, two, and nothing is left out."""
    job, _, _ = board_with(
        Path.rectangle(0, 0, 80.0 + over, 30.0), kind=PocketCut, bit=straight_bit(6.0), sheet=SHEET, end_depth=4.0
    )
    large, whole, parted, tiles = tiled(
        job, machine=Machine(travel_x=74.0, travel_y=90.0)
    )  # the bit's centre needs 6 mm less
    assert len(tiles.setups) == (1 if over <= 0 else 2)
    one, *_ = carved(large, whole, cell=0.2)
    all_, *_ = carved(parted, tiles, cell=0.2)
    assert off_by(all_, one) < 0.02
    assert off_by(one, all_) < 0.02
    assert within_travel(tiles, parted.machine)


def test_seams_keep_off_holes_and_say_what_they_part():
    job = grid_of_parts()
    _, _, _, tiles = tiled(job, machine=Machine(travel_x=100.0, travel_y=90.0))
    assert tiles.seams
    holes = [path.flatten(0.01) for path in job.boards[0].shapes[1].placed()]
    outlines = [path.flatten(0.01) for path in job.boards[0].shapes[0].placed()]
    for seam in tiles.seams:
        assert seam.room[0] <= seam.at <= seam.room[1]
        # none goes through a hole, and what is said to be parted is no more than what a seam goes through
        assert all(not h[:, seam.axis].min() < seam.at < h[:, seam.axis].max() for h in holes)
        goes_through = any(o[:, seam.axis].min() - 1.5 < seam.at < o[:, seam.axis].max() + 1.5 for o in outlines)
        assert goes_through or seam.words.startswith("Parts nothing")


def test_a_seam_through_what_cannot_be_parted_is_told():
    """A slot of an undercut bit longer than the travel is left uncut, with the reason; nothing else is."""
    keyhole = Bit(
        id=BitId("bit1"), name="T", kind=BitKind.TEE_SLOT, diameter=12.0, neck=5.0, head_height=4.0, cutting_length=12.0
    )
    from archimetra.job.cuts.slot import SlotCut

    line = Path.polyline([(-30.0, 0.0), (230.0, 0.0)], closed=False)
    job, _, _ = board_with(line, kind=SlotCut, bit=keyhole, sheet=SHEET, end_depth=8.0)
    _, whole, _, tiles = tiled(job)
    assert len(whole.run.blocks) == 1
    assert not tiles.run.blocks
    assert "seam-through-whole" in {f.code for f in tiles.findings}


@pytest.mark.parametrize(
    ("machine", "tiling", "code"),
    [
        (Machine(travel_x=12.0, travel_y=90.0), {}, "no-tiles"),
        (Machine(travel_x=90.0, travel_y=90.0), {"overcut": 60.0}, "no-tiles"),
        (Machine(travel_x=90.0, travel_y=90.0), {"seams_x": (20.0,)}, "seams-anew"),
        (Machine(travel_x=90.0, travel_y=90.0), {"seams_x": (5.0, 180.0)}, "seam-out-of-reach"),
    ],
)
def test_what_cannot_be_tiled_is_a_sentence(machine, tiling, code):
    job, _, _ = board_with(LONG, kind=ProfileCut, bit=straight_bit(6.0), sheet=SHEET, side=Side.OUTSIDE)
    *_, tiles = tiled(job, machine=machine, **tiling)
    told = {f.code: f for f in tiles.findings}
    assert code in told
    assert told[code].sentence.endswith(".")
    assert told[code].fix.endswith(".")


def random_board(rng: np.random.Generator):
    """Some shapes anywhere on a sheet, far off its edges too, each with a cut of some kind; faced before or not."""
    bits = (
        Bit(
            id=BitId("bit1"), name="a", diameter=float(rng.choice([2, 3, 6])), cutting_length=60.0, can_plunge=bool(rng.random() > 0.25),
            recipe=Recipe(depth_per_pass=float(rng.choice([2.0, 4.0]))),
        ),
        replace(VEE, id=BitId("bit2"), place=1, angle=float(rng.choice([60, 90]))),
        Bit(id=BitId("bit3"), name="w", diameter=10.0, cutting_length=60.0, place=2, recipe=Recipe(depth_per_pass=2.0)),
    )  # fmt: skip
    sheet = replace(SHEET, width=170.0, height=110.0)
    job, board, _ = board_with(Path.rectangle(0, 0, 10, 10), kind=PocketCut, bit=bits[0], sheet=sheet)
    shapes, cuts = (
        [],
        [FacingCut(id=CutId("cut50"), name="face", bit=BitId("bit3"), end_depth=1.0)] if rng.random() < 0.25 else [],
    )
    for k in range(int(rng.integers(1, 5))):
        at = Affine.shift(float(rng.uniform(25, 145)), float(rng.uniform(25, 85)))
        w, h = float(rng.uniform(8, 130)), float(rng.uniform(8, 80))
        path = (
            Path.rectangle(-w / 2, -h / 2, w, h), blob(int(rng.integers(99)), 20, 3).transform(Affine.scale(w / 45, h / 45)),
            star(int(rng.integers(4, 8)), 20, 9).transform(Affine.scale(w / 42, h / 42)), Path.circle((0, 0), min(w, h) / 2),
        )[rng.integers(4)]  # fmt: skip
        shape = replace(board.shapes[0], id=f"shape{60 + k}", name=f"s{k}", paths=(path,), at=at)
        shapes.append(shape)
        named = {"id": CutId(f"cut{60 + k}"), "name": f"c{k}", "shapes": (shape.id,)}
        cuts.append(_random_cut(rng, named))
    board = replace(board, shapes=tuple(shapes), cuts=tuple(cuts), auto_order=True, quarter_turns=int(rng.integers(4)))
    return finished(with_boards(replace(job, bits=bits), (board,)))


def _random_cut(rng: np.random.Generator, named: dict):
    one, vee = {"bit": BitId("bit1")} | named, {"bit": BitId("bit2")} | named
    ramps = (Entry.RAMP, Entry.PLUNGE)
    match rng.integers(5):
        case 0:
            return ProfileCut(
                side=(Side.OUTSIDE, Side.INSIDE, Side.ON)[rng.integers(3)], end_depth=float(rng.uniform(2, 8)),
                finish=float(rng.choice([0, 0.3])), lead_in=Lead(kind=LeadKind.ARC, length=3.0) if rng.random() < 0.3 else Lead(),
                tabs=Tabs(count=int(rng.integers(0, 4)), length=6.0, thickness=3.0), goes_through=bool(rng.random() < 0.5),
                entry=ramps[rng.integers(2)], **one,
            )  # fmt: skip
        case 1:
            return PocketCut(
                end_depth=float(rng.uniform(2, 7)), pattern=list(Pattern)[rng.integers(len(Pattern))],
                wall_allowance=float(rng.choice([0, 0.3])), entry=(Entry.HELIX, *ramps)[rng.integers(3)], **one,
            )  # fmt: skip
        case 2:
            return CarveCut(end_depth=float(rng.uniform(2, 6)), **vee)
        case 3:
            return EngraveCut(end_depth=float(rng.uniform(1, 4)), **one)
        case _:
            return ChamferCut(end_depth=float(rng.uniform(0.5, 2)), **vee)


@pytest.mark.parametrize("seed", [1009, 1038, 1073, 1214, 1218, 1395, *range(6)])
def test_whatever_lies_on_a_board_comes_out_of_tiles_as_it_would_whole(seed):
    """Or a finding says stop; and never is anything taken that the whole would not take, nor by a rapid."""
    rng = np.random.default_rng(seed)
    job = random_board(rng)
    by = (TileBy.GRID, TileBy.GRID, TileBy.ALONG, TileBy.HALF_TURN)[rng.integers(4)]
    machine = Machine(travel_x=float(rng.uniform(60, 140)), travel_y=float(rng.uniform(60, 140)))
    large, whole, parted, tiles = tiled(job, by, machine, overcut=float(rng.choice([0.0, 1.0, 3.0, 6.0])))
    stops = {f.code for f in tiles.findings if f.severity is Severity.STOP} - {f.code for f in whole.findings}
    for bit in job.bits[:: 2 if len(job.bits) > 2 else 1]:  # the straight ones, exactly
        for depth in (0.2, 3.0, 6.0):
            one, all_ = (
                shapely.union_all(
                    [swept(p, bit.radius, deeper_than=depth) for b, p in blocks_of(plan) if b.bit == bit.id]
                    or [shapely.Point()]
                )
                for plan in (whole, tiles)
            )
            assert all_.difference(one.buffer(0.02)).area < 1e-6
            assert stops or one.difference(all_.buffer(0.02)).area < 1e-6
    assert within_travel(tiles, machine) or "out-of-travel" in {f.code for f in tiles.findings}
    if not stops - {"touch-off-gone"}:
        one, wide, rapid, slack = carved(large, whole, cell=0.25, is_strict=False)
        all_, wide_tiles, rapid_tiles, slack_tiles = carved(parted, tiles, cell=0.25, is_strict=False)
        assert rapid_tiles <= rapid + 1e-6
        assert wide_tiles <= max(wide, 0.3) + 0.6
        assert slack_tiles <= max(slack, 0.0) + 1e-6
        assert max(off_by(all_, one), off_by(one, all_)) < (
            0.45 if any(c.bit == "bit2" for c in job.boards[0].cuts) else 0.02
        )


@pytest.mark.parametrize("wide", [89.9, 90.0, 90.1])
def test_a_ring_just_as_wide_as_the_travel_is_cut_to_its_rim(wide):
    """Its rim lies where arcs go farthest, beyond the ends of all their chords."""
    job, _, _ = board_with(
        Path.circle((0, 0), wide / 2),
        kind=EngraveCut,
        bit=straight_bit(2.0),
        sheet=replace(SHEET, height=120.0),
        end_depth=1.0,
    )
    _, whole, _, tiles = tiled(job, machine=Machine(travel_x=90.0, travel_y=100.0))
    assert len(tiles.setups) == (2 if wide > 90.0 else 1)
    (one,) = [swept(path, 1.0, deeper_than=0.5) for _, path in blocks_of(whole)]
    both = shapely.union_all([swept(path, 1.0, deeper_than=0.5) for _, path in blocks_of(tiles)])
    assert one.symmetric_difference(both).buffer(-0.005).area < 1e-9


# ---- pins


def pinned(job, by: TileBy, machine: Machine):
    """The job with pins placed where they are found."""
    board = job.boards[0]
    job = replace(job, machine=machine, bits=(*job.bits, replace(straight_bit(3.0), id=BitId("bit9"), place=5)))
    job = finished(edits.tile(job, board.id, by).job)
    plan = plan_board(job, job.boards[0], {})
    places = [place for shift in plan.shifts for place in dict.fromkeys(shift.places)]
    return finished(edits.place_pins(job, board.id, places).job)


@pytest.mark.parametrize("by", list(TileBy))
@pytest.mark.parametrize("turns", [0, 1, 2, 3])
def test_pins_stand_in_the_holes_made_for_them(by, turns):
    """Through the files of both setups: the place of the bed under a hole as it is made is that of the pin as the next setup lies."""
    job, board, _ = board_with(
        Path.rectangle(0, 0, 150, 30), kind=ProfileCut, bit=straight_bit(3.0), sheet=SHEET, side=Side.OUTSIDE
    )
    job = with_boards(job, (replace(board, quarter_turns=turns),))
    job = pinned(job, by, Machine(travel_x=110.0, travel_y=110.0))
    plan = plan_board(job, job.boards[0], {})
    assert not [f for f in plan.findings if f.severity is Severity.STOP], [f.sentence for f in plan.findings]
    made: set = set()
    paths = list(blocks_of(plan))
    for number, setup in enumerate(plan.setups):
        assert len(setup.pins) == (2 if number else 0)
        assert made >= {tuple(np.round(pin, 3)) for pin in setup.pins}  # its holes are there already
        places = {tuple(np.round(setup.on_bed(*pin), 3)) for pin in setup.pins}
        if number:
            (a, b) = places
            assert np.hypot(a[0] - b[0], a[1] - b[1]) > 25.0
        for block, path in paths:
            if block.setup != number:
                continue
            low = path.xyz[path.xyz[:, 2] < 1.0][:, :2]
            for pin in setup.pins:  # nothing runs into a standing pin
                assert np.hypot(*(low - pin).T).min() > job.bit(block.bit).radius + 3.0
            if block.cut == job.boards[0].tiling.pins:
                for hole in setup.holes:
                    near = low[np.hypot(*(low - hole).T) < 3.0]
                    assert len(near)
                    assert np.allclose((near.min(axis=0) + near.max(axis=0)) / 2, hole, atol=0.011)
                    made.add(tuple(np.round(hole, 3)))
    # the pair cannot be mistaken: turned half round about the sheet's middle it lies elsewhere, but for a half turn
    middle = np.array((SHEET.width / 2, SHEET.height / 2))
    for setup in plan.setups[1:]:
        pins = np.array(setup.pins)
        flipped = 2 * middle - pins
        gap = max(np.hypot(*(pins - p).T).min() for p in flipped)
        assert gap > 6.0 or by is TileBy.HALF_TURN


@pytest.mark.parametrize(("setup", "meets"), [("", {0, 1}), ("A1", {0}), ("A2", {1}), ("B7", {0, 1})])
def test_a_clamp_is_in_the_way_in_its_own_tile_only(setup, meets):
    """One for a tile that is no more may stand in any."""
    job, board, _ = board_with(
        Path.rectangle(0, 0, 168, 46),
        kind=ProfileCut,
        bit=straight_bit(6.0),
        sheet=SHEET,
        side=Side.OUTSIDE,
        end_depth=4.0,
    )
    clamps = tuple(Fixture(x=x, y=58.0, width=14.0, height=20.0, setup=setup) for x in (50.0, 140.0))
    job = with_boards(job, (replace(board, fixtures=clamps),))
    *_, tiles = tiled(job, machine=Machine(travel_x=110.0, travel_y=110.0))
    assert len(tiles.setups) == 2
    spared = set()
    for k, clamp in enumerate(shapely.box(c.x - 7.0, 48.0, c.x + 7.0, 68.0) for c in clamps):
        paths = [path for block, path in blocks_of(tiles) if block.setup == k]
        if not any(swept(path, 3.0, deeper_than=1.0).intersects(clamp) for path in paths):
            spared.add(k)
        assert paths
    assert spared == meets


# ---- files


def read_back(folder, job_path, controller: str, board: str):
    """The moves of all files of a board, in board coordinates by what ``layout --json`` says."""
    from contextlib import redirect_stdout
    from io import StringIO

    out = StringIO()
    with redirect_stdout(out):
        assert main(["layout", str(job_path), "--json"]) == 0
    said = next(b for b in json.loads(out.getvalue())["boards"] if b["board"] == board)
    with redirect_stdout(StringIO()):
        assert (
            main(
                ["export", str(job_path), "--out", str(folder), "--controller", controller, "--board", board, "--force"]
            )
            == 0
        )
    files = {path.name.rpartition(".")[0]: path for path in folder.iterdir()}
    for setup in said["setups"]:
        m = setup["file_to_board"]
        a = np.array([[m["a"], m["c"]], [m["b"], m["d"]]])
        assert np.linalg.det(a) == 1.0
        for name in setup["files"]:
            moves = read_gcode(files[name.rpartition(".")[0]].read_text())
            assert not moves.findings
            xyz, centre = moves.xyz.copy(), moves.centre.copy()
            xy = xyz[:, :2] @ a.T + (m["e"], m["f"])
            yield (
                setup,
                moves,
                np.column_stack((xy, xyz[:, 2] + setup["file_z_to_board"])),
                centre @ a.T + (m["e"], m["f"]),
            )


@pytest.mark.parametrize("controller", ["rs274", "grbl"])
@pytest.mark.parametrize(("by", "turns", "zero"), [
    (TileBy.GRID, 0, Zero()), (TileBy.GRID, 3, Zero(at=ZeroAt.CENTRE, z=ZeroZ.SPOILBOARD)), (TileBy.ALONG, 1, Zero(at=ZeroAt.BACK_RIGHT)),
    (TileBy.HALF_TURN, 0, Zero(at=ZeroAt.TYPED, x=20.0, y=7.0)), (TileBy.HALF_TURN, 2, Zero(z=ZeroZ.SPOILBOARD)),
])  # fmt: skip
def test_files_put_together_sweep_the_same_ground(tmp_path, controller, by, turns, zero):
    from archimetra.output.controllers import controllers

    if controller not in controllers():
        controller = next(name for name in controllers() if name != "rs274")
    job, board, _ = board_with(WAVY, kind=PocketCut, bit=straight_bit(6.0), sheet=SHEET, end_depth=5.0)
    job = with_boards(job, (replace(board, quarter_turns=turns, zero=zero, name="Long"),))
    _, whole, parted, _ = tiled(job, by, Machine(travel_x=110.0, travel_y=110.0))
    path = tmp_path / "long.archimetra"
    save_job(path, JobFile(parted, {}))
    parts, seen = [], 0
    for setup, moves, xyz, centre in read_back(tmp_path / "out", path, controller, "Long"):
        seen += 1
        known = ~np.isnan(xyz).any(axis=1)
        first = int(np.argmax(known))
        xyz, kind, centre = xyz[first:], moves.kind[first:], centre[first:]
        bed = moves.xyz[first:, :2] + setup["zero_on_bed"]
        low = moves.xyz[first:, 2] < 2.0 + (9.0 if zero.z is ZeroZ.SPOILBOARD else 0.0)
        assert (bed[low] >= -0.01).all()
        assert (bed[low] <= 110.01).all()
        n = len(xyz)
        made = Toolpath(
            CutId("x"), BitId("y"), xyz, kind, centre, np.ones(n), np.zeros(n, np.uint8), np.zeros(n, np.int64)
        )
        parts.append(swept(made, 3.0, deeper_than=4.0))
        assert not ((kind == Move.RAPID) & (xyz[:, 2] < -0.01)).any()
    assert seen >= 2
    (one,) = [swept(path, 3.0, deeper_than=4.0) for _, path in blocks_of(whole)]
    both = shapely.union_all(parts)
    assert both.difference(one.buffer(0.02)).area < 1e-6
    assert one.difference(both.buffer(0.02)).area < 1e-6
