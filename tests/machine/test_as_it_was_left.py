"""Controls of other kinds than the usual, and controls that somebody else left in the middle of something: the same wood is cut."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from archimetra.machine.link import Phase
from archimetra.machine.messages import Ask, Jog, JogEnd, JogHeld, Reach, Unlock
from archimetra.machine.protocol import Doing, read_receives, read_report
from archimetra.machine.standin.controller import TERSE, Build, StandIn
from link_run import Pair

SQUARE = "G21\nG90\nG17\nG94\nG0 Z5\nG0 X10 Y10\nG1 Z-2 F600\nG1 X40 F1500\nY40\nX10\nY10\nG0 Z5\nM30\n"
CORNERS = np.array([(10, 10), (40, 10), (40, 40), (10, 40), (10, 10)], dtype=float)
KINDS = {
    "usual": Build(),
    "terse": TERSE,
    "from zero alone": Build(tells_from_zero=True),
    "slow to find home": Build(homing_s=45.0, pull_off=3.0),
    "a little buffer": Build(receives=64),
    "below zero, switches front left": Build(is_below=True, home=(0.0, 0.0), pull_off=1.0),
}


def homed(build: Build, left: bytes = b"") -> Pair:
    machine = StandIn(build)
    if left:  # by somebody else, before
        machine.receive(b"$X\n" + left)
        for _ in range(300):
            machine.advance(0.01)
        machine.take_said()
    pair = Pair(machine)
    pair.open()
    pair.link.ask(Ask(1, "$H", 120.0))
    pair.until(lambda: pair.answer(1) is not None, 200.0)
    assert pair.answer(1).is_done, pair.answer(1).words
    return pair


def cut_square(pair: Pair) -> tuple[np.ndarray, np.ndarray]:
    """Zero set somewhere on the bed, and a square cut there: where zero was, and the log of what it cut, machine coordinates."""
    here = np.array(pair.own.motion.position)
    middle = (np.array(pair.own.build.low) + np.array(pair.own.build.high)) / 2
    for number, by in ((2, (middle[0] - here[0], middle[1] - here[1], 0.0)), (3, (0.0, 0.0, -30.0))):
        pair.link.jog(Jog(number, tuple(by), 4000.0))
        pair.until(lambda n=number: pair.answer(n) is not None and pair.own.doing == "Idle", 60.0)
        assert pair.answer(number).is_done, pair.answer(number).words
    pair.go(0.5)
    pair.link.ask(Ask(4, "G21 G10 L20 P1 X0 Y0 Z0"))
    pair.until(lambda: pair.answer(4) is not None)
    assert pair.answer(4).is_done
    stood = np.array(pair.own.motion.position)
    assert pair.link.zero == pytest.approx(tuple(stood), abs=6e-4)
    before = len(pair.own.motion.log)
    pair.begin(SQUARE, 5)
    pair.go(0.05)
    assert pair.answer(5).is_done, pair.answer(5).words
    pair.until(lambda: pair.end is not None, 120.0)
    assert pair.end.state == "done", pair.end.words
    return stood, np.array([row[1:4] for row in pair.own.motion.log[before:]])


def is_the_square(stood: np.ndarray, log: np.ndarray) -> None:
    cut = log[log[:, 2] < stood[2] - 1.9]
    assert np.abs(cut[:, 2] - (stood[2] - 2.0)).max() < 1e-6
    ring = shapely.LineString(CORNERS + stood[:2])
    own = shapely.LineString(cut[:, :2])
    assert own.hausdorff_distance(ring) < 1e-3
    assert own.length == pytest.approx(120.0, abs=1e-3)


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_of_control_cuts_the_same_square(kind):
    pair = homed(KINDS[kind])
    is_the_square(*cut_square(pair))
    assert not pair.own.overflowed


@pytest.mark.parametrize(
    "left",
    [b"G20\n", b"G91\n", b"G20 G91\n", b"G55\nG10 L2 P2 X30 Y40 Z-7\n", b"G59\nG10 L20 P0 X5 Y5\n", b"G92 X100 Y7 Z3\n", b"G43.1 Z12.5\n",
     b"G18\n", b"G1 X", b"G1 F40\nG91\nG92 Z9\nG57\n", b"M3 S12000\n", b"!", b"G0 X30\n!", b"G0 X60\nG0 X0\n", b"G4 P1\n", b"\x91\x91\x91\x91\x9a", b"hello\n"],
)  # fmt: skip
def test_however_somebody_left_it_zero_and_program_go_together(left):
    pair = homed(Build(needs_home=False), left)
    assert pair.link.overrides == (100, 100, 100)
    is_the_square(*cut_square(pair))


def test_what_moves_when_it_is_connected_is_let_move_and_cleared_away_once_it_stands():
    machine = StandIn(Build(needs_home=False))
    machine.receive(b"G21 G91\nG92 X9\nG1 X200 F2000\n")
    machine.advance(0.2)
    pair = Pair(machine)
    pair.open()
    assert b"\x18" not in pair.sent
    pair.link.jog(Jog(1, (1.0, 0.0, 0.0), 600.0))
    assert "not begun here" in pair.link.told[-1].words
    pair.until(lambda: machine.motion.is_done)
    pair.go(0.5)
    assert machine.motion.position[0] == pytest.approx(200.0)
    pair.link.ask(Ask(2, "G21 G10 L20 P1 X0 Y0 Z0"))
    pair.until(lambda: pair.answer(2) is not None)
    assert b"\x18" in pair.sent
    assert machine.offsets.shift == (0.0, 0.0, 0.0)
    pair.go(0.5)
    assert pair.link.zero == pytest.approx((200.0, 0.0, 0.0), abs=1e-3)


def test_a_control_that_says_nothing_while_it_looks_for_its_switches_is_not_gone_and_can_be_stopped():
    pair = Pair(StandIn(Build(homing_s=60.0)))
    pair.open()
    pair.link.ask(Ask(1, "$H", 120.0))
    pair.go(30.0)
    assert pair.gone is None
    assert pair.link.now().doing == "Home"
    pair.link.jog(Jog(2, (1.0, 0.0, 0.0), 600.0))
    pair.go(0.1)
    assert "home" in pair.answer(2).words
    pair.link.stop()
    pair.go(2.0)
    assert not pair.answer(1).is_done
    assert pair.own.doing == "Alarm"
    pair.link.unlock(Unlock(3))
    pair.until(lambda: pair.answer(3) is not None)
    assert pair.answer(3).is_done


def test_a_dead_line_is_still_found_while_nothing_looks_for_switches():
    pair = Pair(StandIn(Build(needs_home=False)))
    pair.open()
    pair.own.receive = lambda data: None
    pair.go(4.0)
    assert pair.gone is not None


@pytest.mark.parametrize("when", [0.05, 0.3, 0.9, 1.4])
def test_a_held_jog_of_every_kind_ends_where_the_key_is_let_go(when):
    for kind in KINDS.values():
        pair = homed(replace(kind, homing_s=1.0))
        pair.go(0.3)
        middle = 1.0 if kind.home[0] < 0.5 else -1.0
        for _ in range(int(when / 0.05)):
            pair.link.jog_held(JogHeld((middle, 0.0, 0.0), 3000.0))
            pair.go(0.05)
        pair.link.jog_end(JogEnd())
        at = pair.own.motion.position[0]
        pair.go(1.5)
        assert pair.own.doing == "Idle"
        assert abs(pair.own.motion.position[0] - at) < 50 * 0.15 + 50**2 / 400  # a piece on the way, and braking


@pytest.mark.parametrize("after", [0.1, 0.4, 0.8, 1.2])
@pytest.mark.parametrize("kind", ["usual", "terse", "from zero alone"])
def test_stopped_in_the_middle_of_a_hold_no_position_is_lost(kind, after):
    pair = homed(replace(KINDS[kind], homing_s=1.0))
    pair.link.jog(Jog(2, (-200.0, -200.0, 0.0) if KINDS[kind].is_below else (200.0, 200.0, 0.0), 4000.0))
    pair.go(after)
    pair.link.hold()
    pair.go(0.02)
    pair.link.stop()
    pair.go(3.0)
    assert pair.own.doing == "Idle", "a reset while it brakes loses the position"
    assert not pair.own.is_locked


def test_a_position_that_was_lost_is_a_locked_machine():
    pair = homed(Build(needs_home=False))
    pair.link.jog(Jog(2, (200.0, 0.0, 0.0), 4000.0))
    pair.go(1.0)
    pair.own.receive(b"\x18")
    pair.go(1.0)
    assert pair.link.report.doing is Doing.ALARM
    assert any("alarm 3" in getattr(one, "words", "") for one in pair.told)


class TestReports:
    @pytest.mark.parametrize(
        ("line", "moves"),
        [("<Hold:0|MPos:1.000,2.000,3.000|F:0>", False), ("<Hold:1|MPos:1.000,2.000,3.000|F:0>", True), ("<Hold:0|MPos:1.000,2.000,3.000|FS:300,0>", True),
         ("<Idle|MPos:1.000,2.000,3.000>", False), ("<Run|MPos:1.000,2.000,3.000|F:0>", True), ("<Idle|MPos:1.000,2.000,3.000|F:300>", True),
         ("<Door:1|MPos:1.000,2.000,3.000|FS:0,0>", False), ("<Door:2|MPos:1.000,2.000,3.000|FS:0,0>", True), ("<Sleep|MPos:1.000,2.000,3.000>", False)],
    )  # fmt: skip
    def test_whether_it_moves(self, line, moves):
        assert read_report(line).moves is moves

    @pytest.mark.parametrize("more", ["", ",0.000", ",90.000,-3.250", ",1,2,3"])
    def test_axes_that_turn_are_no_matter(self, more):
        report = read_report(f"<Idle|MPos:1.500,-2.250,3.000{more}|WCO:10.000,20.000,-5.000{more}|Pn:PX>")
        assert report.machine == (1.5, -2.25, 3.0)
        assert report.zero == (10.0, 20.0, -5.0)
        assert report.pins == "PX"

    @pytest.mark.parametrize(
        ("line", "count"),
        [("[OPT:V,15,128]", 128), ("[OPT:VNM,35,1024,3,0]", 1024), ("[OPT:,15,64]", 64), ("[OPT:V]", None), ("[VER:1.1:]", None), ("[OPT:V,15,x]", None)],
    )  # fmt: skip
    def test_how_much_it_takes_in(self, line, count):
        assert read_receives(line) == count


@pytest.mark.parametrize(("told", "used"), [(64, 64), (96, 96), (128, 128), (1024, 128), (3, 64)])
def test_no_more_is_sent_than_it_takes_in_and_never_more_than_is_common(told, used):
    pair = Pair(StandIn(Build(needs_home=False, receives=max(told, 64))))
    if told < 64:
        pair.link._learn(f"[OPT:V,15,{told}]", f"[OPT:V,15,{told}]".encode())
        assert pair.link.receives == used
        return
    pair.open()
    assert pair.link.receives == used
    assert pair.link.phase is Phase.OPEN


class TestZeroWhereItStands:
    @pytest.mark.parametrize("after", [0.0, 0.02, 0.1, 0.31, 0.6])
    def test_asked_while_it_is_on_its_way_it_is_set_where_that_ends(self, after):
        pair = homed(Build(needs_home=False))
        pair.link.jog(Jog(2, (60.0, 0.0, 0.0), 4000.0))
        pair.go(after)
        pair.link.ask(Ask(3, "G21 G10 L20 P1 X0 Y0"))
        pair.until(lambda: pair.answer(3) is not None, 10.0)
        pair.go(1.0)
        assert pair.answer(3).is_done, pair.answer(3).words
        assert pair.own.motion.position[0] == pytest.approx(60.0)
        assert pair.link.zero[0] == pytest.approx(60.0)

    def test_a_jog_right_after_it_changes_nothing_of_it(self):
        pair = homed(Build(needs_home=False))
        pair.link.ask(Ask(3, "G21 G10 L20 P1 X0 Y0"))
        pair.link.jog(Jog(2, (60.0, 0.0, 0.0), 4000.0))
        pair.go(3.0)
        assert pair.answer(3).is_done
        assert pair.link.zero[:2] == (0.0, 0.0)
        assert pair.own.motion.position[0] == pytest.approx(60.0)

    def test_locked_it_is_refused_and_stopped_it_is_forgotten(self):
        pair = Pair(StandIn(Build()))
        pair.open()
        pair.link.ask(Ask(1, "G10 L20 P1 X0"))
        pair.go(0.1)
        assert "locked" in pair.answer(1).words
        pair.link.unlock(Unlock(2))
        pair.go(2.0)
        pair.link.jog(Jog(3, (300.0, 0.0, 0.0), 4000.0))
        pair.go(0.4)
        pair.link.ask(Ask(4, "G10 L20 P1 X0"))
        pair.link.stop()
        pair.go(2.0)
        assert not pair.answer(4).is_done
        assert pair.link.zero[0] == 0.0


class TestTheEndOfTheTravel:
    """Whatever is asked how quickly one after the other, nothing leads beyond the travel that was told."""

    @given(
        st.lists(
            st.tuples(st.sampled_from([(1, 0, 0), (-1, 0, 0), (0, 1, 0), (1, 1, 0), (0, 0, -1), (0, 0, 1)]), st.floats(1, 120), st.floats(0.0, 1.2)),
            min_size=1, max_size=8,
        ),
        st.booleans(),
    )  # fmt: skip
    def test_jogs_one_upon_the_other(self, jogs, is_held):
        # the machine itself has room beyond: it would go there
        pair = Pair(StandIn(Build(needs_home=False)), step=0.02)
        pair.own.motion.put((300.0, 300.0, -40.0))
        pair.open()
        low, high = (250.0, 250.0, -60.0), (350.0, 350.0, -20.0)
        pair.link.reach(Reach(low, high))
        number = 10
        for way, length, pause in jogs:
            number += 1
            if is_held:
                for _ in range(int(length / 10)):
                    pair.link.jog_held(JogHeld(tuple(float(v) for v in way), 4000.0))
                    pair.go(0.06)
                pair.link.jog_end(JogEnd())
            else:
                pair.link.jog(Jog(number, tuple(v * length for v in way), 4000.0))
            pair.go(pause)
        pair.go(0.5)
        pair.until(lambda: pair.own.doing == "Idle", 60.0)
        went = np.array([row[1:4] for row in pair.own.motion.log])
        assert (went >= np.array(low) - 0.02).all()
        assert (went <= np.array(high) + 0.02).all()

    def test_a_way_that_leans_is_told_to_be_shorter_where_one_axis_ends(self):
        pair = Pair(StandIn(Build(needs_home=False)))
        pair.own.motion.put((300.0, 300.0, -40.0))
        pair.open()
        pair.link.reach(Reach((0.0, 0.0, -90.0), (310.0, 610.0, 0.0)))
        pair.link.jog(Jog(1, (50.0, 50.0, 0.0), 4000.0))
        pair.go(4.0)
        assert any("Only as far" in getattr(one, "words", "") for one in pair.told)
        assert pair.own.motion.position[:2] == pytest.approx((310.0, 350.0))

    def test_the_way_that_is_left_is_moved(self):
        pair = Pair(StandIn(Build(needs_home=False)))
        pair.own.motion.put((300.0, 300.0, -40.0))
        pair.open()
        pair.link.reach(Reach((0.0, 0.0, -90.0), (380.0, 610.0, 0.0)))
        for number in (1, 2, 3):
            pair.link.jog(Jog(number, (50.0, 0.0, 0.0), 4000.0))
        pair.go(5.0)
        assert pair.own.motion.position[0] == pytest.approx(380.0)
        assert [pair.answer(n).is_done for n in (1, 2, 3)] == [True, True, False]
        pair.link.jog(Jog(4, (-50.0, 0.0, 0.0), 4000.0))
        pair.go(3.0)
        assert pair.own.motion.position[0] == pytest.approx(330.0)


def test_a_report_that_was_on_its_way_when_it_was_reset_tells_of_no_zero():
    pair = homed(Build(needs_home=False), b"G92 X7\n")
    pair.own.receive(b"G92 X7\n")
    pair.go(1.5)
    assert pair.link.zero[0] == pytest.approx(-7.0)
    pair.link._reset()
    pair.link.take(b"<Idle|MPos:0.000,0.000,0.000|FS:0,0|WCO:-7.000,0.000,0.000>\r\n")
    assert pair.link.zero is None
    pair.go(1.5)
    assert pair.link.zero == (0.0, 0.0, 0.0)


@pytest.mark.parametrize(
    ("state", "words"), [("Door:1", "door is open"), ("Run", "not begun here"), ("Hold:0", "not begun here")]
)
def test_what_it_is_doing_is_said_where_it_takes_nothing(state, words):
    pair = homed(Build(needs_home=False))
    pair.link.take(f"<{state}|MPos:0.000,0.000,0.000|FS:0,0>\r\n".encode())
    pair.link.jog(Jog(9, (1.0, 0.0, 0.0), 600.0))
    (answer,) = [one for one in pair.link.told if getattr(one, "number", 0) == 9]
    assert not answer.is_done
    assert words in answer.words
