"""A carving written as G-code and read back leaves the same surface: thousands of short moves, each rounded to the file's decimals."""

from __future__ import annotations

import numpy as np
import pytest

from archimetra.demo import quay_tide_clock
from archimetra.engine.planning import plan_board
from archimetra.job.quantities import Unit
from archimetra.output.controllers import controller
from archimetra.output.files import gcode_files
from archimetra.output.gcode_reader import read_gcode
from archimetra.stock.bitshapes import bit_shapes
from archimetra.stock.sweep_kernels import TILE, sweep
from archimetra.toolpath.shared.moves import straightened
from shapes import replace

BOX = (30.0, 24.0, 122.0, 90.0)  # around the stamp
CELL = 0.1


def surface(xyz, kind, centre, bit) -> np.ndarray:
    points, _ = straightened(xyz, kind.copy(), centre, chord_tolerance_mm=0.001)
    points = np.ascontiguousarray(points)
    ny, nx = int((BOX[3] - BOX[1]) / CELL), int((BOX[2] - BOX[0]) / CELL)
    field, tiles = np.zeros((ny, nx), np.float32), np.zeros((ny // TILE + 1, nx // TILE + 1), dtype=bool)
    numbers = np.zeros(len(points), dtype=np.int64)
    sweep(field, BOX[0], BOX[1], CELL, points, 1, len(points), numbers, *bit_shapes([bit]).arguments(), tiles)
    return field


@pytest.fixture(scope="module")
def stamp():
    """The job, the board with the stamp's carving alone, its run, bit and surface."""
    job = quay_tide_clock().job
    board = job.boards[5]
    only = replace(board, cuts=tuple(cut for cut in board.cuts if cut.name == "Stamp"))
    run = plan_board(job, only, {}).run
    bit = job.bit(only.cuts[0].bit)
    return job, only, run, bit, surface(np.array(run.xyz), run.kind, run.centre, bit)


@pytest.mark.parametrize("name", ["rs274", "streaming"])
@pytest.mark.parametrize("unit", list(Unit))
def test_the_stamp_comes_back_from_its_file_as_it_was_planned(name, unit, stamp):
    job, only, run, bit, planned = stamp
    (file,) = gcode_files(replace(job, output_unit=unit), only, run, controller(name))
    read = read_gcode(file.text)
    assert not read.findings
    first = int(np.flatnonzero(np.isfinite(read.xyz).all(axis=1))[0])
    written = surface(read.xyz[first:], read.kind[first:], read.centre[first:], bit)
    assert planned.min() < -1.7
    assert np.abs(planned - written).max() < 0.012
    assert np.quantile(np.abs(planned - written), 0.999) < 0.004
