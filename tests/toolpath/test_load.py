"""No surprise in the load: over random cuts of every kind, with clamps and without, no move takes more wood than one pass over more
than a sliver, and none goes down into wood faster than the plunge feed or steeper than its ramp where the bit cannot plunge.

Measured by ``load``, which stamps the bit along the moves on a height field of its own.
"""

from __future__ import annotations

import msgspec
import numpy as np
import pytest
import shapely

from archimetra.base.findings import Severity
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit, BitKind, Recipe
from archimetra.job.cut_parts import Direction, Entry, HoleStep, Lead, LeadKind, Pattern, Side, Tabs
from archimetra.job.cuts import Cut
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.cuts.facing import FacingCut, FacingPattern
from archimetra.job.cuts.hole import HoleCut, HoleMethod
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.ids import BitId, CutId
from archimetra.job.job import Board, Job, with_boards
from archimetra.job.sheet import Fixture, Sheet
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.fixtures import kept_clear
from archimetra.toolpath.shared.moves import Move, Toolpath
from cutting_board import board_with
from load import load_of
from shapes import blob, star, straight_bit

replace = msgspec.structs.replace
SHEET = Sheet(width=160.0, height=130.0, readings=(12.0,))
SMALL = Sheet(width=60.0, height=45.0, readings=(12.0,))


class Case(msgspec.Struct, frozen=True, eq=False):
    """A board with its cuts, of which the last is measured, and the allowance its finishing passes take at full depth."""

    job: Job
    board: Board
    allowance: float = 0.0
    label: str = ""


def outlines(rng: np.random.Generator) -> list[Path]:
    """Rectangles with teeth, slots as wide as round numbers, spiky stars, blobs, and islands in them."""
    kind = rng.integers(7)
    size = float(rng.uniform(18, 45))
    gap = float(rng.choice([2.0, 2.5, 3.0, 3.175, 4.0, 6.0, 6.35, 6.5, 7.0]))
    if kind == 0:
        return [Path.rectangle(0, 0, size, float(rng.uniform(12, 40)))]
    if kind == 1:
        return [star(int(rng.integers(3, 8)), size / 1.3, size / rng.uniform(2, 5))]
    if kind == 2:
        return [blob(int(rng.integers(1000)), size / 1.6)]
    if kind == 3:  # a room with a branch
        room = shapely.union(shapely.box(0, 0, size * 0.7, size * 0.6), shapely.box(0, 5, size * 1.3, 5 + gap))
        return [_ring(shapely.affinity.rotate(room, float(rng.choice([0, 0, 30, 45, 77]))))]
    if kind == 4:  # a ring, the island off its middle
        off = float(rng.choice([0.0, 0.0, 1.0, 2.5]))
        return [Path.circle((0, 0), size / 2), Path.circle((off, 0), max(size / 2 - gap, 2.0))]
    if kind == 5:
        return [Path.rectangle(0, 0, size, gap)]
    plate = shapely.box(0, 0, size * 1.2, size * 0.8)
    for k in range(int(rng.integers(1, 4))):
        plate = plate.difference(shapely.box(6 + 11 * k, 8, 6 + 11 * k + gap, 60))
    part = max(shapely.get_parts(plate), key=lambda p: p.area)
    return [_ring(part)]


def _ring(area: shapely.Polygon) -> Path:
    return Path.polyline(shapely.get_coordinates(shapely.geometry.polygon.orient(area).exterior)[:-1], closed=True)


def a_bit(rng: np.random.Generator, *diameters: float, per_pass: float | None = None, **fields: object) -> Bit:
    diameter = float(rng.choice(diameters or [2.0, 3.0, 3.175, 4.0, 6.0, 6.35]))
    depth = per_pass or float(rng.choice([1.0, 1.5, 2.0, 3.0]))
    return straight_bit(
        diameter, can_plunge=bool(rng.random() < 0.7), recipe=Recipe(depth_per_pass=depth, stepover=float(rng.choice([0.3, 0.4, 0.5, 0.7]))), **fields
    )  # fmt: skip


