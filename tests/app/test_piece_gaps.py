"""While a piece is dragged the plan says how far the nearest others are, and when the bit has no room."""

from __future__ import annotations

import pytest
import shapely
from PySide6.QtCore import QPointF

from app.gestures import drag
from archimetra.app.views.piece_gaps import PieceGaps
from archimetra.geometry.affine import Affine
from archimetra.job.file import JobFile
from checks.test_piece_checks import two_plates


@pytest.mark.parametrize(
    ("dx", "gap", "is_room"), [(0.0, 10.0, True), (-4.0, 6.0, True), (-4.2, 5.8, False), (-11.0, -1.0, False)]
)
def test_the_gap_is_that_between_what_is_kept(dx, gap, is_room):
    job = two_plates(130.0)
    board = job.boards[0]
    second = [shape.id for shape in board.shapes if shape.id.endswith(board.instances[1].id)]
    (found,) = PieceGaps(job, board, second).at(Affine.shift(dx, 0.0))
    assert found.size == pytest.approx(gap, abs=0.01)
    assert found.is_room is is_room
    plate = shapely.box(*board.shapes[0].bounds())
    moved = shapely.box(*(v + (dx if k % 2 == 0 else 0) for k, v in enumerate(board.shapes[1].bounds())))
    assert found.size == pytest.approx(plate.distance(moved) if gap > 0 else -1.0, abs=0.01)


def test_far_off_or_alone_nothing_is_said():
    job = two_plates(130.0)
    board = job.boards[0]
    second = [shape.id for shape in board.shapes if shape.id.endswith(board.instances[1].id)]
    assert PieceGaps(job, board, second).at(Affine.shift(60.0, 0.0)) == []
    assert PieceGaps(job, board, [shape.id for shape in board.shapes]).at(Affine.shift(3.0, 0.0)) == []
    assert PieceGaps(job, board, []).at(Affine.shift(3.0, 0.0)) == []


def test_in_an_opening_it_is_the_gap_to_its_edge():
    job = two_plates(130.0, opening=True)
    board = job.boards[0]
    second = [shape.id for shape in board.shapes if shape.id.endswith(board.instances[1].id)]
    (found,) = PieceGaps(job, board, second).at(Affine.shift(0.0, 0.0))
    assert found.size == pytest.approx(10.0, abs=0.01)


def test_it_is_painted_on_the_way(open_window, monkeypatch):
    window = open_window(JobFile(two_plates(130.0)))
    window.station_artwork()
    board = window.session.board
    second = board.shapes[1]
    window.session.pick([second.id])
    x0, y0, _, y1 = second.bounds()
    plan = window.plan
    plan.is_snapping = False
    grip = plan.view.to_screen(x0, (y0 + y1) / 2 + 20)
    drag(plan, grip, grip - QPointF(8 * plan.view.scale, 0), release=False)
    with_gaps = plan.grab().toImage()
    monkeypatch.setattr(PieceGaps, "at", lambda _self, _m: [])
    without = plan.grab().toImage()
    red = plan.tokens.color("picked").rgb()
    new = [
        with_gaps.pixel(x, y)
        for x in range(with_gaps.width())
        for y in range(with_gaps.height())
        if with_gaps.pixel(x, y) != without.pixel(x, y)
    ]
    assert 20 < len(new) < 4000
    assert red in new  # 2 mm are left, the bit is 6 mm wide
