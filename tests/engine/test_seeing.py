"""What the stock worker draws beside the plan, what is done while nobody waits, moments of places, costs of orders, films."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image

from archimetra.cli import main
from archimetra.edits import cutting
from archimetra.engine.client import Engine
from archimetra.engine.keys import lean_board, lean_job, plan_key
from archimetra.engine.messages import (
    BoardPlan,
    Closer,
    CloserRequest,
    Moment,
    MomentRequest,
    StandingMade,
    StockReady,
    StockRequest,
    Thumb,
    ThumbRequest,
    Tilted,
    TiltRequest,
    TrialRequest,
    TrialsMade,
    picture_levels,
)
from archimetra.engine.moments import moment_at, surroundings, visits
from archimetra.engine.planning import plan_board
from archimetra.engine.reordering import cost_of_order
from archimetra.engine.stock_process import _Inbox
from archimetra.engine.tilting import chain_of
from archimetra.geometry.path import Path
from archimetra.job.file import JobFile, save_job
from archimetra.job.sheet import Sheet
from archimetra.stock.timeline import StockTimeline
from archimetra.stock.viewpoint import Around, View, fitting
from events import Events
from plain_clock import plain_clock
from shapes import job_with, replace, star


@pytest.fixture(scope="module")
def seen():
    """An engine whose stock worker shows the finished clock."""
    events = Events()
    made = Engine(events.queue.put)
    made.start()
    content = plain_clock()
    board = content.job.boards[0]
    made.plan(content.job, board.id)
    plan = events.wait(BoardPlan)
    made.show_stock(plan, content.job, board)
    ready = events.wait(StockReady)
    made.seek(MomentRequest(ready.duration, ((0, 160), (320, 160)), 101))
    events.wait(Moment)
    yield made, events, content.job, board, plan
    made.close()


class TestPictures:
    @pytest.mark.parametrize("is_fine", [True, False])
    def test_tilted_in_turns_into_two_halves_of_the_memory(self, seen, is_fine):
        made, events, job, board, plan = seen
        size = (320, 180)
        around = surroundings(job, board, plan, plan.times.total / 2, bed_colour="#CFC6B2")
        offsets = []
        for number, turn in enumerate((0.0, 90.0), 1):
            made.tilt(TiltRequest(number, fitting(board.sheet, turn, 40.0, size), size, is_fine, around, 0xFF101010))
            drawn = events.wait(Tilted)
            assert (drawn.number, drawn.size, drawn.is_fine) == (number, size, is_fine)
            pixels = np.ndarray((size[1], size[0]), np.uint32, buffer=made.pictures.buf, offset=drawn.offset).copy()
            assert len(np.unique(pixels)) > 300
            offsets.append(drawn.offset)
        assert len(set(offsets)) == 2

    def test_closer_at_the_moment_that_is_shown(self, seen):
        made, events, job, board, plan = seen
        made.show_stock(plan, job, board)  # another test may have shown another
        ready = events.wait(StockReady)
        made.seek(MomentRequest(ready.duration, ((0, 160), (320, 160)), 101))
        events.wait(Moment)
        made.look_closer(CloserRequest(7, (100.0, 100.0, 140.0, 130.0), 0.05))
        close = events.wait(Closer)
        assert (close.number, close.key, close.seconds) == (7, plan.run_key, plan.times.total)
        assert close.extent == pytest.approx((100.0, 100.0, 140.0, 130.0))
        assert close.pixels.shape == (600, 800)
        made.look_closer(CloserRequest(8, (-50.0, -50.0, 1.0, 1.0), 0.5))
        assert events.wait(Closer).extent == pytest.approx((0.0, 0.0, 1.0, 1.0))

    def test_small_pictures_of_boards_that_are_not_shown(self, seen):
        made, events, *_ = seen
        job, board, _ = job_with(star(), sheet=Sheet(width=200, height=100, readings=(6.0,)))
        plan = plan_board(job, board, {})
        made.draw_thumb(plan, job, board, 60)
        thumb = events.wait(Thumb)
        assert (thumb.board, thumb.key) == (board.id, plan.run_key)
        assert thumb.pixels.shape[1] == pytest.approx(2 * thumb.pixels.shape[0], abs=1)
        assert 60 <= thumb.pixels.shape[1] <= 240

    def test_the_memory_always_holds_the_board_that_is_shown(self, seen):
        """Whatever was shown in between, painted or not: the picture is the one of a chain that painted nothing else."""
        made, events, job, board, plan = seen
        other, there, _ = job_with(star(), sheet=Sheet(width=120, height=100, readings=(6.0,)))
        plan2 = plan_board(other, there, {})
        cut = board.cuts[0]
        edited = cutting.change_cut(job, cut.id, "", end_depth=0.4).job
        plan3 = plan_board(edited, edited.boards[0], {})
        half = plan.times.total / 2
        boards = {
            "dial": (plan, job, board),
            "other": (plan2, other, there),
            "edited": (plan3, edited, edited.boards[0]),
        }
        steps = [
            ("dial", None), ("other", 0.0), ("dial", half), ("edited", None), ("dial", half), ("edited", half), ("edited", 9e9), ("other", 9e9),
            ("edited", 9e9), ("dial", half), ("dial", 9e9),
        ]  # fmt: skip
        for name, seconds in steps:
            made.show_stock(*boards[name])
            ready = events.wait(StockReady)
            assert ready.key == boards[name][0].run_key
            if seconds is None:  # gone on to another before it was painted
                continue
            made.seek(MomentRequest(seconds, ((0, 50), (100, 50)), 11))
            events.wait(Moment)
            drawn = self._drawn(made, ready.shape)
            fresh = chain_of(boards[name][1], boards[name][2], boards[name][0])
            fresh.seek(min(seconds, ready.duration))
            levels = [np.zeros_like(level) for level in drawn]
            fresh.paint(levels, fresh.grid.all)
            for got, want in zip(drawn, levels, strict=True):
                far = np.abs(got.view(np.uint8).astype(int) - want.view(np.uint8)).max()
                assert far <= 2, (name, seconds, far)

    @staticmethod
    def _drawn(made, shape):
        return [
            np.ndarray(size, np.uint32, buffer=made.pixels.buf, offset=offset).copy()
            for size, offset in picture_levels(shape)
        ]

    def test_an_edited_run_paints_only_where_it_differs(self, seen):
        made, events, job, board, plan = seen
        hole = next(cut for cut in board.cuts if cut.name == "Arbor hole")
        edited = cutting.change_cut(job, hole.id, "", goes_through=False, end_depth=2.0).job
        for each in ((plan, job, board), (plan_board(edited, edited.boards[0], {}), edited, edited.boards[0])):
            made.show_stock(*each)
            events.wait(StockReady)
            made.seek(MomentRequest(9e9, ((0, 160), (320, 160)), 11))
            box = events.wait(Moment).box
        assert box is not None
        x0, y0, x1, y1 = (v * 0.2 for v in box)
        assert x0 < 160 < x1
        assert y0 < 160 < y1
        assert (x1 - x0) * (y1 - y0) < 0.25 * 320 * 320


class TestNear:
    """A tilted picture of a near place is drawn in cells as small as its pixels."""

    @pytest.mark.parametrize("turn", [0.0, 37.0, 200.0])
    @pytest.mark.parametrize("middle", [(60.0, 50.0), (2.0, 3.0), (118.0, 97.0), (95.0, 50.0)])
    def test_it_is_the_picture_of_a_stock_that_is_as_fine_everywhere(self, turn, middle):
        job, board, _ = job_with(star(), sheet=Sheet(width=120, height=100, readings=(6.0,)), end_depth=4.0)
        plan = plan_board(job, board, {})
        view = View(turn, 35.0, middle, 10.0)
        request = TiltRequest(0, view, (300, 200), True, Around(bed=(-20.0, -20.0, 160.0, 140.0)), 0xFF102030)
        drawn = []
        for cell in (0.5, 0.1):
            chain = chain_of(job, board, plan, cell=cell)
            chain.seek(0.8 * plan.times.total)
            levels = [np.zeros(chain.grid.shape, np.uint32)]
            chain.paint(levels, chain.grid.all)
            drawn.append(chain.tilted(request, levels).view(np.uint8).reshape(200, 300, 4)[:, :, :3].astype(int))
            assert (chain._close is None) == (cell == 0.1)
        apart = np.abs(drawn[0] - drawn[1]).max(axis=2)
        assert (apart > 24).mean() < 0.02  # at edges alone
        assert np.median(apart) <= 3

    def test_what_a_picture_shows_of_the_ground_is_all_it_asks_for(self):
        """Points of the board that come into the picture, by brute force, lie in the box it names."""
        rng = np.random.default_rng(3)
        for _ in range(40):
            view = View(rng.uniform(0, 360), rng.uniform(8, 90), tuple(rng.uniform(-50, 400, 2)), rng.uniform(0.5, 20))
            x0, y0, x1, y1 = view.ground((300, 200), 18.0)
            middle, reach = np.array(view.middle), 1.5 * max(x1 - x0, y1 - y0)
            points = np.column_stack(
                (rng.uniform(-reach, reach, (4000, 2)) + middle, rng.uniform(-18.0, 0.0, 4000))
            )  # fmt: skip
            x, y, _ = view.to_screen(points, (300, 200)).T
            seen = points[(x > 0) & (x < 300) & (y > 0) & (y < 200)]
            assert (seen[:, 0] >= x0 - 1e-9).all()
            assert (seen[:, 0] <= x1 + 1e-9).all()
            assert (seen[:, 1] >= y0 - 1e-9).all()
            assert (seen[:, 1] <= y1 + 1e-9).all()
            assert len(seen) > 5


def test_the_most_urgent_of_what_waits_is_answered_first():
    class Pipe:
        def __init__(self, *requests):
            self.requests = list(requests)

        def poll(self):
            return bool(self.requests)

        def recv(self):
            return self.requests.pop(0)

    stock = StockRequest("k", Sheet(width=10, height=10, readings=(5,)), None, ())
    around = Around()
    view = fitting(stock.sheet, 0.0, 40.0, (100, 100))
    inbox = _Inbox(
        Pipe(
            ThumbRequest("b", stock, 60), ThumbRequest("a", stock, 60), CloserRequest(1, (0, 0, 1, 1), 0.1), ThumbRequest("b", stock, 61),
            TiltRequest(1, view, (100, 100), True, around, 0), MomentRequest(1.0, ((0, 0), (1, 0)), 2), TiltRequest(2, view, (100, 100), True, around, 0),
            stock, MomentRequest(2.0, ((0, 0), (1, 0)), 2),
        )
    )  # fmt: skip
    got = [inbox.next() for _ in range(6)]
    assert [type(r).__name__ for r in got] == [
        "StockRequest",
        "MomentRequest",
        "TiltRequest",
        "CloserRequest",
        "ThumbRequest",
        "ThumbRequest",
    ]
    assert got[1].seconds == 2.0
    assert got[2].number == 2
    assert {(r.board, r.width) for r in got[4:]} == {("a", 60), ("b", 61)}


class TestMeanwhile:
    def test_other_boards_are_planned_and_measured_and_give_way(self, seen):
        made, events, job, board, plan = seen
        other, there, _ = job_with(star())
        made.plan_quietly(other, there.id)
        assert events.wait(BoardPlan).key == plan_key(other, lean_board(there))
        made.measure_standing(plan, job, board)
        standing = events.wait(StandingMade)
        assert (standing.board, standing.key) == (board.id, plan.key)
        many = [Path.circle((9 * (k % 40), 9 * (k // 40)), 4) for k in range(800)]
        slow, wide, _ = job_with(*many, sheet=Sheet(width=600, height=400, readings=(12.0,)))
        made.plan_quietly(slow, wide.id)
        made.plan(other, there.id)
        assert events.wait(BoardPlan).key == plan_key(other, lean_board(there))
        made.plan_quietly(slow, wide.id)  # an answer comes in any case
        made.measure_standing(plan, job, board)
        got = {type(events.queue.get(timeout=30)).__name__ for _ in range(2)}
        assert got <= {"QuietDropped", "BoardPlan", "StandingMade"}

    def test_a_cut_tried_another_way_beside_itself(self, seen):
        made, events, job, board, _ = seen
        cut = board.cuts[0]
        bit = next(b for b in job.bits if b.id == cut.bit)
        slow = cutting.override(job, (cut.id,), "feed", cut.recipe(bit, board.sheet.material).feed / 2).job
        made.plan(job, board.id)
        events.wait(BoardPlan)
        boards = lean_board(board), lean_board(slow.boards[0])
        made.try_versions(TrialRequest(0, cut.id, (lean_job(job), lean_job(slow)), boards))
        made_of = events.wait(TrialsMade)
        now, then = made_of.trials
        assert then.seconds > 1.5 * now.seconds
        assert then.total - now.total == pytest.approx(then.seconds - now.seconds, abs=1.0)
        assert then.deepest == now.deepest > 0
        assert then.rate == pytest.approx(now.rate / 2)
        assert now.picture.shape == then.picture.shape


class TestMoments:
    def test_every_visit_to_a_place_lowers_the_stock_there_and_nothing_else_does(self, seen):
        """Against the section of the stock, which knows nothing of visits: places on ways, beside them, and anywhere."""
        _, _, job, board, plan = seen
        stock = StockTimeline(board.sheet, plan.run, job.bits, cell=2.0, times=plan.times.ends)

        def height(at, seconds: float) -> float:
            line = (float(at[0]) - 0.01, float(at[1])), (float(at[0]) + 0.01, float(at[1]))
            return float(stock.section(*line, seconds, samples=3)[1])

        rng = np.random.default_rng(2)
        ways = plan.run.xyz[rng.integers(0, len(plan.run), 14), :2]
        places = np.vstack((ways, ways + rng.uniform(-5, 5, ways.shape), rng.uniform(20, 300, (10, 2))))
        cut = 0
        for at in places:
            found = visits(job, plan, (float(at[0]), float(at[1])))
            deepest = -height(at, plan.times.total)
            assert max((v.depth for v in found), default=0.0) == pytest.approx(deepest, abs=0.12)
            for visit in found:
                assert 0 <= visit.begin <= visit.end <= plan.times.total
                assert height(at, visit.end) < height(at, visit.begin) - 1e-4
            cut += deepest > 0.1
        assert 8 < cut < len(places)

    def test_a_place_of_a_cut_has_its_moment(self, seen):
        _, _, job, board, plan = seen
        block = plan.run.blocks[-1]
        low = plan.run.xyz[block.first : block.last]
        x, y, _ = low[np.argmin(low[:, 2])]
        when = moment_at(job, plan, (float(x), float(y)), block.cut)
        assert float(plan.times.ends[max(block.first - 1, 0)]) <= when <= float(plan.times.ends[block.last - 1])
        assert moment_at(job, plan, (0.0, 0.0), "none") is None
        del board

    def test_what_stands_around(self, seen):
        _, _, job, board, plan = seen
        working = surroundings(job, board, plan, plan.times.total / 3, bed_colour="#CFC6B2")
        assert working.bit is not None
        assert working.bed is not None
        done = surroundings(job, board, plan, plan.times.total, bed_colour="#CFC6B2")
        assert done.bit is None


class TestOrders:
    def test_an_outline_dragged_first_is_a_risk_and_back_is_none(self, seen):
        _, _, job, board, plan = seen
        last = plan.run.blocks[-1].cut
        count = len(dict.fromkeys(b.cut for b in plan.run.blocks))
        cost = cost_of_order(job, board, plan, last, 0)
        assert {f.code for f in cost.risks} == {"order-inside"}
        assert cost_of_order(job, board, plan, last, count) == (0, 0.0, ())

    def test_bit_changes_are_those_of_the_run_that_would_come(self, seen):
        _, _, job, board, plan = seen

        def changes(made) -> int:
            return sum(a.bit != b.bit for a, b in zip(made.run.blocks, made.run.blocks[1:], strict=False))

        order = list(dict.fromkeys(b.cut for b in plan.run.blocks))
        for cut in order[:3]:
            for position in range(len(order)):
                rest = [c for c in order if c != cut]
                rest.insert(position, cut)
                moved = replace(
                    board, cuts=tuple(sorted(board.cuts, key=lambda c, r=rest: r.index(c.id) if c.id in r else 99))
                )
                cost = cost_of_order(job, board, plan, cut, position)
                assert cost.changes == changes(plan_board(job, moved, {})) - changes(plan)
                assert cost.seconds == pytest.approx(cost.changes * job.machine.bit_change_s)


class TestFilms:
    @pytest.fixture
    def file(self, tmp_path):
        job, _, _ = job_with(star(), sheet=Sheet(width=120, height=100, readings=(6.0,)))
        save_job(tmp_path / "f.archimetra", JobFile(job, {}))
        return tmp_path / "f.archimetra"

    @pytest.mark.parametrize("more", [[], ["--view", "plan"], ["--turntable"]])
    def test_the_run_as_a_film(self, file, tmp_path, more, capsys):
        out = tmp_path / "f.webp"
        assert (
            main(["film", str(file), "--out", str(out), "--seconds", "1", "--fps", "6", "--size", "160x120", *more])
            == 0
        )
        assert capsys.readouterr().out.strip() == str(out)
        image = Image.open(io.BytesIO(out.read_bytes()))
        assert image.size == (160, 120)
        assert 4 <= image.n_frames <= 6  # pictures that are alike are kept once
        frames = []
        for k in range(image.n_frames):
            image.seek(k)
            frames.append(np.asarray(image.convert("RGB")).astype(int))
        assert np.abs(frames[0] - frames[-1 if "--turntable" not in more else 2]).max() > 20

    @pytest.mark.parametrize(
        "wrong", [["--size", "9x9"], ["--seconds", "0"], ["--fps", "nan"], ["--above", "3"], ["--seconds", "999"]]
    )
    def test_what_cannot_be_is_a_sentence(self, file, tmp_path, wrong, capsys):
        assert main(["film", str(file), "--out", str(tmp_path / "f.webp"), *wrong]) == 2
        assert "archimetra:" in capsys.readouterr().err
        assert main(["film", str(file), "--out", str(tmp_path / "f.webp"), "--board", "none"]) == 1
        assert "There is no board" in capsys.readouterr().err
