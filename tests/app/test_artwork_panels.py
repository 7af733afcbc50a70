"""The Artwork page as a hand meets it: files brought in, shapes drawn, sized, typed, mended, measured on the real window."""

from __future__ import annotations

from pathlib import Path as FilePath

import ezdxf
import pytest
from PIL import Image
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QGuiApplication, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QToolButton

from app.conftest import settle
from app.gestures import button, drag, hover, named, note_beside, part, type_into, words_on
from archimetra.app.stations.artwork.layers_panel import LayerList
from archimetra.artwork.read import read_artwork_file
from archimetra.artwork.text_form import TextForm
from archimetra.edits import placing, shaping
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.geometry.segments import Kind
from archimetra.job.file import JobFile
from archimetra.job.forms import EllipseForm, RectangleForm, SlotForm, StarForm
from archimetra.job.job import new_job
from archimetra.job.shapes import Guide, MeasureKind
from dirt import dirty, rounded_box
from pdfs import circle, pdf

Key = Qt.Key


@pytest.fixture
def window(open_window):
    """A window on an empty job, on the Artwork page."""
    window = open_window(JobFile(new_job()))
    window.station_artwork()
    return window


def screen(window, x: float, y: float) -> QPointF:
    return window.plan.view.to_screen(x, y)


def pull(window, a, b, **options) -> None:
    drag(window.plan, screen(window, *a), screen(window, *b), **options)


def click(window, x: float, y: float, modifier=Qt.KeyboardModifier.NoModifier) -> None:
    QTest.mouseClick(window.plan, Qt.MouseButton.LeftButton, modifier, screen(window, x, y).toPoint())


def keys(window, text: str) -> None:
    QTest.keyClicks(window.plan, text)
    QTest.keyClick(window.plan, Key.Key_Return)


def bring_in(qtbot, window, path: FilePath):
    with qtbot.waitSignal(window.session.imports.read, timeout=30_000) as got:
        window.artwork_page.read_file(path)
    return got.args[0]


def panel(window, name: str):
    window.artwork_page.show_panel(name)
    return window.artwork_page.panel_named(name)


def put(window, *paths: Path):
    """Outlines on the board, picked; their ids."""
    session = window.session
    ids = []
    for path in paths:
        done = shaping.draw_path(session.job, session.board.id, path)
        session.apply(done.edit)
        ids.extend(done.pick)
    session.pick(ids)
    return ids


def dirty_dxf(path: FilePath) -> None:
    doc = ezdxf.new("R2010")
    doc.header["$INSUNITS"] = 4
    space = doc.modelspace()
    for piece in dirty([rounded_box(0, 0, 120, 80, 10), Path.rectangle(20, 20, 30, 30)], seed=2, doubles=0.5):
        rows = [(*piece.nodes[0], piece.params[0, 0]), (*piece.nodes[1], 0.0)]
        space.add_lwpolyline(rows, format="xyb", dxfattribs={"layer": "parts"})
    space.add_point((60, 40))
    doc.saveas(path)


