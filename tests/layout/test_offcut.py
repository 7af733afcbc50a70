"""What is left of a sheet: nothing of it was cut, by the swept field; what is wide enough is kept; it comes back from SVG and DXF."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from shapely import affinity

from archimetra.artwork.dxf import read_dxf
from archimetra.artwork.svg import read_svg
from archimetra.edits import sheets
from archimetra.edits.finishing import finish_edit
from archimetra.engine.planning import plan_board
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.geometry.region import region_of
from archimetra.job.cut_parts import Tabs
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.sheet import Sheet
from archimetra.layout.offcut import faced, offcut_of
from archimetra.output.artwork_file import write_outline
from archimetra.stock.timeline import StockTimeline
from cutting_board import board_with
from sample_plans import plan_of, sample


def left_of(*paths, kind=ProfileCut, narrowest=40.0, sheet=None, **fields):
    job, _, _ = board_with(
        *paths, kind=kind, sheet=sheet or Sheet(width=400.0, height=300.0, readings=(9.0,)), **fields
    )
    plan = plan_board(job, job.boards[0], {})
    return job, job.boards[0], plan, offcut_of(job.boards[0], plan.run, job.bits, narrowest=narrowest)


def untouched(board, plan, bits, region, *, but=0.0):
    """The share of a region's cells that no bit has lowered (by more than ``but``)."""
    stock = StockTimeline(board.sheet, plan.run, bits, cell=0.5)
    ny, nx = stock.shape
    inside = shapely.contains_xy(region, *np.meshgrid((np.arange(nx) + 0.5) * 0.5, (np.arange(ny) + 0.5) * 0.5))
    return float((stock.field[inside] >= -but - 1e-6).mean())


def test_a_disc_cut_from_the_middle_leaves_a_sheet_with_an_opening():
    job, board, plan, found = left_of(Path.circle((0, 0), 60), goes_through=True, tabs=Tabs(count=2))
    assert untouched(board, plan, job.bits, found.region) == 1.0
    wanted = 400 * 300 - np.pi * 66**2
    assert wanted * 0.998 < found.region.area < wanted
    assert len(found.outline) == 2
    assert found.share == pytest.approx(found.region.area / 120_000)
    drawn = region_of(found.outline, FillRule.EVENODD)
    assert drawn.hausdorff_distance(found.region) < 0.05


@pytest.mark.parametrize(("narrowest", "is_left"), [(39.0, True), (43.0, True), (45.0, False)])
def test_arms_count_from_the_width_asked_for(narrowest, is_left):
    # a plate 300 x 200 in a sheet 400 x 300: frames of 50 less the 6 mm of the bit are 44 wide
    _, _, _, found = left_of(Path.rectangle(0, 0, 300, 200), goes_through=True, narrowest=narrowest)
    assert (found is not None) is is_left


def test_pockets_and_what_is_shallow_are_cut_into_all_the_same():
    job, board, plan, found = left_of(Path.rectangle(0, 0, 100, 250), kind=PocketCut, end_depth=2.0)
    assert untouched(board, plan, job.bits, found.region) == 1.0
    assert found.others == 1
    x0, _, x1, _ = found.region.bounds
    assert 149 < x1 - x0 < 159  # the half beside it, and what of the arms goes with a corner


def test_facing_leaves_it_thinner():
    job, board, plan, found = left_of(Path.rectangle(0, 0, 10, 10), kind=FacingCut, shapes=(), end_depth=0.8)
    assert found.share == 1.0
    assert faced(board) == pytest.approx(0.8)
    edit, new = sheets.keep_offcut(job, board.id, found.region, found.outline, thinner=faced(board))
    after = finish_edit(job, edit.job)
    assert after.board(new).sheet.readings == (pytest.approx(8.2),)
    assert after.board(board.id).sheet.readings == (9.0,)
    assert plan


@pytest.mark.parametrize("name", ["Hands", "Hands, more", "Dial back"])
def test_of_the_sample_what_is_left_was_never_cut(name):
    job = sample()
    board, plan = plan_of(name)
    found = offcut_of(board, plan.run, job.bits, narrowest=15.0)
    assert untouched(board, plan, job.bits, found.region) == 1.0
    edit, new = sheets.keep_offcut(job, board.id, found.region, found.outline)
    after = finish_edit(job, edit.job)
    kept = after.board(new).sheet
    assert kept.region.area == pytest.approx(found.region.area, rel=1e-3)
    assert kept.material == board.sheet.material
    assert kept.grain_degrees == board.sheet.grain_degrees
    assert [b.name for b in after.boards][[b.id for b in job.boards].index(board.id) + 1].startswith("Offcut of")


def test_it_comes_back_from_the_files_it_is_written_to(tmp_path):
    _, _, _, found = left_of(Path.circle((0, 0), 60), goes_through=True, tabs=Tabs(count=0))
    for suffix, read in ((".svg", read_svg), (".dxf", read_dxf)):
        path = tmp_path / f"offcut{suffix}"
        write_outline(path, found.outline, title="Offcut")
        drawing = read(path.read_bytes(), name=path.name)
        paths = [p for shape in drawing.shapes for p in shape.paths]
        again = region_of(paths, FillRule.EVENODD)
        x0, y0, *_ = found.region.bounds
        assert again.hausdorff_distance(affinity.translate(found.region, -x0, -y0)) < 0.05


def test_a_board_nothing_is_cut_on_is_left_whole():
    _, _, _, found = left_of(Path.circle((0, 0), 60), goes_through=True, is_on=False)
    assert found.share == 1.0
    assert found.region.equals(shapely.box(0, 0, 400, 300))


def test_a_sheet_all_cut_away_leaves_nothing():
    _, _, _, found = left_of(Path.rectangle(0, 0, 380, 280), goes_through=True)
    assert found is None
