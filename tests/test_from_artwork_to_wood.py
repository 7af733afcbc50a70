"""From a file of each kind to G-code: what is cut away is what the drawing's outline says, whatever the file was."""

from __future__ import annotations

import io

import ezdxf
import numpy as np
import pytest
import shapely
from PIL import Image, ImageDraw

from archimetra.artwork.drawing import Drawing, moved, with_true_size, with_unit
from archimetra.artwork.read import read_artwork
from archimetra.artwork.report import ReportLine, Topic
from archimetra.base.findings import Severity
from archimetra.edits import basic as edits
from archimetra.edits import layering, placement, placing, shaping
from archimetra.edits.history import History
from archimetra.engine.planning import plan_board
from archimetra.geometry.affine import Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.geometry.region import region_of
from archimetra.job.cut_parts import Side
from archimetra.job.forms import SlotForm
from archimetra.job.ids import CutId
from archimetra.job.job import new_job
from archimetra.job.sheet import HoldDown, Sheet
from archimetra.output.controllers import controller
from archimetra.output.files import gcode_files
from archimetra.output.gcode_reader import read_gcode
from archimetra.toolpath.shared.moves import straightened
from dirt import dirty, rounded_box
from pdfs import pdf
from shapes import replace, star, swept_area

OUTLINES = [rounded_box(0, 0, 90, 60, 12), star(5, 22, 10, at=(130, 30))]
SHEET = Sheet(width=400.0, height=300.0, readings=(6.0,), hold_down=HoldDown.TAPED)


def as_svg() -> bytes:
    parts = []
    for path in OUTLINES:
        points = path.flatten(0.001)
        data = " L".join(f"{x:.5f} {100 - y:.5f}" for x, y in points)
        parts.append(f'<path d="M{data}Z"/>')
    return f'<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="100mm" viewBox="0 0 200 100">{"".join(parts)}</svg>'.encode()


def as_dxf() -> bytes:
    doc = ezdxf.new("R2004")
    doc.header["$INSUNITS"] = 1  # inches
    space = doc.modelspace()
    for piece in dirty(OUTLINES, seed=8, gap=0.01, doubles=0.3):
        rows = [(*(piece.nodes[0] / 25.4), piece.params[0, 0]), (*(piece.nodes[1] / 25.4), 0.0)]
        space.add_lwpolyline(rows, format="xyb")
    out = io.StringIO()
    doc.write(out)
    return out.getvalue().encode()


def as_pdf() -> bytes:
    content = []
    for path in OUTLINES:
        points = path.flatten(0.001) * 72 / 25.4
        content.append(f"{points[0, 0]:.5f} {points[0, 1]:.5f} m")
        content += [f"{x:.5f} {y:.5f} l" for x, y in points[1:]]
        content.append("h")
    return pdf("\n".join([*content, "f"]), size=(600, 300))


def as_picture() -> bytes:
    scale = 20  # pixels a mm
    image = Image.new("L", (170 * scale, 80 * scale), 255)
    pen = ImageDraw.Draw(image)
    for path in OUTLINES:
        points = path.flatten(0.01) + 10
        pen.polygon([(x * scale, (80 - y) * scale) for x, y in points], fill=0)
    out = io.BytesIO()
    image.save(out, "PNG", dpi=(25.4 * scale, 25.4 * scale))
    return out.getvalue()


def known_moves(read):
    """What was read, from where all three axes are known."""
    first = int(np.argmax(np.isfinite(read.xyz).all(axis=1)))
    return replace(read, xyz=read.xyz[first:], kind=read.kind[first:], centre=read.centre[first:])


@pytest.mark.parametrize(
    ("name", "make", "tolerance"),
    [("a.svg", as_svg, 0.02), ("a.dxf", as_dxf, 0.03), ("a.pdf", as_pdf, 0.02), ("a.png", as_picture, 0.12)],
)
def test_the_part_is_cut_as_it_was_drawn(name, make, tolerance):
    drawing = read_artwork(make(), name=name)
    job = new_job()
    job = edits.change_board(job, job.boards[0].id, "", sheet=SHEET).job
    edit, ids = placement.place_drawing(job, job.boards[0].id, drawing)
    assert len(ids) == 1 if name == "a.pdf" else len(ids) == 2  # one element of the page, two outlines
    job = edits.add_profile(edit.job, job.boards[0].id, ids)[0].job
    board = job.boards[0]
    plan = plan_board(job, board, {})
    assert not [finding for finding in plan.findings if finding.severity is Severity.STOP]
    text = gcode_files(job, board, plan.run, controller("rs274"))[0].text
    back = read_gcode(text)
    assert not back.findings
    radius = job.bit(board.cuts[0].bit).radius
    swept = swept_area(known_moves(back), radius, deeper_than=1.0)  # of the file itself, not of our plan
    box = placing.box_of(board.shapes)
    known = [path.transform(Affine.shift(box[0], box[1])) for path in OUTLINES]
    low = np.array([path.bounds()[:2] for path in OUTLINES]).min(axis=0)
    parts = region_of([p.transform(Affine.shift(*-low)) for p in known], FillRule.NONZERO, chord_tolerance_mm=0.001)
    wanted = shapely.difference(shapely.buffer(parts, 2 * radius, quad_segs=64), parts)
    per_mm = shapely.symmetric_difference(swept, wanted).area / parts.length
    assert per_mm < tolerance + 0.02


