"""Between window and control: what is asked, answered and refused, leading by hand, a program; whatever the line does."""

from __future__ import annotations

import random
import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.machine.by_hand import HELD_S
from archimetra.machine.link import Phase
from archimetra.machine.messages import (
    Answered,
    Ask,
    Jog,
    JogEnd,
    JogHeld,
    Mailbox,
    Override,
    Reach,
    Told,
    Unlock,
    packed,
)
from archimetra.machine.protocol import Doing, is_greeting
from archimetra.machine.standin.controller import Build, StandIn
from archimetra.machine.standin.faults import IN_SECONDS, Fault, Faulty, Kind, read_fault
from archimetra.machine.streaming import ENDS, State
from link_run import Pair, lines_in

PROGRAM = (
    "G21 G90\nG0 Z5\nG0 X10 Y10\nG1 Z-2 F600\nG1 X40 F3000\nY40\nX10\nY10\nG2 X10 Y10 I-5 J0\nG0 Z5\nG0 X0 Y0\nM2\n"
)
ZERO = (100.0, 100.0, -50.0)


def at_zero(build: Build | None = None) -> StandIn:
    machine = StandIn(build or Build(needs_home=False))
    machine.motion.put(ZERO)
    machine.zero = ZERO
    machine.motion.log.clear()
    return machine


@pytest.fixture
def pair() -> Pair:
    made = Pair(at_zero())
    made.open()
    return made


class TestBeginning:
    def test_it_says_who_it_is_and_what_it_is_set_to(self):
        pair = Pair()
        pair.open()
        opened = next(one for one in pair.told if type(one).__name__ == "Opened")
        assert "Stand-in" in opened.version
        assert (opened.settings[130], opened.settings[132]) == (610.0, 90.0)

    @pytest.mark.parametrize(
        ("says", "words"), [(b"", "Nothing answers"), (b"\x00\xff login: \r\n", "says nothing that a control says"), (b"<Idle", "says nothing that a control says")]
    )  # fmt: skip
    def test_what_is_no_control_is_told_from_what_says_nothing(self, says, words):
        class Another:
            machine = None
            is_cut = False

            def receive(self, data): ...
            def advance(self, seconds): ...
            def take_said(self):
                return says

        pair = Pair(Another())
        pair.go(6.0)
        assert pair.link.phase is Phase.GONE
        assert words in pair.gone.words

    @pytest.mark.parametrize(
        ("line", "is_one"), [("ready [stand-in]", True), ("Some name 1.1h ['$' for help]", True), ("[VER:1.1]", False), ("<Idle|MPos:0,0,0>", False),
                             ("ok", False), ("error:9", False), ("x" * 500 + " [y]", False)],
    )  # fmt: skip
    def test_a_control_that_begins_anew_is_known_by_the_form_of_its_greeting(self, line, is_one):
        assert is_greeting(line) is is_one


class Telling(StandIn):
    """A control with other habits of telling where it is."""

    def __init__(self, how: str) -> None:
        super().__init__(Build(needs_home=False))
        self.motion.put(ZERO)
        self.zero = ZERO
        self.motion.log.clear()
        self.how = how

    def take_said(self) -> bytes:
        text = super().take_said().decode()
        if self.how == "from zero":
            text = re.sub(
                r"MPos:([-\d.]+),([-\d.]+),([-\d.]+)",
                lambda m: "WPos:" + ",".join(f"{float(v) - z:.3f}" for v, z in zip(m.groups(), self.zero, strict=True)), text,
            )  # fmt: skip
        elif self.how == "inches":
            text = text.replace("$110=", "$13=1\r\n$110=")
        return text.encode()


def test_a_control_that_tells_places_from_zero_alone_is_followed_all_the_same():
    pair = Pair(Telling("from zero"))
    pair.open()
    assert pair.link.now().at == pytest.approx(ZERO)
    pair.begin(PROGRAM)
    lines = set()
    pair.until(lambda: lines.add(pair.link.now().line) or pair.end is not None)
    assert pair.end.state == "done"
    assert len(lines) >= 6


