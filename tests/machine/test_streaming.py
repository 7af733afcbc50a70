"""A program on its way to the machine: the same path in the same order, and whatever goes wrong on the way ends in a state with a name."""

from __future__ import annotations

import random

import numpy as np
import pytest
import shapely
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from archimetra.engine.planning import plan_board
from archimetra.engine.writing import files_of
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.sheet import Sheet
from archimetra.machine.protocol import RECEIVES, read_report
from archimetra.machine.standin.controller import Build
from archimetra.machine.standin.motion import Limits
from archimetra.machine.streaming import ENDS, STRAY_MM, State, Stream
from archimetra.output.controllers import controller
from archimetra.output.files import file_times
from archimetra.output.gcode_reader import read_gcode
from archimetra.toolpath.shared.moves import Move, straightened
from cutting_board import board_with
from machine_run import ready, run
from sample_plans import plan_of
from sample_plans import sample as known_sample
from shapes import blob, star, straight_bit

ZERO = (150.0, 150.0, -60.0)
SQUARE = [
    "G21 G90",
    "G0 Z5",
    "G0 X10 Y10",
    "G1 Z-2 F600",
    "G1 X60 F1800",
    "Y60",
    "X10",
    "Y10",
    "G2 X10 Y10 I-5 J0",
    "G0 Z5",
    "G0 X0 Y0",
    "M2",
]


def as_the_job_says(machine) -> Build:
    limits = Limits(
        rapid=(machine.rapid_xy / 60, machine.rapid_xy / 60, machine.rapid_z / 60),
        acceleration=(machine.acceleration, machine.acceleration, machine.acceleration_z),
        max_feed=machine.max_feed / 60, deviation=machine.junction_deviation,
    )  # fmt: skip
    return Build(
        needs_home=False, travel=(900.0, 900.0, 200.0), limits=limits, spindle_start_s=0.0
    )  # files wait for it themselves


def follows(machine, text: str, *, within=0.005) -> None:
    """Every place the machine came to lies on the move of its line; each line's end is reached, one after the other, once."""
    read = read_gcode(text)
    log = np.array(machine.motion.log)
    log = log[log[:, 4] > 0]
    places, lines = log[:, 1:4] - np.array(machine.zero), log[:, 4].astype(int)
    assert (np.diff(lines) >= 0).all()
    begin = np.zeros(3)
    reached = {line: places[k] for k, line in enumerate(lines.tolist())}
    for k, line in enumerate(read.line.tolist()):
        end = np.where(np.isfinite(read.xyz[k]), read.xyz[k], begin)
        rows = np.flatnonzero(lines == line)
        if not len(rows):
            assert np.linalg.norm(end - begin) < 1e-6, f"line {line} was lost"
            continue
        assert reached[line] == pytest.approx(end, abs=1e-6)
        ends = np.vstack((begin, end))
        way, _ = straightened(
            ends, read.kind[[max(k - 1, 0), k]], read.centre[[max(k - 1, 0), k]], chord_tolerance_mm=0.0005
        )
        own = shapely.LineString(way[:, :2]) if np.ptp(way[:, :2], axis=0).max() > 1e-9 else shapely.Point(way[0, :2])
        assert shapely.distance(own, shapely.points(places[rows][:, :2])).max() < within
        begin = end


