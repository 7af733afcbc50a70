"""DXF lands true to size whatever version, entity or dirt, and every loss is told."""

from __future__ import annotations

import io
from math import cos, hypot, pi, radians, sin

import ezdxf
import numpy as np
import pytest
from ezdxf import units
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.artwork.drawing import DrawnLayer
from archimetra.artwork.dxf import read_dxf
from archimetra.artwork.dxf_write import write_dxf
from archimetra.base.errors import ArtworkError
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.geometry.region import region_of
from shapes import blob, sentence_of, star


def new(version: str = "R2010", unit: int = units.MM):
    doc = ezdxf.new(version)
    doc.header["$INSUNITS"] = unit
    return doc, doc.modelspace()


def data_of(doc) -> bytes:
    out = io.StringIO()
    doc.write(out)
    return out.getvalue().encode("utf-8" if doc.dxfversion >= "AC1021" else "cp1252")


def read(doc):
    return read_dxf(data_of(doc), name="t.dxf")


def said(drawing) -> dict[str, str]:
    return {entry.code: entry.sentence for entry in drawing.report}


def only(drawing) -> Path:
    assert len(drawing.shapes) == 1
    assert len(drawing.shapes[0].paths) == 1
    return drawing.shapes[0].paths[0]


class TestEntities:
    def test_lines_and_arcs_of_a_slot_become_one_exact_outline(self):
        doc, m = new()
        m.add_line((0, 0), (40, 0))
        m.add_arc((40, 5), 5, -90, 90)
        m.add_line((0, 10), (40, 10))
        m.add_arc((0, 5), 5, 90, 270)
        path = only(read(doc))
        assert path.closed
        assert abs(path.area()) == pytest.approx(400 + 25 * pi, abs=1e-9)
        assert path.bounds() == pytest.approx((0, 0, 50, 10))

    def test_circle_and_arcs_beyond_half_a_turn(self):
        doc, m = new()
        m.add_circle((100, 100), 7)
        m.add_arc((0, 0), 10, 20, 340)
        drawing = read(doc)
        lengths = sorted(path.length() for shape in drawing.shapes for path in shape.paths)
        assert lengths == pytest.approx(sorted([14 * pi, 10 * radians(320)]))

    @pytest.mark.parametrize(("t0", "t1"), [(0, 2 * pi), (0.3, 2.5), (4.0, 1.0)])
    def test_ellipses_lie_on_their_equation(self, t0, t1):
        doc, m = new()
        m.add_ellipse((50, 20), major_axis=(20, 10), ratio=0.4, start_param=t0, end_param=t1)
        drawing = read(doc)
        flat = only(drawing).flatten(0.001)
        sweep = (t1 - t0) % (2 * pi) or 2 * pi
        t = t0 + sweep * np.linspace(0, 1, 400)
        true = np.column_stack((20 * np.cos(t) - 4 * np.sin(t), 10 * np.cos(t) + 8 * np.sin(t)))
        true -= true.min(axis=0)
        gaps = [float(np.hypot(*(flat - point).T).min()) for point in true]
        assert max(gaps) < 0.5  # points of the flat line lie apart; the box is the sharp measure
        assert only(drawing).bounds()[2:] == pytest.approx(tuple(true.max(axis=0)), abs=0.002)
        assert only(drawing).closed == (sweep == 2 * pi)

    @pytest.mark.parametrize("degree", [2, 3, 5])
    @pytest.mark.parametrize("rational", [False, True])
    def test_splines_follow_the_library_s_own_curve(self, degree, rational):
        doc, m = new()
        points = [(0, 0), (10, 25), (30, -10), (50, 30), (70, 0), (90, 20)]
        if rational:
            spline = m.add_rational_spline(points, weights=[1, 2, 1, 0.5, 1, 1], degree=degree)
        else:
            spline = m.add_open_spline(points, degree=degree)
        true = np.array([(p.x, p.y) for p in spline.construction_tool().approximate(300)])
        path = only(read(doc))
        shift = true.min(axis=0)
        worst = max(path.nearest((float(x), float(y)))[1] for x, y in (true - shift)[::7])
        assert worst < 0.02

    def test_polylines_keep_bulges_and_closedness(self):
        doc, m = new()
        m.add_lwpolyline([(0, 0, 0), (30, 0, 1), (30, 10, 0), (0, 10, 0)], format="xyb", close=True)
        m.add_polyline2d([(60, 0, 0), (90, 0, -0.5), (90, 10, 0)], format="xyb")
        closed, open_ = read(doc).shapes
        assert closed.paths[0].area() == pytest.approx(300 + 12.5 * pi)
        assert not open_.paths[0].closed
        assert open_.paths[0].length() == pytest.approx(30 + 10 * 1.25 * 2 * np.arctan(0.5), rel=1e-9)

    def test_r12_and_3d_polylines(self):
        doc, m = new("R12")
        m.add_polyline2d([(0, 0), (10, 0), (10, 10)], close=True)
        m.add_polyline3d([(20, 0, 5), (30, 0, 9), (30, 8, 1)])
        drawing = read(doc)
        assert sorted(shape.paths[0].closed for shape in drawing.shapes) == [False, True]

    def test_solids_and_faces_are_the_areas_they_show(self):
        doc, m = new()
        m.add_solid([(0, 0), (10, 0), (0, 10), (10, 10)])  # the last two crossed, as the format has it
        m.add_3dface([(20, 0), (30, 0), (30, 10), (20, 10)])
        areas = [abs(shape.paths[0].area()) for shape in read(doc).shapes]
        assert areas == [100, 100]

    def test_hatch_boundaries_of_every_kind_of_edge(self):
        doc, m = new()
        hatch = m.add_hatch()
        hatch.paths.add_polyline_path([(0, 0), (40, 0), (40, 40), (0, 40)], is_closed=True)
        edges = hatch.paths.add_edge_path()
        edges.add_arc((20, 20), 8, 0, 180)
        edges.add_line((12, 20), (28, 20))
        shape = read(doc).shapes[0]
        area = region_of(shape.paths, FillRule.EVENODD, chord_tolerance_mm=0.0005).area
        assert area == pytest.approx(1600 - 32 * pi, abs=0.02)
        assert shape.is_filled

    def test_a_hatch_on_its_own_outline_is_one_thing(self):
        doc, m = new()
        m.add_lwpolyline([(0, 0), (40, 0), (40, 40), (0, 40)], close=True)
        m.add_hatch().paths.add_polyline_path([(0, 0), (40, 0), (40, 40), (0, 40)], is_closed=True)
        drawing = read(doc)
        assert len(drawing.shapes) == 1
        assert "drawn twice" in said(drawing)["double-outlines"]

    def test_seen_from_behind_things_are_mirrored(self):
        doc, m = new()
        m.add_lwpolyline([(0, 0), (10, 0), (10, 4)], close=True, dxfattribs={"extrusion": (0, 0, -1)})
        m.add_line((-10, -20), (0, -20))
        m.add_arc((10, -30), 5, 0, 90, dxfattribs={"extrusion": (0, 0, -1)})
        triangle, _, arc = read(doc).shapes
        assert triangle.paths[0].nodes[:, 0].max() - triangle.paths[0].nodes[:, 0].min() == pytest.approx(10)
        assert triangle.paths[0].area() == pytest.approx(-20)
        assert arc.paths[0].params[0, 0] == pytest.approx(-np.tan(pi / 8))

    def test_points_dimensions_and_the_like_are_told_with_their_place(self):
        doc, m = new()
        m.add_circle((0, 0), 10)
        m.add_point((3, 4))
        m.add_linear_dim(base=(0, 15), p1=(-10, 0), p2=(10, 0)).render()
        drawing = read(doc)
        assert "1 point left out" in said(drawing)["dxf-point"]
        assert next(e for e in drawing.report if e.code == "dxf-point").places == ((13.0, 14.0),)
        assert "1 dimension left out" in said(drawing)["dxf-dimension"]


