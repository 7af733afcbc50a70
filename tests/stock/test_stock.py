"""The stock is what the bit leaves: against brute stamping, against volumes, at any moment."""

from __future__ import annotations

from math import pi, radians, tan

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.geometry.path import Path
from archimetra.job.bits import Bit, BitKind
from archimetra.job.cut_parts import Entry, Side, Tabs
from archimetra.job.ids import BitId
from archimetra.job.sheet import Sheet
from archimetra.output.timing import time_run
from archimetra.stock.bitshapes import bit_shapes
from archimetra.stock.grid import cell_for, grid_shape
from archimetra.stock.sweep_kernels import cut_z, sweep
from archimetra.stock.timeline import StockTimeline
from archimetra.toolpath.profile.planner import plan_profile
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.program import assemble
from shapes import brute_heights, job_with, straight_bit, vee_bit

BALL = Bit(id=BitId("bit1"), name="ball", kind=BitKind.BALL, diameter=6.0)
TAPER = Bit(id=BitId("bit1"), name="taper", kind=BitKind.TAPERED_BALL, diameter=6.0, tip_ball=1.5, angle=20.0)
POINTED = Bit(id=BitId("bit1"), name="drill", kind=BitKind.DRILL, diameter=5.0, angle=118.0)
BITS = {
    "flat": straight_bit(6.0), "ball": BALL, "V": vee_bit(60), "V with a flat": vee_bit(90, 10, 0.8), "tapered ball": TAPER,
    "drill": POINTED,
}  # fmt: skip
SHEET = Sheet(width=60.0, height=40.0, readings=(12.0,))


def run_for(path: Path, bit: Bit, **cut):
    job, board, made = job_with(path, bit=bit, sheet=cut.pop("sheet", SHEET), **cut)
    toolpath, _ = plan_profile(resolve(job, board, made))
    return job, board, assemble([toolpath], board.heights)


