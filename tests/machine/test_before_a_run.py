"""What is worked out before a program is sent: its way and extent, where a person is waited for, the list, how a board lies askew, what is put down."""

from __future__ import annotations

import re
from math import atan2, cos, degrees, radians, sin
from typing import ClassVar

import msgspec
import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from archimetra.edits.shop import HomeAt, Router, Shop, time_router
from archimetra.engine.writing import files_of
from archimetra.job.lying import only_setup
from archimetra.job.sheet import Fixture, FixtureKind, Machine
from archimetra.machine import runs
from archimetra.machine.askew import AskewError, turn_of, turned
from archimetra.machine.checklist import checks_of
from archimetra.machine.control_settings import concerns, differing, taken
from archimetra.machine.course import around, beyond, course_of, from_zero, not_taken, parts_of, to_place
from archimetra.machine.going_on import remainder, starts_in_parts
from archimetra.machine.progress import LineTimes, time_left
from archimetra.output.controllers import controller, controllers
from archimetra.output.gcode_reader import read_gcode
from archimetra.toolpath.shared.moves import Move, straightened
from link_run import Pair
from machine_run import ready
from sample_plans import plan_of, sample

TWO_BITS = "G21 G90\nG0 Z20\nT3 M6\nM3 S900\nG0 X10 Y10\nG1 Z-1 F300\nX40\nG0 Z20\nM5\nT1 M6\nM3 S900\nG0 X5 Y50\nG1 Z-2\nY60\nG0 Z20\nM0\nG0 X0\nM2\n"


def files(name: str = "Dial face", profile: str = "rs274"):
    job = sample()
    board, plan = plan_of(name)
    return job, board, plan, files_of(job, board, plan.run, plan.setups, controller(profile))


