"""The file is the plan: what a control would do with it is what was planned, within rounding."""

from __future__ import annotations

import re
from math import pi

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.base.errors import OutputError
from archimetra.edits import basic as edits
from archimetra.engine.planning import plan_board
from archimetra.job.cut_parts import Entry, Lead, Overrides, Side, Tabs
from archimetra.job.job import with_boards
from archimetra.job.quantities import Unit
from archimetra.job.sheet import Machine, Zero, ZeroAt, ZeroZ
from archimetra.output.comments import plain
from archimetra.output.controllers import Arcs, Controller, Spindle, controller, controllers
from archimetra.output.files import gcode_files, write_files
from archimetra.output.gcode_reader import read_gcode
from archimetra.output.names import file_stem
from archimetra.output.times import clock
from archimetra.output.timing import time_run
from archimetra.output.timing_kernels import trapezoid_times
from archimetra.toolpath.shared.moves import Move, move_lengths, straightened
from plain_clock import plain_clock
from shapes import blob, job_with, replace, star

NAMES = sorted(controllers())


def files_of(job, *, name: str = "rs274", unit: Unit = Unit.MM):
    job = replace(job, controller=name, output_unit=unit)
    plan = plan_board(job, job.boards[0], {})
    return gcode_files(job, job.boards[0], plan.run, controller(name)), plan, job


@pytest.fixture(scope="module")
def clock_job():
    return plain_clock().job


def bare_lines(text: str) -> list[str]:
    """The lines a control acts on, without their numbers."""
    lines = [re.sub(r"^N\d+ ?", "", line) for line in text.splitlines()]
    return [line for line in lines if not line.startswith(("(", "%"))]


def within(profile: Controller, unit: Unit) -> float:
    """How far a file may be off what was planned, mm: rounding of ends and centres, and the chords arcs come as where it has none."""
    is_mm = profile.unit_for(unit) is Unit.MM
    rounding = 10.0**-profile.decimals_mm if is_mm else 25.4 * 10.0**-profile.decimals_inch
    return 0.001 + 2.0 * rounding + (0.005 if profile.arcs is Arcs.NONE else 0.0)


def farthest_off(points: np.ndarray, line: np.ndarray) -> float:
    """How far the farthest of some points lies from a line of many."""
    tree = shapely.STRtree(shapely.linestrings(np.stack((line[:-1], line[1:]), axis=1)))
    _, away = tree.query_nearest(shapely.points(points), return_distance=True, all_matches=False)
    return float(away.max())


