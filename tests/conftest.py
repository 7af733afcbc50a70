"""Shared set-up: a fixed Hypothesis profile, an own state folder, a screen where one is asked for."""

from __future__ import annotations

import atexit
import os
import shutil
import subprocess
import tempfile

import pytest
from hypothesis import HealthCheck, settings

settings.register_profile(
    "project", deadline=None, max_examples=25, derandomize=True, suppress_health_check=[HealthCheck.too_slow]
)
settings.load_profile("project")


def own_screen() -> None:
    """Give this worker a screen of its own: on a shared one the windows of two workers take the keyboard from each other."""
    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24", "-nolisten", "tcp"],
        pass_fds=[write],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    os.close(write)
    atexit.register(server.terminate)
    with os.fdopen(read) as answer:
        number = answer.readline().strip()  # empty where the server gave up: the screen everybody has will do
    if number:
        os.environ["DISPLAY"] = f":{number}"


# what fonts the machine has must not matter; workers of the engine inherit it
os.environ["XDG_DATA_DIRS"] = tempfile.mkdtemp(prefix="archimetra-tests-")
atexit.register(shutil.rmtree, os.environ["XDG_DATA_DIRS"], ignore_errors=True)

if not os.environ.get("DISPLAY"):
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
elif "PYTEST_XDIST_WORKER" in os.environ and shutil.which("Xvfb"):
    own_screen()


@pytest.fixture(autouse=True)
def own_folders(tmp_path_factory, monkeypatch):
    """Nothing a test does touches the settings or recovery files of whoever runs it."""
    home = tmp_path_factory.mktemp("home")
    for name in ("XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME"):
        monkeypatch.setenv(name, str(home / name))


@pytest.fixture
def screen():
    """A real X screen; on CI its absence is a failure, elsewhere the test is skipped."""
    if os.environ.get("DISPLAY"):
        return
    reason = "needs a screen: run through ./dev test, which starts Xvfb"
    if os.environ.get("CI") == "true":
        pytest.fail(reason)
    pytest.skip(reason if shutil.which("Xvfb") else reason + " (Xvfb is not installed)")
