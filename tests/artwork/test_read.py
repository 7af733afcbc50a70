"""Files are told by what they hold; whatever kind, the reader gives a drawing or one sentence."""

from __future__ import annotations

import io

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from archimetra.artwork.drawing import DrawnLayer, DrawnShape, with_scale
from archimetra.artwork.dxf_write import write_dxf
from archimetra.artwork.read import Kind, kind_of, read_artwork, read_artwork_file
from archimetra.base.errors import ArtworkError
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from pdfs import pdf
from shapes import sentence_of

SVG = b'<svg xmlns="http://www.w3.org/2000/svg" width="50mm" height="40mm" viewBox="0 0 50 40"><rect width="30" height="20"/></svg>'
DXF = write_dxf(
    [DrawnShape("r", 0, (Path.rectangle(0, 0, 30, 20),), FillRule.NONZERO, True, None, 1)], [DrawnLayer("0")]
)
PDF = pdf(f"0 0 {30 / 25.4 * 72} {20 / 25.4 * 72} re f")


def png() -> bytes:
    image = Image.new("L", (60, 40), 255)
    image.paste(0, (10, 10, 40, 30))
    out = io.BytesIO()
    image.save(out, "PNG", dpi=(25.4, 25.4))
    return out.getvalue()


FILES = {Kind.SVG: SVG, Kind.DXF: DXF, Kind.PDF: PDF, Kind.PICTURE: png()}


@pytest.mark.parametrize("kind", list(Kind))
@pytest.mark.parametrize("name", ["right", "wrong.svg", "no ending"])
def test_the_content_decides_whatever_the_name(kind, name):
    endings = {Kind.SVG: "a.svg", Kind.DXF: "a.dxf", Kind.PDF: "a.pdf", Kind.PICTURE: "a.png"}
    if kind is Kind.DXF and name == "wrong.svg":
        name = "odd.txt"
    drawing = read_artwork(FILES[kind], name=endings[kind] if name == "right" else name)
    x0, y0, x1, y1 = drawing.bounds()
    assert (x1 - x0, y1 - y0) == pytest.approx((30, 20), abs=1.0 if kind is Kind.PICTURE else 0.001)


@pytest.mark.parametrize("data", [b"%!PS-Adobe-3.0\n", b"hello there", bytes(range(200))])
def test_what_is_none_of_them_is_told(data):
    assert "t.bin" in sentence_of(ArtworkError, lambda: kind_of(data, "t.bin"))


def test_loose_lines_of_an_svg_are_joined_and_told():
    body = b"".join(
        b'<path fill="none" stroke="red" d="M%d %d L%d %d"/>' % row
        for row in ((0, 0, 30, 0), (30, 20, 30, 0), (0, 0, 30, 20))
    )
    drawing = read_artwork(SVG.replace(b'<rect width="30" height="20"/>', body), name="t.svg")
    assert len(drawing.shapes) == 1
    assert drawing.shapes[0].paths[0].closed
    assert any("3 loose pieces" in entry.sentence for entry in drawing.report)


def test_a_size_chosen_before_is_kept():
    drawing = read_artwork(SVG, name="t.svg")
    twice = with_scale(drawing, 2 * drawing.scale.mm_per_unit)
    assert twice.bounds()[2] == pytest.approx(60)
    assert with_scale(twice, twice.scale.mm_per_unit) is twice


def test_a_missing_file_is_a_sentence(tmp_path):
    assert "could not be read" in sentence_of(ArtworkError, lambda: read_artwork_file(tmp_path / "none.dxf"))


@settings(max_examples=80, deadline=None)
@given(
    kind=st.sampled_from(list(Kind)),
    share=st.floats(0, 1),
    flips=st.lists(st.tuples(st.floats(0, 1), st.integers(0, 255)), max_size=5),
)
def test_no_damage_is_more_than_a_sentence(kind, share, flips):
    data = bytearray(FILES[kind])
    for where, value in flips:
        data[int(where * (len(data) - 1))] = value
    told = sentence_of(ArtworkError, lambda: read_artwork(bytes(data[: int(share * len(data))]), name="t.art"))
    assert told == "" or told.endswith(".")