class TestBlocks:
    def block(self, doc):
        block = doc.blocks.new("part", base_point=(1, 1))
        block.add_lwpolyline([(1, 1), (11, 1), (11, 6)], close=True)
        block.add_circle((4, 2.5), 1)
        return block

    def test_inserted_turned_scaled_and_mirrored(self):
        doc, m = new()
        self.block(doc)
        m.add_blockref("part", (0, 0))
        m.add_blockref("part", (100, 0), dxfattribs={"rotation": 90, "xscale": 2, "yscale": 2})
        m.add_blockref("part", (200, 0), dxfattribs={"xscale": -1})
        m.add_blockref("part", (300, 0), dxfattribs={"xscale": 3, "yscale": 1})
        triangles = [s.paths[0] for s in read(doc).shapes if s.name == "polyline"]
        assert [round(p.area(), 6) for p in triangles] == [25, 100, -25, 75]
        assert triangles[1].nodes[1] - triangles[1].nodes[0] == pytest.approx([0, 20])
        rounds = [s.paths[0] for s in read(doc).shapes if s.name == "circle"]
        assert abs(rounds[3].area()) == pytest.approx(3 * pi, rel=1e-6)

    def test_nested_blocks_and_rows_of_them(self):
        doc, m = new()
        self.block(doc)
        outer = doc.blocks.new("outer")
        outer.add_blockref("part", (0, 0))
        outer.add_blockref("part", (0, 20), dxfattribs={"rotation": 180})
        m.add_blockref(
            "outer", (0, 0), dxfattribs={"column_count": 3, "row_count": 2, "column_spacing": 50, "row_spacing": 60}
        )
        drawing = read(doc)
        assert len(drawing.shapes) == 24
        assert len({shape.key for shape in drawing.shapes}) == 24

    def test_what_lies_on_layer_0_of_a_block_takes_the_layer_it_is_inserted_on(self):
        doc, m = new()
        block = doc.blocks.new("b")
        block.add_circle((0, 0), 5)
        block.add_circle((20, 0), 5, dxfattribs={"layer": "own"})
        m.add_blockref("b", (0, 0), dxfattribs={"layer": "holes"})
        drawing = read(doc)
        assert [drawing.layers[shape.layer].name for shape in drawing.shapes] == ["holes", "own"]

    def test_a_block_that_contains_itself_ends(self):
        doc, m = new()
        a, b = doc.blocks.new("a"), doc.blocks.new("b")
        a.add_blockref("b", (0, 0))
        b.add_blockref("a", (5, 0))
        b.add_circle((0, 0), 3)
        m.add_blockref("a", (0, 0))
        drawing = read(doc)
        assert len(drawing.shapes) == 1
        assert "contains itself" in said(drawing)["dxf-block-that-contains-itself"]

    def test_a_bomb_of_blocks_is_refused_before_it_fills_the_memory(self):
        doc, m = new()
        doc.blocks.new("b0").add_circle((0, 0), 1)
        for k in range(1, 12):
            block = doc.blocks.new(f"b{k}")
            for n in range(10):
                block.add_blockref(f"b{k - 1}", (n, 0))
        m.add_blockref("b11", (0, 0))
        assert "more than 500,000 things" in sentence_of(ArtworkError, lambda: read(doc))

    def test_lines_within_a_block_join_lines_outside_it(self):
        doc, m = new()
        block = doc.blocks.new("half")
        for a, b in (((0, 0), (10, 0)), ((10, 0), (10, 10))):
            block.add_line(a, b)
        m.add_blockref("half", (0, 0))
        m.add_blockref("half", (10, 10), dxfattribs={"rotation": 180})
        assert only(read(doc)).closed