class TestBringingIn:
    def test_from_a_dirty_dxf_to_a_clean_centred_layer(self, window, qtbot, tmp_path):
        dirty_dxf(tmp_path / "plate.dxf")
        bring_in(qtbot, window, tmp_path / "plate.dxf")
        bring = window.artwork_page.bring
        assert "2 shapes" in words_on(bring.panel)
        assert "120 x 80 mm" in words_on(bring.panel)
        assert window.plan.marks.has_preview
        button(window, "Place on sheet").click()
        assert not window.plan.marks.has_preview
        board = window.session.board
        assert [layer.name for layer in board.layers] == ["parts"]
        assert all(shape.is_closed for shape in board.shapes)
        told = " ".join(entry.sentence for entry in window.session.imports.landed[1])
        assert "drawn twice" in told
        assert "1 point left out" in told
        button(window, "Place").click()
        button(window, "Centre").click()
        box = placing.box_of(window.session.board.shapes)
        assert ((box[0] + box[2]) / 2, (box[1] + box[3]) / 2) == pytest.approx((200, 150))

    def test_the_report_steps_through_its_places_on_the_plan(self, window, qtbot, tmp_path):
        dirty_dxf(tmp_path / "plate.dxf")
        bring_in(qtbot, window, tmp_path / "plate.dxf")
        button(window, "Place on sheet").click()
        steps = [b for b in window.findChildren(QToolButton) if b.text() == "▶" and "point" in b.accessibleName()]
        steps[0].click()
        x0, y0, x1, y1 = placing.box_of(window.session.board.shapes)
        middle = screen(window, (x0 + x1) / 2, (y0 + y1) / 2)
        assert (middle - QPointF(window.plan.width() / 2, window.plan.height() / 2)).manhattanLength() < 3
        assert "1 of 1" in window.notices.text

    def test_a_page_of_a_pdf_is_chosen_before_it_lands(self, window, qtbot, tmp_path):
        path = tmp_path / "two.pdf"
        path.write_bytes(pdf(circle(100, 70, 40) + "f", "0 0 m 50 0 l S 10 10 30 20 re f"))
        bring_in(qtbot, window, path)
        pages = window.artwork_page.bring.panel._pages
        assert pages.isVisible()
        with qtbot.waitSignal(window.session.imports.read, timeout=30_000):
            pages.setCurrentIndex(1)
            pages.activated.emit(1)
        assert "2 shapes" in words_on(window.artwork_page.bring.panel)
        button(window, "Place on sheet").click()
        assert window.session.board.sources[0].page == 2

    def test_a_picture_is_traced_live_and_may_stay_as_a_backdrop(self, window, qtbot, tmp_path):
        image = Image.new("RGB", (300, 200), "white")
        image.paste((30, 30, 30), (40, 40, 140, 160))
        image.paste((150, 150, 150), (180, 40, 260, 160))
        image.save(tmp_path / "sign.png", dpi=(127, 127))
        bring_in(qtbot, window, tmp_path / "sign.png")
        bring = window.artwork_page.bring
        assert "2 shapes" in words_on(bring.panel)
        assert window.plan.marks._preview_picture is not None
        with qtbot.waitSignal(window.session.imports.read, timeout=30_000):
            named(window, "Tones: 3").click()
        assert "1 shape" in words_on(bring.panel)
        qtbot.wait(30)
        with qtbot.waitSignal(window.session.imports.read, timeout=30_000):
            named(window, "Tone 2 is ink").click()
        assert "2 shapes" in words_on(bring.panel)
        bring.trace._keep.setChecked(True)
        button(window, "Place on sheet").click()
        board = window.session.board
        assert len(board.shapes) == 2
        x0, y0, x1, y1 = placing.box_of(board.shapes)
        assert (x1 - x0, y1 - y0) == pytest.approx((44, 24), abs=0.4)
        assert board.backdrops[0].source == "sign.png"
        assert len(window.plan.marks._backdrops) == 1
        qtbot.wait(30)
        button(window, "Hide").click()
        qtbot.wait(30)
        assert window.plan.marks._backdrops == []
        button(window, "Discard").click()
        assert window.session.board.backdrops == ()

    def test_a_picture_of_one_tone_is_a_sentence(self, window, qtbot, tmp_path):
        Image.new("RGB", (50, 50), "grey").save(tmp_path / "grey.png")
        bring_in(qtbot, window, tmp_path / "grey.png")
        assert "one tone" in words_on(window.artwork_page.bring)
        assert not window.artwork_page.bring.panel.isVisible()

    def test_a_changed_file_is_read_again_and_keeps_places_and_cuts(self, window, qtbot, tmp_path):
        path = tmp_path / "part.svg"
        text = '<svg xmlns="http://www.w3.org/2000/svg" width="90mm" height="90mm" viewBox="0 0 90 90"><rect id="a" width="{}" height="30"/></svg>'
        path.write_text(text.format(40))
        bring_in(qtbot, window, path)
        button(window, "Place on sheet").click()
        window.session.add_profile()
        window.session.move_picked(25.0, 0.0)
        before = window.session.board.shapes[0]
        window.station_artwork()
        assert not window.artwork_page.bring.has_changed(window.session.board.sources[0])
        path.write_text(text.format(60))
        window.artwork_page.refresh()
        assert window.artwork_page.bring.has_changed(window.session.board.sources[0])
        qtbot.wait(30)
        with qtbot.waitSignal(window.session.imports.read, timeout=30_000):
            button(window, "Read again").click()
        after = window.session.board.shapes[0]
        assert after.bounds()[2] - after.bounds()[0] == pytest.approx(60)
        assert after.at == before.at
        assert window.session.board.cuts[0].shapes == (after.id,)
        assert "1 changed, 0 new, 0 gone" in window.notices.text

    def test_two_files_of_one_name_are_both_kept(self, window, qtbot, tmp_path):
        for k, size in enumerate((10, 20)):
            (tmp_path / str(k)).mkdir()
            path = tmp_path / str(k) / "a.svg"
            path.write_text(
                f'<svg xmlns="http://www.w3.org/2000/svg" width="{size}mm" height="9mm"><rect width="9" height="9"/></svg>'
            )
            bring_in(qtbot, window, path)
            button(window, "Place on sheet").click()
        assert sorted(window.session.sources) == ["a (2).svg", "a.svg"]

    def test_paste_takes_svg_text_pictures_and_shapes(self, window, qtbot):
        clipboard = QGuiApplication.clipboard()
        clipboard.setText(
            '<svg xmlns="http://www.w3.org/2000/svg" width="20mm" height="9mm"><rect width="30" height="9"/></svg>'
        )
        with qtbot.waitSignal(window.session.imports.read, timeout=30_000) as got:
            window.shapes.paste()
        assert got.args[0].name == "pasted.svg"
        window.artwork_page.bring._give_up()
        image = QImage(60, 40, QImage.Format.Format_RGB32)
        image.fill(Qt.GlobalColor.white)
        for x in range(10, 30):
            for y in range(10, 30):
                image.setPixelColor(x, y, Qt.GlobalColor.black)
        clipboard.setImage(image)
        with qtbot.waitSignal(window.session.imports.read, timeout=30_000) as got:
            window.shapes.paste()
        assert got.args[0].tones
        window.artwork_page.bring._give_up()
        put(window, Path.rectangle(10, 10, 20, 20))
        window.shapes.copy_picked()
        assert "<svg" in clipboard.text()
        window.shapes.paste()
        assert len(window.session.board.shapes) == 2
        clipboard.setText("nothing of use")
        window.shapes.paste()
        assert "nothing to paste" in window.notices.text

    @pytest.mark.parametrize("ending", ["svg", "dxf"])
    def test_artwork_is_exported_true_to_size(self, window, tmp_path, ending):
        put(window, Path.rectangle(50, 60, 70, 30), Path.circle((200, 100), 25))
        target = tmp_path / f"out.{ending}"
        window.artwork_page.bring.export(target)
        back = read_artwork_file(target)
        x0, y0, x1, y1 = back.bounds()
        assert (x1 - x0, y1 - y0) == pytest.approx((175, 65))
        window.artwork_page.bring.export(tmp_path / "out.xyz")
        assert "neither .svg nor .dxf" in words_on(window.artwork_page.bring)