def test_a_control_that_tells_places_in_inches_is_refused_with_what_to_do():
    pair = Pair(Telling("inches"))
    pair.go(3.0)
    assert "Set $13=0" in pair.gone.words
    assert pair.link.phase is Phase.GONE


def test_zero_is_set_in_millimetres_whatever_unit_ran_before(pair):
    """An inch program leaves the control in inches."""
    pair.own.receive(b"G20\n")
    pair.go(0.2)
    pair.link.ask(Ask(1, "G21 G10 L20 P1 Z0.1"))
    pair.until(lambda: pair.answer(1) is not None)
    assert pair.own.zero[2] == pytest.approx(ZERO[2] - 0.1)


class TestAsking:
    def test_homing_is_answered_once_it_is_done_and_says_so(self):
        pair = Pair(StandIn(Build(needs_home=True)))
        pair.open()
        assert pair.link.report.doing is Doing.ALARM
        pair.link.jog(Jog(1, (1.0, 0.0, 0.0), 500.0))
        pair.go(0.1)
        assert "locked" in pair.answer(1).words
        pair.link.ask(Ask(2, "$H"))
        pair.go(0.5)
        assert pair.answer(2) is None
        pair.link.ask(Ask(3, "G10 L20 P1 X0"))
        pair.until(lambda: pair.answer(2) is not None)
        assert pair.answer(2).is_done
        assert "home" in pair.answer(3).words
        assert pair.link.report.doing is Doing.IDLE  # what is told is as it is by then

    def test_zero_is_where_it_was_set_and_nothing_runs_from_another(self, pair):
        pair.link.jog(Jog(1, (20.0, 0.0, 0.0), 3000.0))
        pair.go(2.0)
        pair.link.ask(Ask(2, "G10 L20 P1 X0 Y0"))
        pair.until(lambda: pair.answer(2) is not None)
        pair.go(2.0)
        assert pair.link.zero == pytest.approx((120.0, 100.0, -50.0))
        pair.link.begin(3, _stream(pair), ZERO)
        pair.go(0.2)
        assert "Zero has moved" in pair.answer(3).words
        assert pair.own.motion.position[0] == pytest.approx(120.0)

    def test_the_plate_is_found_and_what_was_said_comes_back(self, pair):
        pair.link.ask(Ask(1, "G21 G91 G38.2 Z-20 F100"))
        pair.go(0.1)
        if pair.answer(1) is not None:
            pytest.fail(pair.answer(1).words)
        pair.until(lambda: pair.answer(1) is not None)
        assert pair.answer(1).said == ("[PRB:100.000,100.000,-60.000:1]",)

    def test_a_probe_that_meets_nothing_is_an_alarm_and_the_machine_is_locked(self, pair):
        pair.link.ask(Ask(1, "G21 G91 G38.2 Z-5 F400"))
        pair.until(lambda: pair.answer(1) is not None)
        assert "touched nothing" in pair.answer(1).words
        pair.go(0.3)
        assert "locked" in (pair.link.jog(Jog(2, (1.0, 0.0, 0.0), 500.0)) or pair.link.told[-1].words)
        pair.link.unlock(Unlock(3))
        pair.until(lambda: pair.answer(3) is not None)
        assert pair.answer(3).is_done
        pair.link.jog(Jog(4, (1.0, 0.0, 0.0), 500.0))
        pair.until(lambda: pair.answer(4) is not None)
        assert pair.answer(4).is_done

    def test_an_error_nobody_knows_is_a_sentence(self, pair):
        pair.link.ask(Ask(1, "G10 L99"))
        pair.machine.said.clear()
        pair.link.take(b"error:77\r\n")
        assert "error 77, which is not known here" in pair.link.told[-1].words

    def test_what_is_never_answered_is_told_and_leaves_nothing_behind(self, pair):
        pair.link.ask(Ask(1, "G4 P3", 1.0))
        pair.go(1.5)
        assert "too long" in pair.answer(1).words
        pair.link.ask(Ask(2, "G10 L20 P1 X5"))  # the late answer to the first is not taken for this one's
        pair.until(lambda: pair.answer(2) is not None)
        pair.go(1.5)
        assert pair.own.zero[0] == pytest.approx(95.0)
        assert pair.link.zero[0] == pytest.approx(95.0)

    @pytest.mark.parametrize("line", ["G10 L20 P1 X3 Y4", "G10 L2 P1 Z-44"])
    def test_a_zero_that_was_set_is_known_when_it_is_answered(self, pair, line):
        """Controls say where zero lies in some of their reports alone."""
        for k in range(12):
            number = 20 + k
            pair.link.ask(Ask(number, line.replace("3", str(3 + k)).replace("44", str(44 - k))))
            pair.until(lambda n=number: pair.answer(n) is not None, 3.0)
            assert pair.link.zero == pytest.approx(pair.own.zero, abs=1e-3)

    def test_a_control_that_falls_silent_is_gone(self, pair):
        pair.machine.take_said = lambda: b""
        pair.go(3.0)
        assert "no longer answers" in pair.gone.words


