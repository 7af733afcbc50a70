"""The stand-in moves as a machine does: against formulas of uniform acceleration, and against plans it is sent."""

from __future__ import annotations

from math import pi, sqrt

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.machine.protocol import read_report
from archimetra.machine.standin.controller import Build, StandIn
from archimetra.machine.standin.motion import Limits, Motion
from machine_run import path_of, ready, run

A, V = 400.0, 30.0
LIMITS = Limits(rapid=(100.0, 100.0, 100.0), acceleration=(A, A, A), max_feed=100.0, deviation=0.02, blocks=64)


def went(motion, step=0.003, most=400.0):
    while not motion.is_done and motion.now < most:
        motion.advance(step)
    return motion.log[-1][0]


class TestMotion:
    @settings(max_examples=30)
    @given(st.floats(0.01, 300), st.floats(1, 90), st.floats(0.002, 0.05))
    def test_one_way_takes_as_long_as_the_formula_says_however_time_is_cut(self, length, speed, step):
        motion = Motion(LIMITS)
        motion.add((length, 0.0, 0.0), speed, is_rapid=False)
        peak = min(speed, sqrt(A * length))
        wanted = 2 * peak / A + (length - peak * peak / A) / peak
        assert went(motion, step) == pytest.approx(wanted, rel=1e-3, abs=1e-4)
        assert motion.position == (length, 0.0, 0.0)

    def test_a_straight_way_in_pieces_takes_no_longer_than_in_one(self):
        one, many = Motion(LIMITS), Motion(LIMITS)
        one.add((60.0, 30.0, 0.0), V, is_rapid=False)
        for k in range(1, 31):
            many.add((2.0 * k, 1.0 * k, 0.0), V, is_rapid=False)
        assert went(many) == pytest.approx(went(one), rel=1e-3)

    def test_a_corner_is_taken_at_the_speed_of_the_circle_that_leaves_it_by_the_deviation(self):
        motion = Motion(LIMITS)
        motion.add((50.0, 0.0, 0.0), 90.0, is_rapid=False)
        motion.add((50.0, 50.0, 0.0), 90.0, is_rapid=False)
        half = sqrt(0.5)
        assert motion.queue[1].entry == pytest.approx(sqrt(A * 0.02 * half / (1 - half)))

    def test_it_never_speeds_up_or_brakes_harder_than_it_can_and_stands_at_the_end_of_its_buffer(self):
        rng = np.random.default_rng(3)
        motion = Motion(LIMITS)
        places = np.cumsum(rng.normal(0, 2.0, (60, 3)), axis=0)
        for place in places:
            motion.add(tuple(place.tolist()), 60.0, is_rapid=False)
        speeds = [0.0]
        while not motion.is_done:
            motion.advance(0.0005)
            speeds.append(motion.speed)
        most = np.abs(np.diff(speeds)).max() / 0.0005
        assert most <= A * 1.05 * sqrt(2)  # an axis each; along a way that leans both count
        assert motion.speed == 0.0
        assert motion.position == pytest.approx(tuple(places[-1]))

    @given(st.floats(0.05, 1.5), st.floats(0.05, 1.0))
    def test_held_anywhere_it_brakes_on_its_way_and_goes_on_to_the_same_places(self, when, how_long):
        def moved(holds):
            motion = Motion(LIMITS)
            for end in ((40.0, 0.0, 0.0), (40.0, 20.0, 0.0), (0.0, 20.0, -5.0)):
                motion.add(end, V, is_rapid=False)
            if holds:
                motion.advance(when)
                motion.hold()
                motion.advance(how_long)
                if motion.is_still:
                    still = motion.position
                    motion.advance(1.0)
                    assert motion.position == still
                motion.resume()
            went(motion)
            return motion

        plain, held = moved(False), moved(True)
        ways = shapely.LineString([(0, 0, 0), *[row[1:4] for row in plain.log]])
        for row in held.log:
            assert shapely.distance(ways, shapely.Point(row[1], row[2])) < 1e-6
        assert held.position == plain.position
        assert held.log[-1][0] >= plain.log[-1][0] - 1e-6