class TestDrawing:
    @pytest.mark.parametrize(
        ("kind", "a", "b", "size"),
        [
            ("rectangle", (50, 50), (130, 110), (80, 60)),
            ("circle", (100, 100), (140, 100), (80, 80)),
            ("ellipse", (50, 50), (130, 90), (80, 40)),
            ("star", (150, 150), (150, 190), None),
            ("slot", (60, 60), (120, 60), (60, 6)),
        ],
    )
    def test_shapes_are_dragged_to_their_size_and_keep_their_measures(self, window, kind, a, b, size):
        window.toggle_snapping()
        panel(window, "Draw").begin(kind)
        pull(window, a, b)
        shape = window.session.board.shapes[-1]
        assert shape.form is not None
        x0, y0, x1, y1 = shape.bounds()
        if size is not None:
            assert (x1 - x0, y1 - y0) == pytest.approx(size, abs=1.0)
        assert window.session.picked == (shape.id,)

    def test_a_click_places_the_size_of_the_fields_and_typing_one_the_exact_size(self, window):
        draw = panel(window, "Draw")
        draw.begin("rectangle")
        type_into(window, "Width (X)", "42")
        type_into(window, "Corner radius", "5")
        click(window, 100, 100)
        shape = window.session.board.shapes[-1]
        assert shape.form == RectangleForm(width=42, height=40, corner_radius=5)
        window.session.pick(())
        draw._kind = ""
        draw.begin("circle")
        pull(window, (200, 200), (215, 200), release=False)
        keys(window, "25.4")
        assert window.session.board.shapes[-1].form == EllipseForm(width=25.4, height=25.4)
        QTest.mouseRelease(window.plan, Qt.MouseButton.LeftButton, pos=screen(window, 215, 200).toPoint())

    def test_measures_of_a_picked_shape_are_changed_until_it_is_converted(self, window):
        session = window.session
        done = shaping.draw(session.job, session.board.id, SlotForm(), Affine.shift(100, 100))
        session.apply(done.edit)
        session.pick(done.pick)
        panel(window, "Draw")
        type_into(window, "Measured part", "17.8")
        type_into(window, "Slack", "0.15")
        type_into(window, "Past the edge", "8")
        form = session.board.shapes[0].form
        assert (form.width, form.overrun) == pytest.approx((17.95, 8))
        assert note_beside(type_into(window, "Length", "-4")).endswith(".")
        button(window, "Convert to outline").click()
        assert session.board.shapes[0].form is None

    def test_lines_and_arcs_click_by_click(self, window):
        window.toggle_snapping()
        panel(window, "Draw").begin("line and arc")
        click(window, 50, 50)
        click(window, 100, 50)
        pull(window, (100, 100), (125, 75))
        click(window, 50, 100)
        click(window, 50, 50)
        path = window.session.board.shapes[-1].paths[0]
        assert path.closed
        assert path.kinds.tolist() == [Kind.LINE, Kind.ARC, Kind.LINE, Kind.LINE]

    def test_typed_lengths_and_backspace_and_enter(self, window):
        window.toggle_snapping()
        panel(window, "Draw").begin("line and arc")
        click(window, 50, 50)
        hover(window.plan, screen(window, 90, 50))
        keys(window, "30")
        keys(window, "0,20")
        assert len(window.plan.tool._nodes) == 3
        QTest.keyClick(window.plan, Key.Key_Backspace)
        assert len(window.plan.tool._nodes) == 2
        QTest.keyClick(window.plan, Key.Key_Return)
        assert window.session.board.shapes[-1].paths[0].length() == pytest.approx(30, abs=0.2)

    def test_escape_first_gives_up_the_line_then_puts_the_tool_away(self, window):
        draw = panel(window, "Draw")
        draw.begin("line and arc")
        click(window, 50, 50)
        QTest.keyClick(window.plan, Key.Key_Escape)
        assert window.plan.tool is not None
        QTest.keyClick(window.plan, Key.Key_Escape)
        assert window.plan.tool is None
        assert draw._kind == ""
        assert window.session.board.shapes == ()

    def test_points_snap_and_say_to_what(self, window):
        put(window, Path.rectangle(50, 50, 60, 40), Path.circle((200, 100), 20))
        window.session.pick(())
        panel(window, "Measure").begin(MeasureKind.DISTANCE)
        for place, words in (
            ((50.4, 50.3), "node"), ((80.3, 50.2), "middle"), ((200.2, 100.3), "centre"), ((0.4, 0.3), "sheet"),
        ):  # fmt: skip
            hover(window.plan, screen(window, *place))
            assert f"snapped: {words}" in words_on(window)
        window.session.apply(
            shaping.draw_path(
                window.session.job, window.session.board.id, Path.polyline([(60, 30), (60, 120)], closed=False)
            ).edit
        )
        hover(window.plan, screen(window, 60.3, 50.3))
        assert "intersection" in words_on(window)