def a_lead(rng: np.random.Generator) -> Lead:
    kind = LeadKind(rng.choice([LeadKind.NONE, LeadKind.LINE, LeadKind.ARC]))
    return Lead(kind=kind, length=float(rng.choice([2.0, 6.0, 12.0])))


def profile_case(rng: np.random.Generator) -> Case:
    bit = a_bit(rng)
    entry = Entry(rng.choice([Entry.PLUNGE, Entry.RAMP, Entry.SPIRAL]))
    if not bit.can_plunge and entry is Entry.PLUNGE:
        entry = Entry.RAMP
    finish = float(rng.choice([0.0, 0.0, 0.3, 0.5]))
    paths = outlines(rng)
    if rng.random() < 0.15:
        paths = [Path.polyline([(0, 0), (30, 0), (34, 22)], closed=False)]
    sides = list(Side) if not paths[0].closed else [Side.OUTSIDE, Side.OUTSIDE, Side.INSIDE, Side.INSIDE, Side.ON]
    job, board, _ = board_with(
        *paths, kind=ProfileCut, bit=bit, sheet=SHEET, end_depth=float(rng.choice([6.0, 7.3, 12.0])), goes_through=bool(rng.random() < 0.3),
        side=Side(rng.choice(sides)), entry=entry, ramp_degrees=float(rng.choice([3.0, 8.0, 20.0])), finish=finish, lead_in=a_lead(rng),
        lead_out=a_lead(rng), overlap=float(rng.choice([0.0, 5.0])), overcut=bool(rng.random() < 0.3),
        direction=Direction(rng.choice(list(Direction))),
        tabs=Tabs(count=int(rng.choice([0, 2])), length=5.0, thickness=2.0, is_sloped=bool(rng.random() < 0.5)),
    )  # fmt: skip
    return Case(job, board, finish, "profile")


def pocket_case(rng: np.random.Generator) -> Case:
    bit, wall = a_bit(rng), float(rng.choice([0.0, 0.0, 0.3, 0.5]))
    entry = Entry(rng.choice([Entry.PLUNGE, Entry.RAMP, Entry.HELIX]))
    if not bit.can_plunge and entry is Entry.PLUNGE:
        entry = Entry.RAMP
    job, board, cut = board_with(
        *outlines(rng), kind=PocketCut, bit=bit, sheet=SHEET, end_depth=float(rng.choice([4.0, 6.0, 7.1])), wall_allowance=wall,
        floor_allowance=float(rng.choice([0.0, 0.0, 0.4])), pattern=Pattern(rng.choice(list(Pattern))),
        raster_degrees=float(rng.choice([0.0, 30.0, 45.0, 90.0])), entry=entry, open_edges=bool(rng.random() < 0.1),
    )  # fmt: skip
    if rng.random() < 0.35 and bit.diameter > 2.5:
        small = replace(a_bit(rng, 1.5, 2.0, per_pass=1.5), id=BitId("bit2"), can_plunge=bit.can_plunge)
        rest = PocketCut(id=CutId("rest"), name="Rest", bit=small.id, rest_of=cut.id, end_depth=6.0, entry=Entry.RAMP)
        board = replace(board, cuts=(cut, rest))
        job = with_boards(job, (board,), bits=(bit, small))
    return Case(job, board, wall, "pocket")


def hole_case(rng: np.random.Generator) -> Case:
    bit = replace(a_bit(rng, 2.0, 3.0, 4.0, 6.0), can_plunge=True)
    diameter = bit.diameter * float(rng.choice([1.0, 1.01, 1.3, 1.9, 2.0, 2.6, 4.5]))
    steps = (HoleStep(diameter=diameter + 5.0, depth=3.0),) if rng.random() < 0.4 else ()
    method = HoleMethod(rng.choice([HoleMethod.FITTING, HoleMethod.BORE]))
    job, board, _ = board_with(
        *[Path.circle((k * (diameter + 12), 0), diameter / 2) for k in range(2)], kind=HoleCut, bit=bit, sheet=SHEET,
        end_depth=float(rng.choice([5.0, 9.0, 12.0])), steps=steps, method=method,
    )  # fmt: skip
    return Case(job, board, 0.0, "hole")


