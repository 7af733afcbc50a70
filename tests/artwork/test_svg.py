"""SVG lands true to size, on its layers, and every loss is told."""

from __future__ import annotations

import gzip
from math import pi

import numpy as np
import pytest
import svgelements
from hypothesis import given
from hypothesis import strategies as st

from archimetra.artwork import svg_tree
from archimetra.artwork.drawing import UNITS_MM, with_true_size, with_unit
from archimetra.artwork.svg import read_svg, read_svg_file
from archimetra.artwork.svg_paths import parse_path, parse_transform
from archimetra.base.errors import ArtworkError
from archimetra.demo import artwork
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path, bounds_of
from archimetra.geometry.segments import Kind
from shapes import sentence_of

BOX = '<rect width="10" height="5"/>'


def svg(body: str, head: str = 'width="100mm" height="100mm" viewBox="0 0 100 100"') -> bytes:
    return f'<svg xmlns="http://www.w3.org/2000/svg" {head}>{body}</svg>'.encode()


def size_of(data: bytes) -> tuple[float, float]:
    x0, y0, x1, y1 = read_svg(data, name="t.svg").bounds()
    return x1 - x0, y1 - y0


def codes(data: bytes) -> set[str]:
    return {finding.code for finding in read_svg(data, name="t.svg").report}


class TestUnits:
    @pytest.mark.parametrize(
        ("head", "mm"),
        [
            ('width="100mm" height="100mm" viewBox="0 0 100 100"', 10),
            ('width="10cm" height="10cm" viewBox="0 0 200 200"', 5),
            ('width="4in" height="4in" viewBox="0 0 4 4"', 254),
            ('width="72pt" height="72pt" viewBox="0 0 72 72"', 10 * 25.4 / 72),
            ('width="96" height="96"', 10 * 25.4 / 96),
            ('width="96px" height="96px" viewBox="0 0 48 48"', 20 * 25.4 / 96),
            ('viewBox="0 0 96 96"', 10 * 25.4 / 96),
            ("", 10 * 25.4 / 96),
            ('width="100mm" viewBox="0 0 50 50"', 20),
        ],
    )
    def test_ten_units_become_what_the_file_says(self, head, mm):
        assert size_of(svg(BOX, head))[0] == pytest.approx(mm, rel=1e-9)

    def test_an_assumed_unit_is_told_and_a_stated_one_is_certain(self):
        assert not read_svg(svg(BOX, 'width="96" height="96"'), name="t").scale.is_certain
        assert read_svg(svg(BOX), name="t").scale.is_certain
        assert "unit" in codes(svg(BOX))

    @pytest.mark.parametrize("unit", UNITS_MM)
    def test_choosing_a_unit_makes_one_file_unit_that_long(self, unit):
        drawing = with_unit(read_svg(svg(BOX, 'width="96" height="96"'), name="t"), unit)
        x0, _, x1, _ = drawing.bounds()
        assert x1 - x0 == pytest.approx(10 * UNITS_MM[unit])

    @given(st.floats(0.1, 5000))
    def test_one_true_dimension_scales_both(self, mm):
        drawing = with_true_size(read_svg(svg(BOX), name="t"), is_width=True, true_mm=mm)
        x0, y0, x1, y1 = drawing.bounds()
        assert x1 - x0 == pytest.approx(mm)
        assert y1 - y0 == pytest.approx(mm / 2)

    def test_y_goes_up_from_the_lower_left_corner_of_the_page(self):
        bounds = read_svg(svg('<rect x="10" y="80" width="10" height="5"/>'), name="t").bounds()
        assert bounds == pytest.approx((10, 15, 20, 20))


