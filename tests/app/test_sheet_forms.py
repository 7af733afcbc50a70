"""The sheet on the Board page: an edge from picked outlines, flaws, a material of one's own; and what is left of it on the Layout page."""

from __future__ import annotations

import pytest
from PySide6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QScrollArea

from app.conftest import settle
from app.gestures import button, choose, field, pixel, type_into, words_on
from archimetra.artwork.read import read_artwork_file
from archimetra.geometry.fill import FillRule
from archimetra.geometry.region import region_of
from archimetra.job.file import JobFile
from archimetra.job.materials import Material, OwnMaterial
from archimetra.layout.offcut import offcut_of
from edits.test_sheets import ELL, ids, job_with


@pytest.fixture
def window(open_window):
    made = open_window(JobFile(job_with(ELL)))
    made.station_board()
    return made


def check_box(window, text: str) -> QCheckBox:
    return next(box for box in window.findChildren(QCheckBox) if box.text() == text and box.isVisible())


def rows_end_on_the_page(window) -> bool:
    page = window.pages["board"].widget
    area = page if isinstance(page, QScrollArea) else page.findChild(QScrollArea)
    return area.widget().minimumSizeHint().width() <= area.viewport().width()


class TestSheet:
    def test_picked_outlines_become_its_edge_and_a_rectangle_again(self, window, qtbot):
        assert not button(window, "Edge from picked").isEnabled()
        window.session.pick(ids(window.session.job, "edge 0"))
        button(window, "Edge from picked").click()
        settle(qtbot, window)
        sheet = window.session.board.sheet
        assert sheet.region.area == pytest.approx(200 * 160 - 100 * 80)
        assert "200 x 160 mm; 75% of that is wood" in words_on(window.pages["board"])
        assert not [
            w
            for w in window.findChildren(type(field(window, "Grain")))
            if w.accessibleName() == "Width (X)" and w.isVisible()
        ]
        assert pixel(window, 50, 150) != pixel(window, 150, 150)
        button(window, "Rectangle").click()
        assert not window.session.board.sheet.outline
        assert field(window, "Width (X)").text() == "200"
        window.undo()
        window.undo()
        assert window.session.board.sheet.width == 400.0
        assert ids(window.session.job, "edge 0")

    def test_what_cannot_be_an_edge_is_said_and_forgotten(self, window, qtbot):
        window.session.pick([window.session.board.shapes[0].id])
        button(window, "Edge from picked").click()
        settle(qtbot, window)
        assert window.session.board.sheet.width == pytest.approx(40.0)
        window.undo()
        type_into(window, "Equal sheets", "2.5")
        assert window.session.board.sheet.count == 1
        type_into(window, "Equal sheets", "3")
        assert window.session.board.sheet.count == 3

    def test_a_material_of_ones_own_is_added_named_and_offered_to_the_next_board(self, window, qtbot):
        choose(window, "Material", "Walnut")
        choose(window, "Material", "Another ...")
        assert window.session.board.sheet.material == OwnMaterial(
            name="my material", like=Material.WALNUT, tint=Material.WALNUT.tones[0]
        )
        type_into(window, "Material name", "wild cherry")
        type_into(window, "Material colour", "a5623f")
        choose(window, "Recipes as", "Oak")
        check_box(window, "Has grain").click()
        own = OwnMaterial(name="wild cherry", like=Material.OAK, tint="#A5623F", has_grain=False)
        assert window.session.board.sheet.material == own
        assert rows_end_on_the_page(window)
        type_into(window, "Material name", "Oak")
        assert window.session.board.sheet.material == own
        choose(window, "Material", "Pine")
        combo = next(w for w in window.findChildren(QComboBox) if w.accessibleName() == "Material" and w.isVisible())
        assert "Wild cherry" not in [combo.itemText(k) for k in range(combo.count())]  # nothing is made of it any more
        window.undo()
        assert "Wild cherry" in [combo.itemText(k) for k in range(combo.count())]

    def test_a_recipe_for_it_is_kept_under_its_name(self, window, qtbot):
        choose(window, "Material", "Another ...")
        type_into(window, "Material name", "cork")
        window.station_cuts()
        window.cuts_page.show_panel("Recipes")
        type_into(window, "Feed", "1234")
        bit = window.session.job.bit(window.session.board.cuts[0].bit)
        assert bit.recipe_for(window.session.board.sheet.material).feed == 1234
        window.station_board()
        type_into(window, "Material name", "cork board")
        bit = window.session.job.bit(window.session.board.cuts[0].bit)
        assert bit.recipe_for(window.session.board.sheet.material).feed == 1234
        window.station_cuts()
        assert "Its own recipe for cork board" in words_on(window.cuts_page.panel_named("Recipes"))


