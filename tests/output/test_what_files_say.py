"""What files say beside their moves: comments a control can take, one number for each bit, and which surface Z is touched off on."""

from __future__ import annotations

import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit, BitKind
from archimetra.job.cut_parts import Side, Tabs
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.hole import HoleCut, HoleMethod
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.ids import BitId, CutId
from archimetra.job.job import with_boards
from archimetra.job.quantities import Unit
from archimetra.job.sheet import Fixture, Sheet, Zero, ZeroAt, ZeroZ
from archimetra.output.comments import folded, plain
from archimetra.output.controllers import FileUnit, controllers
from archimetra.output.files import gcode_files
from archimetra.output.gcode_reader import read_gcode
from archimetra.toolpath.shared.moves import Move
from cutting_board import board_with
from shapes import replace, straight_bit

HARMFUL = set('!~?%$;[]{}<>|#*^\\"&@`')
OURS = re.compile(
    r"\((Archimetra|Job|Board|Sheet|X Y zero|Z zero|Bit [A-Z]|Put in bit|Set Z zero|Touch off|Spindle|Cut|more)\b"
)


SAYING = [c.name for c in controllers().values() if c.comment and c.unit is FileUnit.JOB and not c.has_bit_lengths]


def files(job, board, *, name: str = "rs274", **profile):
    plan = plan_board(job, board, {})
    return gcode_files(job, board, plan.run, replace(controllers()[name], **profile))


def comments(text: str) -> list[str]:
    return [line for line in text.splitlines() if line.startswith("(")]


class TestComments:
    @settings(max_examples=60)
    @given(st.text(max_size=300), st.integers(24, 90))
    def test_any_text_becomes_lines_a_control_can_take(self, text, width):
        for line in folded("Job: " + text, width=width):
            assert len(line) <= width
            assert line.isascii()
            assert not HARMFUL & set(line)
            assert not set("()\n\r\t") & set(line)

    @pytest.mark.parametrize(
        "name", ["MSG,stop", "LOGOPEN,x", "PRINT,1", "DEBUG,#1", "Löcher 60° ?!~%$;", "x" * 10_000, "日本", ""]
    )
    @pytest.mark.parametrize("control", list(controllers()))
    def test_names_never_become_commands_or_long_lines(self, name, control):
        job, board, cut = board_with(Path.rectangle(0, 0, 40, 30), kind=PocketCut, end_depth=2.0)
        bit = replace(job.bits[0], name=name)
        sheet = replace(board.sheet, readings=tuple(18 + k / 100 for k in range(90)))
        board = replace(board, name=name, sheet=sheet, cuts=(replace(cut, name=name),))
        job = with_boards(job, (board,), name=name, bits=(bit,))
        for file in files(job, board, name=control):
            for line in comments(file.text):
                assert len(line) <= 70
                assert OURS.match(line), line
                assert not HARMFUL & set(line)
                assert line.count("(") == line.count(")") == 1
            assert not read_gcode(file.text).findings

    def test_accents_and_degrees_are_spelled(self):
        assert plain("60° V, Löcher, Größe ½″") == "60 deg V, Locher, Grosse 1/2''"


class TestBitNumbers:
    @pytest.mark.parametrize("holder", [0, 7])
    def test_the_head_and_the_change_call_a_bit_by_one_number(self, holder):
        job, board, _ = board_with(
            Path.rectangle(0, 0, 40, 30), kind=PocketCut, end_depth=2.0, bit=straight_bit(6.0, holder=holder, place=2)
        )
        text = files(job, board)[0].text
        (said,) = re.findall(r"\(Bit C, T(\d+):", text)
        (changed,) = re.findall(r"^T(\d+) M6", text, re.MULTILINE)
        assert said == changed == str(holder or 3)


