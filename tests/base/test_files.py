"""Safe writing: killed at any moment a file is the old one or the new one, whole, and nothing stays lying about."""

from __future__ import annotations

import errno
import os
import signal
import subprocess
import sys
import time

import pytest

from archimetra.base.files import write_safely

WRITER = """
import sys
from pathlib import Path
from archimetra.base.files import write_safely
path, size = Path(sys.argv[1]), int(sys.argv[2])
print("ready", flush=True)
k = 0
while True:
    k += 1
    write_safely(path, bytes([65 + k % 26]) * size, keep_before=True)
"""


def test_killed_at_any_moment_the_file_is_whole_and_nothing_is_left(tmp_path):
    path, size = tmp_path / "job.archimetra", 400_000
    write_safely(path, b"A" * size)
    for k in range(12):
        writer = subprocess.Popen(
            [sys.executable, "-c", WRITER, str(path), str(size)], stdout=subprocess.PIPE
        )  # another process, killed without a chance to tidy up
        assert writer.stdout is not None
        writer.stdout.readline()
        time.sleep(0.003 * (1 + 2.3 * k))
        writer.send_signal(signal.SIGKILL)
        writer.wait()
        writer.stdout.close()
        data = path.read_bytes()
        assert len(data) == size
        assert len(set(data)) == 1
    write_safely(path, b"last")
    assert {p.name for p in tmp_path.iterdir()} <= {"job.archimetra", "job.archimetra.before"}


def test_what_a_dead_process_left_is_cleared_up_and_what_a_living_one_writes_is_not(tmp_path):
    path = tmp_path / "job"
    dead = subprocess.Popen([sys.executable, "-c", "pass"])
    dead.wait()
    (tmp_path / f".job.{dead.pid}.new").write_text("half")
    (tmp_path / f".job.{os.getppid()}.new").write_text("under way")
    (tmp_path / f".other.{dead.pid}.new").write_text("not mine")
    write_safely(path, b"x")
    assert {p.name for p in tmp_path.iterdir()} == {"job", f".job.{os.getppid()}.new", f".other.{dead.pid}.new"}


@pytest.mark.parametrize("is_new", [False, True])
def test_a_symbolic_link_goes_on_pointing_where_it_did(tmp_path, is_new):
    (tmp_path / "far").mkdir()
    real, link = tmp_path / "far" / "real.txt", tmp_path / "link.txt"
    if not is_new:
        real.write_text("old")
    link.symlink_to(real)
    write_safely(link, b"new", keep_before=True)
    assert link.is_symlink()
    assert real.read_text() == "new"
    assert (tmp_path / "far" / "real.txt.before").exists() != is_new


@pytest.mark.parametrize("nameless", [True, False])
@pytest.mark.parametrize("call", ["write", "fsync", "replace"])
def test_a_full_disk_leaves_the_old_file_and_nothing_else(tmp_path, monkeypatch, call, nameless):
    path = tmp_path / "drawing.svg"
    path.write_text("good")

    def full(*_args, **_kwargs):
        raise OSError(errno.ENOSPC, "No space left on device")

    if not nameless:
        monkeypatch.setattr("archimetra.base.files.os.O_TMPFILE", 0, raising=False)
    monkeypatch.setattr(f"archimetra.base.files.os.{call}", full)
    with pytest.raises(OSError, match="No space"):
        write_safely(path, b"cut off")
    monkeypatch.undo()
    assert path.read_text() == "good"
    assert [p.name for p in tmp_path.iterdir()] == ["drawing.svg"]


def test_rights_stay_as_they_were(tmp_path):
    path = tmp_path / "shared"
    path.write_text("old")
    path.chmod(0o664)
    write_safely(path, b"new")
    assert path.stat().st_mode & 0o777 == 0o664