class TestCourse:
    def test_the_way_of_a_file_is_that_of_the_run(self):
        _, _, plan, (file,) = files()
        course = course_of(file.text, (0.0, 0.0, 50.0))
        run = plan.run
        way, _ = straightened(run.xyz, run.kind, run.centre, chord_tolerance_mm=0.005)
        run = shapely.LineString(way[:, :2])
        cut = course.way[course.way[:, 2] < 0]
        assert np.isfinite(course.way).all()
        assert shapely.distance(run, shapely.points(cut[::7, :2])).max() < 0.03
        assert course.low[2] == pytest.approx(plan.run.xyz[:, 2].min(), abs=1e-3)
        assert course.high[0] == pytest.approx(max(p[0] for p in course.way), abs=1e-6)
        assert (np.diff(course.of_lines) >= 0).all()

    def test_an_arc_reaches_as_far_as_it_bulges(self):
        course = course_of("G21 G90\nG0 X0 Y0 Z1\nG2 X20 Y0 I10 J0 F500\n")
        assert course.high[1] == pytest.approx(10.0, abs=0.03)
        assert course.cut_high[1] == pytest.approx(10.0, abs=0.03)

    def test_what_is_not_named_begins_where_the_machine_is(self):
        course = course_of("G1 X5 F100\nG2 X15 Y7 I5 J0\n", (1.0, 7.0, 3.0))
        assert course.way[0] == pytest.approx((5.0, 7.0, 3.0))
        assert np.hypot(course.way[1:, 0] - 10, course.way[1:, 1] - 7) == pytest.approx(5.0)
        assert course.of_lines[0] == 0

    @given(st.tuples(*[st.floats(-300, 300)] * 3))
    def test_what_leads_beyond_the_travel_is_told_by_how_much_on_which_side(self, zero):
        course = course_of(to_place(10.0, 20.0, height=5.0), (0.0, 0.0, 0.0))
        told = beyond(course, zero, (0.0, 0.0, -90.0), (610.0, 610.0, 0.0))
        place = np.array((10.0, 20.0, 5.0)) + zero
        start = np.array((0.0, 0.0, 5.0)) + zero  # up first
        low, high = np.minimum(place, start), np.maximum(place, start)
        out = np.concatenate((np.array((0, 0, -90.0)) - low, high - np.array((610, 610, 0.0)))).max()
        assert bool(told) == (out > 1e-3)
        if out > 0.1:
            assert f"{out:.1f} mm" in told

    def test_it_leads_around_what_is_cut_in_air(self):
        text = around((1.0, 2.0, -3.0), (30.0, 40.0, 1.0), height=15.0, feed=900.0)
        read = read_gcode(text)
        ring = shapely.Polygon(read.xyz[-5:, :2])
        assert ring.equals(shapely.box(1, 2, 30, 40))
        assert (read.xyz[:, 2][np.isfinite(read.xyz[:, 2])] == 15.0).all()
        assert not read.findings

    def test_what_a_control_of_another_kind_takes_is_told_before_anything_moves(self):
        assert not_taken("%\nG21 G90 (a comment G64)\nG1 X1 F1 ; G43\nM30\n%\n") == ""
        for line, what in (
            ("G64 P0.01", "G64"),
            ("G43 H1", "G43"),
            ("G81 X1 R1", "G81"),
            ("G1 A30", "A30"),
            ("#100=2", "#"),
            ("O200", "O200"),
            ("M98 P1", "M98"),
            ("hello", "HELLO"),
        ):
            told = not_taken(f"G21\n{line}\n")
            assert told.startswith(f"Line 2 says {what}"), told

    @given(
        st.lists(
            st.sampled_from(
                [
                    "G1 X1 Y2",
                    "X-1.5",
                    "g0 x1",
                    "G64",
                    "(G64)",
                    "G1X1Y2F3",
                    "G01 Z-2",
                    "G43 H1",
                    "",
                    "; G81",
                    "N5 G0 X1",
                    "G2 X1 I2 J3",
                    "G38.2 Z-1 F9",
                    "G55",
                    "G41",
                ]
            ),
            max_size=10,
        ),
        st.sampled_from(["\n", "\r\n"]),
    )
    def test_the_line_that_is_named_is_the_first_of_them(self, lines, end):
        told = not_taken(end.join(lines) + end)
        wrong = [k + 1 for k, line in enumerate(lines) if line in ("G64", "G43 H1", "G41", "G38.2 Z-1 F9", "G55")]
        assert told.startswith(f"Line {wrong[0]} ") if wrong else told == ""

    @pytest.mark.parametrize("name", ["streaming", "streaming-lines", "rs274", "iso"])
    def test_files_for_such_controls_are_taken(self, name):
        if name not in controllers():
            pytest.skip("no such controller is shipped")
        for file in files(profile=name)[3]:
            assert not_taken(file.text) == ""


class TestParts:
    def test_it_is_parted_where_a_person_is_waited_for(self):
        first, second, third = parts_of(TWO_BITS)
        assert (first.bit, first.words, first.skipped) == (3, "", 2)
        assert first.lines_of(TWO_BITS)[2] == ""
        assert (second.bit, second.words) == (1, "Change the bit: T1 comes in.")
        assert third.words == "It waits for you."

    @given(
        st.lists(
            st.sampled_from(["G0 X1", "M0", "M6 T2", "M1", "(M6)", "G1 X2 F3", "M60", "M06", "; M0"]),
            min_size=1,
            max_size=12,
        )
    )
    def test_each_line_is_in_one_part_or_is_the_pause_itself(self, lines):
        text = "\n".join(lines) + "\n"
        parts = parts_of(text)
        own = [k for part in parts for k in range(part.first, part.last) if k != part.skipped]
        pauses = [k for k, line in enumerate(lines) if line in ("M0", "M6 T2", "M1", "M06")]
        assert sorted(own + pauses) == list(range(len(lines)))
        for part in parts:  # none of them is sent
            assert not any(line in ("M0", "M6 T2", "M1", "M06") for line in part.lines_of(text)[part.first :])


