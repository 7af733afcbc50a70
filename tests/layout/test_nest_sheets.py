"""Nesting on sheets as they are: outlines of their own with openings, flaws and metal in them, and stacks of equal ones cut alike."""

from __future__ import annotations

import pytest
import shapely
from shapely import affinity
from shapely.geometry import Polygon

from archimetra.edits import parting, sheets
from archimetra.edits.finishing import finish_edit
from archimetra.geometry.path import Path
from archimetra.job.parts import Turning
from archimetra.job.sheet import Flaw
from archimetra.layout.fit import fit
from archimetra.layout.nest.checking import faults
from archimetra.layout.nest.request import NestError, NestPart, NestRequest, NestSheet
from archimetra.layout.nest.stages import nest
from archimetra.layout.of_job import fit_asked, kept_wood, laid, nest_request
from edits.test_parting import bracket_job

WORK = 3e7
ROUGH = Path.polyline([(0, 20), (90, 0), (300, 30), (290, 190), (120, 200), (100, 120), (10, 130)], closed=True)
OPENING = Path.circle((200, 100), 25)


@pytest.fixture(scope="module")
def job():
    """Plates and stars, on a board whose sheet is what was left of another, with a knot and a nail."""
    made = bracket_job()
    board = made.boards[0]
    edit, parts = parting.make_parts(made, board.id, [shape.id for shape in board.shapes])
    made = finish_edit(made, edit.job)
    for part, quantity in zip(parts, (6, 3), strict=True):
        made = finish_edit(made, parting.change_part(made, part, quantity=quantity, turning=Turning.QUARTER).job)
    flaws = (Flaw(outline=Path.circle((60, 60), 8)), Flaw(outline=Path.circle((250, 60), 2), is_hard=True))
    fields = {"outline": (ROUGH, OPENING), "width": 300.0, "height": 200.0, "flaws": flaws}
    return finish_edit(made, sheets.change_sheet(made, board.id, "", **fields).job)


def woods(job, board):
    """The kept wood of every piece where it lies."""
    out = []
    for piece in board.instances:
        at = piece.at
        wood = kept_wood(job, job.part(piece.part), board.sheet)
        out.append(affinity.affine_transform(wood, [at.a, at.c, at.b, at.d, at.e, at.f]))
    return out


@pytest.mark.parametrize("margin", [0.0, 5.0])
def test_pieces_lie_on_wood_clear_of_edge_opening_flaw_and_metal(job, margin):
    request, parts = nest_request(job, job.boards, margin=margin, spacing=8.0)
    found = nest(request, work=WORK)
    after = finish_edit(job, laid(job, [job.boards[0].id], parts, found).job)
    board = after.boards[0]
    wood = Polygon(ROUGH.flatten(0.001)).difference(Polygon(OPENING.flatten(0.001)))
    lying = woods(after, board)
    assert len(lying) == len(found.placements) >= 3
    bit = max(after.bit(cut.bit).diameter for cut in after.cuts)
    for piece in lying:
        assert wood.covers(piece.buffer(-1e-4))
        assert piece.distance(wood.boundary) >= margin - 0.001
        assert piece.distance(Polygon(board.sheet.flaws[0].outline.flatten(0.001))) > -1e-9
        assert not piece.buffer(-1e-3).intersects(Polygon(board.sheet.flaws[0].outline.flatten(0.001)))
        assert piece.distance(Polygon(board.sheet.flaws[1].outline.flatten(0.001))) >= bit
    for k, piece in enumerate(lying):
        assert all(piece.distance(other) >= 8.0 - 0.001 for other in lying[:k])


