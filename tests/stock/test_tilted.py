"""The tilted view against a slow twin that follows the ray of each pixel by itself."""

from __future__ import annotations

import subprocess
import sys

import numpy as np
import pytest
from PIL import Image

from archimetra.job.sheet import Sheet
from archimetra.stock.tilted import Stock, picture
from archimetra.stock.viewpoint import View, fitting

SHEET = Sheet(width=60.0, height=40.0, readings=(10.0,))
CELL = 0.5
SIZE = (90, 70)


def plateaus(seed: int) -> np.ndarray:
    """Blocks at level heights, some cut through."""
    rng = np.random.default_rng(seed)
    field = np.zeros((80, 120), dtype=np.float32)
    for _ in range(14):
        j, i = rng.integers(0, 70), rng.integers(0, 110)
        field[j : j + rng.integers(4, 30), i : i + rng.integers(4, 40)] = -float(rng.choice([2.0, 4.0, 7.0, 11.0]))
    return field


def painted(field: np.ndarray, view: View) -> tuple[np.ndarray, np.ndarray]:
    grey = np.full(field.shape, 0xFFC8C8C8, dtype=np.uint32)
    return picture(Stock(SHEET, field, grey, CELL), view, SIZE)


def first_hit(field: np.ndarray, view: View, column: int, row: int) -> float:
    """How far beyond the middle the ray of a pixel meets the stock: walked in fine steps, from before the sheet to behind it."""
    turn, above = np.radians(-view.turn), np.radians(view.above)
    across = (column + 0.5 - SIZE[0] / 2) / view.scale
    up = (SIZE[1] / 2 - (row + 0.5)) / view.scale  # of the picture's plane
    right, away = np.array((np.cos(turn), np.sin(turn))), np.array((-np.sin(turn), np.cos(turn)))
    for t in np.arange(-80.0, 80.0, 0.05):
        x, y = np.array(view.middle) + across * right + t * away
        if not (0 <= x < SHEET.width and 0 <= y < SHEET.height):
            continue
        z_of_ray = (up - t * np.sin(above)) / np.cos(above)
        ground = max(float(field[int(y / CELL), int(x / CELL)]), -SHEET.thickest)
        if -SHEET.thickest - 0.05 <= z_of_ray <= ground:
            return float(t)
    return float("inf")


@pytest.mark.parametrize("seed", range(3))
@pytest.mark.parametrize(("turn", "above"), [(0.0, 45.0), (33.0, 30.0), (-120.0, 60.0), (200.0, 20.0)])
def test_each_pixel_sees_what_its_own_ray_meets_first(seed, turn, above):
    field = plateaus(seed)
    view = fitting(SHEET, turn, above, SIZE)
    pixels, depth = painted(field, view)
    rng = np.random.default_rng(seed)
    off = []
    for _ in range(60):
        column, row = int(rng.integers(2, SIZE[0] - 2)), int(rng.integers(2, SIZE[1] - 2))
        slow, fast = first_hit(field, view, column, row), float(depth[row, column])
        beside = depth[row - 1 : row + 2, column - 1 : column + 2]  # at an edge either side of it may be seen
        if np.isinf(slow):
            off.append(0.0 if np.isinf(beside).any() else 99.0)
        else:
            off.append(min(abs(slow - fast), float(np.abs(beside - slow).min())))
        assert (pixels[row, column] == 0xFFDED7C8) == np.isinf(fast)
    assert np.mean(np.array(off) > 1.5 / view.scale + 2 * CELL) < 0.04


def test_places_show_where_they_are_seen():
    field = np.zeros((80, 120), dtype=np.float32)
    view = fitting(SHEET, 20.0, 50.0, SIZE)
    _, depth = painted(field, view)
    for x, y in ((30.0, 20.0), (5.0, 5.0), (55.0, 35.0)):
        column, row, away = view.to_screen(np.array((x, y, 0.0)), SIZE)
        assert depth[int(row), int(column)] == pytest.approx(away, abs=1.5 / view.scale + CELL)
    corners = view.to_screen(np.array([(0, 0, 0), (60, 0, 0), (0, 40, 0), (60, 40, -10)], dtype=float), SIZE)
    assert (corners[:, :2] > 0).all()
    assert (corners[:, :2] < SIZE).all()


def test_straight_from_above_it_is_the_plan():
    field = plateaus(1)
    view = fitting(SHEET, 0.0, 90.0, SIZE)
    _, depth = painted(field, view)
    seen = np.isfinite(depth)
    rows, columns = np.nonzero(seen)
    high, wide = np.ptp(rows) + 1, np.ptp(columns) + 1
    assert wide / view.scale == pytest.approx(SHEET.width, abs=2 / view.scale)
    assert high / view.scale == pytest.approx(SHEET.height, abs=2 / view.scale)


def test_the_command_line_draws_it(tmp_path):
    from archimetra.engine.planning import plan_board  # noqa: F401  the command plans in a process of its own
    from archimetra.geometry.path import Path
    from archimetra.job.cuts.pocket import PocketCut
    from archimetra.job.file import JobFile, save_job
    from cutting_board import board_with

    job, _, _ = board_with(Path.rectangle(0, 0, 30, 20), kind=PocketCut, sheet=SHEET, end_depth=4.0)
    save_job(tmp_path / "p.archimetra", JobFile(job, {}))
    out = tmp_path / "p.png"
    command = [
        sys.executable,
        "-m",
        "archimetra",
        "render",
        str(tmp_path / "p.archimetra"),
        "--view",
        "tilted",
        "--size",
        "400x300",
        "--out",
        str(out),
    ]
    done = subprocess.run([*command, "--turn", "30", "--above", "40"], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    image = np.asarray(Image.open(out).convert("RGB"))
    assert image.shape == (300, 400, 3)
    assert len(np.unique(image.reshape(-1, 3), axis=0)) > 50
    uncut = subprocess.run(
        [*command, "--at", "0", "--turn", "30", "--above", "40"], capture_output=True, text=True, check=False
    )
    assert uncut.returncode == 0
    assert (np.asarray(Image.open(out).convert("RGB")) != image).any()
    wrong = subprocess.run([*command, "--above", "200"], capture_output=True, text=True, check=False)
    assert wrong.returncode == 2
    assert "--above" in wrong.stderr