def test_a_slot_with_relief_is_cut_wide_enough_for_its_part_and_past_the_edge():
    job = new_job()
    b = job.boards[0].id
    job = edits.change_board(job, b, "", sheet=SHEET).job
    bit = next(bit for bit in job.bits if bit.name == "3 mm straight")
    form = SlotForm(length=60.0, thickness=12.2, slack=0.15, overrun=6.0, is_round=False)
    done = shaping.draw(job, b, form, Affine.shift(200.0, 150.0))
    job = shaping.relieve_corners(done.edit.job, b, done.pick, bit.diameter, "on the corner", is_hole=True).edit.job
    edit, cut = edits.add_profile(job, b, done.pick)
    job = edits.change_cut(edit.job, cut, "", side=Side.INSIDE, bit=bit.id).job
    plan = plan_board(job, job.boards[0], {})
    points, _ = straightened(plan.run.xyz, plan.run.kind, plan.run.centre, chord_tolerance_mm=0.001)
    low = (points[:-1, 2] < -5) & (points[1:, 2] < -5)
    lines = shapely.linestrings(np.stack((points[:-1, :2], points[1:, :2]), axis=1)[low])
    swept = shapely.union_all(shapely.buffer(lines, bit.radius + 0.01, quad_segs=32))
    mate = shapely.box(170.0, 150 - 12.2 / 2, 236.0, 150 + 12.2 / 2)  # pushed in to the slot's end
    rim = shapely.difference(mate, shapely.buffer(mate, -2.0))
    assert shapely.difference(rim, swept).area < 0.02  # its whole edge, corners too, finds room
    assert swept.bounds[2] > 236.0


class TestReports:
    drawing = Drawing(
        "d", (), (), read_artwork(as_svg(), name="a.svg").scale, (200.0, 100.0),
        (ReportLine(Topic.MENDED, "gaps", Severity.NOTE, "2 gaps.", ((10.0, 5.0), (20.0, 5.0))),),
    )  # fmt: skip

    def test_places_of_a_report_follow_the_drawing(self):
        shifted = moved(self.drawing, Affine.turn(90).then(Affine.shift(1, 2)))
        assert np.array(shifted.report[0].places) == pytest.approx(np.array([(-4.0, 12.0), (-4.0, 22.0)]))
        assert with_unit(self.drawing, "in").report[0].places[0] == pytest.approx((254.0, 127.0))

    def test_places_follow_a_size_that_was_set(self):
        whole = read_artwork(as_dxf(), name="a.dxf")
        wide = with_true_size(whole, is_width=True, true_mm=2 * (whole.bounds()[2] - whole.bounds()[0]))
        for before, after in zip(whole.report, wide.report, strict=True):
            assert np.array(after.places).reshape(-1, 2) == pytest.approx(2 * np.array(before.places).reshape(-1, 2))

    def test_an_entry_reads_as_one_line_with_its_place(self):
        entry = ReportLine(Topic.LEFT_OUT, "x", Severity.CAUTION, "One text left out.", place="line 7")
        assert entry.text() == "One text left out. (line 7)"


def test_undo_takes_every_edit_of_artwork_back_to_the_bit():
    job = new_job()
    b = job.boards[0].id
    edit, ids = placement.place_drawing(job, b, read_artwork(as_svg(), name="a.svg"))
    history = History(job)
    assert history.apply(edit)
    steps = [
        lambda job: placing.turn_by(job, b, ids, 33.0),
        lambda job: layering.group_shapes(job, b, ids),
        lambda job: placing.mirror(job, b, ids, is_across=True, as_copy=True)[0],
        lambda job: shaping.unite(job, b, ids).edit,
        lambda job: layering.add_layer(job, b)[0],
        lambda job: shaping.offset(job, b, ids[:1], 2.0).edit,
    ]
    seen = [history.job]
    for step in steps:
        assert history.apply(step(history.job))
        seen.append(history.job)
    for before in reversed(seen[:-1]):
        assert history.undo()
        assert history.job == before
    for after in seen[1:]:
        assert history.redo()
        assert history.job == after


def test_a_cut_that_follows_a_layer_takes_what_is_drawn_on_it_later():
    job = new_job()
    b = job.boards[0].id
    done = shaping.draw_path(job, b, Path.rectangle(50, 50, 40, 30))
    job = edits.add_profile(done.edit.job, b, ())[0].job
    cut = CutId(job.boards[0].cuts[0].id)
    layer = job.boards[0].layers[0].id
    job = layering.follow_layer(job, cut, layer).job
    one = plan_board(job, job.boards[0], {})
    job = shaping.draw_path(job, b, Path.rectangle(150, 50, 40, 30), layer=layer).edit.job
    two = plan_board(job, job.boards[0], {})
    assert len(two.run) > 1.8 * len(one.run) > 0