class TestFileEqualsPlan:
    @pytest.mark.parametrize("unit", list(Unit))
    @pytest.mark.parametrize("name", NAMES)
    def test_every_planned_move_is_in_the_files_and_nothing_else(self, clock_job, name, unit):
        files, plan, _ = files_of(clock_job, name=name, unit=unit)
        shift = np.array([0, 0, 0.0])
        read = [read_gcode(file.text) for file in files]
        assert not [f for r in read for f in r.findings]
        planned, _ = straightened(plan.run.xyz, plan.run.kind, plan.run.centre, chord_tolerance_mm=0.001)
        written = []
        for r in read:
            first = int(np.flatnonzero(np.isfinite(r.xyz).all(axis=1))[0])
            xyz, _ = straightened(r.xyz[first:], r.kind[first:].copy(), r.centre[first:], chord_tolerance_mm=0.001)
            written.append(xyz)
        deep = planned[planned[:, 2] < 0]
        theirs = np.vstack(written)
        low = theirs[theirs[:, 2] < 0]
        off = within(controller(name), unit)
        assert farthest_off(low[:, :2], deep[:, :2] + shift[:2]) < off
        assert farthest_off(deep[:, :2] + shift[:2], low[:, :2]) < off
        assert low[:, 2].min() == pytest.approx(plan.run.xyz[:, 2].min(), abs=off)
        cutting = sum(float(np.nansum(move_lengths(r.xyz, r.kind, r.centre)[r.kind != Move.RAPID])) for r in read)
        wanted = move_lengths(plan.run.xyz, plan.run.kind, plan.run.centre)[plan.run.kind != Move.RAPID].sum()
        assert cutting == pytest.approx(wanted, rel=1e-4)

    @settings(max_examples=12)
    @given(
        st.integers(0, 500), st.sampled_from(list(ZeroAt)), st.sampled_from(list(ZeroZ)), st.sampled_from(list(Unit))
    )
    def test_arcs_agree_at_both_ends_after_rounding(self, seed, at, z, unit):
        job, board, _ = job_with(blob(seed, size=22.345), tabs=Tabs(count=3))
        job = edits.set_zero(job, board.id, Zero(at=at, x=3.337, y=4.441, z=z)).job
        files, _, _ = files_of(job, unit=unit)
        read = read_gcode(files[0].text)
        rows = np.flatnonzero(read.kind >= Move.ARC_CW)
        assert len(rows)
        first = np.hypot(*(read.xyz[rows - 1, :2] - read.centre[rows]).T)
        last = np.hypot(*(read.xyz[rows, :2] - read.centre[rows]).T)
        assert np.abs(first - last).max() <= 0.0021

    @pytest.mark.parametrize(
        ("zero", "shift"),
        [
            (Zero(at=ZeroAt.FRONT_LEFT), (0, 0, 0)),
            (Zero(at=ZeroAt.CENTRE), (-160, -160, 0)),
            (Zero(at=ZeroAt.BACK_RIGHT, z=ZeroZ.SPOILBOARD), (-320, -320, 18.3)),
        ],
    )
    def test_zero_shifts_the_whole_file_and_nothing_else(self, clock_job, zero, shift):
        job = edits.set_zero(clock_job, clock_job.boards[0].id, zero).job
        reads = [read_gcode(files_of(j)[0][0].text) for j in (clock_job, job)]
        low = [r.xyz[(r.kind != Move.RAPID)] for r in reads]
        assert low[1] == pytest.approx(low[0] + np.array(shift), abs=0.0021)

    def test_an_area_cut_by_the_file_is_the_outline_offset_by_the_bit(self, clock_job):
        """The dial: a disc of radius 142 with a 6 mm slot round it, from the file alone, against pi r^2."""
        job = with_boards(clock_job, (replace(clock_job.boards[0], cuts=clock_job.boards[0].cuts[-1:]),))
        bare = {"tabs": Tabs(count=0), "finish": 0.0, "lead_in": Lead(), "lead_out": Lead()}
        job = edits.change_cut(job, job.boards[0].cuts[0].id, "", **bare).job
        read = read_gcode(files_of(job)[0][0].text)
        xyz, _ = straightened(read.xyz[2:], read.kind[2:].copy(), read.centre[2:], chord_tolerance_mm=0.0005)
        bottom = xyz[xyz[:, 2] < -18.4][:, :2]
        radii = np.hypot(*(bottom - 160).T)
        assert np.abs(radii - 145).max() < 0.01
        assert shapely.Polygon(bottom).buffer(0).area == pytest.approx(pi * 145**2, abs=2 * pi * 145 * 0.01)


