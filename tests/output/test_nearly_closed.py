"""Nearly full circles: an arc whose ends lie close together is cut as drawn, from the file it came in to the file that goes out."""

from __future__ import annotations

from io import StringIO

import ezdxf
import numpy as np
import pytest
import shapely

from archimetra.artwork.read import read_artwork
from archimetra.engine.planning import plan_board
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.quantities import Unit
from archimetra.output.controllers import controllers
from archimetra.output.files import gcode_files
from archimetra.output.gcode_reader import read_gcode
from archimetra.toolpath.shared.moves import move_lengths, straightened
from cutting_board import board_with
from shapes import replace


@pytest.mark.parametrize("radius", [5.0, 20.0, 100.0])
@pytest.mark.parametrize("gap", [0.3, 0.1, 0.05, 0.02, 0.005, 1e-4])
@pytest.mark.parametrize("is_closed", [True, False])
def test_a_circle_but_for_a_gap_is_engraved_all_round(radius, gap, is_closed):
    half = np.arcsin(gap / 2 / radius)
    sweep = 2 * np.pi - 2 * half
    ends = [(150 + radius * np.cos(half), 120 + radius * np.sin(half) * way) for way in (1, -1)]
    document = ezdxf.new()
    document.units = 4
    rows = [(*ends[0], np.tan(sweep / 4)), (*ends[1], 0.0)]
    document.modelspace().add_lwpolyline(rows, format="xyb", close=is_closed)
    text = StringIO()
    document.write(text)
    drawing = read_artwork(text.getvalue().encode(), name="ring.dxf")
    (path,) = [path for shape in drawing.shapes for path in shape.paths]
    assert path.length() == pytest.approx(2 * np.pi * radius, abs=gap + 0.03)
    job, board, _ = board_with(path, kind=EngraveCut, end_depth=1.0)
    plan = plan_board(job, board, {})
    for unit in Unit:
        for control in controllers().values():
            read = read_gcode(gcode_files(replace(job, output_unit=unit), board, plan.run, control)[0].text)
            assert not read.findings
            known = np.isfinite(read.xyz).all(axis=1)
            xyz, kind, centre = read.xyz[known], read.kind[known], read.centre[known]
            low = xyz[:, 2] < -0.5
            assert move_lengths(xyz, kind, centre)[low].sum() == pytest.approx(path.length() + 1.0, abs=0.5)
            points, _ = straightened(xyz, kind, centre, chord_tolerance_mm=0.001)
            drawn = shapely.linestrings(board.shapes[0].placed()[0].flatten(0.0005))
            assert shapely.distance(drawn, shapely.points(points[points[:, 2] < -0.5][:, :2])).max() < 0.006
