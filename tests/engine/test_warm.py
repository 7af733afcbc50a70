"""After set-up nothing is compiled in front of a person; where it has to be, it is said."""

from __future__ import annotations

import json
import queue
import subprocess
import sys
import time

import pytest

from archimetra.engine.client import Engine
from archimetra.engine.keys import lean_board, plan_key
from archimetra.engine.messages import BoardPlan, GettingReady
from shapes import job_with, star

# In a process of its own: every signature kernels are called with after ``warm`` that ``warm`` has not called them with. Each
# would be compiled while somebody waits.
LATER = """
import importlib, json, pickle, pkgutil
import numpy as np
from numba.core.dispatcher import Dispatcher
import archimetra
from archimetra.engine import warm

kernels = {}
for module in pkgutil.walk_packages(archimetra.__path__, "archimetra."):
    if module.name.endswith("_kernels"):
        for name, thing in vars(importlib.import_module(module.name)).items():
            if isinstance(thing, Dispatcher):
                kernels[f"{module.name}.{name}"] = thing

def called():
    return {(name, str(signature)) for name, kernel in kernels.items() for signature in kernel.signatures}

for share in warm.steps():
    pass
known, told = called(), []

def look(what):
    told.extend([what, *new] for new in sorted(called() - known))
    known.update(called())

from archimetra.artwork.svg import read_svg
from archimetra.demo import quay_tide_clock
from archimetra.engine.mating import mating_of
from archimetra.engine.planning import plan_board
from archimetra.engine.writing import files_of
from archimetra.output.controllers import controller
from archimetra.output.gcode_reader import read_gcode
from archimetra.stock.timeline import StockTimeline
from archimetra.toolpath.suggest import suggestions
from archimetra.edits.rack import Rack
from archimetra.job.starter_rack import starter_rack

content = quay_tide_clock()
for board in content.job.boards:
    plan = plan_board(content.job, board, {})
    look(f"planning {board.name}")
    plan = pickle.loads(pickle.dumps(plan))
    for file in files_of(content.job, board, plan.run, plan.setups, controller("rs274")):
        read_gcode(file.text)
    look(f"files of {board.name}")
    stock = StockTimeline(board.sheet, plan.run, content.job.bits, cell=1.0, times=plan.times.ends)
    for share in (0.3, 0.1, 1.0):
        stock.seek(plan.times.total * share)
    stock.hollow_section((0, 0), (100, 100), plan.times.total, samples=50)
    look(f"stock of {board.name}")
    suggestions(content.job, board.id, board.shapes, Rack(bits=starter_rack()))
    look(f"offers for {board.name}")
for inlay in content.job.inlays:
    mating_of(content.job, inlay.id, {}).measured()
    look("a mate")
squares = "".join(f'<path fill="none" stroke="#000" d="M{20 * k} 0 L{20 * k + 9} 0 {20 * k + 9} 9 M{20 * k + 9} 9 L{20 * k} 9 {20 * k} 0"/>' for k in range(9))
read_svg(f'<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="20mm" viewBox="0 0 200 20">{squares}</svg>'.encode(), name="x.svg")
look("joining")
import shapely
from archimetra.layout.nest.stages import nest
from archimetra.layout.nest.request import NestPart, NestRequest, NestSheet, KeepClear
sheets = (NestSheet(outline=shapely.box(0, 0, 400, 300), keep_clear=(KeepClear(shapely.box(0, 0, 9, 9), 2.0),)),) * 2
parts = tuple(NestPart(name="p", outline=shapely.Point(0, 0).buffer(r), quantity=30, turns=(0.0, 40.0), may_mirror=True, priority=k) for k, r in enumerate((20, 40)))
nest(NestRequest(parts=parts, sheets=sheets), work=2e8)
look("nesting")
print(json.dumps([sorted({cut.__class__.__name__ for board in content.job.boards for cut in board.cuts}), told]))
"""


def test_after_set_up_no_kind_of_cut_compiles_anything():
    done = subprocess.run([sys.executable, "-c", LATER], capture_output=True, text=True, timeout=240, check=False)
    assert done.returncode == 0, done.stderr
    kinds, told = json.loads(done.stdout.splitlines()[-1])
    assert not told
    assert {"ProfileCut", "PocketCut", "CarveCut", "HoleCut", "EngraveCut", "SlotCut"} <= set(kinds)


@pytest.fixture
def engine(monkeypatch, tmp_path):
    """Workers of somebody at whose machine nothing has been compiled yet, as far as the program knows."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    made = []

    def start():
        events: queue.Queue = queue.Queue()
        made.append(Engine(events.put))
        made[-1].start()
        return made[-1], events

    yield start
    for each in made:
        each.close()


def until_planned(events: queue.Queue, key: str) -> list[float]:
    """The shares told before the plan came."""
    shares, end = [], time.monotonic() + 240
    while True:
        event = events.get(timeout=max(end - time.monotonic(), 0.01))
        if isinstance(event, GettingReady):
            shares.append(event.share)
        if isinstance(event, BoardPlan) and event.key == key:
            return shares


def test_getting_ready_is_told_once_and_the_plan_comes_after(engine):
    job, board, _ = job_with(star())
    key = plan_key(job, lean_board(board))
    first, events = engine()
    first.plan(job, board.id)
    shares = until_planned(events, key)
    assert shares == sorted(shares)
    assert (shares[0], shares[-1]) == (0.0, 1.0)
    assert len(shares) > 5
    again, events = engine()
    again.plan(job, board.id)
    assert until_planned(events, key) == []


def test_a_cache_folder_that_cannot_be_used_costs_no_plan(engine, tmp_path):
    """Where it cannot be noted that all is compiled, it is gone through again, and planning goes on."""
    (tmp_path / "archimetra").write_text("a file where the folder should be")
    job, board, _ = job_with(star())
    for _ in range(2):
        made, events = engine()
        made.plan(job, board.id)
        assert until_planned(events, plan_key(job, lean_board(board)))[-1] == 1.0
