"""Workers plan what is asked, drop what is stale, come back after dying; work survives a crash."""

from __future__ import annotations

import json
import os
import queue
import signal
import subprocess
import sys
import time
from pathlib import Path as FilePath

import numpy as np
import pytest

from archimetra.artwork.drawing import Drawing, DrawnLayer, DrawnShape, Scale
from archimetra.base.errors import CancelledError
from archimetra.checks.board_checks import check_board
from archimetra.demo import quay_tide_clock
from archimetra.edits import basic as edits
from archimetra.edits import cutting, layering, placement, placing
from archimetra.engine.autosave import Autosave, discard, left_by_crashes
from archimetra.engine.client import MOST_TRIES, Engine
from archimetra.engine.keys import geometry_key, lean_board, plan_key
from archimetra.engine.messages import (
    BoardPlan,
    MateMade,
    MateRequest,
    Moment,
    MomentRequest,
    PlanProgress,
    StockReady,
    WorkerFailed,
)
from archimetra.engine.planning import plan_board
from archimetra.geometry.affine import Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Entry, Overrides, Side, Tabs
from archimetra.job.file import JobFile
from archimetra.job.ids import ShapeId
from archimetra.job.job import new_job, with_boards
from archimetra.job.sheet import HoldDown, Machine, Sheet
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.moves import Move
from events import Events
from plain_clock import plain_clock
from shapes import blob, job_with, replace, star, straight_bit


@pytest.fixture
def engine():
    events = Events()
    made = Engine(events.queue.put)
    made.start()
    yield made, events
    made.close()


class TestKeys:
    def test_what_does_not_change_a_path_does_not_change_its_key(self):
        job, board, cut = job_with(star())
        before = plan_key(job, lean_board(board))
        noted = edits.change_cut(job, cut.id, "", notes="sharp bit").job
        assert plan_key(noted, lean_board(noted.boards[0])) == before
        layer = layering.change_layer(job, board.id, board.layers[0].id, "", name="other").job
        assert plan_key(layer, lean_board(layer.boards[0])) == before

    @pytest.mark.parametrize(
        "change",
        [
            {"end_depth": 3.0, "goes_through": False},
            {"side": Side.INSIDE},
            {"tabs": Tabs(count=1)},
            {"ramp_degrees": 5.0},
        ],
    )
    def test_what_changes_a_path_changes_its_key(self, change):
        job, board, cut = job_with(star())
        other = edits.change_cut(job, cut.id, "", **change).job.boards[0]
        assert geometry_key(resolve(job, other, other.cuts[0])) != geometry_key(resolve(job, board, cut))

    def test_moving_one_shape_replans_only_the_cuts_that_take_it(self):
        content = plain_clock()
        board = content.job.boards[0]
        cache: dict = {}
        plan_board(content.job, board, cache)
        before = dict(cache)
        moved = placing.map_shapes(content.job, board.id, [board.cuts[0].shapes[0]], Affine.shift(1, 0)).job
        plan_board(moved, moved.boards[0], cache)
        assert len(cache) == len(before)  # it is the same plan elsewhere
        turned = placing.map_shapes(content.job, board.id, [board.cuts[0].shapes[0]], Affine.turn(3)).job
        plan_board(turned, turned.boards[0], cache)
        assert len(cache) == len(before) + 1