class TestGoingOnInParts:
    @pytest.mark.parametrize(
        ("first", "done", "lines"),
        [(0, 4, []), (0, 5, [5]), (0, 7, [5]), (0, 30, [5]), (10, 3, [10]), (10, 11, [10]), (10, 12, [12]), (10, 15, [12]), (16, 17, [16]), (5, 5, [])],
    )  # fmt: skip
    def test_only_places_of_the_part_that_was_under_way_are_offered(self, first, done, lines):
        """Another bit is in before and after it, however little of it is done."""
        starts = starts_in_parts(TWO_BITS, top=0.0, done=done, first=first)
        assert [one.line for one in starts] == lines

    def test_between_two_parts_it_goes_on_with_the_next_from_above(self):
        parts = parts_of(TWO_BITS)
        (start,) = starts_in_parts(TWO_BITS, top=0.0, done=9, first=0, next_line=parts[1].first)
        assert start.line == parts[1].first
        assert start.at == (40.0, 10.0, 20.0)
        rest = remainder("\n".join(parts[1].lines_of(TWO_BITS)) + "\n", start, park=30.0)
        read = read_gcode(rest)
        assert read.xyz[0, 2] == 30.0
        assert "M6" not in rest
        np.testing.assert_allclose(read.xyz[-1], (5.0, 60.0, 20.0))


class TestAskew:
    @given(st.floats(-29, 29), st.floats(-500, 500), st.floats(-500, 500), st.floats(41, 600))
    def test_two_points_say_by_how_much(self, turn, x, y, length):
        should = ((0.0, 0.0), (length, 0.0))
        a = radians(turn)
        found = ((x, y), (x + length * cos(a), y + length * sin(a)))
        assert turn_of(should, found) == pytest.approx(turn, abs=1e-6)

    @pytest.mark.parametrize(
        ("found", "words"), [(((0, 0), (10, 0)), "only 10.0 mm apart"), (((0, 0), (310, 0)), "another place"), (((300, 0), (0, 0)), "degrees askew"), (((0, 0), (0, 300)), "90.0")]
    )  # fmt: skip
    def test_points_that_cannot_be_are_told(self, found, words):
        with pytest.raises(AskewError, match=re.escape(words)):
            turn_of(((0.0, 0.0), (300.0, 0.0)), found)

    def test_a_right_angle_the_wrong_way_about_is_not_taken_for_a_turn(self):
        with pytest.raises(AskewError):
            turn_of(((0.0, 0.0), (100.0, 0.0)), ((0.0, 0.0), (0.0, 100.0)))

    @pytest.mark.parametrize("profile", ["rs274", "rs274-inch", "iso", "streaming-lines"])
    @settings(max_examples=4)
    @given(turn=st.floats(-25, 25))
    def test_a_file_of_the_sample_is_turned_about_zero_and_nothing_else_changes(self, profile, turn):
        if profile not in controllers():
            return
        for file in files("Star plug", profile)[3]:
            before, after = read_gcode(file.text), read_gcode(turned(file.text, turn))
            assert len(before.xyz) == len(after.xyz)
            known = np.isfinite(before.xyz[:, :2]).all(axis=1)
            points = affinity.rotate(shapely.MultiPoint(before.xyz[known, :2]), turn, origin=(0, 0))
            flat = np.array([(p.x, p.y) for p in points.geoms])
            assert np.abs(flat - after.xyz[known, :2]).max() < 0.0015
            np.testing.assert_array_equal(before.kind, after.kind)
            np.testing.assert_allclose(before.feed, after.feed)
            np.testing.assert_allclose(before.xyz[:, 2], after.xyz[:, 2])
            assert [f.code for f in after.findings] == [f.code for f in before.findings]
            arcs = before.kind >= Move.ARC_CW
            if arcs.any():
                for k in np.flatnonzero(arcs)[:50]:
                    sweep = [degrees(atan2(*(r.xyz[k, 1::-1] - r.centre[k, ::-1]))) for r in (before, after)]
                    assert (sweep[1] - sweep[0] - turn + 180) % 360 - 180 == pytest.approx(0.0, abs=0.6)

    def test_comments_and_the_rest_of_a_line_stay(self):
        out = turned("G21 G90\nG0 X0 Y0 (X1 stays)\nN12 G1 X10 Z-2 Y0 F300 ; to X10\nG1X0F200\n", 90.0).splitlines()
        assert out[1].endswith("(X1 stays)")
        assert out[2].startswith("N12 G1 X0.0000 Y10.0000")
        assert out[2].endswith("Z-2 F300 ; to X10")
        assert read_gcode("\n".join(out)).xyz[-1] == pytest.approx((0.0, 0.0, -2.0), abs=1e-4)

    @pytest.mark.parametrize("line", ["G91", "G18", "G53 G0 X0", "G28", "G92 X0", "G90.1", "G10 L20 P1 X0"])
    def test_what_cannot_be_turned_is_told(self, line):
        with pytest.raises(AskewError, match="Line 2"):
            turned(f"G21 G90\n{line}\nG1 X1 Y1 F5\n", 2.0)
        with pytest.raises(AskewError, match="alone"):
            turned("G0 X5\n", 2.0)