class TestLeadingByHand:
    @given(
        st.tuples(*[st.floats(-80, 80).map(lambda v: round(v, 2))] * 2, st.floats(-30, 30).map(lambda v: round(v, 2)))
    )
    @settings(max_examples=25)
    def test_it_goes_by_what_was_typed(self, by):
        pair = Pair(at_zero())
        pair.open()
        pair.link.jog(Jog(1, by, 3000.0))
        pair.go(8.0)
        if max(abs(v) for v in by) < 1e-6:
            assert not pair.answer(1).is_done
        assert np.array(pair.own.motion.position) == pytest.approx(np.array(ZERO) + by, abs=1e-3)

    def test_held_it_moves_and_let_go_it_stands_within_what_braking_takes(self, pair):
        moved = []
        for _ in range(20):
            pair.link.jog_held(JogHeld((1.0, 0.0, 0.0), 3000.0))
            pair.go(0.05)
            moved.append(pair.own.motion.position[0])
        assert np.diff(moved[6:]) == pytest.approx(2.5, abs=0.4)  # evenly: 50 mm/s
        pair.link.jog_end(JogEnd())
        pair.go(1.0)
        assert pair.own.motion.is_still
        assert pair.own.motion.position[0] - moved[-1] < 50**2 / (2 * 400) + 50 * 0.03

    @given(st.floats(0.01, 2.0), st.sampled_from([0.0, 0.01, 0.04, 0.09]))
    @settings(max_examples=20)
    def test_a_window_that_hangs_or_dies_lets_go(self, held, late):
        """Nothing says any more that the button is held: it stands soon."""
        pair = Pair(at_zero())
        pair.open()
        end = pair.now + held
        while pair.now < end:
            pair.link.jog_held(JogHeld((0.0, 1.0, 0.0), 2400.0))
            pair.go(0.05 + late)
        at = pair.own.motion.position[1]
        pair.go(HELD_S + 0.6)
        assert pair.own.motion.is_still
        assert pair.own.motion.position[1] - at < 40 * (HELD_S + 0.35)
        stood = pair.own.motion.position
        pair.go(2.0)
        assert pair.own.motion.position == stood

    @pytest.mark.parametrize("way", [(1, 0, 0), (-1, 0, 0), (0, -1, 0), (1, 1, 0), (0, 0, -1)])
    def test_held_it_stops_before_the_travel_ends(self, pair, way):
        pair.link.reach(Reach((0.0, 0.0, -90.0), (610.0, 610.0, 0.0)))
        for _ in range(400):
            pair.link.jog_held(JogHeld(tuple(float(v) for v in way), 3000.0 if not way[2] else 900.0))
            pair.go(0.05)
        x, y, z = pair.own.motion.position
        assert min(x, y) >= 0
        assert max(x, y) <= 610
        assert -90 <= z <= 0
        assert not any(isinstance(one, Told) and "alarm" in one.words for one in pair.told)
        assert min(x, 610 - x, y, 610 - y, z + 90) < 1.0

    def test_nothing_is_led_while_a_program_runs(self, pair):
        pair.begin(PROGRAM)
        pair.go(1.0)
        pair.link.jog(Jog(5, (5.0, 0.0, 0.0), 1000.0))
        pair.link.jog_held(JogHeld((1.0, 0.0, 0.0), 1000.0))
        pair.link.ask(Ask(6, "G10 L20 P1 X0"))
        pair.begin(PROGRAM, 7)
        pair.until(lambda: pair.end is not None)
        assert all("program is running" in pair.answer(n).words for n in (5, 6, 7))
        assert b"$J" not in pair.sent
        assert b"G10" not in pair.sent

    def test_a_far_way_is_told_and_cut_short(self, pair):
        pair.link.reach(Reach((0.0, 0.0, -90.0), (610.0, 610.0, 0.0)))
        pair.link.jog(Jog(1, (900.0, 0.0, 0.0), 5000.0))
        pair.go(12.0)
        assert pair.own.motion.position[0] == pytest.approx(610.0, abs=1e-3)
        pair.link.jog(Jog(2, (1.0, 0.0, 0.0), 5000.0))
        pair.go(0.2)
        assert "travel ends" in pair.answer(2).words