class TestPecks:
    @settings(max_examples=40)
    @given(
        st.sampled_from([3.0, 3.0004, 3.1, 2.1, 5.999, 6.0, 6.001, 9.0001]),
        st.sampled_from([1.0, 2.0, 3.0]),
        st.booleans(),
    )
    def test_pecks_are_even_and_no_more_than_it_takes(self, depth, peck, to_shoulder):
        bit = Bit(id=BitId("bit1"), name="drill", kind=BitKind.DRILL, diameter=3.0, cutting_length=40.0, angle=118.0)
        job, board, _ = board_with(
            Path.circle((0, 0), 1.5),
            kind=HoleCut,
            bit=bit,
            method=HoleMethod.PECK,
            end_depth=depth,
            peck=peck,
            to_shoulder=to_shoulder,
        )
        whole = depth + (bit.point_length if to_shoulder else 0.0)
        for cycles in (True, False):
            text = files(job, board, has_drill_cycles=cycles)[0].text
            read = read_gcode(text)
            assert not read.findings
            z = read.xyz[:, 2]
            turns = [float(z[k]) for k in range(1, len(z) - 1) if z[k] < 0 and z[k] < z[k - 1] and z[k] < z[k + 1]]
            # one more than it takes at most: a control counts from the plane a millimetre over the wood
            assert len(turns) <= np.ceil(whole / peck - 1e-6) + 2
            assert min(turns) == pytest.approx(-whole, abs=0.002)
            steps = -np.diff([0.0, *turns])
            assert steps.max() <= peck + 0.002
            for q in re.findall(r"Q([\d.]+)", text):
                assert float(q) > 0.4 * min(peck, whole)

    @pytest.mark.parametrize("method", [HoleMethod.DRILL, HoleMethod.PECK])
    @pytest.mark.parametrize("cycles", [True, False])
    def test_the_wait_at_the_bottom_is_written_and_takes_its_time(self, method, cycles):
        holes = [Path.circle((12.0 * k, 0), 3.0) for k in range(3)]
        job, board, cut = board_with(*holes, kind=HoleCut, method=method, end_depth=8.0, dwell_s=0.7)
        still = replace(board, cuts=(replace(cut, dwell_s=0.0),))
        text = files(job, board, has_drill_cycles=cycles)[0].text
        waits = text.count("G4 P0.7") + len(re.findall(r"G82 .*P0\.7", text))
        assert waits == 3
        times = [plan_board(job, b, {}).times.total for b in (board, still)]
        assert times[0] - times[1] == pytest.approx(2.1, abs=1e-6)


class TestWhereZIsTouchedOff:
    def faced(self, *, depth: float = 1.5, zero: Zero | None = None, unit: Unit = Unit.MM):
        sheet, zero = Sheet(width=120.0, height=90.0, readings=(18.0,)), zero or Zero()
        job, board, cut = board_with(
            Path.rectangle(0, 0, 60, 40), kind=ProfileCut, goes_through=True, sheet=sheet, tabs=Tabs()
        )
        wide = replace(straight_bit(25.0), id=BitId("bit2"), place=1)
        facing = FacingCut(id=CutId("face"), name="Facing", bit=wide.id, end_depth=depth)
        board = replace(board, zero=zero, cuts=(facing, cut))
        return with_boards(job, (board,), bits=(job.bits[0], wide), output_unit=unit), board

    @pytest.mark.parametrize("control", SAYING)
    @pytest.mark.parametrize(("unit", "entered"), [(Unit.MM, "-1.5"), (Unit.INCH, "-0.05906")])
    def test_after_facing_the_faced_surface_and_the_number_to_enter(self, control, unit, entered):
        job, board = self.faced(unit=unit)
        made = files(job, board, name=control)
        text = "\n".join(file.text for file in made)
        assert "(Z zero: sheet top)" in text, "before facing it is the sheet's top"
        later = text.split("Facing")[-1].replace(")\n(more: ", " ")
        assert f"enter Z{entered}, not 0" in later
        assert "faced surface" in later

    def test_touching_off_as_told_cuts_to_the_true_depth(self):
        """The operator touches the faced surface and enters what the file says: then Z in the file is Z in the wood."""
        job, board = self.faced()
        made = files(job, board, name="streaming")
        told = float(re.search(r"enter Z(-[\d.]+)", made[-1].text.replace("\n", " ").replace(")(more: ", " ")).group(1))
        read = read_gcode(made[-1].text)
        surface = -1.5
        assert surface - told == 0.0
        deepest = float(read.xyz[read.kind != Move.RAPID][:, 2].min())
        assert deepest + (surface - told) == pytest.approx(-18.2, abs=1e-6)

    def test_on_the_spoilboard_nothing_changes(self):
        job, board = self.faced(zero=Zero(z=ZeroZ.SPOILBOARD))
        text = files(job, board)[0].text
        assert "enter Z" not in text
        assert "(Set Z zero again: spoilboard)" in text

    def two_pockets(self, *fixtures: Fixture):
        sheet = Sheet(width=120.0, height=90.0, readings=(18.0,))
        job, board, cut = board_with(Path.rectangle(0, 0, 30, 30), kind=PocketCut, sheet=sheet, end_depth=4.0)
        fine = replace(straight_bit(3.0), id=BitId("bit2"), place=1)
        second = replace(cut, id=CutId("second"), bit=fine.id, name="Second", end_depth=6.0)
        board = replace(board, zero=Zero(at=ZeroAt.CENTRE), cuts=(cut, second), fixtures=fixtures)
        return with_boards(job, (board,), bits=(job.bits[0], fine)), board

    def test_a_place_that_is_cut_away_is_told_and_another_proposed(self):
        job, board = self.two_pockets()
        text = files(job, board)[0].text
        x, y = (float(v) for v in re.search(r"Touch off Z at X(-?[\d.]+) Y(-?[\d.]+)", text).groups())
        assert max(abs(x), abs(y)) > 15.0 + 6.0 - 1e-6, "off the pocket"
        assert abs(x) <= 60
        assert abs(y) <= 45
        found = [f for f in plan_board(job, board, {}).findings if f.code == "touch-off-gone"]
        assert len(found) == 1
        assert "'Cut'" in found[0].sentence
        assert found[0].at == pytest.approx((x + 60, y + 45), abs=0.01)

    def test_a_whole_place_is_not_told(self):
        job, board = self.two_pockets()
        board = replace(board, zero=Zero())
        text = files(with_boards(job, (board,)), board)[0].text
        assert "Touch off Z" not in text
        assert "(Set Z zero again: sheet top)" in text
        assert "touch-off-gone" not in {f.code for f in plan_board(job, board, {}).findings}

    def test_it_is_never_proposed_under_a_clamp(self):
        clamps = [Fixture(x=60.0, y=y, width=110.0, height=16.0, rise=12.0) for y in (10.0, 80.0)]
        job, board = self.two_pockets(*clamps)
        text = files(job, board)[0].text
        _, y = (float(v) for v in re.search(r"Touch off Z at X(-?[\d.]+) Y(-?[\d.]+)", text).groups())
        assert abs(y) < 45 - 18

    def test_side_by_side_profiles_leave_the_corner_whole(self):
        job, board, cut = board_with(Path.rectangle(0, 0, 30, 30), kind=ProfileCut, side=Side.OUTSIDE)
        assert "Touch off" not in files(job, replace(board, cuts=(cut,)))[0].text