class TestPaths:
    @pytest.mark.parametrize("name", ["Dial face", "Dial back", "Star plug"])
    def test_files_of_the_sample_come_out_as_planned_and_take_as_long_as_was_said(self, name):
        job = known_sample()
        board, plan = plan_of(name)
        files = files_of(job, board, plan.run, plan.setups, controller("streaming"))
        for file, seconds in zip(files, file_times(plan.times, files), strict=True):
            machine = ready(as_the_job_says(job.machine), zero=ZERO)
            stream = run([line for line in file.text.splitlines()], machine, step=0.02)
            assert (stream.state, stream.words) == (State.DONE, "")
            assert not machine.overflowed
            follows(machine, file.text)
            # the way from zero and back to it, and waiting for a person at a bit change, are not of the plan
            travel = sum(
                np.hypot(*v)
                for v in (plan.run.xyz[file.blocks[0].first, :2], plan.run.xyz[file.blocks[-1].last - 1, :2])
            )
            spare = (
                travel / (job.machine.rapid_xy / 60) + 2 * 60 * board.travel_heights.park / job.machine.rapid_z + 1.0
            )
            changes = job.machine.bit_change_s if file.blocks[0].changes_bit else 0.0
            assert 0.97 * (seconds - changes) - 3.0 <= machine.motion.log[-1][0] <= 1.03 * (seconds - changes) + spare

    @settings(max_examples=12)
    @given(
        st.integers(0, 400),
        st.sampled_from([blob, star]),
        st.sampled_from([PocketCut, ProfileCut]),
        st.sampled_from([0.004, 0.02, 0.1]),
    )
    def test_generated_ones_as_well_however_time_is_cut(self, seed, shape, kind, step):
        path = blob(seed, 25.0) if shape is blob else star(3 + seed % 6, 26.0, 10.0 + seed % 9)
        job, board, _ = board_with(
            path, kind=kind, sheet=Sheet(width=120, height=120, readings=(18.0,)), bit=straight_bit(6.0), end_depth=2.0
        )
        plan = plan_board(job, board, {})
        for file in files_of(job, board, plan.run, plan.setups, controller("streaming")):
            machine = ready(as_the_job_says(job.machine), zero=ZERO)
            assert run(file.text.splitlines(), machine, step=step).state is State.DONE
            follows(machine, file.text)

    def test_the_buffer_is_kept_full_and_never_runs_over(self):
        lines = ["G21 G90", "G1 F3000", *(f"X{k * 0.05:.2f} Y{k % 2 * 0.02:.2f}" for k in range(600)), "M2"]
        machine = ready(zero=ZERO)
        rooms = []
        stream = run(lines, machine, each=lambda now, stream, m: rooms.append(m.motion.room))
        assert stream.state is State.DONE
        assert not machine.overflowed
        busy = rooms[20:-60]
        assert max(busy) <= machine.build.limits.blocks / 2

    def test_a_line_longer_than_the_control_takes_is_refused_before_anything_is_sent(self):
        with pytest.raises(ValueError, match="line 2 is longer"):
            Stream(["G0 X1", "(" + "x" * RECEIVES + ")"])


class TestWhatAPersonAsks:
    @given(st.floats(0.1, 6.0), st.floats(0.2, 2.0))
    @settings(max_examples=10)
    def test_a_hold_changes_neither_the_path_nor_the_lines(self, when, how_long):
        done = []

        def each(now, stream, machine):
            if now >= when and not done:
                stream.hold()
                done.append(now)
            if now >= when + how_long and len(done) == 1:
                stream.resume()
                done.append(now)

        machine = ready(zero=ZERO)
        stream = run(SQUARE, machine, each=each)
        assert stream.state is State.DONE
        assert stream.taken == len(SQUARE)
        follows(machine, "\n".join(SQUARE))

    @given(st.floats(0.1, 5.0))
    @settings(max_examples=10)
    def test_stop_brakes_at_once_and_nothing_follows(self, when):
        asked = []

        def each(now, stream, machine):
            if now >= when and not asked:
                stream.stop()
                asked.append((now, stream.sent))

        machine = ready(zero=ZERO)
        stream = run(SQUARE, machine, each=each)
        assert stream.state is State.STOPPED
        assert stream.sent == asked[0][1]
        known = stream.known
        assert known.done <= known.taken <= stream.sent
        # what it held is forgotten, without its position being lost: going on moves nothing
        assert machine.motion.is_done
        assert machine.doing == "Idle"
        still = machine.motion.position
        machine.receive(b"~")
        for _ in range(100):
            machine.advance(0.05)
        assert machine.motion.position == still

    def test_lines_that_are_refused_end_it_with_the_line_and_the_reason(self):
        machine = ready(zero=ZERO)
        stream = run(["G21 G90", "G0 X5", "G88 X1", "G0 X9", "M2"], machine)
        assert stream.state is State.REFUSED
        assert "line 3, G88 X1" in stream.words
        assert "word it does not know" in stream.words

    def test_a_way_beyond_the_travel_is_an_alarm_in_words(self):
        machine = ready(zero=ZERO)
        stream = run(["G21 G90", "G0 X5", "G0 X-500", "G0 X9", "M2"], machine)
        assert stream.state is State.ALARM
        assert "beyond the machine's travel" in stream.words


def way_of(lines):
    """The places a program leads to in machine coordinates, and the line of each, from 0."""
    read = read_gcode("\n".join(lines))
    points = np.vstack((np.zeros(3), np.nan_to_num(read.xyz)))
    kinds = np.concatenate(([Move.RAPID], read.kind))
    centres = np.vstack((np.zeros(2), read.centre))
    way, rows = straightened(points, kinds, centres, chord_tolerance_mm=0.005)
    of = np.concatenate(([0], read.line - 1))[rows]
    return way + np.array(ZERO), of