class TestHandles:
    def test_dragging_a_corner_sizes_in_proportion_and_shift_freely(self, window):
        window.toggle_snapping()
        (id_,) = put(window, Path.rectangle(100, 100, 60, 40))
        pull(window, (160, 140), (190, 160))
        box = window.session.board.shape(id_).bounds()
        assert box[:2] == pytest.approx((100, 100))
        assert (box[2] - box[0]) / (box[3] - box[1]) == pytest.approx(1.5)
        assert box[2] == pytest.approx(190, abs=1)
        window.undo()
        QTest.mousePress(window.plan, Qt.MouseButton.LeftButton, pos=screen(window, 160, 140).toPoint())
        shift = Qt.KeyboardModifier.ShiftModifier
        hover(window.plan, screen(window, 190, 145), buttons=Qt.MouseButton.LeftButton, modifier=shift)
        QTest.mouseRelease(window.plan, Qt.MouseButton.LeftButton, pos=screen(window, 190, 145).toPoint())
        box = window.session.board.shape(id_).bounds()
        assert (box[2], box[3]) == pytest.approx((190, 145), abs=1)

    def test_a_size_an_angle_and_a_distance_typed_while_dragging(self, window):
        (id_,) = put(window, Path.rectangle(100, 100, 60, 40))
        pull(window, (160, 120), (165, 120), release=False)
        keys(window, "75")
        assert window.session.board.shape(id_).bounds()[2] == pytest.approx(175)
        QTest.mouseRelease(window.plan, Qt.MouseButton.LeftButton)
        window.undo()
        knob = window.plan.turn_knob(window.session.board.shape(id_).bounds())
        drag(window.plan, knob, knob + QPointF(30, 0), release=False)
        keys(window, "90")
        box = window.session.board.shape(id_).bounds()
        assert (box[2] - box[0], box[3] - box[1]) == pytest.approx((40, 60))
        QTest.mouseRelease(window.plan, Qt.MouseButton.LeftButton)
        window.undo()
        pull(window, (110, 100), (118, 100.2), release=False)
        keys(window, "12.5")
        assert window.session.board.shape(id_).bounds()[:2] == pytest.approx((112.5, 100))
        QTest.mouseRelease(window.plan, Qt.MouseButton.LeftButton)

    def test_locked_shapes_show_no_handles_and_stay(self, window):
        (id_,) = put(window, Path.rectangle(100, 100, 60, 40))
        panel(window, "Place")
        button(window, "Lock").click()
        assert window.plan.handles_box() is None
        pull(window, (160, 140), (190, 160))
        assert window.session.board.shape(id_).bounds() == (100, 100, 160, 140)
        window.session.pick([id_])
        button(window, "Unlock").click()
        assert window.plan.handles_box() is not None

    def test_clicking_one_of_a_group_picks_the_group(self, window):
        ids = put(window, Path.rectangle(100, 100, 60, 40), Path.rectangle(200, 100, 60, 40))
        window.shapes.group_picked()
        window.session.pick(())
        click(window, 100, 120)
        assert set(window.session.picked) == set(ids)
        window.shapes.ungroup_picked()
        click(window, 100, 120)
        assert window.session.picked == (ids[0],)