class TestContent:
    def test_nested_transforms_multiply(self):
        body = f'<g transform="scale(2)"><g transform="translate(5 0) rotate(90)">{BOX}</g></g>'
        assert size_of(svg(body)) == pytest.approx((10, 20))

    def test_use_and_symbol_are_followed_and_placed(self):
        body = (
            f'<defs><g id="a">{BOX}</g><symbol id="s" viewBox="0 0 10 10"><circle cx="5" cy="5" r="5"/></symbol></defs>'
            '<use href="#a" x="50"/><use xlink:href="#s" xmlns:xlink="x" y="40" width="20" height="20"/>'
        )
        drawing = read_svg(svg(body), name="t")
        assert len(drawing.shapes) == 2
        assert drawing.shapes[1].paths[0].area() == pytest.approx(-pi * 100, rel=1e-9)  # y is mirrored

    def test_a_symbol_nobody_uses_is_not_drawn(self):
        assert len(read_svg(svg(f'{BOX}<symbol id="s">{BOX}</symbol>'), name="t").shapes) == 1

    def test_groups_become_layers_and_labels_name_them(self):
        body = f'<g id="holes">{BOX}</g><g id="x" label="Outline">{BOX}</g>'
        drawing = read_svg(svg(body), name="t")
        assert [layer.name for layer in drawing.layers] == ["holes", "Outline"]
        assert [shape.layer for shape in drawing.shapes] == [0, 1]

    def test_css_decides_the_fill_rule_and_what_is_painted(self):
        body = (
            "<style>/* c */ .e{fill-rule:evenodd} #n{fill:none;stroke:none} path{stroke:red}</style>"
            '<path class="e" d="M0 0H9V9H0Z"/><path id="n" d="M0 0H9V9H0Z"/><path d="M0 0H9V9H0Z" style="fill:none"/>'
        )
        shapes = read_svg(svg(body), name="t").shapes
        assert [shape.fill_rule for shape in shapes] == [FillRule.EVENODD, FillRule.NONZERO]
        assert [shape.is_filled for shape in shapes] == [True, False]
        assert "svg-unpainted" in codes(svg(body))

    @pytest.mark.parametrize(
        ("rules", "painted"),
        [
            ("rect{fill:none}", "....."),
            ("#a,#c{fill:none}", ".b.de"),
            ("#a + rect{fill:none}", "a.cde"),
            ("#b ~ rect{fill:none}", "ab..."),
            ("rect:nth-child(2n){fill:none}", "a.c.e"),
            ("rect:not(.x){fill:none}", "a...e"),
            ("rect[width='3']{fill:none}", "abc.e"),
            ("g > rect{fill:none} svg > rect{fill:red}", "....."),
            ("g rect.x{fill:none} #a{fill:red}", "abcd."),
            ("rect{fill:none !important} #a{fill:red}", "....."),
            ("#a{fill:red} rect{fill:none}", "a...."),
            ("/* rect{fill:none} */", "abcde"),
            ("@media print{rect{fill:none}}", "abcde"),
            ("@media screen{rect{fill:none}}", "....."),
            ("@media not screen{rect{fill:none}}", "abcde"),
            ("@font-face{font-family:'a{b'} #b{fill:none}", "a.cde"),
            ("@import 'other.css'; #b{fill:none}", "a.cde"),
            (".x{font-family:'A;fill:none;'}", "abcde"),
            ("#b{fill:none", "a.cde"),
            ("#b{fill:none;;stroke}", "a.cde"),
            ("#b:hover{fill:none}", "abcde"),
            ("#b::before{fill:none}", "abcde"),
            ("b r o k e n {{{", "abcde"),
        ],
    )
    def test_style_rules_are_read_as_they_are_meant(self, rules, painted):
        """Which of five rectangles are filled; they lie in a group, the first and the last of class x, the fourth 3 wide."""
        body = "".join(
            f'<rect id="{id_}" x="{9 * k}" width="{3 if id_ == "d" else 4}" height="4" {extra} stroke="black"/>'
            for k, (id_, extra) in enumerate(zip("abcde", ['class="x"', "", "", "", 'class="x"'], strict=True))
        )
        drawing = read_svg(svg(f"<style>{rules}</style><g>{body}</g>"), name="t")
        filled = "".join(id_ if shape.is_filled else "." for id_, shape in zip("abcde", drawing.shapes, strict=True))
        assert filled == painted

    @pytest.mark.parametrize(
        ("style", "is_filled"),
        [
            ("fill:none", False), ("FILL : none ;", False), ("fill:none;fill:red", True), ("fill:red;/*;*/fill:none", False),
            ("fill:none!important;fill:red", False), ("font-family:'x;fill:none'", True), ("fill:", True), ("fill", True),
            (r"font-family:a\;b;fill:none", False), ("fill:url(#a;b)", True), ("{fill:none}", True), ("fill:rgb(1,2,3)", True), ("font-family:'a(b';fill:none", False), ("font-family:'a;fill:none", True),
            ("stroke:url('#a;b');fill:none", False), ("fill:none;font-family:'A' , B", False),
        ],
    )  # fmt: skip
    def test_style_attributes_are_read_as_they_are_meant(self, style, is_filled):
        body = f'<rect width="4" height="4" stroke="black" style="{style}"/>'
        assert read_svg(svg(body), name="t").shapes[0].is_filled == is_filled

    def test_circles_stay_arcs_and_uneven_ones_become_cubics(self):
        round_, oval = read_svg(svg('<circle r="5"/><ellipse rx="5" ry="3"/>'), name="t").shapes
        assert (round_.paths[0].kinds == Kind.ARC).all()
        assert (oval.paths[0].kinds == Kind.CUBIC).all()
        assert abs(oval.paths[0].area()) == pytest.approx(15 * pi, rel=1e-6)

    def test_a_filled_open_outline_is_closed_as_svg_fills_it_and_told(self):
        data = svg('<path d="M0 0H10V10H0"/>')
        assert read_svg(data, name="t").shapes[0].paths[0].closed
        assert "svg-closed" in codes(data)

    def test_an_open_stroke_stays_open(self):
        assert (
            not read_svg(svg('<path d="M0 0H10V10H0" fill="none" stroke="red"/>'), name="t").shapes[0].paths[0].closed
        )

    @pytest.mark.parametrize(
        ("body", "code"),
        [
            ("<flowRoot>Hi</flowRoot>", "svg-text"),
            ('<image width="5" height="5"/>', "svg-picture"),
            (f'<g clip-path="url(#c)">{BOX}</g>', "svg-clip"),
            (f'<g display="none">{BOX}</g>', "svg-hidden"),
            ('<path d="M0 0 L10,1O Z"/>', "svg-damaged"),
            ('<rect width="NaN" height="4"/>', "svg-damaged"),
            ('<rect width="-3" height="4"/>', "svg-damaged"),
            ('<circle r="1e9"/>', "svg-far"),
            ('<path d="M0 0 L1e999 0"/>', "svg-damaged"),
            ('<use href="#nothing"/>', "svg-use"),
            ('<g id="loop"><use href="#loop"/></g>', "svg-use-loop"),
            ('<rect width="4" height="4" transform="spin(3)"/>', "svg-transform"),
            ("<style>rect:tilted(3){fill:none}</style>", "svg-style"),
            ("<foreignObject/>", "svg-unknown"),
        ],
    )
    def test_each_loss_is_told_and_costs_only_itself(self, body, code):
        data = svg(body + BOX)
        assert code in codes(data)
        assert any(shape.name == "rect" for shape in read_svg(data, name="t").shapes)

    def test_findings_name_their_line(self):
        data = svg('\n\n<path d="M0 0 Q"/>' + BOX)
        assert any(finding.place == "line 3" for finding in read_svg(data, name="t").report)