class TestSweeping:
    @settings(max_examples=20)
    @given(
        st.sampled_from(sorted(BITS)),
        st.tuples(*[st.floats(5, 25)] * 4),
        st.floats(-6, -0.5),
        st.floats(-6, -0.5),
    )
    def test_one_move_leaves_what_stamping_the_bit_along_it_leaves(self, name, ends, z0, z1):
        bit = BITS[name]
        x0, y0, x1, y1 = ends
        shape = [a[0] for a in bit_shapes([bit]).arguments()]
        rng = np.random.default_rng(0)
        for px, py in rng.uniform(0, 30, (12, 2)):
            z = cut_z(px, py, x0, y0, z0, x1, y1, z1, int(shape[0]), *(float(v) for v in shape[1:]))
            t = np.linspace(0, 1, 2001)
            d = np.hypot(px - x0 - t * (x1 - x0), py - y0 - t * (y1 - y0))
            on = d <= bit.radius
            brute = min(
                (z0 + tt * (z1 - z0) + bit.rise_at(dd) for tt, dd in zip(t[on], d[on], strict=True)), default=1e9
            )
            assert min(z, 50.0) <= min(brute, 50.0) + 1e-9  # never leaves more than the stamps
            if brute < 40 and d.min() < bit.radius - 0.02:
                assert z >= brute - 0.02  # and takes no more, but for the stamps' own spacing

    @settings(max_examples=60)
    @given(
        st.sampled_from(sorted(BITS)),
        st.tuples(*[st.floats(-4, 24)] * 4),
        st.sampled_from([(-2.0, -2.0), (-0.5, -6.0), (-6.0, -0.5), (1.0, -3.0), (-3.0, -3.001), (2.0, 0.0)]),
        st.sampled_from(["as it is", "down", "along x", "hardly", "steep"]),
        st.sampled_from([0.0, -3000.0]),
    )
    def test_every_cell_of_a_field_is_as_low_as_the_move_leaves_it(self, name, ends, depths, way, origin):
        """Rows of cells are worked out together in forms of their own; ``cut_z`` is the one compared with stamping above."""
        x0, y0, x1, y1 = ends
        x1, y1 = {
            "as it is": (x1, y1), "down": (x0, y0), "along x": (x1, y0), "hardly": (x0 + 1e-7, y0), "steep": (x0 + 0.3, y0 + 0.2),
        }[way]  # fmt: skip
        arguments = bit_shapes([BITS[name]]).arguments()
        points = np.array([(x0 + origin, y0 + origin, depths[0]), (x1 + origin, y1 + origin, depths[1])])
        cell, field = 0.4, np.zeros((50, 50), dtype=np.float32)
        marks = np.zeros((1, 1), dtype=bool)
        sweep(field, origin, origin, cell, points, 1, 2, np.zeros(2, dtype=np.int64), *arguments, marks)
        one = [a[0] for a in arguments]
        exact = np.array(
            [
                [
                    cut_z(
                        (i + 0.5) * cell, (j + 0.5) * cell, x0, y0, depths[0], x1, y1, depths[1], int(one[0]), *one[1:]
                    )
                    for i in range(50)
                ]
                for j in range(50)
            ]
        )
        unlike = np.abs(field - np.minimum(exact, 0.0)) > 2e-5
        # a cell on the very rim lies to either side
        x, y = np.meshgrid((np.arange(50) + 0.5) * cell, (np.arange(50) + 0.5) * cell)
        rim = shapely.boundary(
            shapely.buffer(shapely.linestrings([(x0, y0), (x1, y1)]), BITS[name].radius, quad_segs=256)
        )
        unlike &= shapely.distance(rim, shapely.points(x, y)) > 1e-3
        assert not unlike.any()
        assert marks.any() or not (field < 0).any()

    @pytest.mark.parametrize("name", sorted(BITS))
    def test_the_field_of_a_whole_profile_equals_brute_stamping(self, name):
        bit = BITS[name]
        _, board, run = run_for(
            Path.rectangle(0, 0, 16, 10), bit, side=Side.ON, goes_through=False, end_depth=3.0, entry=Entry.RAMP
        )
        stock = StockTimeline(board.sheet, run, [bit], cell=0.5)
        rng = np.random.default_rng(1)
        j, i = rng.integers(15, 65, 150), rng.integers(30, 90, 150)
        points = np.column_stack(((i + 0.5) * 0.5, (j + 0.5) * 0.5))
        brute = brute_heights(stock, run, bit, points)
        assert np.abs(stock.field[j, i] - brute).max() < 0.03

    def test_removed_volume_is_area_times_depth(self):
        bit = straight_bit(4.0)
        path = Path.circle((0, 0), 12)
        _, board, run = run_for(path, bit, side=Side.ON, goes_through=False, end_depth=5.0)
        stock = StockTimeline(board.sheet, run, [bit], cell=0.05)
        removed = -float(stock.field.sum()) * 0.05**2
        assert removed == pytest.approx(pi * (14**2 - 10**2) * 5.0, rel=0.002)

    def test_a_v_groove_has_a_triangles_volume(self):
        bit = vee_bit(60, diameter=20)
        line = Path.polyline([(0, 0), (30, 0)], closed=False)
        _, board, run = run_for(line, bit, side=Side.ON, goes_through=False, end_depth=4.0, entry=Entry.PLUNGE)
        stock = StockTimeline(board.sheet, run, [bit], cell=0.05)
        half = 4.0 * tan(radians(30))
        expected = 4.0 * half * 30 + pi * half**2 * 4.0 / 3
        assert -float(stock.field[stock.field < 0].sum()) * 0.05**2 == pytest.approx(expected, rel=0.01)


@pytest.fixture(scope="module")
def timeline():
    sheet = Sheet(width=200.0, height=150.0, readings=(12.0,))
    bit = straight_bit(6.0)
    job, board, run = run_for(Path.rectangle(0, 0, 120, 80), bit, sheet=sheet, tabs=Tabs(count=4))
    times = time_run(run, job.machine)
    made = StockTimeline(board.sheet, run, [bit], cell=0.5, times=times.ends, keyframe_work=2_000)  # many keyframes
    assert len(made._stretches) > 5
    return made, run, bit, times