class TestGuides:
    def test_dragged_out_of_a_ruler_moved_and_put_back(self, window):
        window.toggle_snapping()
        at = screen(window, 100, 150)
        drag(window.plan, QPointF(8, at.y()), at)
        assert window.session.board.guides == (Guide(True, pytest.approx(100, abs=1.5)),)
        x = window.plan.view.to_screen(window.session.board.guides[0].at, 0).x()
        drag(window.plan, QPointF(x, 6), QPointF(x + 80, 200))
        moved = window.session.board.guides[0].at
        assert moved > 120
        x = window.plan.view.to_screen(moved, 0).x()
        drag(window.plan, QPointF(x, 6), QPointF(5, 100))
        assert window.session.board.guides == ()

    def test_moved_shapes_catch_guides_and_margins(self, window):
        panel(window, "Measure")
        type_into(window, "Margin", "15")
        (id_,) = put(window, Path.rectangle(100, 100, 60, 40))
        pull(window, (115, 100), (115 - 85.6, 100), release=False)
        assert "guide" in words_on(window)
        QTest.mouseRelease(window.plan, Qt.MouseButton.LeftButton, pos=screen(window, 115 - 85.6, 100).toPoint())
        assert window.session.board.shape(id_).bounds()[0] == pytest.approx(15)

    def test_a_grid_is_caught_where_nothing_else_is(self, window):
        panel(window, "Measure").begin(MeasureKind.DISTANCE)
        type_into(window, "Grid", "25")
        assert window.plan.grid == 25
        hover(window.plan, screen(window, 75.4, 124.6))
        assert "snapped: grid" in words_on(window)
        assert (window.plan.snapped.x, window.plan.snapped.y) == (75, 125)
        window.plan.grab()
        type_into(window, "Grid", "0")
        hover(window.plan, screen(window, 76.4, 124.6))
        assert "grid" not in words_on(window)