class TestFlaws:
    def test_added_placed_made_metal_and_removed(self, window):
        button(window, "Add a flaw").click()
        type_into(window, "Flaw at X", "60")
        type_into(window, "Flaw at Y", "70")
        type_into(window, "Flaw width (X)", "8")
        check_box(window, "Metal: no bit may run over it").click()
        (flaw,) = window.session.board.sheet.flaws
        assert flaw.is_hard
        assert flaw.outline.bounds() == pytest.approx((56, 50, 64, 90))
        assert rows_end_on_the_page(window)
        type_into(window, "Flaw height (Y)", "-2")
        assert window.session.board.sheet.flaws == (flaw,)

    def test_drawn_outlines_become_flaws_each_with_its_own_numbers(self, window, qtbot):
        window.session.pick(ids(window.session.job, "edge 0"))
        button(window, "From picked").click()
        button(window, "Add a flaw").click()
        settle(qtbot, window)
        type_into(window, "Flaw at X", "33")
        choose(window, "Flaw", "flaw 1")
        assert field(window, "Flaw at X").text() == "120"
        choose(window, "Flaw", "flaw 2")
        assert field(window, "Flaw at X").text() == "33"
        assert len(window.session.board.shapes) == 1


class TestOffcut:
    def shown(self, window, qtbot):
        window.station_layout()
        page = window.pages["layout"]
        page.show_panel("Offcut")
        qtbot.waitUntil(lambda: bool(window.session.outlines_here), timeout=20_000)
        return page.panel_named("Offcut")

    def test_what_is_left_is_shown_kept_as_a_board_and_undone(self, window, qtbot):
        panel = self.shown(window, qtbot)
        board, plan = window.session.board, window.session.planning.plan
        found = offcut_of(board, plan.run, window.session.job.bits)
        assert f"{found.share:.0%} of the sheet" in words_on(panel)
        assert window.plan.marks.has_preview
        button(window, "Keep as a board").click()
        settle(qtbot, window)
        after = window.session.board
        assert after.name == f"Offcut of {board.name}"
        assert after.sheet.region.area == pytest.approx(found.region.area, rel=1e-3)
        assert not after.cuts
        window.undo()
        assert [b.name for b in window.session.job.boards] == [board.name]

    def test_it_follows_what_is_changed_and_is_gone_on_other_pages(self, window, qtbot):
        self.shown(window, qtbot)
        before = window.session.outlines_here
        window.session.apply(change_off(window))
        qtbot.waitUntil(lambda: window.session.outlines_here not in (before, ()), timeout=20_000)
        window.station_cuts()
        assert not window.plan.marks.has_preview

    @pytest.mark.parametrize("suffix", [".svg", ".dxf"])
    def test_it_is_written_for_another_job(self, window, qtbot, tmp_path, monkeypatch, suffix):
        self.shown(window, qtbot)
        path = tmp_path / f"left{suffix}"
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
        outline = window.session.outlines_here
        button(window, "Write it ...").click()
        drawing = read_artwork_file(path)
        again = region_of([p for shape in drawing.shapes for p in shape.paths], FillRule.EVENODD)
        assert again.area == pytest.approx(region_of(outline, FillRule.EVENODD).area, rel=1e-4)
        assert again.bounds[:2] == pytest.approx((0, 0), abs=0.01)

    def test_a_name_that_is_neither_is_told(self, window, qtbot, tmp_path, monkeypatch):
        panel = self.shown(window, qtbot)
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "left.png"), ""))
        button(window, "Write it ...").click()
        assert "neither .svg nor .dxf" in words_on(panel)


def change_off(window):
    """The disc's cut switched off: then everything is left."""
    from archimetra.edits.basic import change_cut

    session = window.session
    cut = session.board.cuts[0]
    return change_cut(session.job, cut.id, "Off", is_on=False)


def test_the_offcut_is_shown_again_after_another_panel_was_in_front(window, qtbot):
    TestOffcut().shown(window, qtbot)
    page = window.pages["layout"]
    page.show_panel("Nest")
    assert not window.session.outlines_here
    page.show_panel("Offcut")
    qtbot.waitUntil(lambda: bool(window.session.outlines_here), timeout=20_000)
    assert "of the sheet" in words_on(page.panel_named("Offcut"))
