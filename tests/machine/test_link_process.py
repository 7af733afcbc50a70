"""The link as other processes see it: it holds the machine when the window dies, gives the line to one window at a time, and leaves nothing behind."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest

from archimetra.machine.course import course_of
from archimetra.machine.link_client import LinkClient
from archimetra.machine.messages import Answered, Begin, Ended, Gone, Jog, JogHeld, Now, Opened, Stop
from archimetra.machine.ports import LinkError, open_line
from archimetra.machine.runs import About, broken_runs, last_of, now_words, put_down, records_of
from archimetra.machine.standin.controller import Build, StandIn
from archimetra.machine.standin.faults import Fault, Faulty, Kind
from archimetra.machine.standin.server import Served

LONG = "G21 G90\n" + "".join(f"G1 X{k % 2 * 100 + 20} F1500\n" for k in range(40)) + "M2\n"
ZERO = (100.0, 100.0, -50.0)


def a_machine() -> StandIn:
    machine = StandIn(Build(needs_home=False))
    machine.motion.put(ZERO)
    machine.zero = ZERO
    return machine


class Window:
    """A window as far as the link knows one."""

    def __init__(self, address: str) -> None:
        self.told: list[object] = []
        self.client = LinkClient(address, self.told.append)

    def until(self, kind: type, seconds: float = 10.0, **fields):
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            for one in list(self.told):
                if isinstance(one, kind) and all(getattr(one, k) == v for k, v in fields.items()):
                    return one
            time.sleep(0.005)
        raise AssertionError((kind, fields, [one for one in self.told if not isinstance(one, Now)]))

    def close(self) -> None:
        self.client.close()
        assert self.client.wait()


@pytest.fixture
def served():
    with Served(a_machine()) as made:
        yield made


def a_run(folder: Path, text: str = LONG) -> Path:
    about = About(
        job="Clock", board="Dial", board_id="b", file="dial.nc", machine="Router", digest="d", began=now_words(), expected_s=20.0,
        lines=text.count("\n"), zero=ZERO, log=str(folder / "clock.runs.jsonl"),
    )  # fmt: skip
    return put_down(text, course_of(text, (0.0, 0.0, 0.0)), about, folder=folder)


def begun(served, folder: Path) -> Window:
    window = Window(served.address)
    window.until(Opened)
    window.until(Now, zero=ZERO)
    window.client.send(Begin(1, str(a_run(folder)), ZERO))
    assert window.until(Answered, number=1).is_done
    window.until(Now, run="running")
    return window


def stands(machine: StandIn) -> None:
    end = time.monotonic() + 8.0
    while not (machine.motion.is_still or machine.motion.is_done):
        assert time.monotonic() < end
        time.sleep(0.01)
    place = machine.motion.position
    time.sleep(0.5)
    assert machine.motion.position == place


def test_a_stop_stands_at_once_and_is_put_down(served, tmp_path):
    window = begun(served, tmp_path)
    time.sleep(1.4)
    assert broken_runs(tmp_path) == []  # to another window it is a run, not a broken one
    window.client.send(Stop())
    end = window.until(Ended)
    assert end.state == "stopped"
    stands(served.machine)
    window.close()
    (record,) = records_of(tmp_path / "clock.runs.jsonl")
    assert (record.state, record.file, record.taken) == ("stopped", "dial.nc", end.taken)
    (broken,) = broken_runs(tmp_path)
    assert (broken.last.done, broken.about.job, broken.text) == (end.done, "Clock", LONG)


@pytest.mark.parametrize("how", ["killed", "left"])
def test_without_its_window_the_machine_is_held_and_the_run_can_be_gone_on_with(served, tmp_path, how):
    """The window is a process of its own here, and is killed."""
    script = (
        "import sys, time; sys.path.insert(0, sys.argv[3]); from pathlib import Path; import test_link_process as t\n"
        "class S: address = sys.argv[1]\n"
        "w = t.begun(S, Path(sys.argv[2])); print(w.client.process.pid, flush=True); time.sleep(60)\n"
    )
    if how == "left":
        script = script.replace("time.sleep(60)", "sys.stdin.readline()")
    window = subprocess.Popen(
        [sys.executable, "-c", script, served.address, str(tmp_path), str(Path(__file__).parent)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    try:
        link = int(window.stdout.readline())
        time.sleep(0.7)
        if how == "killed":
            window.kill()
        else:
            window.stdin.write("\n")
            window.stdin.flush()
        window.wait(5.0)
        stands(served.machine)
        end = time.monotonic() + 10.0
        while _is_alive(link):  # it ends by itself
            assert time.monotonic() < end
            time.sleep(0.02)
    finally:
        window.kill()
        window.wait()
        for pipe in (window.stdin, window.stdout):
            pipe.close()
    (broken,) = broken_runs(tmp_path)
    assert broken.last.state == "stopped"
    assert "window ended" in broken.last.words
    assert 0 < broken.last.taken < len(LONG.splitlines())
    (record,) = records_of(tmp_path / "clock.runs.jsonl")
    assert record.state == "stopped"


def _is_alive(number: int) -> bool:
    try:
        return Path(f"/proc/{number}/stat").read_text().split()[2] != "Z"
    except OSError:
        return False


def test_a_link_that_is_killed_is_told_and_what_it_knew_is_on_the_disk(served, tmp_path):
    window = begun(served, tmp_path)
    time.sleep(1.6)
    window.client.process.send_signal(signal.SIGKILL)
    assert "has ended" in window.until(Gone).words
    window.client.wait()
    (folder,) = [path for path in tmp_path.iterdir() if path.is_dir()]
    last = last_of(folder)
    assert last.state == "running"
    assert last.taken > 0
    assert broken_runs(tmp_path)[0].last == last


def test_a_link_that_is_told_to_end_holds_the_machine_first(served, tmp_path):
    window = begun(served, tmp_path)
    time.sleep(0.5)
    window.client.process.send_signal(signal.SIGTERM)
    assert window.until(Ended).state == "stopped"
    stands(served.machine)
    window.client.wait()


def test_a_second_window_is_refused_and_may_come_once_the_first_is_gone(served, tmp_path):
    first = begun(served, tmp_path)
    second = Window(served.address)
    assert "in use by another window" in second.until(Gone).words
    assert second.client.wait()
    first.client.send(Stop())
    first.until(Ended)
    first.close()
    third = Window(served.address)
    third.until(Opened)
    third.close()


def test_a_held_jog_ends_with_its_window(served, tmp_path):
    window = Window(served.address)
    window.until(Opened)
    for _ in range(6):
        window.client.send(JogHeld((1.0, 0.0, 0.0), 2000.0))
        time.sleep(0.05)
    assert served.machine.motion.speed > 20
    window.client._socket.shutdown(2)  # as when the process is killed
    stands(served.machine)
    window.client.wait()


def test_unplugged_in_each_state_it_says_so(tmp_path):
    for state in ("standing", "moving", "running"):
        faulty = Faulty(a_machine(), [])
        with Served(faulty) as served:
            window = Window(served.address)
            window.until(Opened)
            window.until(Now, zero=ZERO)
            if state == "moving":
                window.client.send(Jog(3, (200.0, 0.0, 0.0), 1000.0))
                window.until(Now, doing="Jog")
            elif state == "running":
                window.client.send(Begin(1, str(a_run(tmp_path)), ZERO))
                window.until(Now, run="running")
            faulty.plan([Fault(Kind.CUT, 0)])
            gone = window.until(Gone)
            assert gone.words.endswith(("switched on?", "connect again."))
            if state == "running":
                end = window.until(Ended)
                assert end.state == "link lost"
                assert "machine" in end.words
            window.client.wait()


@pytest.mark.parametrize("how", ["left", "dies", "stops"])
def test_a_program_that_waits_to_begin_does_not_begin_without_its_window(served, tmp_path, how):
    """Asked for right after a jog it waits a moment; who leaves in that moment, or stops, has nothing run."""
    window = Window(served.address)
    window.until(Opened)
    window.until(Now, zero=ZERO)
    window.client.send(Jog(1, (0.0, 0.0, 1.0), 900.0))
    window.until(Answered, number=1)
    window.client.send(Begin(2, str(a_run(tmp_path)), ZERO))
    match how:
        case "left":
            window.client.close()
        case "dies":
            window.client._socket.shutdown(2)
        case "stops":
            window.client.send(Stop())
            assert not window.until(Answered, number=2).is_done
    time.sleep(1.2)
    assert served.machine.motion.position[:2] == ZERO[:2]
    assert broken_runs(tmp_path) == []
    window.client.close()
    assert window.client.wait()


def test_nothing_is_left_behind(served):
    Window(served.address).close()
    before = threading.active_count(), len(os.listdir("/proc/self/fd"))
    for _ in range(5):
        window = Window(served.address)
        window.until(Opened)
        window.close()
    time.sleep(0.1)
    assert (threading.active_count(), len(os.listdir("/proc/self/fd"))) == before


class TestPorts:
    @pytest.mark.parametrize(
        ("address", "words"),
        [("", "No port is chosen"), ("/dev/ttyNOTHERE7", "not there"), ("/dev/null", "another device"), ("/etc", "a folder"), ("ttyUSB0", "no port"),
         ("localhost:0", "no port of a network"), ("localhost:70000", "no port of a network"), ("127.0.0.1:9", "Nothing listens"),
         ("no-such-host.invalid:23", "There is no"), ("javascript:alert(1)", "no port"), ("/dev/tty\n0", "not there")],
    )  # fmt: skip
    def test_what_is_no_port_is_a_sentence(self, address, words):
        with pytest.raises(LinkError) as told:
            open_line(address)
        assert words in str(told.value)
        assert str(told.value).endswith((".", "?"))

    def test_without_rights_it_says_whose_it_is(self, tmp_path, monkeypatch):
        from archimetra.machine import ports

        class Refused:
            def __init__(self, *_args, **_named):
                raise OSError(13, "Permission denied")

        monkeypatch.setattr("serial.Serial", Refused)
        with pytest.raises(LinkError, match="no rights to use /dev/null"):
            open_line("/dev/null")
        assert "group" in ports._rights("/dev/null")

    def test_a_port_another_program_holds_is_told(self, served):
        import serial

        with serial.Serial(served.address, exclusive=True), pytest.raises(LinkError, match="taken by another program"):
            open_line(served.address)

    def test_it_is_free_again_after_it_was_closed(self, served):
        for _ in range(3):
            line = open_line(served.address)
            line.close()
