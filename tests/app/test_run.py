"""The program as a process: it opens what it is told to, says what it cannot, and keeps work when it is ended."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest

from archimetra.edits import basic as edits
from archimetra.engine.autosave import left_by_crashes
from archimetra.job.file import JobFile, load_job, save_job
from plain_clock import plain_clock

WATCH = """
import sys
from PySide6.QtCore import QTimer
from archimetra.app import run

def begin(window, *rest, _begin=run._begin, **settings):
    _begin(window, *rest, **settings)
    session = window.session

    def tell():
        print("name:", session.job.name, flush=True)
        print("said:", window.notices.text if window.notices.text else "", flush=True)
        {more}

    QTimer.singleShot(50, tell)

run._begin = begin
from archimetra.cli import main
if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
"""


@pytest.fixture
def start(tmp_path):
    """A function that starts the program offscreen, with its own folders, and gives its process."""
    running = []

    def start_(*arguments: str, more: str = "window.close()") -> subprocess.Popen:
        script = tmp_path / f"start{len(running)}.py"
        script.write_text(WATCH.format(more=more))
        places = {name: str(tmp_path / name) for name in ("XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME")}
        process = subprocess.Popen(
            [sys.executable, str(script), *arguments],
            env={**os.environ, **places, "QT_QPA_PLATFORM": "offscreen"},
            stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        )  # fmt: skip
        running.append(process)
        return process

    yield start_
    for process in running:
        if process.poll() is None:
            process.kill()
        process.communicate()


def told(process: subprocess.Popen) -> dict[str, str]:
    out, errors = process.communicate(timeout=60)
    assert "Traceback" not in errors, errors
    return dict(line.partition(": ")[::2] for line in out.splitlines())


class TestStarting:
    def test_without_words_it_shows_an_empty_job(self, start):
        process = start()
        assert told(process)["name"] == "Untitled"
        assert process.returncode == 0

    def test_the_demo_is_the_quay_tide_clock(self, start):
        assert told(start("--demo", more="session.forget_changes(); window.close()"))["name"] == "Quay tide clock"

    def test_a_job_named_is_opened(self, start, tmp_path):
        path = tmp_path / "mine.archimetra"
        content = plain_clock()
        save_job(path, JobFile(edits.change_job(content.job, "", name="Mine").job, content.sources))
        assert told(start(str(path)))["name"] == "Mine"

    @pytest.mark.parametrize("data", [None, b"", b"PK\x03\x04 broken", b"<svg/>"])
    def test_a_job_that_cannot_be_opened_is_told_and_the_window_stays(self, start, tmp_path, data):
        path = tmp_path / "bad.archimetra"
        if data is not None:
            path.write_bytes(data)
        said = told(start(str(path)))
        assert said["name"] == "Untitled"
        assert "bad.archimetra" in said["said"]


class TestEnding:
    CHANGE = (
        "from archimetra.edits import basic as edits; "
        "session.apply(edits.change_job(session.job, 'Name', name='In work')); print('changed: yes', flush=True)"
    )

    def wait_for(self, process: subprocess.Popen, line: str) -> None:
        late = threading.Timer(60, process.kill)  # reading from it would else wait for ever
        late.start()
        try:
            assert any(said.strip() == line for said in process.stdout), f"never said {line}"
        finally:
            late.cancel()

    def recovered(self, tmp_path: Path) -> list:
        return left_by_crashes(tmp_path / "XDG_STATE_HOME" / "archimetra" / "recovery")

    def test_asked_to_end_by_the_system_it_keeps_unsaved_work(self, start, tmp_path):
        process = start(more=self.CHANGE)
        self.wait_for(process, "changed: yes")
        process.send_signal(signal.SIGTERM)
        process.wait(20)
        assert [found.content.job.name for found in self.recovered(tmp_path)] == ["In work"]

    def test_killed_twice_in_a_row_it_still_has_the_work(self, start, tmp_path):
        process = start(more=self.CHANGE)
        self.wait_for(process, "changed: yes")
        end = time.monotonic() + 20
        while not list(tmp_path.rglob("*.recovery")) and time.monotonic() < end:
            time.sleep(0.05)
        time.sleep(0.2)
        process.kill()
        process.wait(10)
        # the second window brings it back and is killed before anyone touched anything
        second = start(more="print('shown:', session.job.name, session.is_saved, flush=True)")
        self.wait_for(second, "shown: In work False")
        second.kill()
        second.wait(10)
        assert [found.content.job.name for found in self.recovered(tmp_path)] == ["In work"]

    def test_saved_work_leaves_nothing_to_recover(self, start, tmp_path):
        path = tmp_path / "saved.archimetra"
        process = start(
            more=f"{self.CHANGE}; window.documents.save_file(__import__('pathlib').Path({str(path)!r})); window.close()"
        )
        told(process)
        assert load_job(path).job.name == "In work"
        assert self.recovered(tmp_path) == []