CORNERS = {"left": 0.0, "middle": 0.5, "right": 1.0, "front": 0.0, "back": 1.0}


@pytest.mark.parametrize("turns", [0, 1, 2, 3])
@pytest.mark.parametrize("at", list(ZeroAt))
def test_zero_of_a_turned_board_is_named_as_it_lies(at, turns):
    """Who stands before the machine finds the named corner; there the file's moves count from."""
    job, board, _ = board_with(
        Path.rectangle(0, 0, 50, 30),
        kind=PocketCut,
        sheet=Sheet(width=200, height=120, readings=(18.0,)),
        end_depth=3.0,
    )
    board = replace(board, quarter_turns=turns, bed_x=30.0, bed_y=50.0, zero=Zero(at=at, x=20.0, y=70.0))
    job = with_boards(job, (board,))
    plan = plan_board(job, board, {})
    (file,) = gcode_files(job, board, plan.run, controllers()["rs274"], plan.setups)
    said = " ".join(re.findall(r"\((?:more: )?(.*?)\)", file.text))
    wide, high = (120.0, 200.0) if turns % 2 else (200.0, 120.0)
    if turns == 0:
        x, y = (float(v) for v in re.search(r"x ([\d.]+), y ([\d.]+) mm from its front left corner", said).groups())
    elif at is ZeroAt.TYPED:
        x, y = (float(v) for v in re.search(r"x ([\d.]+), y ([\d.]+) mm from the front left corner of the sheet as it lies", said).groups())  # fmt: skip
    else:
        name = re.search(r"X Y zero: ([a-z ]+) of the sheet as it lies", said).group(1)
        words = name.split()
        across = next((CORNERS[w] for w in words if w in ("left", "right")), 0.5)
        up = next((CORNERS[w] for w in words if w in ("front", "back")), 0.5)
        x, y = across * wide, up * high
    cutting = read_gcode(file.text)
    low = cutting.xyz[cutting.xyz[:, 2] < -0.1]
    # the pocket lies in the middle of the sheet, however that is turned
    middle = (low[:, :2].min(axis=0) + low[:, :2].max(axis=0)) / 2
    assert middle + np.array((x, y)) == pytest.approx((wide / 2, high / 2), abs=0.02)