def facing_case(rng: np.random.Generator) -> Case:
    bit = a_bit(rng, 12.0, 16.0, 25.0, per_pass=float(rng.choice([0.5, 1.0])))
    whole = rng.random() < 0.6
    fields = {"shapes": ()} if whole else {}
    job, board, _ = board_with(
        Path.rectangle(0, 0, 40, 30), kind=FacingCut, bit=bit, sheet=SMALL if whole else SHEET, end_depth=1.5,
        pattern=FacingPattern(rng.choice(list(FacingPattern))), raster_degrees=float(rng.choice([0.0, 30.0, 45.0, 90.0])), **fields,
    )  # fmt: skip
    return Case(job, board, 0.0, "facing")


def engrave_case(rng: np.random.Generator) -> Case:
    bit = a_bit(rng, 1.0, 2.0, 3.0)
    entry = Entry.RAMP if not bit.can_plunge else Entry(rng.choice([Entry.PLUNGE, Entry.RAMP]))
    paths = outlines(rng) if rng.random() < 0.5 else [Path.polyline([(0, 0), (30, 0), (34, 22), (5, 12)], closed=False)]
    job, board, _ = board_with(*paths, kind=EngraveCut, bit=bit, sheet=SHEET, end_depth=4.5, entry=entry)
    return Case(job, board, 0.0, "engrave")


def carve_case(rng: np.random.Generator) -> Case:
    bit = Bit(
        id=BitId("bit1"), name="V", kind=BitKind.VEE, diameter=12.7, angle=float(rng.choice([30.0, 60.0, 90.0])), cutting_length=30.0,
        tip_flat=float(rng.choice([0.0, 0.2])), recipe=Recipe(depth_per_pass=float(rng.choice([1.0, 2.0, 3.0]))),
    )  # fmt: skip
    limit = float(rng.choice([0.0, 1.5, 3.0, 4.0]))
    job, board, cut = board_with(*outlines(rng), kind=CarveCut, bit=bit, sheet=SHEET, end_depth=limit, cusp=0.1)
    if limit and rng.random() < 0.5:
        flat = replace(a_bit(rng, 2.0, 3.0), id=BitId("bit2"), can_plunge=True)
        floor = PocketCut(id=CutId("floor"), name="Floor", bit=flat.id, floor_of=cut.id, entry=Entry.RAMP)
        board = replace(board, cuts=(floor, cut))
        job = with_boards(job, (board,), bits=(bit, flat))
    return Case(job, board, 0.0, "carve")


KINDS = (profile_case, profile_case, pocket_case, pocket_case, hole_case, facing_case, engrave_case, carve_case)


def case_of(seed: int) -> Case:
    rng = np.random.default_rng(seed)
    case = KINDS[seed % len(KINDS)](rng)
    if rng.random() < 0.3:  # clamps over the work
        w, h = case.board.sheet.width, case.board.sheet.height
        clamps = tuple(
            Fixture(
                x=float(w / 2 + rng.uniform(-25, 25)), y=float(h / 2 + rng.uniform(-20, 20)), width=10.0, height=8.0
            )
            for _ in range(int(rng.integers(1, 3)))
        )
        board = replace(case.board, fixtures=clamps)
        case = replace(case, board=board, job=with_boards(case.job, (board,)))
    return case


