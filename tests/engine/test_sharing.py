"""What is handed from process to process lies in memory once: seen alike from a second process, gone with who keeps it."""

from __future__ import annotations

import gc
import os
import pickle
import subprocess
import sys
from pathlib import Path as FilePath

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from archimetra.demo import quay_tide_clock
from archimetra.engine import sharing
from archimetra.engine.planning import plan_board
from archimetra.engine.sharing import Shared, shared, sweep


def files() -> set[str]:
    return {path.name for path in FilePath("/dev/shm").glob(f"archimetra-{os.getpid()}-{os.getpid()}-*")}


@pytest.fixture(autouse=True)
def clean():
    """Nothing that another test of this process has left is counted."""
    gc.collect()
    for name in files():
        (FilePath("/dev/shm") / name).unlink(missing_ok=True)


@pytest.fixture(scope="module")
def plan():
    job = quay_tide_clock().job
    return plan_board(job, job.boards[0], {})


def assert_same(a, b):
    assert np.array_equal(a.run.xyz, b.run.xyz)
    assert np.array_equal(a.times.ends, b.times.ends)
    assert a.findings == b.findings
    for p, q in zip(a.cuts, b.cuts, strict=True):
        for name in ("xyz", "kind", "centre", "feed", "role", "pass_no"):
            assert np.array_equal(getattr(p.toolpath, name), getattr(q.toolpath, name))
        assert p.toolpath.marks == q.toolpath.marks


def test_a_plan_comes_out_as_it_went_in_and_its_moves_lie_there_once(plan):
    packed = shared(plan, owner=os.getpid()).keep()
    again = pickle.loads(pickle.dumps(packed)).unpacked()
    assert_same(again, plan)
    arrays = sum(
        a.nbytes for a in (plan.run.xyz, plan.run.kind, plan.run.centre, plan.run.feed, plan.run.role, plan.run.pass_no)
    )
    arrays += plan.run.block.nbytes + plan.times.ends.nbytes
    outlines = sum(ring.nbytes for p in plan.cuts for ring in p.toolpath.outlines)
    size = (FilePath("/dev/shm") / next(iter(files()))).stat().st_size
    assert size < 1.2 * (arrays + outlines)  # twice the moves of the cuts would be nearly twice that
    assert packed.bytes_sent < 0.05 * size  # and what goes through the pipe is no array
    with pytest.raises(ValueError, match="read-only"):
        again.run.xyz[0, 0] = 1.0


def test_the_moves_of_each_cut_are_a_stretch_of_the_run(plan):
    for planned in plan.cuts:
        assert planned.toolpath.xyz.base is not None
        assert np.shares_memory(planned.toolpath.xyz, plan.run.xyz)


def test_a_second_process_sees_it_and_keeps_seeing_what_it_has_seen_when_it_is_given_up():
    big = np.arange(100_000.0)
    packed = shared({"a": big, "part": big[10:20], "words": "as they are"}, owner=os.getpid()).keep()
    there = subprocess.Popen(
        [sys.executable, "-c", "import sys,pickle; p=pickle.load(sys.stdin.buffer); t=p.unpacked(); print('seen', flush=True);"
         "sys.stdin.buffer.read(); print(t['a'].sum(), t['part'].tolist(), t['words'])"],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE,
    )  # fmt: skip
    there.stdin.write(pickle.dumps(packed))
    there.stdin.flush()
    assert there.stdout.readline() == b"seen\n"
    assert len(files()) == 1
    del packed
    gc.collect()
    assert files() == set()
    there.stdin.close()
    assert there.stdout.read().decode().split(" ", 1) == [f"{big.sum()}", f"{big[10:20].tolist()} as they are\n"]
    there.stdout.close()
    assert there.wait(10) == 0


def test_what_is_given_up_before_it_is_looked_at_is_told():
    packed = shared(np.zeros(10_000), owner=os.getpid()).keep()
    sent = pickle.dumps(packed)
    del packed
    gc.collect()
    with pytest.raises(FileNotFoundError):
        pickle.loads(sent).unpacked()


def test_what_nobody_keeps_goes_with_its_owner():
    mine = shared(np.zeros(10_000), owner=os.getpid()).keep()
    theirs = shared(np.ones(10_000), owner=4_000_000_000)  # no process has that number
    sweep(lambda owner: owner != 4_000_000_000)
    assert mine.unpacked().sum() == 0
    with pytest.raises(FileNotFoundError):
        theirs.unpacked()
    assert sharing.is_running(os.getpid())
    ended = subprocess.Popen([sys.executable, "-c", ""])
    ended.wait()
    assert not sharing.is_running(ended.pid)


def test_where_there_is_no_room_it_travels_in_the_message(monkeypatch):
    def full(*args):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(sharing.os, "posix_fallocate", full)
    packed = shared({"a": np.arange(50_000.0)}, owner=os.getpid())
    assert files() == set()
    assert pickle.loads(pickle.dumps(packed)).unpacked()["a"].sum() == np.arange(50_000.0).sum()
    assert packed.bytes_sent > 400_000


@given(
    st.lists(st.tuples(st.integers(0, 90), st.integers(0, 60), st.booleans()), min_size=0, max_size=8),
    st.lists(st.integers(0, 2000), max_size=4),
)
def test_stretches_of_one_array_overlapping_as_they_like(cuts, sizes):
    base = np.arange(150.0)
    things = [base[a : a + n] if not turned else base[a : a + n][::-1] for a, n, turned in cuts]
    things += [np.arange(n, dtype=np.uint8) for n in sizes]
    packed = shared(things, owner=os.getpid()).keep()
    for a, b in zip(packed.unpacked(), things, strict=True):
        assert np.array_equal(a, b)
        assert a.dtype == b.dtype
    assert isinstance(packed, Shared)
