"""The stand-in as another process sees it: a terminal or a port, in real time; nothing is left behind."""

from __future__ import annotations

import os
import select
import signal
import socket
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest

from archimetra.machine.protocol import read_report
from archimetra.machine.standin.controller import Build, StandIn
from archimetra.machine.standin.server import Served
from archimetra.machine.streaming import ENDS, State, Stream

SQUARE = ["G21 G90", "G0 X10 Y10", "G1 X40 F3000", "Y40", "X10", "Y10", "M2"]


class Ends:
    """The window's side of a line, as plain as it can be."""

    def __init__(self, address: str) -> None:
        if ":" in address:
            host, port = address.rsplit(":", 1)
            self.socket = socket.create_connection((host, int(port)), timeout=2.0)
            self.socket.setblocking(False)
            self.number = self.socket.fileno()
        else:
            self.socket = None
            self.number = os.open(address, os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK)

    def read(self, seconds: float = 0.0) -> bytes:
        ready, _, _ = select.select([self.number], [], [], seconds)
        return os.read(self.number, 4096) if ready else b""

    def write(self, data: bytes) -> None:
        while data:
            try:
                data = data[os.write(self.number, data) :]
            except BlockingIOError:
                time.sleep(0.002)

    def until(self, words: bytes, seconds: float = 5.0) -> bytes:
        out, end = b"", time.monotonic() + seconds
        while words not in out and time.monotonic() < end:
            out += self.read(0.05)
        assert words in out, out
        return out

    def close(self) -> None:
        if self.socket is not None:
            self.socket.close()
        else:
            os.close(self.number)


@pytest.fixture(params=["terminal", "tcp"])
def served(request):
    machine = StandIn(Build(needs_home=False))
    machine.motion.put((0.0, 0.0, -50.0))
    machine.zero = (0.0, 0.0, -50.0)
    with Served(machine, port=0 if request.param == "tcp" else None, speed=20.0) as made:
        yield made


def test_a_program_is_run_over_the_line(served):
    line = Ends(served.address)
    stream = Stream(SQUARE)
    stream.start()
    begin = time.monotonic()
    while stream.state not in ENDS and time.monotonic() - begin < 20:
        line.write(stream.pull())
        stream.take(line.read(0.01))
        stream.tick(time.monotonic() - begin)
    assert stream.state is State.DONE
    end = time.monotonic() + 10
    while not served.machine.motion.is_done and time.monotonic() < end:
        time.sleep(0.01)
    assert served.machine.motion.position == pytest.approx((10.0, 10.0, -50.0))
    line.close()


def test_it_answers_at_once_while_it_moves(served):
    line = Ends(served.address)
    line.write(b"G1 X500 F4000\n")
    line.until(b"ok")
    took = []
    for _ in range(20):
        begin = time.monotonic()
        line.write(b"?")
        said = line.until(b">", 2.0)
        took.append(time.monotonic() - begin)
        report = read_report(said.decode().strip())
        assert report is not None
    assert sorted(took)[len(took) // 2] < 0.1
    line.close()


def test_who_hangs_up_is_followed_by_another(served):
    for _ in range(3):
        line = Ends(served.address)
        line.write(b"?")
        line.until(b">")
        line.close()


def test_nothing_is_left_behind():
    before = threading.active_count(), len(os.listdir("/proc/self/fd"))
    for port in (None, 0) * 5:
        served = Served(StandIn(), port=port)
        Ends(served.address).close()
        served.close()
        served.close()
    assert (threading.active_count(), len(os.listdir("/proc/self/fd"))) == before


def test_a_port_that_is_taken_is_told():
    with Served(StandIn(), port=0) as served:
        port = int(served.address.rsplit(":", 1)[1])
        with pytest.raises(OSError, match=r"[Aa]ddress"):
            Served(StandIn(), port=port)


def test_only_this_computer_reaches_it_unless_another_host_is_said():
    with Served(StandIn(), port=0) as served:
        assert served.address.startswith("127.0.0.1:")


class TestCommandLine:
    def test_it_says_where_it_is_and_ends_when_it_is_told_to(self):
        process = subprocess.Popen(
            [sys.executable, "-m", "archimetra", "stand-in", "--tcp", "0", "--unlocked", "--speed", "10"], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        )  # fmt: skip
        try:
            address = process.stdout.readline().strip()
            line = Ends(address)
            line.write(b"$H\n")
            line.until(b"ok")
            line.write(b"G0 X5\n")
            line.until(b"ok")
            line.close()
            process.send_signal(signal.SIGINT)
            assert process.wait(10) == 130
            assert "Traceback" not in process.stderr.read()
        finally:
            process.kill()
            process.stdout.close()
            process.stderr.close()

    def test_it_keeps_a_log_of_every_motion(self, tmp_path):
        path = tmp_path / "motions.csv"
        process = subprocess.Popen(
            [sys.executable, "-m", "archimetra", "stand-in", "--tcp", "0", "--unlocked", "--speed", "20", "--log", str(path)], stdout=subprocess.PIPE, text=True,
        )  # fmt: skip
        try:
            line = Ends(process.stdout.readline().strip())
            line.write(b"G0 Z-30\nG1 X40 Y10 F3000\nX5\n")
            line.until(b"ok\r\nok\r\nok")
            end = time.monotonic() + 8
            while len(rows := path.read_text().splitlines()) < 3:
                assert time.monotonic() < end
                time.sleep(0.05)
            places = [tuple(float(v) for v in row.split(",")[1:4]) for row in rows]
            assert places == [(0.0, 0.0, -30.0), (40.0, 10.0, -30.0), (5.0, 10.0, -30.0)]
            assert [row.split(",")[4] for row in rows] == ["1", "2", "3"]
            line.close()
        finally:
            process.kill()
            process.wait()
            process.stdout.close()

    def test_started_by_a_window_it_ends_with_it(self):
        script = (
            "import subprocess, sys, time\n"
            "p = subprocess.Popen([sys.executable, '-m', 'archimetra', 'stand-in', '--with-parent'], stdout=subprocess.PIPE, text=True)\n"
            "print(p.stdout.readline().strip(), p.pid, flush=True)\ntime.sleep(60)\n"
        )
        window = subprocess.Popen([sys.executable, "-c", script], stdout=subprocess.PIPE, text=True)
        try:
            _, number = window.stdout.readline().split()
            window.kill()
            window.wait()
            end = time.monotonic() + 10
            while Path(f"/proc/{number}").exists() and " Z " not in Path(f"/proc/{number}/stat").read_text():
                assert time.monotonic() < end
                time.sleep(0.05)
        finally:
            window.kill()
            window.wait()
            window.stdout.close()

    @pytest.mark.parametrize(
        "words",
        [
            ["--fault", "melt@5"],
            ["--fault", "drop@5s"],
            ["--travel", "wide"],
            ["--travel", "0x1x2"],
            ["--speed", "0"],
            ["--tcp", "99999"],
        ],
    )
    def test_what_cannot_be_is_a_sentence(self, words, capsys):
        from archimetra.cli import main

        assert main(["stand-in", *words]) == 2
        assert capsys.readouterr().err.startswith("archimetra: ")