class TestAgainstAnIndependentReader:
    @pytest.mark.parametrize(
        "data",
        [
            "M10 10 h20 v10 l-5 5 H10 z m40 0 c5 -8 12 -8 15 0 s8 9 15 0",
            "M0 0 q10 20 20 0 t20 0 T80 10",
            "M5 50 a20 12 30 0 1 40 5 A8 8 0 1 0 60 70 a3 3 0 01.5.5",
            "M1e1,1.5.5.5-3-4L-.5+6",
        ],
    )
    def test_path_data_measures_the_same(self, data):
        ours = sum(path.length() for path in parse_path(data))
        assert ours == pytest.approx(svgelements.Path(data).length(error=1e-7), rel=1e-5)

    @given(
        st.lists(
            st.tuples(st.sampled_from("LlQqCcAaSsTtHhVv"), st.lists(st.floats(-50, 50), min_size=7, max_size=7)),
            max_size=8,
        )
    )
    def test_any_path_ends_where_svgelements_ends(self, commands):
        counts = {"L": 2, "Q": 4, "C": 6, "A": 7, "S": 4, "T": 2, "H": 1, "V": 1}
        text = "M1 2"
        for letter, values in commands:
            v = [round(x, 3) for x in values[: counts[letter.upper()]]]
            if letter in "Aa":
                v[0], v[1], v[3], v[4] = abs(v[0]) + 1, abs(v[1]) + 1, int(v[3] > 0), int(v[4] > 0)
            text += letter + " ".join(str(x) for x in v)
        theirs = svgelements.Path(text)
        paths = parse_path(text)
        if paths:
            assert paths[-1].nodes[-1] == pytest.approx((theirs.current_point.x, theirs.current_point.y), abs=1e-6)

    @pytest.mark.parametrize("text", ["matrix(1 2 3 4 5 6)", "rotate(30 5 6) scale(2,3)", "skewX(20)translate(4)"])
    def test_transforms_map_points_alike(self, text):
        m, theirs = parse_transform(text), svgelements.Matrix(text)
        mapped = m.apply(np.array([[3.0, 7.0]]))[0]
        point = theirs.point_in_matrix_space((3, 7))
        assert mapped == pytest.approx((point.x, point.y), abs=1e-9)


