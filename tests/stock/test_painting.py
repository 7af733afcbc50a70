"""The plan's picture: what light and wood make of heights, and that a part painted anew is as if all had been."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.job.sheet import Sheet
from archimetra.stock.grid import Grid, part, whole
from archimetra.stock.shade import Painter, coarsen, face, touched_box
from shades import channels

SHEET = Sheet(width=60, height=40, readings=(10.0,))
CELL = 0.5


def bright(pixels: np.ndarray) -> float:
    return float(channels(pixels).mean())


def painted(field: np.ndarray, sheet: Sheet = SHEET) -> np.ndarray:
    grid = Grid(0.0, 0.0, field.shape, CELL)
    pixels = np.zeros(field.shape, np.uint32)
    Painter(sheet, grid).paint(field, pixels)
    return pixels[::-1]  # rows as the field's


def pocketed(depth: float) -> np.ndarray:
    field = np.zeros((80, 120), np.float32)
    field[20:60, 30:90] = -depth
    return field


class TestLight:
    def test_a_wall_towards_the_light_throws_its_shadow_on_the_floor(self):
        pixels = painted(pocketed(6.0))
        assert bright(pixels[30:50, 32:36]) < 0.8 * bright(pixels[30:50, 84:88])
        assert bright(pixels[54:57, 50:70]) < 0.85 * bright(pixels[23:26, 50:70])

    def test_the_shadow_is_as_long_as_the_wall_is_high(self):
        for depth in (3.0, 6.0):
            row = channels(painted(pocketed(depth))[40, 30:90]).mean(axis=1)
            lit = row[-20:].max()
            dark = int((row[:40] < 0.82 * lit).sum()) * CELL
            assert dark == pytest.approx(depth / 1.25, abs=1.6)

    def test_fresh_wood_is_paler_and_a_slope_to_the_light_brighter_than_one_from_it(self):
        floor = channels(painted(pocketed(1.0))[40, 60])
        rim = channels(painted(np.zeros((80, 120), np.float32))[40, 60])
        assert np.ptp(floor) < np.ptp(rim)  # less colour
        x = (np.arange(120) + 0.5) * CELL
        groove = np.minimum(np.abs(x - 30.0) * 0.6 - 6.0, 0.0).astype(np.float32)  # a wide V along y
        pixels = painted(np.tile(groove, (80, 1)))
        assert bright(pixels[30:50, 70:74]) > 1.25 * bright(pixels[30:50, 46:50])

    def test_where_it_is_cut_through_the_spoilboard_shows_without_grain(self):
        pixels = painted(pocketed(10.2))
        middle = channels(pixels[38:44, 70:82])
        assert middle.std(axis=(0, 1)).max() < 4.0
        assert np.ptp(middle.mean(axis=(0, 1))) < np.ptp(channels(pixels[5:15, 5:20]).mean(axis=(0, 1)))

    def test_the_same_sheet_has_the_same_grain_in_finer_cells(self):
        coarse = face(SHEET, whole(SHEET, 0.5))
        close = part(SHEET, (20.0, 10.0, 30.0, 20.0), 0.1)
        fine = face(SHEET, close)
        at = fine[2::5, 2::5]  # the cells whose middles are those of the coarse ones
        assert np.abs(channels(at) - channels(coarse[20:40, 40:60])).max() <= 2


@settings(deadline=None, max_examples=25)
@given(
    seed=st.integers(0, 10_000),
    box=st.tuples(st.integers(0, 100), st.integers(0, 60), st.integers(1, 40), st.integers(1, 30)),
    depth=st.sampled_from([0.4, 3.0, 9.0, 12.0]),
)
def test_a_part_painted_anew_is_as_if_all_had_been(seed, box, depth):
    rng = np.random.default_rng(seed)
    field = np.zeros((80, 120), np.float32)
    for _ in range(5):
        j, i = rng.integers(0, 70), rng.integers(0, 110)
        field[j : j + rng.integers(3, 30), i : i + rng.integers(3, 40)] = -rng.choice([1.0, 5.0, 10.5])
    painter = Painter(SHEET, Grid(0.0, 0.0, field.shape, CELL))
    levels = [np.zeros((80 >> k, 120 >> k), np.uint32) for k in range(3)]
    coarsen(levels, painter.paint(field, levels[0]))
    i, j, w, h = box
    x1, y1 = min(i + w, 120), min(j + h, 80)
    field[j:y1, i:x1] = np.minimum(field[j:y1, i:x1], np.float32(-depth))
    coarsen(levels, painter.paint(field, levels[0], (i, j, x1, y1)))
    again = [np.zeros_like(level) for level in levels]
    coarsen(again, painter.paint(field, again[0]))
    # sums run on from where a stretch begins: the last digit of a mean may differ, and with it a colour by one
    for level, other in zip(levels, again, strict=True):
        assert np.abs(channels(level) - channels(other)).max() <= 2


def test_coarser_pictures_are_means():
    rng = np.random.default_rng(3)
    pixels = rng.integers(0, 1 << 24, (32, 48), dtype=np.uint32) | np.uint32(0xFF000000)
    levels = [pixels, np.zeros((16, 24), np.uint32), np.zeros((8, 12), np.uint32)]
    coarsen(levels, (0, 0, 48, 32))
    want = channels(pixels).reshape(16, 2, 24, 2, 3).mean(axis=(1, 3))
    assert np.abs(channels(levels[1]) - want).max() <= 0.51
    assert ((levels[2] >> 24) == 255).all()


def test_touched_tiles_as_cells():
    assert touched_box(np.zeros((2, 2), bool), (80, 120), 64) is None
    assert touched_box(np.array([[False, False], [False, True]]), (80, 120), 64) == (64, 64, 120, 80)