class TestNodesPanel:
    def test_a_node_is_dragged_added_and_removed(self, window):
        window.toggle_snapping()
        (id_,) = put(window, Path.rectangle(100, 100, 60, 40))
        nodes = panel(window, "Nodes")
        pull(window, (160, 140), (180, 150))
        path = window.session.board.shape(id_).paths[0]
        assert path.nodes[2] == pytest.approx((180, 150), abs=1)
        assert len(nodes.tool.chosen) == 1
        QTest.mouseDClick(window.plan, Qt.MouseButton.LeftButton, pos=screen(window, 130, 100).toPoint())
        assert len(window.session.board.shape(id_).paths[0]) == 5
        QTest.keyClick(window.plan, Key.Key_Delete)
        assert len(window.session.board.shape(id_).paths[0]) == 4
        window.undo()
        window.undo()
        window.undo()
        assert window.session.board.shape(id_).bounds() == (100, 100, 160, 140)

    def test_several_nodes_framed_bent_broken_and_joined(self, window):
        window.toggle_snapping()
        (id_,) = put(window, Path.rectangle(100, 100, 60, 40))
        nodes = panel(window, "Nodes")
        pull(window, (90, 90), (170, 110))
        assert len(nodes.tool.chosen) == 2
        button(window, "Curve").click()
        assert Kind.CUBIC in window.session.board.shape(id_).paths[0].kinds
        button(window, "Smooth").click()
        button(window, "Straight").click()
        keys(window, "0,-10")
        assert window.session.board.shape(id_).bounds()[1] == pytest.approx(90, abs=8)
        button(window, "Break").click()
        assert len(window.session.board.shape(id_).paths) == 2
        pull(window, (90, 80), (110, 110))
        assert not any(path.closed for path in window.session.board.shape(id_).paths)
        assert nodes._tool is not None
        button(window, "Join").click()
        assert nodes._problem.text() == ""
        assert len(window.session.board.shape(id_).paths) == 1

    def test_a_drawn_shape_is_told_to_become_an_outline(self, window):
        session = window.session
        done = shaping.draw(session.job, session.board.id, StarForm(), Affine.shift(100, 100))
        session.apply(done.edit)
        session.pick(done.pick)
        nodes = panel(window, "Nodes")
        assert nodes._told.isVisible()
        tip = session.board.shapes[0].placed()[0].nodes[0]
        pull(window, tuple(tip), (tip[0] + 15, tip[1]))
        assert session.board.shapes[0].form is None


