"""What must come before what, by the outlines themselves: measured by asking GEOS of every pair of shapes."""

from __future__ import annotations

import random

import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.artwork.drawing import Drawing, DrawnLayer, DrawnShape, Scale
from archimetra.edits import basic as edits
from archimetra.edits import cutting, placement
from archimetra.edits.finishing import finish_edit
from archimetra.edits.ordering import precedences, suited_order
from archimetra.geometry.affine import Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Entry, Side
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.hole import HoleCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.job import new_job, with_boards
from archimetra.job.sheet import Sheet
from archimetra.toolpath.resolved_cut import faced_before

OUT = {"side": Side.OUTSIDE, "goes_through": True}


def board_of(*shapes: tuple[Path, ...], turn: float = 0.0, away: float = 0.0, thick: float = 12.0):
    """A board with these shapes where they are drawn; (job, board id, shape ids)."""
    m = Affine.turn(turn).then(Affine.shift(away, away))
    job = new_job()
    job = edits.change_board(job, job.boards[0].id, "", sheet=Sheet(width=400, height=400, readings=(thick,))).job
    drawn = tuple(
        DrawnShape(f"s{k}", 0, tuple(path.transform(m) for path in paths), FillRule.EVENODD, True, None, 1)
        for k, paths in enumerate(shapes)
    )
    drawing = Drawing("d", (DrawnLayer("all"),), drawn, Scale("mm", 1.0, "", True), None, ())
    edit, ids = placement.place_drawing(job, job.boards[0].id, drawing)
    return edit.job, job.boards[0].id, ids


def add(job, board, kind, ids, **fields):
    cut = cutting.new_cut(job, board, kind, ids, **fields)
    return cutting.add_cut(job, board, cut).job, cut.id


def square(x: float, y: float, side: float) -> tuple[Path, ...]:
    return (Path.rectangle(x, y, side, side),)


WHERE = [{"turn": 0.0}, {"turn": 37.0}, {"turn": 37.0, "away": 2000.0}]


@pytest.mark.parametrize("where", WHERE)
class TestByOutlines:
    def test_copies_that_lie_about_do_not_lie_in_each_other(self, where):
        """Two cuts with parts in opposite corners: the boxes of both hold the other."""
        job, board, ids = board_of(
            square(0, 0, 30), square(100, 100, 30), square(100, 0, 30), square(0, 100, 30), **where
        )
        job, one = add(job, board, ProfileCut, ids[:2], **OUT)
        job, two = add(job, board, ProfileCut, ids[2:], **OUT)
        assert precedences(job.boards[0]) == set()
        assert {one, two} == {c.id for c in job.boards[0].cuts}

    @pytest.mark.parametrize(
        ("x", "is_inside"), [(4.0, True), (0.0, True), (-0.04, True), (-0.2, False), (-5.0, False), (60.0, False)]
    )
    def test_within_touching_and_over_the_edge(self, x, is_inside, where):
        job, board, ids = board_of(square(0, 0, 40), square(x, 10, 10), **where)
        job, outline = add(job, board, ProfileCut, ids[:1], **OUT)
        job, pocket = add(job, board, PocketCut, ids[1:], end_depth=3.0)
        assert ((pocket, outline) in precedences(job.boards[0])) == is_inside

    def test_in_the_notch_of_an_outline_is_not_inside_it(self, where):
        u = Path.polyline(
            [(0, 0), (90, 0), (90, 90), (60, 90), (60, 30), (30, 30), (30, 90), (0, 90), (0, 0)], closed=True
        )
        job, board, ids = board_of((u,), square(40, 50, 10), square(5, 50, 10), **where)
        job, outline = add(job, board, ProfileCut, ids[:1], **OUT)
        job, notch = add(job, board, PocketCut, ids[1:2], end_depth=3.0)
        job, arm = add(job, board, PocketCut, ids[2:], end_depth=3.0)
        assert precedences(job.boards[0]) == {(arm, outline)}
        assert notch in {c.id for c in job.boards[0].cuts}

    def test_what_a_ring_goes_round_comes_loose_with_it(self, where):
        ring = (Path.circle((50, 50), 40), Path.circle((50, 50), 30))
        job, board, ids = board_of(ring, square(45, 45, 10), **where)
        job, outline = add(job, board, ProfileCut, ids[:1], **OUT)
        job, middle = add(job, board, PocketCut, ids[1:], end_depth=3.0)
        assert precedences(job.boards[0]) == {(middle, outline)}

    def test_only_what_falls_out_of_an_opening_comes_before_it(self, where):
        """Inside cuts free what they fill: what stands in the hole of a ring-shaped opening stays."""
        ring = (Path.circle((50, 50), 40), Path.circle((50, 50), 20))
        job, board, ids = board_of(ring, square(45, 45, 8), (Path.circle((80, 50), 5),), **where)
        job, opening = add(job, board, ProfileCut, ids[:1], side=Side.INSIDE, goes_through=True)
        job, stays = add(job, board, PocketCut, ids[1:2], end_depth=3.0)
        job, falls = add(job, board, EngraveCut, ids[2:], end_depth=0.5)
        assert precedences(job.boards[0]) == {(falls, opening)}
        assert stays in {c.id for c in job.boards[0].cuts}

    def test_one_of_many_shapes_inside_is_enough(self, where):
        job, board, ids = board_of(square(0, 0, 40), square(200, 200, 10), square(10, 10, 10), **where)
        job, outline = add(job, board, ProfileCut, ids[:1], **OUT)
        job, holes = add(job, board, PocketCut, ids[1:], end_depth=3.0)
        assert (holes, outline) in precedences(job.boards[0])

    def test_a_pocket_entered_by_a_hole_waits_for_a_hole_in_it_only(self, where):
        job, board, ids = board_of(square(0, 0, 40), (Path.circle((20, 20), 4),), (Path.circle((60, 60), 4),), **where)
        job, pocket = add(job, board, PocketCut, ids[:1], end_depth=5.0, entry=Entry.HOLE)
        job, inside = add(job, board, HoleCut, ids[1:2], end_depth=6.0)
        job, outside = add(job, board, HoleCut, ids[2:], end_depth=6.0)
        assert precedences(job.boards[0]) == {(inside, pocket)}
        assert outside in {c.id for c in job.boards[0].cuts}