class TestScale:
    @pytest.mark.parametrize(("unit", "mm"), [(1, 25.4), (2, 304.8), (4, 1), (5, 10), (9, 0.0254), (14, 100)])
    def test_the_stated_unit_rules(self, unit, mm):
        doc, m = new(unit=unit)
        m.add_circle((0, 0), 1)
        drawing = read(doc)
        assert drawing.bounds()[2] == pytest.approx(2 * mm)
        assert drawing.scale.is_certain

    def test_without_a_unit_imperial_measure_and_size_speak_for_inches(self):
        doc, m = new(unit=0)
        m.add_lwpolyline([(0, 0), (12, 0), (12, 8)], close=True)
        doc.header["$MEASUREMENT"] = 0
        drawing = read(doc)
        assert (drawing.scale.unit, drawing.scale.is_certain) == ("in", False)
        doc.header["$MEASUREMENT"] = 1
        assert read(doc).scale.unit == "mm"

    def test_metres_nobody_meant_are_taken_for_millimetres_and_told(self):
        doc, m = new(unit=6)
        m.add_lwpolyline([(0, 0), (300, 0), (300, 200)], close=True)
        drawing = read(doc)
        assert drawing.bounds()[2] == pytest.approx(300)
        assert "states m" in drawing.scale.reason

    def test_a_drawing_of_ten_kilometres_is_refused_in_a_sentence(self):
        doc, m = new()
        m.add_line((0, 0), (1e7, 0))
        m.add_line((0, 0), (0, 1e7))
        assert "10 km wide" in sentence_of(ArtworkError, lambda: read(doc))

    def test_one_far_thing_is_left_out_and_the_rest_lands(self):
        doc, m = new()
        for k in range(5):
            m.add_circle((k * 30, 0), 10)
        m.add_circle((4e8, 0), 10)
        drawing = read(doc)
        assert len(drawing.shapes) == 5
        assert "1 thing more than" in said(drawing)["dxf-far"]

    def test_survey_coordinates_come_down_to_the_origin(self):
        doc, m = new()
        m.add_circle((3_500_000, 5_400_000), 10)
        assert read(doc).bounds() == pytest.approx((0, 0, 20, 20), abs=1e-6)


