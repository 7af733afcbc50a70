"""PDF pages land true to size, with their clips, letters and colours."""

from __future__ import annotations

from math import pi

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.artwork.pdf import read_pdf
from archimetra.base.errors import ArtworkError
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import bounds_of
from archimetra.geometry.region import region_of
from pdfs import circle, pdf, stream
from shapes import sentence_of

MM = 72 / 25.4


def said(drawing) -> dict[str, str]:
    return {entry.code: entry.sentence for entry in drawing.report}


def area(shape) -> float:
    return region_of(shape.paths, shape.fill_rule, chord_tolerance_mm=0.0005).area


class TestPaths:
    def test_a_rectangle_lands_where_and_as_large_as_it_is(self):
        drawing = read_pdf(pdf(f"{10 * MM} {5 * MM} {40 * MM} {20 * MM} re f"), name="t.pdf")
        assert bounds_of(drawing.shapes[0].paths) == pytest.approx((10, 5, 50, 25), abs=1e-4)
        assert drawing.page_mm == pytest.approx((100, 50), abs=1e-4)
        assert drawing.scale.is_certain

    def test_circles_are_circles_again(self):
        shape = read_pdf(pdf(circle(50 * MM, 25 * MM, 15 * MM) + "S"), name="t.pdf").shapes[0]
        assert (shape.paths[0].kinds == 1).all()
        assert abs(shape.paths[0].area()) == pytest.approx(225 * pi, abs=0.05)

    def test_transforms_nest_and_stroke_widths_follow(self):
        content = f"q 2 0 0 2 {10 * MM} 0 cm 0 1 -1 0 {20 * MM} {5 * MM} cm 3 w 0 0 m {10 * MM} 0 l S Q"
        shape = read_pdf(pdf(content), name="t.pdf").shapes[0]
        assert shape.paths[0].nodes.ravel() == pytest.approx([50, 10, 50, 30], abs=1e-4)
        assert shape.stroke_width == pytest.approx(6 / MM, rel=1e-5)

    def test_both_fill_rules_and_open_fills_that_close(self):
        rings = f"{circle(100, 70, 60)} {circle(100, 70, 30)}"
        even = read_pdf(pdf(rings + "f*"), name="t.pdf").shapes[0]
        wound = read_pdf(pdf(rings + "f"), name="t.pdf").shapes[0]
        assert even.fill_rule is FillRule.EVENODD
        assert area(even) / area(wound) == pytest.approx(0.75, abs=0.001)
        assert read_pdf(pdf("0 0 m 90 0 l 90 90 l f"), name="t.pdf").shapes[0].paths[0].closed

    def test_colours_become_layers(self):
        content = "1 0 0 RG 0 0 m 50 0 l S 0 0 1 rg 20 20 30 30 re f 0 0 0 rg 60 20 30 30 re f"
        layers = read_pdf(pdf(content), name="t.pdf").layers
        assert [(layer.name, layer.colour) for layer in layers] == [
            ("Red lines", "#ff0000"),
            ("Blue areas", "#0000ff"),
            ("Black areas", "#000000"),
        ]

    def test_the_white_page_behind_is_no_part(self):
        drawing = read_pdf(pdf("1 g 0 0 300 200 re f 0 g 10 10 50 50 re f"), name="t.pdf")
        assert len(drawing.shapes) == 1
        assert "white background" in said(drawing)["pdf-white-page"]

    def test_loose_lines_are_joined(self):
        content = "0 0 m 90 0 l S 90 0 m 90 60 l S 90 60 m 0 0 l S"
        shape = read_pdf(pdf(content), name="t.pdf").shapes[0]
        assert shape.paths[0].closed

    @pytest.mark.parametrize(
        ("rotate", "box"),
        [(0, (10, 20, 30, 25)), (90, (20, 70, 25, 90)), (180, (70, 25, 90, 30)), (270, (25, 10, 30, 30))],
    )
    def test_turned_pages_with_their_corner_anywhere(self, rotate, box):
        content = f"{10 * MM + 40} {20 * MM - 60} {20 * MM} {5 * MM} re f"
        drawing = read_pdf(pdf(content, rotate=rotate, corner=(40, -60)), name="t.pdf")
        assert bounds_of(drawing.shapes[0].paths) == pytest.approx(box, abs=1e-3)