class TestMending:
    def test_each_repair_says_what_it_would_do_and_does_it_as_one_step(self, window, qtbot):
        pieces = dirty([Path.rectangle(50, 50, 80, 60)], seed=4, gap=0.02)
        put(window, *pieces, pieces[0])
        mend = panel(window, "Mend")
        qtbot.waitUntil(lambda: any("drawn twice" in told.text() for _, _, told in mend._rows), timeout=5_000)
        button(window, "Drop doubles").click()
        assert len(window.session.board.shapes) == 4
        button(window, "Join ends").click()
        assert len(window.session.board.shapes) == 1
        assert window.session.board.shapes[0].is_closed
        window.undo()
        assert len(window.session.board.shapes) == 4
        window.undo()
        assert len(window.session.board.shapes) == 5

    def test_tolerances_decide(self, window, qtbot):
        put(window, *[Path.polyline([a, b], closed=False) for a, b in (((0, 0), (50, 0)), ((50.4, 0), (50, 40)))])
        mend = panel(window, "Mend")
        qtbot.waitUntil(lambda: mend._rows[0][2].text() != "", timeout=5_000)
        assert mend._rows[0][2].text() == "nothing to do"
        type_into(window, "Join within", "0.5")
        qtbot.waitUntil(lambda: "joined" in mend._rows[0][2].text(), timeout=5_000)
        assert note_beside(type_into(window, "Join within", "abc"))


class TestCombining:
    def test_areas_offset_corners_and_frames(self, window):
        put(window, Path.rectangle(50, 50, 80, 60), Path.circle((130, 80), 20))
        combine = panel(window, "Combine")
        button(window, "Unite").click()
        assert len(window.session.board.shapes) == 1
        type_into(window, "Distance", "4")
        button(window, "Offset out").click()
        assert window.session.board.shapes[-1].bounds() == pytest.approx((46, 46, 154, 114), abs=0.01)
        button(window, "Draw a frame").click()
        form = window.session.board.shapes[-1].form
        assert (form.width, form.height) == pytest.approx((128, 88), abs=0.02)
        window.session.pick([window.session.board.shapes[0].id, window.session.board.shapes[-1].id])
        button(window, "Intersect").click()
        window.session.pick([window.session.board.shapes[0].id])
        type_into(window, "Distance", "500")
        button(window, "Offset in").click()
        assert "Nothing is left" in words_on(combine)

    def test_corners_are_relieved_for_the_chosen_bit(self, window):
        (id_,) = put(window, Path.rectangle(50, 50, 80, 30))
        panel(window, "Combine")
        button(window, "Relieve corners").click()
        assert window.session.board.shape(id_).bounds()[0] < 50
        assert "4 corners relieved" in window.notices.text


class TestRepeating:
    def test_fields_rings_and_lines(self, window):
        put(window, Path.circle((30, 30), 5))
        panel(window, "Repeat")
        button(window, "Create copies").click()
        assert len(window.session.board.shapes) == 6
        window.undo()
        window.session.pick([window.session.board.shapes[0].id])
        button(window, "Make the ring").click()
        assert len(window.session.board.shapes) == 8
        first = window.session.board.shapes[0].id
        (line,) = put(window, Path.polyline([(10, 200), (210, 200)], closed=False))
        window.session.pick([first, line])
        button(window, "Along the last picked").click()
        assert len(window.session.board.shapes) == 8 + 1 + 6


