"""The file worker reads drawings and writes files beside the window, and a bad request never takes it along."""

from __future__ import annotations

import os
import queue
import signal
import time

import pytest

from archimetra.demo import artwork
from archimetra.engine.client import Engine
from archimetra.engine.messages import ArtworkRead, ArtworkRequest, FilesMade, WorkerFailed
from archimetra.engine.planning import plan_board
from archimetra.output.controllers import controller
from archimetra.output.files import gcode_files
from plain_clock import plain_clock
from shapes import replace


@pytest.fixture
def worker():
    """An engine whose events land in a queue; only its worker is ever started."""
    events: queue.Queue = queue.Queue()
    engine = Engine(events.put)
    engine.events = events
    yield engine
    engine.close()


def test_a_drawing_read_by_the_file_worker_is_the_one_read_here(worker, tmp_path):
    from archimetra.artwork.svg import read_svg

    path = tmp_path / "dial.svg"
    path.write_bytes(artwork("dial-face.svg"))
    number = worker.read_artwork(ArtworkRequest(0, path=str(path)))
    read = worker.events.get(timeout=60)
    assert isinstance(read, ArtworkRead)
    assert (read.number, read.name, read.problem) == (number, "dial.svg", "")
    assert read.data == path.read_bytes()
    here = read_svg(path.read_bytes(), name="dial.svg")
    assert [s.paths for s in read.drawing.shapes] == [s.paths for s in here.shapes]
    assert read.drawing.bounds() == here.bounds()
    assert read.drawing.report == here.report


@pytest.mark.parametrize("data", [b"", b"junk", b"<svg", b'<svg xmlns="x"/>'])
def test_a_bad_file_is_one_sentence_and_the_next_is_read(worker, tmp_path, data):
    bad, good = tmp_path / "bad.svg", tmp_path / "good.svg"
    bad.write_bytes(data)
    good.write_bytes(artwork("dial-face.svg"))
    worker.read_artwork(ArtworkRequest(0, path=str(bad)))
    read = worker.events.get(timeout=60)
    assert read.drawing is None
    assert "bad.svg" in read.problem
    worker.read_artwork(ArtworkRequest(0, path=str(good)))
    assert worker.events.get(timeout=60).drawing is not None


def test_a_file_too_large_is_refused_without_being_read(worker, tmp_path):
    path = tmp_path / "huge.svg"
    with open(path, "wb") as handle:
        handle.truncate(3_000_000_000)  # takes no room on the disk
    worker.read_artwork(ArtworkRequest(0, path=str(path)))
    assert "3000 MB" in worker.events.get(timeout=60).problem


@pytest.mark.parametrize("name", ["rs274", "streaming"])
def test_files_made_by_the_file_worker_are_those_made_here(worker, name):
    job = replace(plain_clock().job, controller=name)
    board = job.boards[0]
    plan = plan_board(job, board, {})
    worker.make_files("key", job, board, plan, controller(job.controller))
    made = worker.events.get(timeout=60)
    assert isinstance(made, FilesMade)
    assert made.key == "key"
    here = gcode_files(job, board, plan.run, controller(name))
    assert [(f.name, f.text) for f in made.files] == [(f.name, f.text) for f in here]


def test_what_cannot_be_written_for_a_controller_is_a_sentence_and_of_a_trial_its_answer(worker):
    job = plain_clock().job
    plan = plan_board(job, job.boards[0], {})
    tight = replace(controller("rs274"), longest_line=60, decimals_mm=6, line_numbers=1000)
    worker.make_files("key", job, job.boards[0], plan, tight)
    failed = worker.events.get(timeout=60)
    assert isinstance(failed, WorkerFailed)
    assert "60 letters" in failed.sentence
    assert (failed.detail, failed.files_key) == ("", "key")
    worker.try_files("trial", job, job.boards[0], plan, tight)
    tried = worker.events.get(timeout=60)
    assert isinstance(tried, FilesMade)
    assert (tried.key, tried.files, tried.problem) == ("trial", (), failed.sentence)
    worker.try_files("again", job, job.boards[0], plan, controller("iso"))
    assert worker.events.get(timeout=60).files[0].name.endswith(".iso")


def test_a_file_worker_that_dies_is_told_and_replaced(worker, tmp_path):
    path = tmp_path / "dial.svg"
    path.write_bytes(artwork("dial-face.svg"))
    worker.read_artwork(ArtworkRequest(0, path=str(path)))
    worker.events.get(timeout=60)
    os.kill(worker._files._process.pid, signal.SIGKILL)
    assert isinstance(worker.events.get(timeout=30), WorkerFailed)
    worker.read_artwork(ArtworkRequest(0, path=str(path)))
    assert worker.events.get(timeout=60).drawing is not None


def test_stopping_a_reading_keeps_the_files_that_wait_behind_it(worker, tmp_path):
    path = tmp_path / "dial.svg"
    path.write_bytes(artwork("dial-face.svg"))
    job = plain_clock().job
    plan = plan_board(job, job.boards[0], {})
    for end in ("stop", "kill"):
        worker.read_artwork(ArtworkRequest(0, path=str(path)))
        worker.make_files(end, job, job.boards[0], plan, controller(job.controller))
        if end == "stop":
            worker.stop_reading()
        else:
            while worker._files._process.pid is None:
                time.sleep(0.01)
            os.kill(worker._files._process.pid, signal.SIGKILL)
        while not isinstance(event := worker.events.get(timeout=60), FilesMade):
            assert isinstance(event, WorkerFailed) == (end == "kill")
        assert event.key == end


def test_stopping_drops_what_is_being_read(worker, tmp_path):
    path = tmp_path / "dial.svg"
    path.write_bytes(artwork("dial-face.svg"))
    worker.read_artwork(ArtworkRequest(0, path=str(path)))
    worker.stop_reading()
    again = worker.read_artwork(ArtworkRequest(0, path=str(path)))
    assert worker.events.get(timeout=60).number == again
    assert worker.events.empty()


@pytest.mark.parametrize("pause", [0.0, 0.01, 0.2])
def test_stopped_again_and_again_only_the_last_is_read(worker, tmp_path, pause):
    """However far the process stopped had come: not started, loading, at work."""
    path = tmp_path / "dial.svg"
    path.write_bytes(artwork("dial-face.svg"))
    for _ in range(8):
        worker.read_artwork(ArtworkRequest(0, path=str(path)))
        time.sleep(pause)
        worker.stop_reading()
    last = worker.read_artwork(ArtworkRequest(0, path=str(path)))
    read = worker.events.get(timeout=60)
    assert isinstance(read, ArtworkRead), read
    assert read.number == last
    assert worker.events.empty()