class TestClipsAndForms:
    def test_a_clip_cuts_areas_and_lines(self):
        content = f"q {circle(50 * MM, 25 * MM, 10 * MM)} W n 0 0 {50 * MM} {50 * MM} re f Q"
        drawing = read_pdf(pdf(content), name="t.pdf")
        assert area(drawing.shapes[0]) == pytest.approx(50 * pi, abs=0.1)
        assert "1 shape cut back" in said(drawing)["pdf-clipped"]
        lines = f"q {circle(50 * MM, 25 * MM, 10 * MM)} W n 0 {25 * MM} m {100 * MM} {25 * MM} l S Q"
        line = read_pdf(pdf(lines), name="t.pdf").shapes[0].paths[0]
        assert line.length() == pytest.approx(20, abs=0.01)

    def test_what_lies_inside_its_clip_is_left_exact(self):
        content = f"q 0 0 {90 * MM} {45 * MM} re W n {circle(50 * MM, 25 * MM, 10 * MM)} f Q"
        drawing = read_pdf(pdf(content), name="t.pdf")
        assert (drawing.shapes[0].paths[0].kinds == 1).all()
        assert "pdf-clipped" not in said(drawing)

    def test_forms_are_followed_with_their_matrix(self):
        form = stream(b"0 0 30 30 re f", "/Type /XObject /Subtype /Form /BBox [0 0 100 100] /Matrix [1 0 0 1 20 10]")
        drawing = read_pdf(
            pdf("q 2 0 0 2 5 5 cm /X Do Q", resources="/XObject << /X 100 0 R >>", objects=(form,)), name="t.pdf"
        )
        assert bounds_of(drawing.shapes[0].paths) == pytest.approx(np.array([45, 25, 105, 85]) / MM, abs=1e-4)

    def test_pictures_are_handed_over_with_their_place(self):
        pixels = bytes([255, 0, 0] * 8 + [0, 0, 255] * 8)
        picture = stream(
            pixels, "/Type /XObject /Subtype /Image /Width 4 /Height 4 /ColorSpace /DeviceRGB /BitsPerComponent 8"
        )
        drawing = read_pdf(
            pdf("q 60 0 0 40 20 10 cm /P Do Q", resources="/XObject << /P 100 0 R >>", objects=(picture,)),
            name="t.pdf",
        )
        assert drawing.shapes == ()
        only = drawing.pictures[0]
        assert only.at.point(0, 0) == pytest.approx((20 / MM, 10 / MM), abs=1e-4)
        assert only.at.point(1, 1) == pytest.approx((80 / MM, 50 / MM), abs=1e-4)
        assert only.data.startswith(b"\x89PNG")


class TestText:
    def test_letters_are_as_high_as_their_font_makes_them(self):
        drawing = read_pdf(pdf("BT /F1 100 Tf 20 30 Td (HI) Tj ET"), name="t.pdf")
        x0, y0, _, y1 = bounds_of(drawing.shapes[0].paths)
        assert drawing.shapes[0].name == "HI"
        assert y0 == pytest.approx(30 / MM, abs=0.3)
        assert y1 - y0 == pytest.approx(0.72 * 100 / MM, rel=0.04)  # a capital of a Helvetica-like font
        assert x0 > 20 / MM

    def test_turned_text_turns(self):
        level = read_pdf(pdf("BT /F1 60 Tf 1 0 0 1 60 30 Tm (H) Tj ET"), name="t.pdf").shapes[0]
        turned = read_pdf(pdf("BT /F1 60 Tf 0 1 -1 0 120 30 Tm (H) Tj ET"), name="t.pdf").shapes[0]
        a, b = bounds_of(level.paths), bounds_of(turned.paths)
        assert (a[2] - a[0], a[3] - a[1]) == pytest.approx((b[3] - b[1], b[2] - b[0]), abs=1e-3)

    def test_invisible_text_is_not_cut(self):
        drawing = read_pdf(pdf("0 0 50 50 re f BT 3 Tr /F1 60 Tf 20 30 Td (no) Tj ET"), name="t.pdf")
        assert len(drawing.shapes) == 1
        assert "pdf-invisible-text" in said(drawing)


class TestPagesAndBadFiles:
    def test_any_page_can_be_chosen(self):
        data = pdf("0 0 50 50 re f", "0 0 100 20 re f", "")
        drawing = read_pdf(data, name="t.pdf", page=2)
        assert (drawing.page, drawing.pages) == (2, 3)
        assert "Page 2 of 3" in said(drawing)["pdf-page"]
        assert "Page 3 of t.pdf holds nothing" in sentence_of(
            ArtworkError, lambda: read_pdf(data, name="t.pdf", page=3)
        )
        assert "no page 4" in sentence_of(ArtworkError, lambda: read_pdf(data, name="t.pdf", page=4))

    def test_a_locked_file_says_so(self):
        lock = f"/Encrypt << /Filter /Standard /V 1 /R 2 /O <{'41' * 32}> /U <{'42' * 32}> /P -4 >> /ID [<{'43' * 16}> <{'43' * 16}>]"
        data = pdf("0 0 50 50 re f", trailer=lock)
        assert "locked with a password" in sentence_of(ArtworkError, lambda: read_pdf(data, name="t.pdf"))

    @pytest.mark.parametrize("data", [b"", b"%PDF-1.4\n", b"not a pdf at all", bytes(range(256)) * 8])
    def test_garbage_is_one_sentence(self, data):
        assert "t.pdf" in sentence_of(ArtworkError, lambda: read_pdf(data, name="t.pdf"))

    @settings(max_examples=40, deadline=None)
    @given(share=st.floats(0, 1), flips=st.lists(st.tuples(st.floats(0, 1), st.integers(0, 255)), max_size=6))
    def test_damaged_files_land_in_part_or_are_refused(self, share, flips):
        data = bytearray(pdf(circle(100, 70, 60) + "f", "0 0 10 10 re S BT /F1 30 Tf (x) Tj ET"))
        for where, value in flips:
            data[int(where * (len(data) - 1))] = value
        told = sentence_of(ArtworkError, lambda: read_pdf(bytes(data[: int(share * len(data))]), name="t.pdf"))
        assert told == "" or "t.pdf" in told

    def test_a_form_that_draws_itself_ends(self):
        form = stream(
            b"0 0 30 30 re f /X Do",
            "/Type /XObject /Subtype /Form /BBox [0 0 99 99] /Resources << /XObject << /X 100 0 R >> >>",
        )
        drawing = read_pdf(pdf("/X Do", resources="/XObject << /X 100 0 R >>", objects=(form,)), name="t.pdf")
        assert len(drawing.shapes) >= 1