class TestFormOfFiles:
    @pytest.mark.parametrize("name", NAMES)
    @pytest.mark.parametrize("unit", list(Unit))
    def test_a_file_states_its_modes_before_it_moves_and_ends_as_it_should(self, clock_job, name, unit):
        for file in files_of(clock_job, name=name, unit=unit)[0]:
            profile = controller(name)
            lines = bare_lines(file.text)
            first_move = next(i for i, line in enumerate(lines) if re.match(r"G[0-3] ", line))
            head = set(lines[:first_move])
            assert {"G21" if profile.unit_for(unit) is Unit.MM else "G20", "G90"} <= head
            assert set(profile.start) <= head
            assert re.fullmatch(r"G0 Z[\d.]+", lines[first_move])  # up before anything else
            first_cut = next(i for i, line in enumerate(lines) if line.startswith("G1 "))
            if profile.spindle is Spindle.SPEED:
                spindle = next(i for i, line in enumerate(lines) if "M3" in line)
                assert lines[spindle + 1].startswith("G4 P")
                assert spindle < first_cut
                assert lines[-2] == "M5"
            assert lines[-1] in ("M2", "M30")
            assert file.text.isascii()
            assert file.text.endswith(profile.newline)

    @pytest.mark.parametrize("name", [name for name in NAMES if controller(name).comment])
    def test_comments_say_job_board_sheet_zero_and_bit(self, clock_job, name):
        text = files_of(clock_job, name=name)[0][0].text
        for words in (
            "Quay tide clock",
            "Dial face",
            "320 x 320 mm ash",
            "18.3, 18.1, 18.2",
            "front left",
            "sheet top",
            "3 mm straight",
        ):
            assert words in text

    @pytest.mark.parametrize("name", NAMES)
    def test_no_rapid_goes_sideways_or_down_in_the_wood(self, clock_job, name):
        for file in files_of(clock_job, name=name)[0]:
            read = read_gcode(file.text)
            for row in np.flatnonzero(read.kind == Move.RAPID):
                if row == 0 or not np.isfinite(read.xyz[row - 1]).all():
                    continue
                a, b = read.xyz[row - 1], read.xyz[row]
                assert min(a[2], b[2]) >= 0 or (np.hypot(*(b - a)[:2]) == 0 and b[2] > a[2])

    @pytest.mark.parametrize("side", list(Side))
    @pytest.mark.parametrize("seed", [1, 2, 3, 4, 5])
    def test_the_bit_leaves_straight_up_to_the_last_bit(self, seed, side):
        """A retract worked out anew rounded to another thousandth than the cut it ended, and slid in the wood."""
        job, board, _ = job_with(blob(seed, size=33.3), star(seed + 4, 20.1, 11.7), side=side, entry=Entry.PLUNGE)
        run = plan_board(job, board, {}).run
        rising = np.flatnonzero((run.kind[1:] == Move.RAPID) & (run.xyz[:-1, 2] < 0)) + 1
        assert len(rising)
        assert np.array_equal(run.xyz[rising, :2], run.xyz[rising - 1, :2])

    def test_the_spindle_turns_whenever_the_bit_is_below_the_top(self, clock_job):
        for name in (name for name in NAMES if controller(name).spindle is Spindle.SPEED):
            for file in files_of(clock_job, name=name)[0]:
                read = read_gcode(file.text)
                low = np.nan_to_num(read.xyz[:, 2], nan=1) < 0
                assert (read.spindle_rpm[low] > 0).all()

    def test_one_bit_per_file_without_bit_changes_and_names_in_running_order(self, clock_job):
        files, plan, _ = files_of(clock_job, name="streaming")
        assert [len(file.bits) for file in files] == [1, 1, 1]
        assert [file.bits[0].letter for file in files] == ["B", "C", "A"]
        assert all("M6" not in file.text for file in files)
        assert [f"-{k}-" in file.name for k, file in enumerate(files, 1)] == [True] * 3
        assert [b.cut for file in files for b in file.blocks] == [b.cut for b in plan.run.blocks]
        whole = files_of(clock_job)[0]
        assert len(whole) == 1
        assert whole[0].text.count("M6") == 3

    def test_lines_know_their_moves(self, clock_job):
        files, plan, _ = files_of(clock_job)
        lines = files[0].text.splitlines()
        assert len(lines) == len(files[0].rows)
        row = int(np.flatnonzero(plan.run.xyz[:, 2] < -18)[0])
        line = lines[int(np.flatnonzero(files[0].rows == row)[0])]
        assert f"Z{plan.run.xyz[row, 2]:.3f}".rstrip("0") in line

    def test_speeds_are_held_to_the_machine(self):
        job, _, cut = job_with(star())
        job = edits.change_cut(job, cut.id, "", run=Overrides(spindle_rpm=40000.0, feed=9000.0)).job
        job = replace(job, machine=Machine(max_rpm=10000.0, max_feed=2500.0))
        read = read_gcode(files_of(job)[0][0].text)
        assert read.spindle_rpm.max() == 10000
        assert read.feed.max() == 9000 * 10000 / 40000, "the feed goes down with the speed: the chip load stays"
        slow = edits.change_cut(job, cut.id, "", run=Overrides(spindle_rpm=10000.0, feed=9000.0)).job
        assert read_gcode(files_of(slow)[0][0].text).feed.max() == 2500

    def test_text_for_controls_is_plain(self):
        assert plain("Käse (A′) 50%") == "Kase A' 50 pct"
        assert plain("60° V, Löcher; ~½ in [x] {y} #1 $2!?") == "60 deg V, Locher, -1/2 in x y 1 2"
        assert plain("日本 é\n\tß") == "e ss"
        assert file_stem("Quay tide clock / Dial!") == "quay-tide-clock-dial"

    def test_an_unknown_controller_is_a_sentence(self):
        with pytest.raises(OutputError, match="rs274"):
            controller("none")

    def test_files_land_whole_or_a_sentence_says_why(self, clock_job, tmp_path):
        files, _, _ = files_of(clock_job, name="streaming")
        paths = write_files(files, tmp_path / "out")
        assert [p.read_text() for p in paths] == [f.text for f in files]
        blocked = tmp_path / "file"
        blocked.write_text("x")
        with pytest.raises(OutputError, match="could not be written"):
            write_files(files, blocked)