class TestWorkers:
    def test_a_board_is_planned_swept_and_sought_in_other_processes(self, engine):
        made, events = engine
        content = plain_clock()
        board = content.job.boards[0]
        made.plan(content.job, board.id)
        plan, key = events.wait(BoardPlan), plan_key(content.job, lean_board(board))
        assert plan.key == key
        here = plan_board(content.job, board, {})
        assert np.array_equal(plan.run.xyz, here.run.xyz)
        assert plan.times.total == here.times.total
        made.show_stock(plan, content.job, board)
        ready = events.wait(StockReady)
        made.seek(MomentRequest(ready.duration, ((0, 160), (320, 160)), 3201))
        moment = events.wait(Moment)
        assert moment.key == plan.run_key
        assert moment.heights.min() == pytest.approx(-18.5)
        pixels = np.ndarray(ready.shape, np.uint32, buffer=made.pixels.buf)
        assert (pixels >> 24 == 255).all()
        del pixels

    def test_a_newer_request_stops_an_older_one(self, engine):
        made, events = engine
        many = [blob(k, 8).transform(Affine.shift(30 * (k % 12), 30 * (k // 12))) for k in range(96)]
        sheet = Sheet(width=600, height=400, readings=(12.0,))
        slow, _, _ = job_with(*many, sheet=sheet, bit=straight_bit(2.0), run=Overrides(depth_per_pass=0.05))
        quick, _, _ = job_with(star())
        made.plan(slow, slow.boards[0].id)
        events.wait(PlanProgress)
        made.plan(quick, quick.boards[0].id)
        assert events.wait(BoardPlan).key == plan_key(
            quick, lean_board(quick.boards[0])
        )  # the older plan never arrives
        with pytest.raises(queue.Empty):
            events.wait(BoardPlan, seconds=0.7)

    def test_a_worker_that_dies_is_started_again_and_told_what_is_wanted(self, engine):
        made, events = engine
        job, board, _ = job_with(star())
        made.plan(job, board.id)
        events.wait(BoardPlan)
        os.kill(made._planner._process.pid, signal.SIGKILL)
        assert "started again" in events.wait(WorkerFailed).sentence
        assert events.wait(BoardPlan).board == board.id

    def test_a_stock_worker_that_dies_shows_the_moment_again_by_itself(self, engine):
        made, events = engine
        job, board, _ = job_with(star())
        made.plan(job, board.id)
        plan = events.wait(BoardPlan)
        made.show_stock(plan, job, board)
        x, y, _ = plan.run.xyz[np.argmin(plan.run.xyz[:, 2])]
        line = ((x - 20.0, y), (x + 20.0, y))
        made.seek(MomentRequest(plan.times.total, line, 101))
        events.wait(Moment)
        for seconds in (3.0, plan.times.total):
            made.seek(MomentRequest(seconds, line, 101))
            os.kill(made._stock._process.pid, signal.SIGKILL)
            events.wait(WorkerFailed)
            moment = events.wait(Moment, where=lambda m, s=seconds: m.seconds == s)
            assert moment.key == plan.run_key
        assert moment.heights.min() < -1.0  # the cut is there again, not a bare sheet

    def test_a_stock_that_stands_is_not_built_again_but_said_again(self, engine):
        made, events = engine
        job, board, _ = job_with(star())
        made.plan(job, board.id)
        plan = events.wait(BoardPlan)
        made.show_stock(plan, job, board)
        first = events.wait(StockReady)
        renamed = edits.change_job(edits.change_board(job, board.id, "", name="Other").job, "", name="Other").job
        made.plan(renamed, board.id)
        again = events.wait(BoardPlan)
        assert again.key != plan.key
        made.show_stock(again, renamed, renamed.boards[0])
        assert events.wait(StockReady) is first
        deeper = edits.change_board(job, board.id, "", sheet=replace(board.sheet, readings=(25.0,))).job
        made.plan(deeper, board.id)
        other = events.wait(BoardPlan)
        made.show_stock(other, deeper, deeper.boards[0])
        assert events.wait(StockReady).key == other.run_key != first.key

    def test_what_was_to_follow_a_plan_comes_though_the_planner_died(self, engine):
        made, events = engine
        job, board, _ = job_with(star())
        made.plan(job, board.id)
        events.wait(BoardPlan)
        os.kill(made._planner._process.pid, signal.SIGSTOP)
        made.mate(MateRequest(0, "key", job, "inlay1", ((0, 0), (1, 1)), 10))
        os.kill(made._planner._process.pid, signal.SIGKILL)
        events.wait(WorkerFailed)
        assert "not in the job any more" in events.wait(MateMade).problem

    def test_a_request_that_kills_its_worker_is_not_sent_for_ever(self, engine):
        made, events = engine
        many = [blob(k, 8).transform(Affine.shift(30 * (k % 12), 30 * (k // 12))) for k in range(96)]
        sheet = Sheet(width=600, height=400, readings=(12.0,))
        slow, _, _ = job_with(*many, sheet=sheet, bit=straight_bit(2.0), run=Overrides(depth_per_pass=0.05))
        made.plan(slow, slow.boards[0].id)
        said = []
        for _ in range(MOST_TRIES):
            events.wait(PlanProgress)
            os.kill(made._planner._process.pid, signal.SIGKILL)
            said.append(events.wait(WorkerFailed).sentence)
        assert "not asked again" in said[-1]
        assert all("started again" in sentence for sentence in said[:-1])
        with pytest.raises(queue.Empty):
            events.wait(PlanProgress, seconds=2.0)
        quick, _, _ = job_with(star())
        made.plan(quick, quick.boards[0].id)  # and another board is planned as ever
        assert events.wait(BoardPlan).key == plan_key(quick, lean_board(quick.boards[0]))

    def test_closing_twice_is_harmless(self, engine):
        made, _ = engine
        made.close()
        made.close()
        assert made.plan(new_job(), new_job().boards[0].id) is None

    def test_cancelling_leaves_the_planner_at_once(self):
        job, board, _ = job_with(star())

        def stop(*_: object) -> None:
            raise CancelledError

        with pytest.raises(CancelledError):
            plan_board(job, board, {}, stop)


class TestAutosave:
    def test_the_newest_job_is_written_and_forgotten_once_saved(self, tmp_path):
        autosave = Autosave(tmp_path, delay_s=0.01)
        content = plain_clock()
        autosave.note(JobFile(new_job()), "")
        autosave.note(content, "/somewhere/clock.archimetra")
        end = time.monotonic() + 10
        while not list(tmp_path.glob("*.recovery")) and time.monotonic() < end:
            time.sleep(0.01)
        assert left_by_crashes(tmp_path) == []  # its process still runs
        autosave.close()
        assert list(tmp_path.iterdir()) == []

    def test_what_a_killed_process_was_working_on_is_found_again(self, tmp_path):
        code = (
            "import sys, time, pathlib\n"
            "from archimetra.demo import quay_tide_clock\n"
            "from archimetra.engine.autosave import Autosave\n"
            "a = Autosave(pathlib.Path(sys.argv[1]), delay_s=0.01)\n"
            "a.note(quay_tide_clock(), '/x/clock.archimetra')\n"
            "while not list(pathlib.Path(sys.argv[1]).glob('*.recovery')): time.sleep(0.01)\n"
            "print('written', flush=True)\n"
            "time.sleep(60)\n"
        )
        with subprocess.Popen(
            [sys.executable, "-c", code, str(tmp_path)], stdout=subprocess.PIPE, text=True
        ) as process:
            assert process.stdout.readline().strip() == "written"
            process.send_signal(signal.SIGKILL)
        found = left_by_crashes(tmp_path)
        assert [r.saved_as for r in found] == ["/x/clock.archimetra"]
        assert found[0].content.job == quay_tide_clock().job
        discard(found[0])
        assert left_by_crashes(tmp_path) == []

    def test_unreadable_leftovers_are_passed_over_and_kept(self, tmp_path):
        (tmp_path / "1-a.recovery").write_bytes(b"junk")
        (tmp_path / "1-a.json").write_text(json.dumps({"pid": 2**22 + 5}))
        assert left_by_crashes(tmp_path) == []
        assert (tmp_path / "1-a.recovery").exists()
        assert left_by_crashes(FilePath(tmp_path / "none")) == []

    def test_noting_a_change_never_waits_for_the_disk(self, tmp_path, monkeypatch):
        """Whoever edits while a slow disk is written goes on at once, and so do saving and giving up."""
        writing = []

        def slow(path, data, **_settings) -> None:
            writing.append(path)
            time.sleep(0.4)
            FilePath(path).write_bytes(data)

        monkeypatch.setattr("archimetra.engine.autosave.write_safely", slow)
        autosave = Autosave(tmp_path, delay_s=0.01)
        worst = 0.0
        for k in range(40):
            begun = time.perf_counter()
            autosave.note(JobFile(new_job()), f"{k}")
            if k % 10 == 9:
                autosave.forget()
                autosave.note(JobFile(new_job()), f"{k}")
            worst = max(worst, time.perf_counter() - begun)
            time.sleep(0.02)
        assert writing
        assert worst < 0.3  # the writer takes 0.4 s each time
        autosave.close(keep=True)
        note = json.loads(next(tmp_path.glob("*.json")).read_text())
        assert note["saved_as"] == "39"  # the newest, although others were being written

    def test_given_up_while_it_is_being_written_nothing_stays(self, tmp_path, monkeypatch):
        def slow(path, data, **_settings) -> None:
            time.sleep(0.2)
            FilePath(path).write_bytes(data)

        monkeypatch.setattr("archimetra.engine.autosave.write_safely", slow)
        autosave = Autosave(tmp_path, delay_s=0.0)
        autosave.note(JobFile(new_job()), "")
        time.sleep(0.1)
        autosave.forget()
        end = time.monotonic() + 5
        while time.monotonic() < end and (autosave._is_given_up or list(tmp_path.iterdir())):
            time.sleep(0.05)
        assert list(tmp_path.iterdir()) == []
        autosave.close()

    def test_a_folder_that_cannot_be_written_is_a_sentence_not_a_crash(self, tmp_path):
        blocked = tmp_path / "file"
        blocked.write_text("")
        told = []
        autosave = Autosave(blocked / "inner", delay_s=0.01, on_problem=told.append)
        autosave.note(JobFile(new_job()), "")
        end = time.monotonic() + 5
        while not autosave.problem and time.monotonic() < end:
            time.sleep(0.01)
        autosave.close()
        assert "cannot be kept aside" in autosave.problem
        assert told == [autosave.problem]


class TestChecks:
    SHEET = Sheet(width=400.0, height=300.0, readings=(12.0,))

    def codes(self, *paths: Path, job_change=lambda job: job, **cut) -> set[str]:
        cut.setdefault("sheet", self.SHEET)
        job, _, _ = job_with(*paths, **cut)
        job = job_change(job)
        plan = plan_board(job, job.boards[0], {})
        return {finding.code for finding in plan.findings}

    def test_a_sound_job_has_no_findings(self):
        assert self.codes(Path.rectangle(0, 0, 150, 100)) == set()

    @pytest.mark.parametrize(
        ("cut", "code"),
        [
            ({"goes_through": False, "end_depth": 13.0}, "too-deep"),
            ({"goes_through": False, "end_depth": 0.0}, "depth-zero"),
            ({"tabs": Tabs(count=0)}, "loose-part"),
            ({"tabs": Tabs(count=2, thickness=12.0)}, "tab-thick"),
            ({"bit": straight_bit(6.0, cutting_length=8.0)}, "bit-too-short"),
            ({"bit": straight_bit(6.0, can_plunge=False), "entry": Entry.PLUNGE}, "no-plunge"),
            ({"run": Overrides(spindle_rpm=50_000.0)}, "spindle-limit"),
            ({"run": Overrides(feed=9_000.0)}, "feed-limit"),
            ({"run": Overrides(depth_per_pass=100.0)}, "pass-too-deep"),
            ({"sheet": Sheet(width=120.0, height=90.0, readings=(12.0,))}, "off-sheet"),
        ],
    )
    def test_each_trap_is_told(self, cut, code):
        assert code in self.codes(Path.rectangle(0, 0, 150, 100), **cut)

    def test_taped_work_needs_no_tabs(self):
        sheet = replace(self.SHEET, hold_down=HoldDown.TAPED)
        assert self.codes(star(), sheet=sheet, tabs=Tabs(count=0)) == set()

    def test_a_hole_too_small_to_leave_a_piece_needs_no_tabs(self):
        assert self.codes(Path.circle((0, 0), 5.5), side=Side.INSIDE, tabs=Tabs(count=0)) == set()
        assert self.codes(Path.circle((0, 0), 9), side=Side.INSIDE, tabs=Tabs(count=0)) == {"loose-part"}

    def test_out_of_travel_and_that_a_quarter_turn_would_fit(self):
        def small(job):
            return replace(job, machine=Machine(travel_x=310.0, travel_y=500.0))

        part = Path.rectangle(0, 0, 380, 100)
        assert "out-of-travel" in self.codes(part, job_change=small)
        job, _, _ = job_with(part, sheet=self.SHEET)
        told = plan_board(small(job), job.boards[0], {}).findings
        assert "quarter" in next(f for f in told if f.code == "out-of-travel").fix
        turned = edits.turn_quarter(small(job), job.boards[0].id).job
        assert not {"out-of-travel"} & {f.code for f in plan_board(turned, turned.boards[0], {}).findings}

    def test_an_outline_before_its_inside_is_told_and_the_other_order_is_not(self):
        content = plain_clock()
        board = content.job.boards[0]
        assert {f.code for f in plan_board(content.job, board, {}).findings} == set()
        job = edits.reorder_cut(content.job, board.id, board.cuts[-1].id, 0).job
        told = [f for f in plan_board(job, job.boards[0], {}).findings if f.code == "order-inside"]
        assert {f.subject for f in told} == {cut.id for cut in board.cuts[:-1]}

    def test_work_in_a_notch_of_the_outline_is_not_inside_it(self):
        notched = Path.polyline([(0, 0), (200, 0), (200, 50), (50, 50), (50, 200), (0, 200)], closed=True)
        job, board, cut = job_with(notched, sheet=self.SHEET)
        drawn = DrawnShape("knob", 0, (Path.circle((120, 120), 20),), FillRule.NONZERO, True, None, 1)
        edit, ids = placement.place_drawing(
            job, board.id, Drawing("knob", (DrawnLayer("all"),), (drawn,), Scale("mm", 1.0, "", True), None, ())
        )
        place = board.shapes[0].at
        edit = placing.map_shapes(
            edit.job, board.id, ids, edit.job.boards[0].shape(ids[0]).at.inverse().then(place), label="beside"
        )
        edit, _ = edits.add_profile(edit.job, board.id, ids, name="Knob")
        codes = {f.code for f in plan_board(edit.job, edit.job.boards[0], {}).findings}
        assert "order-inside" not in codes
        into = placing.map_shapes(edit.job, board.id, ids, Affine.shift(-95, -95), label="into the wood").job
        into = cutting.reorder_cut(into, board.id, cut.id, 0).job  # left to itself it would run last
        codes = {f.code for f in plan_board(into, into.boards[0], {}).findings}
        assert "order-inside" in codes
        assert cut.is_on

    def test_an_outline_drawn_twice_is_cut_once_and_told(self):
        job, board, cut = job_with(star(), sheet=self.SHEET)
        once = plan_board(job, board, {})
        twin = replace(board.shapes[0], id=ShapeId("twin"), name="twin")
        board = replace(board, shapes=(*board.shapes, twin), cuts=(replace(cut, shapes=(*cut.shapes, twin.id)),))
        twice = plan_board(with_boards(job, (board,)), board, {})
        assert twice.times.total == pytest.approx(once.times.total)
        told = [f for f in twice.findings if f.code == "drawn-twice"]
        assert len(told) == 1
        assert "'twin'" in told[0].sentence

    def test_the_guard_against_rapids_in_wood_works(self):
        job, board, _ = job_with(star())
        plan = plan_board(job, board, {})
        kind = plan.run.kind.copy()
        kind[np.flatnonzero(plan.run.xyz[:, 2] < -5)[3]] = Move.RAPID
        broken = replace(plan.run, kind=kind)
        assert "rapid-in-stock" in {f.code for f in check_board(job, board, broken)}

    def test_a_cut_switched_off_is_neither_cut_nor_told(self):
        job, _, cut = job_with(star(), sheet=self.SHEET, tabs=Tabs(count=0))
        job = edits.change_cut(job, cut.id, "", is_on=False).job
        plan = plan_board(job, job.boards[0], {})
        assert not plan.run.blocks
        assert plan.findings == ()


def test_shapes_of_paths_of_every_length_are_checked():
    """Letters and the like: outlines with different numbers of points in one shape."""
    from archimetra.edits import cutting

    job, board, outline = job_with(Path.rectangle(0, 0, 200, 150))
    late = (Path.circle((60, 60), 9), star(5, 12, 6, at=(100, 60)))
    edit, ids = placement.place_drawing(
        job, board.id, Drawing("late", (DrawnLayer("all"),), (DrawnShape("late", 0, late, FillRule.NONZERO, True, None, 1),),
                               Scale("mm", 1.0, "", True), None, ())
    )  # fmt: skip
    edit, _ = edits.add_profile(edit.job, board.id, ids, name="Late")
    job = cutting.reorder_cut(edit.job, board.id, outline.id, 0).job
    assert "order-inside" in {f.code for f in plan_board(job, job.boards[0], {}).findings}


def test_plans_are_kept_by_what_they_take_and_a_giant_is_no_error():
    from cachetools import LRUCache

    from archimetra.engine.planner_process import bytes_of
    from archimetra.engine.planning import plan_board as plan
    from plain_clock import plain_clock

    job = plain_clock().job
    planned = {}
    plan(job, job.boards[0], planned)
    sizes = [bytes_of(each) for each in planned.values()]
    for size, each in zip(sizes, planned.values(), strict=True):
        assert size >= each.toolpath.xyz.nbytes + each.toolpath.feed.nbytes
    cache = LRUCache(min(sizes), getsizeof=lambda each: min(bytes_of(each), min(sizes)))
    for key, each in planned.items():
        cache[key] = each
    assert len(cache) == 1