class TestChecklist:
    def checks(self, **fields):
        job, board, plan, (file, *_) = files()
        board = msgspec.structs.replace(board, **fields)
        profile = controller(job.controller)
        return checks_of(job, board, plan.setups[0], file.bits[0], profile, rpm=18000.0, is_new_bit=False), job

    def test_it_names_what_lies_there(self):
        checks, _ = self.checks(fixtures=(Fixture(x=10, y=10, rise=12.5), Fixture(kind=FixtureKind.PIN, x=30, y=30)))
        words = " | ".join(check.words for check in checks)
        assert "Ash 320 x 320 x 18.3 mm" in words
        assert "1 clamp or screw where the plan shows it, at most 12.5 mm" in words
        assert "Bit C is in" in words
        assert "X Y zero: front left" in words

    def test_a_feed_that_was_left_otherwise_is_looked_at(self):
        job, board, plan, (file, *_) = files()
        for percent, words in ((100, ""), (150, "The feed is left at 150 %"), (40, "The feed is left at 40 %")):
            checks = checks_of(
                job, board, plan.setups[0], file.bits[0], None, rpm=0.0, is_new_bit=False, feed_percent=percent
            )
            told = [check.words for check in checks if "feed" in check.words]
            assert [one.startswith(words) for one in told] == ([True] if words else [])

    def test_a_tick_does_not_outlive_what_it_was_about(self):
        before, _ = self.checks()
        after, _ = self.checks(fixtures=(Fixture(x=10, y=10, rise=30.0),))
        assert len({check.id for check in after} - {check.id for check in before}) == 1

    def test_every_id_is_its_own(self):
        checks, _ = self.checks(fixtures=(Fixture(x=10, y=10),))
        assert len({check.id for check in checks}) == len(checks)

    def test_a_spindle_switched_by_hand_is_on_the_list(self):
        job, board, _plan, (file, *_) = files("Dial face", "iso")
        checks = checks_of(
            job, board, only_setup(board, job.machine), file.bits[0], controller("iso"), rpm=18000.0, is_new_bit=True
        )
        assert any("Spindle on by hand, 18,000" in check.words for check in checks)
        assert any("found again" in check.words for check in checks)


