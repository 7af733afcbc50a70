"""The sample job is what its drawings make, and it is sound."""

from __future__ import annotations

from importlib.machinery import SourceFileLoader
from importlib.util import module_from_spec, spec_from_loader
from pathlib import Path as FilePath

import pytest
import shapely
from PIL import Image
from shapely.affinity import affine_transform

from archimetra.artwork.read import read_artwork
from archimetra.demo import artwork, quay_tide_clock
from archimetra.demo.build import build
from archimetra.demo.nested import WANTED
from archimetra.edits.placing import box_of
from archimetra.layout.of_job import kept_wood
from archimetra.toolpath.shared.fixtures import outline_of
from sample_plans import plan_of, sample


def test_the_shipped_file_is_what_the_readers_and_edits_make_of_the_drawings():
    shipped, made = quay_tide_clock(), build()
    assert shipped.sources == made.sources
    assert shipped.job == made.job, "make it anew: python -m archimetra.demo.build"


@pytest.mark.parametrize(
    ("name", "size"),
    [
        ("dial-face.svg", (284, 284)),
        ("dial-back.dxf", (284, 284)),
        ("star-plug.svg", (196, 196)),
        ("notice-board.pdf", (1440, 380)),
        ("gull.png", (61.9, 25.75)),
        ("hands.svg", (227, 129)),
    ],
)
def test_each_drawing_lands_true_to_size(name, size):
    x0, y0, x1, y1 = read_artwork(artwork(name), name=name).bounds()
    assert (x1 - x0, y1 - y0) == pytest.approx(size, abs=0.3 if name.endswith("png") else 0.01)


def test_the_dirty_drawing_is_mended_on_its_way_in():
    told = {entry.code: entry.sentence for entry in read_artwork(artwork("dial-back.dxf"), name="t.dxf").report}
    assert "drawn twice" in told["doubles"]
    assert "5 closed outlines" in told["joined"]
    assert "gaps" in told


def test_every_board_plans_and_lies_on_its_sheet():
    for board in sample().boards:
        x0, y0, x1, y1 = box_of(board.shapes)
        assert x0 >= 0
        assert y0 >= 0
        assert x1 <= board.sheet.width
        assert y1 <= board.sheet.height
        _, plan = plan_of(board.name)
        # a stamp's delicate places are marked, what a tip flat cannot reach and slivers between nested ply are said; nothing else is amiss
        assert {f.code for f in plan.findings} <= {
            "carve-thin-standing",
            "carve-corners",
            "floor-none",
            "web-thin",
        }, board.name
        assert len(plan.run.blocks) >= len(board.cuts) - 1


def test_every_small_part_that_is_wanted_lies_on_one_of_two_sheets_clear_of_the_others_and_of_the_clamp():
    job = quay_tide_clock().job
    lie: dict[str, int] = {}
    inside = 0
    for board in job.boards:
        wood = []
        for piece in board.instances:
            part = job.part(piece.part)
            lie[part.name] = lie.get(part.name, 0) + 1
            at = piece.at
            wood.append(affine_transform(kept_wood(job, part, board.sheet), [at.a, at.c, at.b, at.d, at.e, at.f]))
        for k, one in enumerate(wood):
            assert all(one.distance(other) >= 4.98 for other in wood[:k])
            assert all(one.distance(outline_of(fixture)) >= 3.0 for fixture in board.fixtures)
            assert board.sheet.region.buffer(1e-6).covers(one)
            assert not any(shapely.Polygon(flaw.outline.flatten(0.01)).intersects(one) for flaw in board.sheet.flaws)
        inside += sum(shapely.Polygon(ring.exterior).contains(one) for one in wood for ring in wood if ring is not one)
    assert lie == {name: count for name, (count, _) in WANTED.items()}
    assert sum(bool(board.instances) for board in job.boards) == 2
    assert inside >= 3  # spacers in the openings of rings


def test_without_a_screen_the_demo_writes_its_files_and_a_picture(tmp_path, monkeypatch, capfd):
    loader = SourceFileLoader("dev", str(FilePath(__file__).parent.parent / "dev"))
    dev = module_from_spec(spec_from_loader("dev", loader))
    loader.exec_module(dev)
    monkeypatch.delenv("DISPLAY", raising=False)
    dev.demo_without_a_screen(tmp_path)
    files = sorted(path.name for path in (tmp_path / "gcode").iterdir())
    tiles = [name for name in files if "notice-board" in name]
    assert len(tiles) == 4  # three tiles, and the holes for their pins in the bed
    assert len(files) - len(tiles) == 7
    assert all((tmp_path / "gcode" / name).stat().st_size > (500 if "bed" in name else 5_000) for name in files)
    with Image.open(tmp_path / "window.png") as picture:
        assert picture.size == (1280, 800)
        assert len(picture.convert("RGB").resize((64, 40)).getcolors(4000)) > 200
    assert str(tmp_path) in capfd.readouterr().out