class TestManyGroups:
    @pytest.mark.parametrize(("count", "layers"), [(40, 40), (41, 1), (3000, 1)])
    def test_a_few_groups_are_layers_and_thousands_are_not(self, count, layers):
        body = "".join(f'<g id="g{k}"><rect x="{k}" width="5" height="5"/></g>' for k in range(count))
        drawing = read_svg(svg(body), name="t")
        assert len(drawing.layers) == layers
        assert len(drawing.shapes) == count
        told = [finding for finding in drawing.report if finding.code == "svg-layers"]
        assert bool(told) == (layers == 1)
        assert all(f"{count:,} groups" in finding.sentence for finding in told)


class TestBadFiles:
    @pytest.mark.parametrize(
        ("data", "words"),
        [
            (b"", "empty"),
            (b"   \n ", "empty"),
            (b"\x00\x01\x02PNG binary", "not an SVG"),
            (b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 20, "not an SVG"),
            (b"<html><body/></html>", "<html>"),
            (svg(BOX)[:-20], "damaged"),
            (b"\x1f\x8b" + b"junk" * 10, "packing"),
            (gzip.compress(svg(BOX))[:-12], "too early"),
            (svg(""), "no shapes"),
            (svg("<flowRoot>only words</flowRoot>"), "nothing that can be cut"),
            (svg("<g>" * 500 + "</g>" * 500), "nests"),
        ],
    )
    def test_each_gets_one_sentence_that_names_the_file(self, data, words):
        with pytest.raises(ArtworkError, match=words) as caught:
            read_svg(data, name="part.svg")
        assert "part.svg" in str(caught.value)

    def test_an_entity_bomb_is_refused_before_it_goes_off(self):
        bomb = b'<!DOCTYPE svg [<!ENTITY a "xxxxxxxxxx"><!ENTITY b "&a;&a;&a;&a;&a;&a;">]>' + svg(
            "<title>&b;</title>" + BOX
        )
        with pytest.raises(ArtworkError, match="entity 'b'"):
            read_svg(bomb, name="bomb.svg")

    def test_a_plain_entity_is_read(self):
        data = b'<!DOCTYPE svg [<!ENTITY w "10">]>' + svg('<rect width="&w;" height="5"/>')
        assert size_of(data) == pytest.approx((10, 5))

    def test_a_doubling_of_uses_is_bounded(self, monkeypatch):
        monkeypatch.setattr("archimetra.artwork.svg.MAX_SHAPES", 2000)
        body = f'<g id="g0">{BOX}</g>'
        body += "".join(f'<g id="g{k + 1}"><use href="#g{k}"/><use href="#g{k}"/></g>' for k in range(30))
        with pytest.raises(ArtworkError, match="more than 2,000 shapes"):
            read_svg(svg(body), name="t")

    def test_a_hundred_megabytes_are_refused_at_once(self):
        assert svg_tree.MAX_BYTES < 100_000_000
        with pytest.raises(ArtworkError, match="100 MB"):
            read_svg(b"<svg>" + b" " * 100_000_000, name="big.svg")

    def test_a_missing_file_is_a_sentence(self, tmp_path):
        with pytest.raises(ArtworkError, match="could not be read"):
            read_svg_file(tmp_path / "none.svg")

    @given(st.binary(max_size=300))
    def test_any_bytes_give_a_drawing_or_our_error(self, data):
        for whole in (data, b"<svg>" + data, svg("").replace(b"></svg>", b">" + data + b"</svg>")):
            said = sentence_of(ArtworkError, lambda whole=whole: read_svg(whole, name="x.svg"))
            assert said == "" or "x.svg" in said

    @given(st.integers(0, 3000))
    def test_a_file_cut_off_anywhere_gives_a_sentence(self, at):
        data = artwork("dial-face.svg")
        with pytest.raises(ArtworkError):
            read_svg(data[: min(at, len(data) - 10)], name="dial.svg")