def test_a_fit_keeps_off_what_is_no_wood(job):
    asked = fit_asked(
        job, job.boards[0], job.parts[0], spacing=8.0, margin=5.0, is_staggered=False, is_centred=False
    )  # fmt: skip
    found = fit(asked)
    assert 0 < found.count < found.columns * found.rows
    wood = Polygon(ROUGH.flatten(0.001)).difference(Polygon(OPENING.flatten(0.001)))
    for place in found.places:
        piece = affinity.affine_transform(asked.outline, list(place.matrix))
        assert wood.covers(piece)
        assert piece.distance(wood.boundary) >= 5.0 - 1e-3


def plates(quantity, *sheets_, **fields):
    part = NestPart(name="plate", outline=shapely.box(0, 0, 40, 30), quantity=quantity, turns=(0.0, 90.0))
    disc = NestPart(name="disc", outline=shapely.Point(0, 0).buffer(12), quantity=fields.pop("discs", 0))
    return NestRequest(parts=(part, disc), sheets=sheets_, spacing=4.0, margin=5.0)


def sheet(width, height, count=1):
    return NestSheet(outline=shapely.box(0, 0, width, height), count=count)


class TestStacks:
    @pytest.mark.parametrize(("quantity", "count", "on_each"), [(12, 3, 4), (14, 3, 4), (2, 3, 0), (3, 3, 1)])
    def test_each_of_a_stack_gets_its_share_and_the_rest_goes_on(self, quantity, count, on_each):
        request = plates(quantity, sheet(110, 90, count), sheet(400, 300))
        found = nest(request, work=WORK)
        assert faults(request, found) == []
        on = [sum(p.sheet == k for p in found.placements) for k in (0, 1)]
        assert on == [on_each, quantity - count * on_each]
        assert sum(found.left_out) == 0
        assert found.sheets_used == (count if on_each else 0) + (1 if on[1] else 0)

    def test_what_a_stack_has_no_room_for_goes_on_too(self):
        request = plates(20, sheet(110, 80, 2), sheet(300, 200), discs=4)
        found = nest(request, work=WORK)
        assert faults(request, found) == []
        placed = sum(request.sheets[p.sheet].count for p in found.placements)
        assert placed + sum(found.left_out) == 24
        assert sum(found.left_out) == 0

    def test_the_same_work_gives_the_same_and_better_ones_are_better(self):
        request = plates(30, sheet(200, 90, 4), sheet(160, 100), discs=9)
        told = []
        one, other = nest(request, work=WORK, tell=told.append), nest(request, work=WORK)
        assert one.placements == other.placements
        assert told[-1].placements == one.placements
        left = [sum(each.left_out) for each in told]
        assert left == sorted(left, reverse=True)

    def test_fewer_than_sheets_are_told(self):
        with pytest.raises(NestError, match="as many"):
            nest(plates(2, sheet(200, 100, 3)), work=WORK)

    def test_a_stack_nothing_fits_on_is_passed_over(self):
        request = plates(4, sheet(30, 30, 2), sheet(300, 200))
        found = nest(request, work=WORK)
        assert {p.sheet for p in found.placements} == {1}
        with pytest.raises(NestError, match="fits"):
            nest(plates(4, sheet(30, 30, 2)), work=WORK)


def test_a_sheet_that_is_all_flaw_has_room_for_nothing_and_says_so(job):
    whole = (Flaw(outline=Path.rectangle(-10, -10, 400, 400)),)
    bad = finish_edit(job, sheets.change_sheet(job, job.boards[0].id, "", flaws=whole).job)
    request, _ = nest_request(bad, bad.boards)
    found = nest(request, work=WORK)
    assert found.placements == ()
    assert found.left_out == (6, 3)
    assert (
        fit(
            fit_asked(bad, bad.boards[0], bad.parts[0], spacing=8.0, margin=5.0, is_staggered=False, is_centred=False)
        ).count
        == 0
    )


def test_where_none_is_wanted_that_is_said(job):
    for part in job.parts:
        job = finish_edit(job, parting.change_part(job, part.id, quantity=0).job)
    with pytest.raises(NestError, match="Every quantity is 0"):
        nest_request(job, job.boards)