class TestLayersAndText:
    def test_layers_keep_names_colours_and_whether_they_show(self):
        doc, m = new()
        doc.layers.add("Cut Äö", color=1)
        doc.layers.add("hidden", true_color=0x3366CC).off()
        m.add_circle((0, 0), 5, dxfattribs={"layer": "Cut Äö"})
        m.add_circle((20, 0), 5, dxfattribs={"layer": "hidden"})
        assert read(doc).layers == (DrawnLayer("Cut Äö", "#ff0000"), DrawnLayer("hidden", "#3366cc", False))

    @pytest.mark.parametrize(("halign", "share"), [("LEFT", 0.0), ("MIDDLE_CENTER", 0.5), ("RIGHT", 1.0)])
    def test_text_becomes_outlines_of_its_height_at_its_place(self, halign, share):
        from ezdxf.enums import TextEntityAlignment

        doc, m = new()
        m.add_circle((0, 0), 1)
        m.add_text("HHH", height=10).set_placement((50, 20), align=TextEntityAlignment[halign])
        drawing = read(doc)
        box = bounds(next(s for s in drawing.shapes if s.name == "HHH"))
        assert box[3] - box[1] == pytest.approx(10, abs=0.02)
        place = 51.0 - box[0]
        assert place / (box[2] - box[0]) == pytest.approx(share, abs=0.06)

    def test_rotated_and_wrapped_paragraphs(self):
        doc, m = new()
        m.add_mtext("WIDE WORDS THAT WRAP", dxfattribs={"char_height": 5, "width": 40, "insert": (0, 0)})
        names = [shape.name for shape in read(doc).shapes]
        assert len(names) > 1
        assert " ".join(names) == "WIDE WORDS THAT WRAP"

    def test_a_font_that_is_not_here_is_told_where_it_is_used(self):
        doc, m = new()
        doc.styles.add("odd", font="NoSuchFont.ttf")
        m.add_text("A", height=5, dxfattribs={"style": "odd", "insert": (7, 9)})
        told = next(e for e in read(doc).report if e.code == "dxf-font")
        assert "NoSuchFont.ttf" in told.sentence
        assert len(told.places) == 1


def bounds(shape):
    every = np.array([path.bounds() for path in shape.paths])
    return (*every[:, :2].min(axis=0), *every[:, 2:].max(axis=0))


class TestVersions:
    @pytest.mark.parametrize("version", ["R12", "R2000", "R2004", "R2007", "R2010", "R2013", "R2018"])
    def test_every_version_in_text_and_binary(self, version):
        doc, m = new(version)
        m.add_line((0, 0), (30, 0))
        m.add_line((30, 0), (0, 40))
        m.add_line((0, 40), (0, 0))
        expected = pytest.approx(600)
        assert abs(only(read(doc)).area()) == expected
        out = io.BytesIO()
        doc.write(out, fmt="bin")
        assert abs(only(read_dxf(out.getvalue(), name="b.dxf")).area()) == expected

    def test_paper_space_is_left_out_with_a_note(self):
        doc, m = new()
        m.add_circle((0, 0), 5)
        doc.layout("Layout1").add_circle((0, 0), 50)
        doc.layout("Layout1").add_circle((0, 0), 60)
        drawing = read(doc)
        assert len(drawing.shapes) == 1
        assert "Paper space" in said(drawing)["dxf-paper"]