class TestAnswers:
    def send(self, machine, text, seconds=0.0):
        machine.receive(text if isinstance(text, bytes) else text.encode())
        for _ in range(int(seconds / 0.005) + 1):
            machine.advance(0.005)
        return machine.take_said().decode().split()

    def test_it_is_locked_until_it_is_homed_or_unlocked(self):
        machine = StandIn()
        assert self.send(machine, "G0 X1\n") == ["error:9"]
        assert self.send(machine, "$H\n", 1.0) == []
        assert self.send(machine, "", 1.0) == ["ok"]
        assert machine.motion.position == (0.0, 0.0, 0.0)
        assert self.send(machine, "G0 X1\n", 1.0) == ["ok"]
        assert self.send(StandIn(), "$X\n") == ["ok"]

    @pytest.mark.parametrize(
        ("line", "answer"),
        [("G1 X5", "error:22"), ("G77", "error:20"), ("X1Y", "error:2"), ("$Q", "error:3"), ("$J=X1", "error:22"), ("$J=G91 X9999 F100", "error:15"),
         ("G2 X5 Y5 I9 J0 F100", "error:33"), ("(said)", "ok"), ("%", "ok"), ("", "ok"), ("\xff", "error:20")],
    )  # fmt: skip
    def test_lines_it_cannot_take_are_answered_by_a_number(self, line, answer):
        machine = ready()
        assert self.send(
            machine, line.encode("latin-1").replace(b"\xff", b"\x7f\xc3"[:1]) + b"\n" if line != "\xff" else b"G1\x7f\n"
        )[-1:] in ([answer], ["error:2"])

    def test_a_move_beyond_its_travel_is_an_alarm_and_nothing_moves(self):
        machine = ready()
        assert self.send(machine, "G0 X-101\n", 1.0) == ["ALARM:2"]
        assert machine.motion.position == (100.0, 100.0, -50.0)
        assert self.send(machine, "G0 X1\n") == ["error:9"]

    def test_reset_while_it_moves_loses_the_position_and_while_it_stands_does_not(self):
        machine = ready()
        self.send(machine, "G0 X100\n", 0.3)
        assert "ALARM:3" in self.send(machine, b"\x18")
        machine = ready()
        assert "ALARM:3" not in self.send(machine, b"\x18")
        assert self.send(machine, "G0 X1\n", 0.5) == ["ok"]

    def test_a_jog_is_broken_off_where_it_is_and_leaves_nothing_behind(self):
        machine = ready()
        self.send(machine, "$J=G91 X100 F3000\n", 0.5)
        assert machine.doing == "Jog"
        self.send(machine, b"\x85", 0.5)
        assert machine.doing == "Idle"
        x = machine.motion.position[0]
        assert 100.0 < x < 200.0
        self.send(machine, "", 1.0)
        assert machine.motion.position[0] == x
        assert self.send(machine, "$J=G91 X-5 F3000\n", 1.0) == ["ok"]
        assert machine.motion.position[0] == pytest.approx(x - 5.0)

    def test_z_is_found_on_the_plate(self):
        machine = ready(Build(needs_home=False, plate=-62.5))
        said = self.send(machine, "G38.2 Z-30 F200\n", 6.0)
        assert said == ["[PRB:100.000,100.000,-62.500:1]", "ok"]
        self.send(machine, "G10 L20 P1 Z19.05\n")
        assert machine.zero == pytest.approx((100.0, 100.0, -62.5 - 19.05))
        nothing = ready(Build(needs_home=False, plate=None))
        assert self.send(nothing, "G38.2 Z-30 F2000\n", 3.0) == ["ALARM:5"]

    def test_reports_say_where_it_is_at_once_even_in_the_middle_of_a_line(self):
        machine = ready()
        machine.receive(b"G0 X1?0\n")
        report = read_report(machine.take_said().decode().strip())
        assert report.machine == (100.0, 100.0, -50.0)
        assert report.doing == "Idle"
        assert report.room[1] == machine.build.receives - len("G0 X1")
        machine.advance(2.0)
        assert machine.motion.position[0] == pytest.approx(110.0)

    def test_an_arc_stays_on_its_circle(self):
        machine = ready()
        run(["G21 G90", "G1 F2000 X20", "G3 X0 Y20 I-20 J0", "G2 X0 Y20 I0 J10", "M2"], machine)
        path = path_of(machine)
        there = int(np.flatnonzero(np.hypot(path[:, 0], path[:, 1] - 20.0) < 1e-6)[0])
        on = path[1 : there + 1]
        assert len(on) > 10
        assert np.abs(np.hypot(on[:, 0], on[:, 1]) - 20.0).max() < 0.003
        circle = path[there + 1 :]
        assert np.abs(np.hypot(circle[:, 0], circle[:, 1] - 30.0) - 10.0).max() < 0.003
        assert shapely.Polygon(circle[:, :2]).area == pytest.approx(pi * 100, rel=0.01)

    def test_the_bit_is_changed_while_it_stands_and_it_waits(self):
        machine = ready()
        held = []

        def change(now, stream, machine):
            if machine.doing == "Hold":
                held.append(machine.motion.position)
                if len(held) > 50:
                    stream.resume()

        stream = run(["G0 X10", "T2 M6", "G0 X20", "M2"], machine, each=change)
        assert stream.state == "done"
        assert set(held) == {(110.0, 100.0, -50.0)}
        assert machine.motion.position[0] == pytest.approx(120.0)


@settings(max_examples=15)
@given(st.binary(max_size=400))
def test_whatever_bytes_come_it_stands_and_answers(data):
    machine = ready()
    machine.receive(data.replace(b"\x18", b""))
    for _ in range(400):
        machine.advance(0.02)
    machine.take_said()
    machine.receive(b"?")
    assert machine.take_said().startswith(b"<")