def _stream(pair: Pair):
    from archimetra.machine.streaming import Stream

    return Stream(PROGRAM.splitlines())


class TestAProgram:
    def test_it_runs_and_says_where_it_is(self, pair):
        begin = pair.now
        pair.begin(PROGRAM)
        seen = []

        def look():
            seen.append(pair.link.now())
            return pair.end is not None

        pair.until(look)
        assert pair.end.state == "done"
        places = [one.line + one.share for one in seen if one.run == "running"]
        assert (np.diff(places) >= -1e-9).all()
        assert len({one.line for one in seen}) >= 6
        assert lines_in(bytes(pair.sent)).endswith(PROGRAM.encode())
        assert pair.end.seconds == pytest.approx(pair.own.motion.log[-1][0] - begin, abs=0.2)

    def test_it_does_not_begin_while_it_is_still_led_by_hand(self, pair):
        """However young the last report is: the way is reckoned from where it stands."""
        pair.link.jog(Jog(8, (60.0, 0.0, 0.0), 1500.0))
        pair.go(0.02)
        pair.begin(PROGRAM, 9)
        pair.go(0.5)
        assert "still moving" in pair.answer(9).words
        pair.go(4.0)
        pair.begin(PROGRAM, 10)
        pair.until(lambda: pair.end is not None)
        assert pair.end.state == "done"

    def test_held_time_is_not_counted(self, pair):
        pair.begin(PROGRAM)
        pair.go(2.0)
        pair.link.hold()
        pair.go(30.0)
        assert pair.own.motion.is_still
        pair.link.resume()
        pair.until(lambda: pair.end is not None)
        assert pair.end.state == "done"
        assert pair.end.seconds < 20.0

    @settings(max_examples=25)
    @given(st.floats(0.05, 6.0), st.floats(0.0, 0.4), st.sampled_from([0.01, 0.1, 0.3]))
    def test_held_and_resumed_at_any_moment_it_comes_to_its_end(self, after, held, step):
        """However little it has left when it is resumed: the report that says so may be of before."""
        pair = Pair(at_zero(), step=step)
        pair.open()
        pair.begin(PROGRAM)
        pair.go(after)
        pair.link.hold()
        pair.go(held)
        pair.link.resume()
        pair.until(lambda: pair.end is not None, 60.0)
        assert pair.end.state == "done"

    def test_resumed_at_the_machine_itself_it_goes_on(self, pair):
        pair.begin(PROGRAM)
        pair.go(1.0)
        pair.link.hold()
        pair.go(2.0)
        assert pair.link.stream.state is State.HELD
        pair.own.receive(b"~")
        pair.until(lambda: pair.end is not None, 60.0)
        assert pair.end.state == "done"

    @pytest.mark.parametrize("after", [0.0, 0.02, 0.5, 1.5, 2.5, 4.0])
    def test_stopped_at_any_moment_it_can_go_on_with_something_else_at_once(self, pair, after):
        pair.begin(PROGRAM)
        pair.go(after)
        pair.link.stop()
        pair.until(lambda: pair.end is not None or pair.link.stream is None)
        pair.go(0.5)
        assert pair.end.state in ("stopped", "done")
        stood = pair.own.motion.position
        pair.go(2.0)
        assert pair.own.motion.position == stood  # what the control held is forgotten
        pair.link.jog(Jog(9, (0.0, 0.0, 1.0), 600.0))
        pair.until(lambda: pair.answer(9) is not None)
        pair.go(2.0)
        assert pair.answer(9).is_done, pair.answer(9).words
        assert pair.own.motion.position[2] == pytest.approx(stood[2] + 1.0)

    @settings(max_examples=25)
    @given(st.floats(0.0, 0.4))
    def test_a_stop_right_after_a_beginning_is_a_stop(self, after):
        """The last report is of before it: it may still say that nothing moves."""
        pair = Pair(at_zero())
        pair.open()
        pair.link.jog(Jog(1, (300.0, 0.0, 0.0), 2000.0))
        pair.go(after)
        pair.link.stop()
        pair.go(1.5)
        stood = pair.own.motion.position
        assert stood[0] < ZERO[0] + 20.0
        pair.go(2.0)
        assert pair.own.motion.position == stood
        pair.link.jog(Jog(2, (0.0, 1.0, 0.0), 600.0))
        pair.until(lambda: pair.answer(2) is not None)
        assert pair.answer(2).is_done, pair.answer(2).words

    @pytest.mark.parametrize("moves", ["jog", "home", "foreign", "foreign held"])
    def test_stop_stops_whatever_moves(self, moves):
        pair = Pair(at_zero())
        pair.open()
        match moves:
            case "jog":
                pair.link.jog(Jog(1, (300.0, 0.0, 0.0), 2000.0))
            case "home":
                pair.link.ask(Ask(1, "$H"))
            case _:
                pair.own.receive(b"G1 X300 F2000\n")
        pair.go(0.5)
        if moves == "foreign held":
            pair.own.receive(b"!")
            pair.go(0.5)
        pair.link.stop()
        pair.go(1.5)
        stood = pair.own.motion.position
        pair.go(3.0)
        assert pair.own.motion.position == stood
        assert pair.link.is_quiet
        if moves == "home":
            assert pair.link.report.doing in (Doing.ALARM, Doing.IDLE)
            return
        pair.link.jog(Jog(2, (1.0, 0.0, 0.0), 600.0))
        pair.until(lambda: pair.answer(2) is not None)
        assert pair.answer(2).is_done, pair.answer(2).words

    @pytest.mark.parametrize(
        ("of", "percent"), [("feed", 50), ("feed", 137), ("feed", 100), ("spindle", 80), ("feed", 5), ("feed", 900)]
    )
    def test_an_override_is_what_was_asked(self, pair, of, percent):
        pair.link.override(Override(of, percent))
        pair.go(3.0)
        assert pair.link.overrides[0 if of == "feed" else 2] == pytest.approx(min(max(percent, 10), 200), abs=1)