def faults_of(case: Case) -> list[str]:
    """What is wrong with the load of each of the board's cuts, measured one after the other on one height field."""
    out: list[str] = []
    field = None
    sheet = case.board.sheet
    for cut in case.board.cuts:
        bit = case.job.bit(cut.bit)
        assert bit is not None
        work = resolve(case.job, case.board, cut)
        toolpath, _ = plan_cut(work)
        toolpath, _ = kept_clear(toolpath, case.board.fixtures, cut, bit, case.board.travel_heights, recipe=work.recipe)
        if not len(toolpath):
            continue
        cell = 0.05 if bit.diameter < 2.5 or bit.kind is BitKind.VEE else 0.1 if bit.diameter < 10 else 0.2
        if field is None or abs(field.cell - cell) > 1e-9:
            field = _Field(sheet, cell, field)
        load, _, _ = load_of(
            toolpath, bit, per_pass=work.recipe.depth_per_pass, cell=cell, field=field.heights, origin=field.origin
        )
        if case.board.fixtures and not bit.can_plunge:
            continue  # how such a bit comes down behind a clamp has a test of its own
        out += [f"{cut.name} ({case.label}): {fault}" for fault in _faults(load, cut, bit, work, case.allowance)]
    return out


class _Field:
    """A sheet that is air past its edges. Made finer from a coarser one where a smaller bit follows."""

    def __init__(self, sheet: Sheet, cell: float, before: _Field | None) -> None:
        margin = 32.0
        self.cell, self.origin = cell, (-margin, -margin)
        ny, nx = (int((side + 2 * margin) / cell) + 1 for side in (sheet.height, sheet.width))
        y, x = -margin + np.arange(ny) * cell, -margin + np.arange(nx) * cell
        if before is None:
            wood = ((y >= 0) & (y <= sheet.height))[:, None] & ((x >= 0) & (x <= sheet.width))[None, :]
            self.heights = np.where(wood, 0.0, -1e6)
        else:
            i = np.clip(np.rint((y + margin) / before.cell).astype(int), 0, before.heights.shape[0] - 1)
            j = np.clip(np.rint((x + margin) / before.cell).astype(int), 0, before.heights.shape[1] - 1)
            self.heights = before.heights[np.ix_(i, j)].copy()


def _faults(load, cut: Cut, bit: Bit, work, allowance: float) -> list[str]:
    out = []
    disc = np.pi * bit.radius**2
    sliver = 0.15 + 0.18 * bit.diameter + 2.6 * allowance
    k = int(np.argmax(load.wide))
    if load.wide[k] > min(sliver, 0.85 * bit.diameter):
        out.append(
            f"bites {load.wide[k]:.2f} mm wide deeper than a pass at {np.round(load.ends[k], 2)}, row {load.row[k]}"
        )
    into = load.solid > 0.25 * disc if bit.kind is not BitKind.VEE else load.solid > 0.05
    fast = into & (load.fall > work.recipe.plunge * 1.01)
    if fast.any():
        k = int(np.argmax(np.where(fast, load.fall, 0)))
        out.append(
            f"down at {load.fall[k]:.0f} of {work.recipe.plunge:g} mm/min at {np.round(load.ends[k], 2)}, row {load.row[k]}"
        )
    degrees = getattr(cut, "ramp_degrees", 5.0)
    steep = into & (load.steep > degrees + 0.5)
    if not bit.can_plunge and steep.any():
        k = int(np.argmax(np.where(steep, load.steep, 0)))
        out.append(
            f"cannot plunge, down at {load.steep[k]:.0f} degrees at {np.round(load.ends[k], 2)}, row {load.row[k]}"
        )
    if load.rapid_bites > 0.02:
        out.append(f"rapids take {load.rapid_bites:.2f} mm3")
    return out