class Line:
    """A line between the two that spoils one byte, at a number of bytes."""

    def __init__(self, kind: str, at: int, seed: int) -> None:
        self.kind, self.at, self.seen, self.random = kind, at, 0, random.Random(seed)
        self.waiting = b""
        self.is_cut = False

    def __call__(self, data: bytes) -> bytes:
        data = self.waiting + data
        self.waiting = b""
        if self.is_cut:
            return b""
        k = self.at - self.seen
        self.seen += len(data)
        if not 0 <= k < len(data):
            return data
        match self.kind:
            case "drop":
                return data[:k] + data[k + 1 :]
            case "double":
                return data[: k + 1] + data[k:]
            case "corrupt":
                return data[:k] + bytes((data[k] ^ (1 << self.random.randrange(7)),)) + data[k + 1 :]
            case "late":
                self.waiting = data[k:]
                return data[:k]
            case _:
                self.is_cut = True
                return data[:k]


class TestFaults:
    @given(
        st.sampled_from(["drop", "double", "corrupt", "late", "cut"]), st.sampled_from(["there", "back"]), st.integers(0, 260), st.integers(0, 9)
    )  # fmt: skip
    @settings(max_examples=40, phases=(Phase.explicit, Phase.reuse, Phase.generate))
    def test_whatever_happens_to_a_byte_it_ends_in_a_state_with_a_name(self, kind, side, at, seed):
        machine = ready(zero=ZERO)
        way, of = way_of(SQUARE)
        stream = Stream(SQUARE, way=way, of_lines=of)
        lines = shapely.linestrings(way[:, :2])
        stray = []

        def each(now, stream, machine):
            x, y, _ = machine.motion.position
            stray.append(shapely.distance(lines, shapely.Point(x, y)) > 2 * STRAY_MM)
            if stream.state is State.HELD:  # a byte that came to mean hold: a person looks, and goes on
                stream.resume()

        spoiled = {side: Line(kind, at, seed)}
        stream = run(SQUARE, machine, stream=stream, each=each, **spoiled, most_s=900.0, step=0.02)
        assert stream.state in ENDS
        assert stream.state is State.DONE or stream.words
        assert machine.motion.is_still or machine.motion.is_done
        if stream.state is State.DONE:
            # nothing it did off its way lasted longer than from one question to the next
            longest = max((len(part) for part in "".join("x" if s else " " for s in stray).split()), default=0)
            assert longest * 0.02 <= 0.35
            assert machine.motion.position == pytest.approx(tuple(way[-1]), abs=STRAY_MM)

    @given(st.floats(0.1, 6.0))
    @settings(max_examples=15)
    def test_a_reset_in_the_middle_is_an_alarm_and_says_what_is_done(self, when):
        done = []

        def each(now, stream, machine):
            if now >= when and not done:
                done.append(machine.motion.log[-1][4] if machine.motion.log else 0)
                machine.reset()

        machine = ready(zero=ZERO)
        way, of = way_of(SQUARE)
        stream = run(SQUARE, machine, stream=Stream(SQUARE, way=way, of_lines=of), each=each)
        assert stream.state in (State.ALARM, State.DOUBTED, State.REFUSED)
        assert stream.known.done <= done[0] + 1  # it never claims more than was moved

    def test_lost_steps_are_found_by_where_it_says_it_is(self):
        """The machine knows where it is after a switch told it; the way it was sent lies elsewhere."""
        machine = ready(zero=ZERO)
        way, of = way_of(SQUARE)
        stream = Stream(SQUARE, way=way, of_lines=of)

        def each(now, stream, machine):
            if 2.0 < now < 2.01:
                machine.motion.put(
                    (machine.motion.position[0], machine.motion.position[1] + 3.0, machine.motion.position[2])
                )

        assert run(SQUARE, machine, stream=stream, each=each).state is State.DOUBTED
        assert "mm off the way" in stream.words

    def test_no_answer_for_two_seconds_is_a_lost_link(self):
        machine = ready(zero=ZERO)
        stream = run(SQUARE, machine, back=lambda data: b"")
        assert stream.state is State.LOST
        assert "no longer answers" in stream.words


@given(st.text(max_size=120))
def test_whatever_comes_is_a_report_or_nothing(text):
    read_report(text)
    read_report(f"<{text}>")
    stream = Stream(["G0 X1"])
    stream.start()
    stream.take(text.encode() + b"\n")
    stream.take(b"\xff" * 1000)
    assert stream.state in State