RUNS, AT_ONCE = 1000, 125


def faulty_run(seed: int) -> tuple[Kind, Pair, bytes]:
    """A short run with one fault at a random place; its kind, both ends, and what went out of the program."""
    r = random.Random(seed)
    kind = r.choice(list(Kind))
    is_out = kind.startswith("answer") or kind in (Kind.LATE, Kind.TWICE)
    at = r.uniform(0, 5) if kind in IN_SECONDS else r.randrange(0, 1500 if is_out else 190)
    faulty = Faulty(at_zero(), [])
    pair = Pair(faulty, step=0.02)
    pair.open()
    before = len(pair.sent)
    faulty.plan([Fault(kind, at)])
    pair.begin(PROGRAM)

    def is_over() -> bool:
        if pair.link.stream is not None and pair.link.stream.state is State.HELD:
            pair.link.resume()  # a byte that came to mean hold: a person looks, and goes on
        return pair.end is not None

    pair.until(is_over, 900.0)
    pair.go(0.5)
    return kind, pair, lines_in(bytes(pair.sent[before:]))


@pytest.mark.parametrize("first", range(0, RUNS, AT_ONCE))
def test_a_thousand_runs_with_faults_each_end_in_a_state_and_send_each_line_once(first):
    for seed in range(first, first + AT_ONCE):
        kind, pair, sent = faulty_run(seed)
        stream, end = pair.link.stream, pair.end
        assert stream.state in ENDS, seed
        assert end.state == stream.state.value
        assert end.state == "done" or end.words.endswith("."), seed
        # in their order, each once, as far as it came
        assert PROGRAM.encode().startswith(sent), (seed, kind, sent)
        assert not stream.is_settling
        assert 0 <= end.done <= end.taken + 1 <= stream.sent + 1
        if end.state == "done":
            assert sent == PROGRAM.encode(), seed
            assert pair.own.motion.position == pytest.approx((100.0, 100.0, -45.0), abs=0.3), (seed, kind)
        # what is told as done was moved: the control's own log came past the ends of these lines
        if end.done and kind not in (Kind.CHANGE, Kind.DROP, Kind.DOUBLE, Kind.CUT):
            assert len(pair.own.motion.log) >= _moves_in(end.done), (seed, kind, end)