class TestText:
    def test_words_stay_words_and_change_as_they_are_typed(self, window, qtbot):
        text = panel(window, "Text")
        text._words.setPlainText("TIDE")
        button(window, "Place on sheet").click()
        shape = window.session.board.shapes[0]
        assert isinstance(shape.form, TextForm)
        type_into(window, "Cap height", "1in")
        assert window.session.board.shapes[0].form.cap_height == pytest.approx(25.4)
        item = next(
            text._fonts.item(k)
            for k in range(text._fonts.count())
            if text._fonts.item(k).data(Qt.ItemDataRole.UserRole) == "Cinzel Bold"
        )
        text._fonts.setCurrentItem(item)
        assert window.session.board.shapes[0].form.font == "Cinzel Bold"
        text._words.setPlainText("TIDES")
        qtbot.waitUntil(lambda: window.session.board.shapes[0].form.text == "TIDES", timeout=5_000)
        text._words.setPlainText("TIDE 漢")
        qtbot.waitUntil(lambda: "has no '漢'" in words_on(text), timeout=5_000)
        type_into(window, "Arc radius", "60")
        assert window.session.board.shapes[0].form.arc_radius == 60
        assert note_beside(type_into(window, "Cap height", "0")).endswith(".")

    def test_text_follows_a_picked_line(self, window):
        session = window.session
        done = shaping.draw(session.job, session.board.id, TextForm(text="around"), Affine.shift(100, 100))
        session.apply(done.edit)
        (ring,) = put(window, Path.circle((200, 150), 60))
        session.pick([done.pick[0], ring])
        panel(window, "Text")
        button(window, "Along the last picked").click()
        x0, _, x1, _ = session.board.shape(done.pick[0]).bounds()
        assert 100 < (x0 + x1) / 2 < 300
        assert session.board.shape(done.pick[0]).form.along is not None
        button(window, "Off the line").click()
        assert session.board.shape(done.pick[0]).form.along is None


class TestMeasuring:
    def test_readings_are_pinned_copied_and_taken_off(self, window, qtbot):
        put(window, Path.rectangle(50, 50, 100, 60), Path.circle((250, 80), 30))
        window.session.pick(())
        measure = panel(window, "Measure")
        measure.begin(MeasureKind.DISTANCE)
        click(window, 50, 50)
        click(window, 150, 50)
        measure.begin(MeasureKind.GAP)
        click(window, 150, 80)
        click(window, 220, 80)
        measure.begin(MeasureKind.RADIUS)
        click(window, 250, 110)
        kinds = [m.kind for m in window.session.board.measures]
        assert kinds == [MeasureKind.DISTANCE, MeasureKind.GAP, MeasureKind.RADIUS]
        values = [found.value for found in window.plan.marks._readings]
        assert values == pytest.approx([100, 70, 30], abs=0.01)
        qtbot.wait(30)
        button(window, "Copy").click()
        assert QGuiApplication.clipboard().text() == "30"
        click(window, 100, 50)
        assert "straight there" in words_on(measure)
        button(window, "Take all off").click()
        assert window.session.board.measures == ()


class TestLayers:
    def test_added_renamed_ordered_and_shapes_moved(self, window, monkeypatch):
        put(window, Path.circle((50, 50), 10))
        button(window, "Add a layer").click()
        layers = part(window, LayerList)
        second = window.session.board.layers[1]
        monkeypatch.setattr("PySide6.QtWidgets.QInputDialog.getText", lambda *a, **k: ("Holes", True))
        menu = {action.text(): action for action in layers.menu(second).actions()}
        menu["Rename …"].trigger()
        menu["Move what is picked here"].trigger()
        menu["Up"].trigger()
        board = window.session.board
        assert [layer.name for layer in board.layers] == ["Holes", "Drawn"]
        assert board.shapes[0].layer == board.layers[0].id
        {a.text(): a for a in layers.menu(board.layers[0]).actions()}["Remove"].trigger()
        assert "holds 1 shapes" in window.notices.text
        {a.text(): a for a in layers.menu(board.layers[1]).actions()}["Remove"].trigger()
        assert len(window.session.board.layers) == 1


def test_every_panel_opens_in_both_themes_on_the_sample(open_window, qtbot):
    window = open_window()
    window.station_artwork()
    window.session.pick([window.session.board.shapes[0].id, window.session.board.shapes[2].id])
    for theme in ("dark", "light"):
        window.set_theme(theme)
        for name in window.artwork_page._buttons:
            window.artwork_page.show_panel(name)
            assert window.artwork_page.shown_panel == name
    window.station_cuts()
    assert window.plan.tool is None
    settle(qtbot, window)