class TestProgress:
    def test_lines_stand_where_their_rows_do(self):
        _, _, plan, split = files(profile="streaming")
        begin = 0.0
        for file in split:
            times = LineTimes.of_rows(file.rows, plan.times.ends, file.blocks[-1].last)
            assert times.begin == pytest.approx(begin, abs=1e-6)
            line = int(np.flatnonzero(file.rows >= 0)[len(file.rows) // 3])
            assert times.at(line, 1.0) == plan.times.ends[file.rows[line]]
            assert times.at(-1, 0.0) == times.begin
            assert times.at(10**9, 1.0) == times.end
            begin = times.end

    @given(st.floats(1, 4000), st.floats(0, 4000), st.floats(0.3, 3.0))
    def test_time_left_comes_to_what_the_run_shows(self, rest, done, pace):
        assert time_left(rest, done, done * pace, ()) == pytest.approx(rest * (done * pace + 30) / (done + 30))
        assert time_left(rest, 0.0, 0.0, [(100.0, 100.0 * pace)]) == pytest.approx(rest * pace)

    def test_runs_of_a_machine_say_how_long_it_takes(self):
        shop = Shop()
        name = shop.router.machine.name
        for k in range(40):
            shop = time_router(shop, name, 100.0, 112.0 + (k % 2) * 2 - 1)
        assert runs.pace_of(shop.router.timed) == pytest.approx(1.12, abs=0.002)
        assert len(shop.router.timed) == 30
        assert time_router(shop, "another", 1.0, 1.0) == shop
        assert not runs.counts("done", 100.0, was_slowed=True)
        assert not runs.counts("stopped", 100.0, was_slowed=False)


@pytest.mark.parametrize(("home", "low", "high"), [(HomeAt.FRONT_LEFT, (0, 0), (600, 400)), (HomeAt.BACK_RIGHT, (-600, -400), (0, 0)),
                                                   (HomeAt.FRONT_RIGHT, (-600, 0), (0, 400)), (HomeAt.BACK_LEFT, (0, -400), (600, 0))])  # fmt: skip
def test_the_travel_lies_from_home_on(home, low, high):
    router = Router(machine=Machine(travel_x=600, travel_y=400, travel_z=80), home=home)
    assert router.reach() == ((*low, -80), (*high, 0))


class TestOnTheDisk:
    def put(self, folder, **fields):
        about = runs.About(
            **{"job": "a", "board": "b", "board_id": "c", "file": "d.nc", "machine": "m", "digest": "e", "began": runs.now_words(), "expected_s": 5.0,
               "lines": 3, "zero": (1.0, 2.0, 3.0)} | fields
        )  # fmt: skip
        text = "G21\nG0 X1 Y2 Z3\nM2\n"
        return runs.put_down(text, course_of(text, (0.0, 0.0, 0.0)), about, folder=folder), about

    def test_what_was_put_down_is_read_back(self, tmp_path):
        path, about = self.put(tmp_path)
        lines, way, of_lines = runs.read_program(path)
        assert runs.read_about(path) == about
        assert lines == ["G21", "G0 X1 Y2 Z3", "M2"]
        assert way.tolist() == [[1.0, 2.0, 3.0]]
        assert of_lines.tolist() == [1]

    def test_two_in_one_second_do_not_meet(self, tmp_path):
        assert self.put(tmp_path)[0] != self.put(tmp_path)[0]

    @settings(max_examples=30)
    @given(st.integers(0, 400))
    def test_a_journal_that_a_power_cut_broke_off_tells_its_last_whole_line(self, tmp_path_factory, at):
        path, _ = self.put(tmp_path_factory.mktemp("runs"))
        journal = runs.Journal(path)
        written = [runs.Progress(at_s=float(k), state="running", taken=k, done=max(k - 1, 0)) for k in range(1, 7)]
        ends = []
        for one in written:
            journal.note(one)
            ends.append((path / runs.JOURNAL).stat().st_size)
        journal.close()
        data = (path / runs.JOURNAL).read_bytes()[:at]
        (path / runs.JOURNAL).write_bytes(data)
        whole = [one for one, end in zip(written, ends, strict=True) if end - 1 <= at]
        assert runs.last_of(path) == (whole[-1] if whole else None)

    def test_only_runs_that_cut_and_did_not_end_are_broken(self, tmp_path):
        for state, is_air, count in (
            ("done", False, 3),
            ("stopped", False, 2),
            ("running", True, 2),
            ("running", False, 0),
            ("link lost", False, 1),
        ):
            path, _ = self.put(tmp_path, is_air=is_air, file=state)
            journal = runs.Journal(path)
            journal.note(runs.Progress(at_s=1.0, state=state, taken=count, done=0))
            journal.close()
        (tmp_path / "20260101-000000-1-1").mkdir()
        (tmp_path / "20260101-000000-1-1" / runs.JOURNAL).write_text("[]\n{}\nnonsense")
        assert sorted(one.about.file for one in runs.broken_runs(tmp_path)) == ["link lost", "stopped"]

    def test_only_folders_of_runs_are_taken_away(self, tmp_path):
        path, _ = self.put(tmp_path)
        other = tmp_path / "precious"
        other.mkdir()
        (other / runs.ABOUT).write_text("{}")
        runs.drop(other)
        runs.drop(path)
        assert other.exists()
        assert not path.exists()

    def test_records_are_read_past_lines_that_are_none(self, tmp_path):
        path = tmp_path / "x.runs.jsonl"
        record = runs.Record(
            began="a",
            ended="b",
            machine="m",
            board="b",
            file="f",
            state="done",
            seconds=2.0,
            expected_s=1.0,
            taken=3,
            lines=3,
        )
        runs.keep_record(path, record)
        path.write_bytes(path.read_bytes() + b"{broken\n")
        runs.keep_record(path, record)
        assert runs.records_of(path) == [record, record]


BY_MACHINE = "{unit}\nG90\nG53 G0 Z{top}\nG0 X{a} Y{b}\nG0 Z{up}\nG1 Z{down} F{feed}\nG1 X{c}\nG53 G0 Z{top}\nG53 G0 X{home} Y{home}\nG0 X{a}\nM30\n"


class TestByMachineCoordinates:
    @given(st.tuples(st.floats(60, 400), st.floats(60, 400), st.floats(-70, -45)), st.booleans())
    def test_what_is_foretold_is_where_the_machine_goes(self, zero, is_inch):
        zero = tuple(round(v, 3) for v in zero)
        per = 25.4 if is_inch else 1.0
        numbers = {
            k: round(v / per, 4)
            for k, v in {"top": -1.0, "a": 10, "b": 20, "up": 5, "down": -3, "feed": 900, "c": 70, "home": 2}.items()
        }
        text = BY_MACHINE.format(unit="G20" if is_inch else "G21", **numbers)
        assert not_taken(text) == ""
        pair = Pair(ready(zero=zero))
        pair.open()
        at = tuple(np.array(pair.own.motion.position) - zero)
        course = course_of(from_zero(text, zero), at)
        before = len(pair.own.motion.log)
        pair.begin(text)
        pair.until(lambda: pair.end is not None)
        assert pair.end.state == "done", pair.end.words  # the reports were held against what was foretold
        gone = np.array([row[1:4] for row in pair.own.motion.log[before:]])
        steps = np.concatenate(([True], np.linalg.norm(np.diff(gone, axis=0), axis=1) > 1e-6))
        way = course.way + np.array(zero)
        own = np.concatenate(([True], np.linalg.norm(np.diff(way, axis=0), axis=1) > 1e-6))
        # the machine's own top is its top, whatever zero is
        assert gone[:, 2].max() == pytest.approx(-1.0, abs=0.003)
        np.testing.assert_allclose(gone[steps][-len(way[own]) :], way[own], atol=0.003)

    def test_a_bit_change_at_the_machines_top_goes_on_high_above_the_board(self):
        zero = (100.0, 100.0, -60.0)  # the bed: the wood is 18 mm high
        text = "G21\nG90\nG0 Z25\nG0 X10 Y10\nG1 Z15 F500\nX50\nG53 G0 Z0\nM6 T2\nG0 X80 Y80\nG0 Z25\nG1 Z12 F500\nX90\nG0 Z25\nM30\n"
        parts = parts_of(text)
        assert len(parts) == 2
        (one,) = starts_in_parts(from_zero(text, zero), top=18.0, done=6, first=0, next_line=parts[1].first)
        assert one.at == pytest.approx((50.0, 10.0, 60.0))
        # told by zero alone it would be the bed
        assert starts_in_parts(text, top=18.0, done=6, first=0, next_line=parts[1].first)[0].at[2] == 0.0
        later = starts_in_parts(from_zero(text, zero), top=18.0, done=11, first=parts[1].first)
        assert all(start.at[2] > 18.0 for start in later)

    @pytest.mark.parametrize(
        ("line", "what"),
        [("G28", "kept in the control"), ("G91 G28 Z0", "kept in the control"), ("G92 X0", "moves zero"), ("G10 L20 P1 X0", "moves zero"), ("G55", "another zero"),
         ("G59", "another zero"), ("G43.1 Z3", "length of a bit"), ("G18", "another plane"), ("G38.2 Z-5 F30", "probes")],
    )  # fmt: skip
    def test_what_cannot_be_followed_is_refused_before_anything_moves(self, line, what):
        told = not_taken(f"G21\nG54\nG0 X1\n{line}\nM30\n")
        assert told.startswith("Line 4 ")
        assert what in told

    def test_steps_and_machine_coordinates_do_not_go_together(self):
        assert not_taken("G21\nG53 G0 Z0\nG91\nG1 X1 F5\n").startswith("Line 2 goes by machine")
        assert not_taken("G21\nG91\nG1 X1 F5\nG53 G0 Z0\n").startswith("Line 4 goes by machine")
        assert not_taken("G21\nG91.1\nG53 G0 Z0\n") == ""

    def test_where_zero_is_not_known_its_lines_are_left_out(self):
        text = "G21\nG53 G0 Z0\n(G53)\nG0 X1\n"
        assert from_zero(text, None) == "G21\n\n(G53)\nG0 X1\n"
        assert from_zero("G0 X1\n", None) == "G0 X1\n"

    def test_a_way_up_by_machine_coordinates_is_no_other_on_a_board_that_lies_askew(self):
        assert turned("G21 G90\nG53 G0 Z0\nG1 X10 Y0 F5\n", 90.0).splitlines()[1] == "G53 G0 Z0"


class TestWhatAControlSaysOfItself:
    SETTINGS: ClassVar[dict[int, float]] = {
        130: 400.0, 131: 610.0, 132: 90.0, 110: 5000.0, 111: 3000.0, 112: 1500.0, 120: 400.0, 121: 400.0, 122: 200.0, 11: 0.02, 30: 12000.0,
    }  # fmt: skip

    def test_only_what_is_otherwise_is_told_and_the_slowest_axis_counts(self):
        told = {one.field: (one.own, one.known) for one in differing(self.SETTINGS, Machine())}
        assert told == {"travel_x": (400.0, 610.0), "rapid_xy": (3000.0, 5000.0), "max_rpm": (12000.0, 24000.0)}
        words = "; ".join(one.sentence for one in differing(self.SETTINGS, Machine()))
        assert (
            words
            == "400 mm of travel in X, not 610; rapids of 3000 mm/min, not 5000; a spindle of at most 12000 1/min, not 24000"
        )

    def test_its_figures_taken_leave_nothing_otherwise_and_no_feed_above_a_rapid(self):
        machine = taken(Machine(), differing(self.SETTINGS, Machine()))
        assert differing(self.SETTINGS, machine) == ()
        assert machine.max_feed == 3000.0
        assert (machine.travel_x, machine.travel_y) == (400.0, 610.0)

    @given(st.dictionaries(st.integers(0, 140), st.floats(-1e6, 1e6)))
    def test_whatever_numbers_come_the_machine_stays_one(self, settings):
        machine = taken(Machine(), differing(settings, Machine()))
        assert machine.travel_x > 0
        assert machine.min_rpm <= machine.max_rpm

    def test_a_spindle_that_is_only_switched_is_no_slow_one(self):
        assert differing({30: 1000.0}, Machine()) == ()

    def test_what_spoils_work_is_told(self):
        assert concerns(self.SETTINGS) == ()
        assert "laser" in concerns({32: 1.0})[0]
        assert "Homing is switched off" in concerns({22: 0.0, 32: 0.0})[0]