def _moves_in(lines: int) -> int:
    """How many of the first lines move something."""
    return sum(any(letter in line for letter in "XYZ") for line in PROGRAM.splitlines()[:lines])


class TestMessages:
    @given(st.binary(max_size=300))
    def test_whatever_comes_from_the_other_process_is_a_message_or_is_refused(self, data):
        for is_link in (True, False):
            try:
                made = Mailbox(is_link=is_link).take(data)
            except ValueError:
                continue
            assert all(hasattr(one, "__struct_fields__") for one in made)

    @given(
        st.lists(st.sampled_from([Ask(1, "$H"), Jog(2, (1.0, 2.0, 3.0), 4.0), Unlock(3), JogEnd()]), max_size=6),
        st.integers(1, 40),
    )
    def test_they_come_whole_however_they_are_cut(self, messages, size):
        data = b"".join(packed(one) for one in messages)
        mail, out = Mailbox(is_link=True), []
        for k in range(0, len(data), size):
            out += mail.take(data[k : k + size])
        assert out == messages

    def test_one_direction_is_not_the_other(self):
        with pytest.raises(ValueError):
            Mailbox(is_link=True).take(packed(Answered(1, True)))


@pytest.mark.parametrize("kind", list(Kind))
def test_a_fault_is_read_as_it_is_written(kind):
    text = f"{kind}@{'5s' if kind in IN_SECONDS else '200'}"
    assert read_fault(text) == Fault(kind, 5.0 if kind in IN_SECONDS else 200.0)


@pytest.mark.parametrize("text", ["", "drop", "drop@5s", "reset@5", "drop@-1", "melt@5", "drop@1@2"])
def test_what_is_no_fault_says_how_it_is_written(text):
    with pytest.raises(ValueError, match="write"):
        read_fault(text)