class TestReader:
    @pytest.mark.parametrize(
        ("text", "code"),
        [
            ("G21 G90\nG0 X1 U3", "gcode-word"),
            ("G21\nG33 X1", "gcode-code"),
            ("G0 X1", "gcode-unit"),
            ("G21\nX5", "gcode-motion"),
            ("G21\nG1 X5", "gcode-feed"),
            ("G21 G0 X0 Y0 Z0\nG2 X10 Y0 I3 J0 F100", "gcode-arc"),
            ("G21\nG0 X1 hello", "gcode-word"),
            ("G21 (Gr\u00fc\u00dfe)", "gcode-ascii"),
            ("G21\nM99", "gcode-call"),
        ],
    )
    def test_what_is_not_understood_is_told_with_its_line(self, text, code):
        findings = read_gcode(text).findings
        assert code in {f.code for f in findings}
        assert all(f.place.startswith("line ") for f in findings)

    def test_units_distance_modes_and_modal_words(self):
        read = read_gcode("G20 G90\nG0 X1 Y0 Z1\nG91\nG1 X1 F10\nY2\nG90 X0\nM2\nG0 X99")
        assert read.xyz[:, 0] == pytest.approx(np.array([1, 2, 2, 0]) * 25.4)
        assert read.xyz[:, 1] == pytest.approx(np.array([0, 0, 2, 2]) * 25.4)
        assert read.feed[-1] == 254
        assert read.has_end

    @given(st.text(max_size=200))
    def test_any_text_is_read_without_failing(self, text):
        read = read_gcode(text)
        assert len(read.xyz) == len(read.line)


class TestTimes:
    def test_a_long_move_takes_its_way_over_feed_and_two_half_ramps(self):
        times = trapezoid_times(np.array([100.0]), np.array([50.0]), np.array([200.0]), np.zeros(1))
        assert times[0] == pytest.approx(100 / 50 + 50 / 200)

    def test_a_short_move_never_reaches_its_feed(self):
        times = trapezoid_times(np.array([1.0]), np.array([50.0]), np.array([200.0]), np.zeros(1))
        assert times[0] == pytest.approx(2 * (1.0 / 200) ** 0.5)

    def test_a_line_in_pieces_takes_as_long_as_in_one(self):
        joint = np.concatenate(([0.0], np.full(49, 1e9)))
        whole = trapezoid_times(np.array([100.0]), np.array([50.0]), np.array([200.0]), np.zeros(1)).sum()
        parts = trapezoid_times(np.full(50, 2.0), np.full(50, 50.0), np.full(50, 200.0), joint).sum()
        assert parts == pytest.approx(whole, rel=1e-9)

    @given(st.integers(1, 30), st.integers(0, 10_000))
    def test_times_are_never_shorter_than_the_feed_allows(self, count, seed):
        rng = np.random.default_rng(seed)
        length, cruise = rng.uniform(0, 20, count), rng.uniform(1, 60, count)
        times = trapezoid_times(length, cruise, rng.uniform(50, 500, count), rng.uniform(0, 60, count))
        assert (times >= length / cruise - 1e-9).all()
        assert np.isfinite(times).all()

    def test_corners_cost_time_and_bit_changes_are_counted(self, clock_job):
        plan = plan_board(clock_job, clock_job.boards[0], {})
        way = move_lengths(plan.run.xyz, plan.run.kind, plan.run.centre)
        cutting = plan.run.kind != Move.RAPID
        bare = (way[cutting] / plan.run.feed[cutting]).sum() * 60
        assert plan.times.total > bare + 2 * clock_job.machine.bit_change_s
        assert plan.times.pauses.sum() == pytest.approx(2 * 90 + 3 * 4)
        slow = time_run(plan.run, replace(clock_job.machine, acceleration=50.0, acceleration_z=20.0))
        assert slow.total > plan.times.total * 1.05
        assert (np.diff(plan.times.ends) >= 0).all()

    @pytest.mark.parametrize(("seconds", "words"), [(31, "0:31"), (860, "14:20"), (7390, "2:03:10"), (0.4, "0:00")])
    def test_times_are_said_as_a_clock_says_them(self, seconds, words):
        assert clock(seconds) == words


def test_inside_and_outside_fit_into_each_other():
    """A plug cut outside a star and a pocket edge cut inside it differ by nothing but the slot: areas from files."""
    part = star(6, 30, 20)
    edges = []
    for side in (Side.OUTSIDE, Side.INSIDE):
        job, _, _ = job_with(part, side=side, tabs=Tabs(count=0))
        read = read_gcode(files_of(job)[0][0].text)
        xyz, _ = straightened(read.xyz[2:], read.kind[2:].copy(), read.centre[2:], chord_tolerance_mm=0.001)
        ring = shapely.Polygon(xyz[xyz[:, 2] < -18.1][:, :2]).buffer(0)
        edges.append(ring.buffer(-3.0, quad_segs=60) if side is Side.OUTSIDE else ring.buffer(3.0, quad_segs=60))
    plug, opening = edges
    assert plug.area == pytest.approx(part.area(), abs=part.length() * 0.01)
    assert opening.difference(plug).area < part.length() * 0.012