class TestMoments:
    @given(st.lists(st.floats(0, 1), min_size=1, max_size=6))
    def test_any_order_of_seeking_gives_the_same_field(self, timeline, shares):
        made, run, bit, times = timeline
        for share in shares:
            made.seek(share * made.duration)
        fresh = StockTimeline(made.sheet, run, [bit], cell=0.5, times=times.ends)
        fresh.seek(0.0)
        fresh.seek(shares[-1] * made.duration)
        assert np.array_equal(made.field, fresh.field)

    def test_the_start_is_uncut_and_the_end_is_the_whole_run(self, timeline):
        made, *_ = timeline
        made.seek(made.duration)
        end = made.field.copy()
        made.seek(0.0)
        assert not made.field.any()
        made.seek(made.duration)
        assert np.array_equal(made.field, end)
        assert end.min() == pytest.approx(-12.2, abs=1e-5)

    def test_wood_only_goes_away_as_time_goes_on(self, timeline):
        made, *_ = timeline
        made.seek(0.0)
        last = made.field.copy()
        for share in np.linspace(0, 1, 23):
            made.seek(share * made.duration)
            assert (made.field <= last + 1e-7).all()
            last = made.field.copy()

    def test_only_touched_tiles_change(self, timeline):
        made, *_ = timeline
        made.seek(made.duration * 0.5)
        before = made.field.copy()
        changed = made.seek(made.duration * 0.5 + 1.0)
        differs = before != made.field
        rows, columns = np.nonzero(differs)
        assert changed[rows // 64, columns // 64].all()


class TestSection:
    def test_a_section_is_exact_whatever_the_cell(self):
        """Walls stand at the outline to a hundredth though the cells are half a millimetre."""
        bit = straight_bit(6.0)
        _, board, run = run_for(Path.rectangle(0, 0, 30, 16), bit, tabs=Tabs(count=0))
        stock = StockTimeline(board.sheet, run, [bit], cell=0.5)
        heights = stock.section((0, 20), (60, 20), 1e9, samples=60_001)
        walls = np.flatnonzero(np.abs(np.diff(heights)) > 5) * 0.001
        assert walls == pytest.approx([9, 15, 45, 51], abs=0.012)
        assert heights.min() == pytest.approx(-12.2)

    def test_a_tab_stands_as_thick_as_asked(self):
        bit = straight_bit(6.0)
        sheet = Sheet(width=160.0, height=120.0, readings=(12.0, 11.8))
        _, board, run = run_for(
            Path.rectangle(0, 0, 100, 70), bit, sheet=sheet, tabs=Tabs(count=4, length=10, thickness=2.5)
        )
        stock = StockTimeline(board.sheet, run, [bit], cell=0.5)
        along = stock.section((0, 22), (160, 22), 1e9, samples=16_001)
        tab = (along > -11.8) & (along < -1)
        assert np.unique(np.round(along[tab], 4)).tolist() == [-9.3]  # thinnest 11.8 less 2.5
        assert tab.sum() * 0.01 == pytest.approx(10.0, abs=0.05)

    def test_sections_follow_the_moment(self):
        bit = straight_bit(6.0)
        job, board, run = run_for(Path.rectangle(0, 0, 30, 16), bit, tabs=Tabs(count=0))
        stock = StockTimeline(board.sheet, run, [bit], cell=0.5, times=time_run(run, job.machine).ends)
        depth = [stock.section((0, 20), (60, 20), t * stock.duration, samples=601).min() for t in np.linspace(0, 1, 12)]
        assert depth[0] == 0
        assert all(b <= a + 1e-9 for a, b in zip(depth[:-1], depth[1:], strict=True))


class TestPictures:
    def test_cells_grow_with_the_sheet_and_stay_bounded(self):
        small, large = Sheet(width=50, height=50, readings=(5,)), Sheet(width=3000, height=1500, readings=(5,))
        assert cell_for(small) == 0.1
        ny, nx = grid_shape(large, cell_for(large))
        assert ny * nx <= 3_000_000
