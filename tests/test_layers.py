"""The shape of the code base: every package is under contract, and the core runs without a toolkit."""

from __future__ import annotations

import subprocess
import sys
import tomllib
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent


def test_every_package_stands_in_the_import_contracts():
    contracts = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["importlinter"]["contracts"]
    layers = {name.strip() for line in contracts[0]["layers"] for name in line.split("|")}
    core = set(contracts[1]["source_modules"])
    packages = {f"archimetra.{p.parent.name}" for p in (ROOT / "src" / "archimetra").glob("*/__init__.py")}
    assert packages <= layers
    assert packages - {"archimetra.app"} <= core


def test_the_core_plans_a_job_with_the_toolkit_out_of_reach():
    code = """
import sys
for name in ("PySide6", "shiboken6"):
    sys.modules[name] = None
from archimetra.demo import quay_tide_clock
from archimetra.engine.planning import plan_board
from archimetra.output.controllers import controllers
from archimetra.output.files import gcode_files
job = quay_tide_clock().job
plan = plan_board(job, job.boards[0], {})
print(sum(len(gcode_files(job, job.boards[0], plan.run, profile)) for profile in (controllers()["rs274"], controllers()["streaming"])))
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.stdout.strip() == "5", done.stderr


def test_showing_the_first_window_loads_nothing_heavy():
    code = """
import sys
from PySide6.QtWidgets import QApplication
app = QApplication([])
from archimetra.app.run import first_window
window = first_window(theme="light")
app.processEvents()
heavy = ("numba", "scipy", "shapely", "llvmlite", "numpy._core", "multiprocessing")
print(*[name for name in heavy if name in sys.modules])
import numpy
print(numpy.hypot(3.0, 4.0))
"""
    import os

    quiet = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False, env=quiet)
    assert done.stdout.splitlines() == ["", "5.0"], done.stdout + done.stderr


def test_asking_what_is_out_of_date_compiles_nothing():
    """It is asked on the window's thread after every edit, for the first time before anything else has been loaded."""
    code = """
import sys
from archimetra.demo import quay_tide_clock
from archimetra.engine.keys import plan_key
job = quay_tide_clock().job
keys = {plan_key(job, board) for board in job.boards}
print(len(keys) == len(job.boards), *[name for name in ("numba", "scipy", "pyvoronoi", "PySide6") if name in sys.modules])
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.stdout.strip() == "True", done.stdout + done.stderr


def test_the_shipped_fonts_and_icons_carry_their_licence():
    theme = ROOT / "src" / "archimetra" / "app" / "theme"
    assert "SIL OPEN FONT LICENSE" in (theme / "fonts" / "OFL.txt").read_text().upper()
    assert "MIT" in (theme / "icons" / "LICENSE").read_text()
