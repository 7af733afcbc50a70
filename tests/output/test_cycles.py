"""Drilling cycles: written where a control has them, read back as the moves a control makes, the same holes either way."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit, BitKind
from archimetra.job.cuts.hole import HoleCut, HoleMethod
from archimetra.job.ids import BitId
from archimetra.job.job import with_boards
from archimetra.job.quantities import Unit
from archimetra.job.sheet import Zero, ZeroAt
from archimetra.output.controllers import controller
from archimetra.output.files import gcode_files
from archimetra.output.gcode_reader import read_gcode
from archimetra.toolpath.shared.moves import Move
from cutting_board import board_with
from shapes import replace

DRILL = Bit(id=BitId("bit1"), name="5 mm drill", kind=BitKind.DRILL, diameter=5.0, cutting_length=40.0, angle=118.0)
HOLES = [Path.circle((17.3 * k, 11.1 * (k % 2)), 2.5) for k in range(6)]


def files(*, method: HoleMethod, cycles: bool, unit: Unit = Unit.MM, depth: float = 8.0, peck: float = 3.0):
    job, board, _ = board_with(
        *HOLES, kind=HoleCut, bit=DRILL, method=method, end_depth=depth, peck=peck, to_shoulder=False
    )
    board = replace(board, zero=Zero(at=ZeroAt.CENTRE))
    job = with_boards(job, (board,), output_unit=unit)
    plan = plan_board(job, board, {})
    profile = replace(controller("rs274"), has_drill_cycles=cycles)
    return gcode_files(job, board, plan.run, profile)[0].text, board


def bottoms(text: str) -> np.ndarray:
    """(n, 3) where the bit turns back at its deepest in each place."""
    read = read_gcode(text)
    assert not read.findings
    low = read.xyz[np.isfinite(read.xyz).all(axis=1)]
    places = {tuple(p) for p in np.round(low[low[:, 2] < 0][:, :2], 3)}
    return np.array(sorted((x, y, low[(np.round(low[:, :2], 3) == (x, y)).all(axis=1), 2].min()) for x, y in places))


class TestCycles:
    @pytest.mark.parametrize("unit", list(Unit))
    @pytest.mark.parametrize(("method", "word"), [(HoleMethod.DRILL, "G81"), (HoleMethod.PECK, "G83")])
    def test_the_same_holes_with_and_without_cycles(self, method, word, unit):
        with_cycles, board = files(method=method, cycles=True, unit=unit)
        without, _ = files(method=method, cycles=False, unit=unit)
        assert with_cycles.count(word) == len(HOLES) == with_cycles.count("G80")
        assert word not in without
        a, b = bottoms(with_cycles), bottoms(without)
        assert a.shape == b.shape == (len(HOLES), 3)
        assert np.abs(a - b).max() < 0.01
        assert a[:, 2] == pytest.approx(-8.0, abs=0.002)
        assert board.cuts[0].method is method

    @settings(max_examples=20)
    @given(st.floats(1.0, 17.0), st.floats(0.4, 20.0))
    def test_pecks_are_never_deeper_than_asked(self, depth, peck):
        text, _ = files(method=HoleMethod.PECK, cycles=True, depth=round(depth, 2), peck=round(peck, 2))
        read = read_gcode(text)
        assert not read.findings
        z = read.xyz[read.kind == Move.LINE, 2]
        for k in range(1, len(z)):
            if z[k] < z[k - 1]:
                assert z[k - 1] - z[k] <= round(peck, 2) + 0.002
        assert z.min() == pytest.approx(-round(depth, 2), abs=0.002)

    def test_after_a_cycle_moves_go_on_as_before(self):
        text, _ = files(method=HoleMethod.DRILL, cycles=True)
        lines = text.splitlines()
        for k, line in enumerate(lines):
            if line == "G80":
                assert lines[k + 1].startswith(("G0 ", "M5")), "the motion is stated anew"

    @pytest.mark.parametrize(
        ("line", "words"),
        [
            ("G81 X1 Y1 R1 F100", "lacks its Z"),
            ("G83 X1 Y1 Z-3 R1 F100", "lacks its Q"),
            ("G81 X1 Y1 Z3 R1 F100", "no deeper"),
            ("G81 X1 Z-3 R1", "no feed"),
        ],
    )
    def test_a_cycle_that_cannot_be_is_told_with_its_line(self, line, words):
        found = read_gcode(f"G21 G90\nG0 X0 Y0 Z5\n{line}\nM2\n").findings
        assert any(words in f.sentence and f.place == "line 3" for f in found)
