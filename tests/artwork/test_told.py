"""What readers and writers of drawings must say, or must not lose."""

from __future__ import annotations

import re

import numpy as np
import pytest

from archimetra.artwork.drawing import DrawnLayer, DrawnShape
from archimetra.artwork.dxf import read_dxf
from archimetra.artwork.dxf_write import write_dxf
from archimetra.artwork.read import read_artwork
from archimetra.artwork.report import decide, left_out, together
from archimetra.artwork.svg_write import write_svg
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="100mm" viewBox="0 0 100 100">'


def shape(path: Path, name: str = "s", layer: int = 0) -> DrawnShape:
    return DrawnShape(name, layer, (path,), FillRule.NONZERO, False, 0.2, 0, name)


ONE = (DrawnLayer("a", "#2f6f9f"),)


def svg_of(*shapes: DrawnShape, layers=ONE) -> bytes:
    return write_svg(shapes, layers, width_mm=1000.0, height_mm=1000.0, title="t").encode()


def test_an_open_line_that_is_filled_and_stroked_is_told():
    data = f'{HEAD}<path d="M10 10L50 10L50 50" fill="red" stroke="black"/><path d="M10 60L50 60L50 90Z" fill="red" stroke="black"/></svg>'
    told = {e.code: e for e in read_artwork(data.encode(), name="a.svg").report}
    assert "1 open line is filled as well as stroked" in told["svg-open-filled"].sentence
    assert len(told["svg-open-filled"].places) == 1
    for quiet in ('fill="none" stroke="black"', 'fill="red" stroke="none"'):
        data = f'{HEAD}<path d="M10 10L50 10L50 50" {quiet}/></svg>'
        assert "svg-open-filled" not in {e.code for e in read_artwork(data.encode(), name="a.svg").report}


@pytest.mark.parametrize(("width", "is_certain"), [(9_999.0, True), (10_001.0, False), (90_000.0, False)])
def test_a_drawing_ninety_metres_wide_is_no_certainty(width, is_certain):
    body = f"0\nLINE\n8\n0\n10\n0\n20\n0\n11\n{width}\n21\n5\n"
    dxf = f"0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n{body}0\nENDSEC\n0\nEOF\n"
    drawing = read_dxf(dxf.encode(), name="wide.dxf")
    assert drawing.scale.is_certain == is_certain
    assert ("Check the size" in drawing.scale.reason) != is_certain
    assert drawing.bounds()[2] == pytest.approx(width)


def test_twenty_thousand_equal_warnings_are_one_with_their_number():
    entries = [left_out("x", "A thing was left out.", place=f"line {k}") for k in range(20_000)] + [
        decide("y", "Which?")
    ]
    told = together(entries)
    assert [e.code for e in told] == ["x", "y"]
    assert told[0].text() == "A thing was left out. (20,000 times, first line 0)"
    data = HEAD + "".join(f'<use href="#none"/><rect width="1" height="1" x="{k % 90}"/>' for k in range(50)) + "</svg>"
    report = read_artwork(data.encode(), name="a.svg").report
    assert sum(e.code == "svg-use" for e in report) == 1


@pytest.mark.parametrize("radius", [0.5, 10.0, 343.0])
@pytest.mark.parametrize("sweep", [10.0, 89.9, 90.0, 179.9999, 180.0, 180.0001, 350.0])
def test_arcs_written_as_svg_come_back_where_they_were(radius, sweep):
    start = np.radians(37.0)
    ends = [(500 + radius * np.cos(a), 500 + radius * np.sin(a)) for a in (start, start + np.radians(sweep))]
    arc = Path.arcs(np.array(ends), np.array([np.tan(np.radians(sweep) / 4)]), closed=False)
    text = svg_of(shape(arc))
    assert not re.search(rb"A[-0-9. ]+ 0 1 [01]", text)  # no large arcs: their centre hangs on the last digit
    back = read_artwork(text, name="a.svg").shapes[0].paths[0]
    shift = arc.nodes[0] - back.nodes[0]
    off = np.hypot(*(back.flatten(0.001) + shift - np.array([500.0, 500.0])).T) - radius
    assert np.abs(off).max() < 0.0025


def test_layer_colours_come_back_and_black_stays_no_choice():
    layers = (DrawnLayer("Outline", "#c8372d"), DrawnLayer("Holes", "#2f6f9f"), DrawnLayer("Ink", "#000000"))
    shapes = [shape(Path.circle((100 + 50 * k, 100), 10), f"s{k}", k) for k in range(3)]
    back = read_artwork(svg_of(*shapes, layers=layers), name="a.svg")
    assert [(layer.name, layer.colour) for layer in back.layers] == [
        ("Outline", "#c8372d"),
        ("Holes", "#2f6f9f"),
        ("Ink", ""),
    ]


@pytest.mark.parametrize("name", ["a\x01b", "a\nb", "a\tb\r", "\x00", "\ud800", "", "a&<b>"])
def test_names_no_file_can_hold_do_not_spoil_it(name):
    made = shape(Path.circle((100, 100), 10), name)
    layer = DrawnLayer(name, "#c8372d")
    back = read_artwork(svg_of(made, layers=(layer,)), name="a.svg")
    assert len(back.shapes) == 1
    back = read_dxf(write_dxf([made], [layer]), name="a.dxf")
    assert back.bounds()[2] == pytest.approx(20.0)
