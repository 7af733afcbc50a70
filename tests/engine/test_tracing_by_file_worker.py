"""Pictures in the file worker: traced, traced again with other settings, kept at a size; lean boards for the planner."""

from __future__ import annotations

import io

import msgspec
import numpy as np
import pytest
from PIL import Image

from archimetra.artwork.trace_settings import TraceSettings
from archimetra.demo import artwork
from archimetra.edits import guides, layering, placing, shaping
from archimetra.engine import file_worker
from archimetra.engine.keys import lean_board, plan_key
from archimetra.engine.messages import ArtworkRequest
from archimetra.geometry.affine import Affine
from archimetra.job.forms import EllipseForm
from archimetra.job.shapes import Guide
from plain_clock import plain_clock


def picture() -> bytes:
    pixels = np.full((80, 120), 250, np.uint8)
    pixels[20:60, 20:50] = 10
    pixels[20:60, 70:100] = 130
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG")
    return out.getvalue()


def test_a_picture_comes_with_its_tones_and_is_traced_again_from_memory():
    first = file_worker._answer(ArtworkRequest(1, data=picture(), name="p.png"))
    assert first.drawing is not None
    assert [colour for colour, _ in first.tones][1][1:3] > "c0"
    kept = file_worker._last_picture
    three = TraceSettings(tones=3, ink=(0, 1), smoothness=0)
    again = file_worker._answer(ArtworkRequest(2, data=picture(), name="p.png", trace=three))
    assert file_worker._last_picture is kept
    assert len(again.drawing.shapes) == 2
    assert sum(share for _, share in again.tones) == pytest.approx(1)


def test_settings_that_leave_nothing_keep_the_tones_to_choose_from():
    got = file_worker._answer(ArtworkRequest(1, data=picture(), name="p.png", trace=TraceSettings(ink=())))
    assert got.drawing is None
    assert "No tone is chosen" in got.problem
    assert len(got.tones) == 2


@pytest.mark.parametrize(("fields", "width"), [({"width_mm": 60.0}, 60.0), ({"mm_per_unit": 0.25}, 30.0)])
def test_a_picture_keeps_the_size_it_has_in_a_drawing_or_was_given(fields, width):
    got = file_worker._answer(ArtworkRequest(1, data=picture(), name="p.png", **fields))
    assert got.drawing.page_mm[0] == pytest.approx(width)


def test_a_drawing_read_again_keeps_the_size_chosen_before():
    request = ArtworkRequest(1, data=artwork("star-plug.svg"), name="star-plug.svg", mm_per_unit=1.0)
    x0, _, x1, _ = file_worker._answer(request).drawing.bounds()
    assert x1 - x0 == pytest.approx(196 * 96 / 25.4, rel=1e-4)


class TestLeanBoards:
    job = plain_clock().job
    b = job.boards[0].id

    def key(self, job) -> str:
        return plan_key(job, lean_board(job.boards[0]))

    @pytest.mark.parametrize(
        "edit",
        [
            lambda job, b: guides.add_guide(job, b, Guide(True, 5.0)),
            lambda job, b: guides.set_margin(job, b, 5.0),
            lambda job, b: layering.add_layer(job, b)[0],
            lambda job, b: shaping.draw(job, b, EllipseForm(), Affine.shift(9, 9)).edit,
            lambda job, b: layering.group_shapes(job, b, [s.id for s in job.boards[0].shapes]),
        ],
    )
    def test_what_no_cut_takes_asks_for_no_new_plan(self, edit):
        assert self.key(edit(self.job, self.b).job) == self.key(self.job)

    def test_what_a_cut_takes_does(self):
        star = next(s for s in self.job.boards[0].shapes if s.name == "star")
        moved = placing.map_shapes(self.job, self.b, [star.id], Affine.shift(1, 0)).job
        assert self.key(moved) != self.key(self.job)
        cut, layer = self.job.boards[0].cuts[0], self.job.boards[0].layers[0]
        following = layering.follow_layer(self.job, cut.id, layer.id).job
        assert self.key(following) != self.key(self.job)
        lean = lean_board(following.boards[0])
        assert {s.name for s in lean.shapes} == {"star", "wave border", "arbor hole", "dial"}

    def test_lean_shapes_carry_no_forms_and_no_origins(self):
        board = lean_board(plain_clock().job.boards[3])
        assert all(shape.form is None and shape.origin is None for shape in board.shapes)
        assert msgspec.structs.asdict(board)["sources"] == ()