def test_the_sample_dial_lands_with_its_true_measures():
    drawing = read_svg(artwork("dial-face.svg"), name="dial-face.svg")
    by_name = {shape.name: shape.paths[0] for shape in drawing.shapes}
    assert drawing.page_mm == pytest.approx((320, 320))
    assert abs(by_name["dial"].area()) == pytest.approx(pi * 142**2)
    assert abs(by_name["arbor hole"].area()) == pytest.approx(pi * 5.5**2)
    assert len(by_name["star"]) == 16


class TestWholeFormat:
    def only(self, body: str, **options):
        drawing = read_svg(svg(body), name="t")
        return drawing.shapes[0]

    def test_clips_cut_areas_and_lines_and_what_lies_inside_stays_exact(self):
        clip = '<clipPath id="c"><circle cx="50" cy="50" r="20"/></clipPath>'
        half = read_svg(svg(f'{clip}<rect width="50" height="100" clip-path="url(#c)"/>'), name="t")
        assert sum(p.area() for p in half.shapes[0].paths) == pytest.approx(200 * pi, abs=0.1)
        assert "svg-clipped" in {e.code for e in half.report}
        line = read_svg(svg(f'{clip}<path d="M0 50H100" stroke="red" fill="none" clip-path="url(#c)"/>'), name="t")
        assert line.shapes[0].paths[0].length() == pytest.approx(40, abs=0.01)
        inside = read_svg(svg(f'{clip}<circle cx="50" cy="50" r="5" clip-path="url(#c)"/>'), name="t")
        assert (inside.shapes[0].paths[0].kinds == Kind.ARC).all()

    def test_clips_nest_and_use_the_box_of_what_they_clip(self):
        body = (
            '<clipPath id="a"><rect x="10" y="10" width="40" height="40"/></clipPath>'
            '<clipPath id="b" clipPathUnits="objectBoundingBox"><rect width="0.5" height="1"/></clipPath>'
            '<g clip-path="url(#a)"><rect x="20" y="20" width="60" height="60" clip-path="url(#b)"/></g>'
        )
        shape = self.only(body)
        assert sum(p.area() for p in shape.paths) == pytest.approx(30 * 30, abs=0.1)

    def test_text_is_set_in_its_font_size_and_anchor(self):
        for anchor, share in (("start", 0.0), ("middle", 0.5), ("end", 1.0)):
            body = f'<text x="50" y="60" font-family="Zilla Slab" font-size="20" text-anchor="{anchor}">HIM</text>'
            x0, y0, x1, y1 = bounds_of(self.only(body).paths)
            assert y0 == pytest.approx(40, abs=0.3)  # y up: the baseline is 60 from the top
            assert y1 - y0 == pytest.approx(20 * 0.65, rel=0.06)
            assert (50 - x0) / (x1 - x0) == pytest.approx(share, abs=0.05)

    def test_spans_move_and_spaces_collapse(self):
        body = '<text x="10" y="20">A   <tspan>  B</tspan><tspan x="60" y="40">C</tspan></text>'
        shape = self.only(body)
        assert shape.name == "A BC"
        assert bounds_of(shape.paths)[2] > 60

    def test_text_on_a_path_and_styles_from_rules(self):
        body = (
            "<style>text.big{font-size:12px}</style><path id='p' d='M10 80 H90' fill='none'/>"
            "<text class='big'><textPath href='#p' startOffset='50%' text-anchor='middle'>mid</textPath></text>"
        )
        x0, _, x1, _ = bounds_of(self.only(body).paths)
        assert (x0 + x1) / 2 == pytest.approx(50, abs=1.5)

    def test_a_font_that_is_not_here_is_told_once_with_its_places(self):
        body = '<text y="9" font-family="Nowhere">a</text><text y="30" font-family="Nowhere">b</text>'
        told = [e for e in read_svg(svg(body), name="t").report if e.code == "svg-font"]
        assert len(told) == 1
        assert "Nowhere" in told[0].sentence
        assert len(told[0].places) == 2

    def test_switch_takes_the_first_child_meant_for_us(self):
        body = (
            '<switch><foreignObject requiredExtensions="x"/><g systemLanguage="de"><rect width="1" height="1"/></g>'
            '<g><rect width="7" height="7"/></g></switch>'
        )
        assert abs(self.only(body).paths[0].area()) == pytest.approx(49)

    def test_rules_inside_others_are_followed(self):
        body = (
            "<style>g.cut > path{fill:none;stroke:red} .off *{fill:none}</style>"
            '<g class="cut"><path d="M0 0H9V9H0Z"/></g><g class="off"><g><rect width="4" height="4"/></g></g>'
        )
        drawing = read_svg(svg(body), name="t")
        assert [shape.is_filled for shape in drawing.shapes] == [False]

    def test_embedded_pictures_are_handed_over_with_their_place(self):
        import base64

        data = base64.b64encode(b"\x89PNG fake").decode()
        body = f'<rect width="9" height="9"/><image x="10" y="20" width="30" height="40" href="data:image/png;base64,{data}"/>'
        picture = read_svg(svg(body), name="t").pictures[0]
        assert picture.data == b"\x89PNG fake"
        assert picture.at.point(0, 0) == pytest.approx((10, 40))
        assert picture.at.point(1, 1) == pytest.approx((40, 80))
        damaged = svg('<rect width="9" height="9"/><image width="3" height="3" href="data:image/png;base64,@@"/>')
        assert "svg-picture" in codes(damaged)

    @pytest.mark.parametrize(
        ("width", "height", "per_inch"),
        [
            (744.094, 1052.362, 90), (595.276, 841.89, 72), (793.7, 1122.52, 96), (566.929, 377.953, 96),
            (357.874, 237.402, 90), (200, 100, 96),
        ],
    )  # fmt: skip
    def test_pixels_are_as_long_as_the_page_gives_away(self, width, height, per_inch):
        data = f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}">{BOX}</svg>'.encode()
        drawing = read_svg(data, name="t")
        assert drawing.page_mm[0] == pytest.approx(width / per_inch * 25.4, rel=1e-6)
        assert not drawing.scale.is_certain

    @pytest.mark.parametrize(("turn", "size"), [(0, 1.0), (33, 1.7)])
    def test_what_is_written_reads_back_the_same(self, turn, size):
        from archimetra.artwork.drawing import DrawnLayer, DrawnShape
        from archimetra.artwork.svg_write import write_svg
        from archimetra.geometry.affine import Affine
        from archimetra.geometry.refit import deviation
        from shapes import blob, star

        m = Affine.turn(turn).then(Affine.scale(size)).then(Affine.shift(90, 80))
        paths = [star().transform(m), blob(4).transform(m), Path.circle((30, 30), 9)]
        drawn = [DrawnShape(f"s <{k}>", k % 2, (p,), FillRule.EVENODD, True, None, 1) for k, p in enumerate(paths)]
        layers = [DrawnLayer("A & B", "#112233"), DrawnLayer("two")]
        back = read_svg(write_svg(drawn, layers, width_mm=200, height_mm=180, title="t").encode(), name="t")
        assert [layer.name for layer in back.layers] == ["A & B", "two"]
        assert back.page_mm == (200, 180)
        by_name = {shape.name: shape for shape in back.shapes}
        for one, path in zip(drawn, paths, strict=True):
            assert deviation(by_name[one.name].paths, [path]) < 2e-4
            # arcs are written a quarter at most: more of one hangs on the last digit of its radius
            halves = int(((path.kinds == Kind.ARC) & (np.abs(path.params[:, 0]) > 0.9)).sum())
            assert len(by_name[one.name].paths[0]) == len(path) + halves