class TestRandomCuts:
    @pytest.mark.parametrize("first", range(0, 120, 12))
    def test_no_move_takes_more_than_a_pass_and_none_drops_into_wood(self, first):
        found = {seed: faults for seed in range(first, first + 12) if (faults := faults_of(case_of(seed)))}
        assert not found

    def test_the_measure_sees_a_full_depth_slot_a_fast_plunge_and_a_steep_ramp(self):
        """What the measure is for, on moves made up by hand."""
        bit, board = (
            straight_bit(6.0, recipe=Recipe(depth_per_pass=3.0)),
            Case(*board_with(Path.rectangle(0, 0, 60, 40), kind=ProfileCut)[:2]),
        )
        work = resolve(board.job, board.board, board.board.cuts[0])
        work = replace(work, recipe=bit.recipe)

        def faults(points, feeds, *, can_plunge=True):
            n = len(points)
            moves = Toolpath(
                CutId("c"), bit.id, np.array(points, dtype=float), np.full(n, Move.LINE, np.uint8), np.zeros((n, 2)), np.array(feeds, dtype=float),
                np.zeros(n, np.uint8), np.ones(n, dtype=np.int64),
            )  # fmt: skip
            own = replace(bit, can_plunge=can_plunge)
            load, _, _ = load_of(moves, own, per_pass=3.0)
            return " ".join(_faults(load, work.cut, own, work, 0.0))

        begin = [(0, 0, 3), (0, 0, -3)]
        assert not faults([*begin, (40, 0, -3), (40, 0, -6), (0, 0, -6)], [0, 600, 1800, 600, 1800])
        assert "bites" in faults([(0, 0, 3), (0, 0, -6), (40, 0, -6)], [0, 600, 1800])
        assert "down at 1800" in faults([*begin, (40, 0, -3)], [0, 1800, 1800])
        assert "cannot plunge" in faults([*begin, (40, 0, -3)], [0, 600, 1800], can_plunge=False)
        assert not faults([(0, 0, 0), (60, 0, -3), (0, 0, -3)], [0, 1800, 1800], can_plunge=False)


class TestBehindAClamp:
    @pytest.mark.parametrize("entry", [Entry.RAMP, Entry.SPIRAL])
    def test_a_bit_that_cannot_plunge_slopes_down_again(self, entry):
        bit = straight_bit(6.0, can_plunge=False, recipe=Recipe(depth_per_pass=2.0))
        job, board, _ = board_with(
            Path.rectangle(0, 0, 70, 50),
            kind=ProfileCut,
            bit=bit,
            sheet=SHEET,
            end_depth=6.0,
            entry=entry,
            ramp_degrees=8.0,
        )
        clamped = replace(board, fixtures=(Fixture(x=80.0, y=40.0, width=12.0, height=10.0),))
        work = resolve(job, clamped, clamped.cuts[0])
        toolpath, told = kept_clear(
            plan_cut(work)[0], clamped.fixtures, clamped.cuts[0], bit, clamped.travel_heights, recipe=work.recipe
        )
        assert [f.code for f in told] == ["into-clamp"]
        load, _, _ = load_of(toolpath, bit, per_pass=2.0)
        into = load.solid > 0.25 * np.pi * 9
        assert (load.steep[into] < 8.5).all()

    def test_holes_under_a_clamp_are_told_by_number(self):
        holes = [Path.circle((20 * k, 0), 3.0) for k in range(3)]
        for method in (HoleMethod.FITTING, HoleMethod.PECK):
            job, board, cut = board_with(*holes, kind=HoleCut, sheet=SHEET, end_depth=8.0, method=method)
            clamps = (Fixture(x=60.0, y=65.0, width=10.0, height=8.0), Fixture(x=90.0, y=65.0, width=30.0, height=8.0))
            work = resolve(job, board, cut)
            toolpath, told = kept_clear(
                plan_cut(work)[0], clamps, cut, work.bit, board.travel_heights, recipe=work.recipe
            )
            assert [f.severity for f in told] == [Severity.STOP, Severity.STOP]
            assert "a hole is left out" in told[0].sentence
            assert "2 holes are left out" in told[1].sentence
            assert len(toolpath) == 0 or toolpath.xyz[:, 2].min() >= 0

    def test_a_profile_of_the_bits_own_size_under_a_clamp_is_told(self):
        job, board, cut = board_with(
            Path.circle((0, 0), 3.0), kind=ProfileCut, sheet=SHEET, end_depth=8.0, side=Side.INSIDE
        )
        work = resolve(job, board, cut)
        clamp = (Fixture(x=80.0, y=65.0, width=10.0, height=8.0),)
        _, told = kept_clear(plan_cut(work)[0], clamp, cut, work.bit, board.travel_heights, recipe=work.recipe)
        assert "a hole is left out" in told[0].sentence