class TestBadFiles:
    def small(self) -> bytes:
        doc, m = new()
        for k in range(40):
            m.add_line((k, 0), (k + 1, k % 3))
        return data_of(doc)

    @pytest.mark.parametrize(
        ("data", "words"),
        [
            (b"", "is empty"),
            (b"AC1032\x00\x00", "DWG"),
            (b"  0\nSECTION\n  2\nENT", "nothing that can be cut"),
            (b"0\nSECTION\n2\nENTITIES\n0\nENDSEC\n0\nEOF\n", "nothing that can be cut"),
            (bytes(range(256)) * 20, "is not a DXF file"),
            (b"<svg/>", "DXF"),
        ],
    )
    def test_each_is_one_sentence_with_the_name(self, data, words):
        told = sentence_of(ArtworkError, lambda: read_dxf(data, name="plan.dxf"))
        assert words in told
        assert "plan.dxf" in told

    @settings(max_examples=30, deadline=None)
    @given(share=st.floats(0.0, 1.0), flips=st.lists(st.tuples(st.floats(0, 1), st.integers(0, 255)), max_size=8))
    def test_truncated_and_garbled_files_land_in_part_or_are_refused(self, share, flips):
        data = bytearray(self.small())
        for where, value in flips:
            data[int(where * (len(data) - 1))] = value
        data = bytes(data[: int(share * len(data))])
        told = sentence_of(ArtworkError, lambda: read_dxf(data, name="t.dxf"))
        assert told == "" or "t.dxf" in told

    def test_numbers_that_are_none_cost_their_entity_only(self):
        text = self.small().decode().replace("\n 10\n3.0\n", "\n 10\nnan\n", 1)
        drawing = read_dxf(text.encode(), name="t.dxf")
        assert drawing.shapes
        assert "nan" in text
        assert any("damaged LINE" in e.sentence for e in drawing.report)

    def test_hundreds_of_thousands_of_nodes_in_one_line_pass(self):
        count = 200_000
        places = "".join(f"10\n{100 * cos(t):.6f}\n20\n{100 * sin(t):.6f}\n" for t in np.linspace(0, 6, count))
        head = f"0\nSECTION\n2\nENTITIES\n0\nLWPOLYLINE\n5\n1F\n100\nAcDbEntity\n8\n0\n100\nAcDbPolyline\n90\n{count}\n70\n0\n"
        drawing = read_dxf(f"{head}{places}0\nENDSEC\n0\nEOF\n".encode(), name="t.dxf")
        assert len(only(drawing)) == count - 1


class TestWriting:
    @settings(max_examples=25, deadline=None)
    @given(seed=st.integers(0, 1000), turn=st.floats(0, 6.3))
    def test_what_is_written_reads_back_the_same(self, seed, turn):
        from archimetra.artwork.drawing import DrawnShape
        from archimetra.geometry.affine import Affine
        from archimetra.geometry.refit import deviation

        m = Affine.turn(np.degrees(turn)).then(Affine.shift(50, 60))
        paths = [star(6, 20, 8).transform(m), blob(seed).transform(m), Path.circle((150, 30), 11)]
        given_ = [DrawnShape(f"s{k}", k % 2, (p,), FillRule.NONZERO, True, None, 1) for k, p in enumerate(paths)]
        layers = [DrawnLayer("One", "#cc3300"), DrawnLayer("Two / 2", "", False)]
        back = read_dxf(write_dxf(given_, layers), name="t.dxf")
        assert len(back.shapes) == 3
        assert (back.layers[0].colour, back.layers[1].name) == ("#cc3300", "Two _ 2")
        low = np.array([p.bounds()[:2] for p in paths]).min(axis=0)
        for path, shape in zip(paths, back.shapes, strict=True):
            assert deviation([path.transform(Affine.shift(*-low))], shape.paths) < 0.004
        assert sum(len(p) == 2 for s in back.shapes for p in s.paths) == 1  # the circle is a circle

    def test_angles_of_a_written_arc_are_those_of_the_circle(self):
        arc = Path.arcs(np.array([(10.0, 0.0), (10 * cos(2), 10 * sin(2))]), np.array([np.tan(0.5)]), closed=False)
        from archimetra.artwork.drawing import DrawnShape

        data = write_dxf([DrawnShape("a", 0, (arc,), FillRule.NONZERO, False, None, 1)], [DrawnLayer("x")])
        poly = next(iter(ezdxf.read(io.StringIO(data.decode())).modelspace()))
        (x, y, bulge), _ = poly.get_points("xyb")
        assert hypot(x, y) == pytest.approx(10)
        assert bulge == pytest.approx(np.tan(0.5))