@pytest.mark.parametrize(
    ("depth", "faced", "comes_loose"), [(12.0, 0.0, True), (11.9, 0.0, False), (10.0, 2.0, True), (9.9, 2.0, False)]
)
def test_through_is_told_of_the_faced_sheet(depth, faced, comes_loose):
    job, board, ids = board_of(square(0, 0, 40), square(10, 10, 10))
    if faced:
        job, _ = add(job, board, FacingCut, [], end_depth=faced)
    job, outline = add(job, board, ProfileCut, ids[:1], side=Side.OUTSIDE, goes_through=False, end_depth=depth)
    job, pocket = add(job, board, PocketCut, ids[1:], end_depth=3.0)
    assert ((pocket, outline) in precedences(job.boards[0])) == comes_loose


@pytest.mark.parametrize(("x", "counts"), [(10.0, True), (30.0, True), (31.0, False), (55.0, False)])
def test_facing_an_area_counts_for_what_lies_in_its_outline(x, counts):
    """An L: in its box, but not in it, nothing has been faced."""
    ell = Path.polyline([(0, 0), (80, 0), (80, 20), (40, 20), (40, 80), (0, 80), (0, 0)], closed=True)
    job, board, ids = board_of((ell,), square(x, 60, 10))
    job, _ = add(job, board, FacingCut, ids[:1], end_depth=1.5)
    job, pocket = add(job, board, PocketCut, ids[1:], end_depth=3.0)
    assert faced_before(job.boards[0], job.boards[0].cut(pocket)) == (1.5 if counts else 0.0)


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10**9))
def test_every_inside_pair_is_found_and_no_other(seed):
    rng = random.Random(seed)
    paths = [
        square(rng.uniform(0, 200), rng.uniform(0, 200), rng.choice((8, 20, 60))) for _ in range(rng.randint(2, 14))
    ]
    job, board, ids = board_of(*paths, turn=rng.uniform(0, 90))
    left = list(ids)
    kinds = {}
    while left:
        some = [left.pop() for _ in range(min(len(left), rng.randint(1, 3)))]
        kind, fields = rng.choice(
            [(ProfileCut, OUT), (PocketCut, {"end_depth": 3.0}), (EngraveCut, {"end_depth": 0.5})]
        )
        job, id_ = add(job, board, kind, some, **fields)
        kinds[id_] = kind
    made = job.boards[0]
    geometry = {s.id: shapely.Polygon(s.placed()[0].flatten(0.01)) for s in made.shapes}
    wanted, doubtful = set(), set()
    for later in made.cuts:
        for earlier in made.cuts:
            if later is earlier or kinds[later.id] is not ProfileCut:
                continue
            gaps = [geometry[o].buffer(0.05).covers(geometry[i]) for o in later.shapes for i in earlier.shapes]
            near = [abs(geometry[i].difference(geometry[o]).area) < 0.3 for o in later.shapes for i in earlier.shapes]
            if any(gaps):
                wanted.add((earlier.id, later.id))
            elif any(near):
                doubtful.add((earlier.id, later.id))
    assert wanted <= precedences(made) | doubtful
    assert precedences(made) <= wanted | doubtful
    order = [c.id for c in suited_order(made)]
    ringless = {pair for pair in precedences(made) if pair[::-1] not in precedences(made)}
    if len(ringless) == len(precedences(made)) and not _has_ring(precedences(made)):
        assert all(order.index(a) < order.index(b) for a, b in precedences(made))
    assert finish_edit(with_boards(job, ()), job).boards[0].cuts == suited_order(made)


def _has_ring(pairs) -> bool:
    """Whether going from earlier to later ever leads back."""
    later: dict = {}
    for a, b in pairs:
        later.setdefault(a, set()).add(b)
    done: set = set()

    def leads_back(at, way) -> bool:
        if at in way:
            return True
        if at in done:
            return False
        found = any(leads_back(next_, way | {at}) for next_ in later.get(at, ()))
        done.add(at)
        return found

    return any(leads_back(a, frozenset()) for a in list(later))
