"""Drawings nobody made for the purpose: the line icons the program ships, from file to file, against another reader.

The outlines come from an independent SVG parser, the area cut from nothing but the G-code; the two must agree.
"""

from __future__ import annotations

import io
import warnings
from pathlib import Path

import numpy as np
import pytest
import shapely
import svgelements

import archimetra.app.theme
from archimetra.cli import main
from test_cli import swept

ICONS = sorted(
    path for path in (Path(archimetra.app.theme.__file__).parent / "icons").glob("*.svg") if "check-" not in path.name
)[:16]
SCALE = 6.0  # 24 px icons as 24 x 6 mm


def lines_by_another_reader(data: bytes) -> list[np.ndarray]:
    """Painted outlines as dense points in mm, y up, by svgelements."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        svg = svgelements.SVG.parse(io.BytesIO(data), reify=True)
    out = []
    for element in svg.elements():
        if not isinstance(element, svgelements.Shape) or (not element.stroke.value and not element.fill.value):
            continue
        for part in svgelements.Path(element).as_subpaths():
            points = []
            for segment in svgelements.Path(part):
                if isinstance(segment, svgelements.Line | svgelements.Close):
                    points += [segment.start, segment.end]
                elif not isinstance(segment, svgelements.Move):
                    points += [segment.point(t) for t in np.linspace(0, 1, 300)]
            points = [point for point in points if point is not None]
            if len(points) > 1:
                out.append(np.array([(p.x * SCALE, (24 - p.y) * SCALE) for p in points]))
    return out


@pytest.mark.parametrize("icon", ICONS, ids=lambda path: path.stem)
def test_an_icon_engraved_on_the_line_is_cut_where_it_is_drawn(icon, tmp_path, capsys):
    side = 24 * SCALE
    data = icon.read_bytes().replace(b'width="24"', f'width="{side}mm"'.encode(), 1)
    data = data.replace(b'height="24"', f'height="{side}mm"'.encode(), 1).replace(b"currentColor", b"#000000")
    drawing, job = tmp_path / icon.name, tmp_path / "icon.archimetra"
    drawing.write_bytes(data)
    assert main(["new", str(job), "--art", str(drawing), "--sheet", f"{side}x{side}x12", "--profile", "on"]) == 0
    assert main(["export", str(job), "--out", str(tmp_path / "out"), "--force"]) == 0
    capsys.readouterr()
    (path,) = (tmp_path / "out").iterdir()
    cut = swept(path.read_text(), 3.0, below=-0.5)
    lines = shapely.union_all([shapely.linestrings(points) for points in lines_by_another_reader(icon.read_bytes())])
    wanted = lines.buffer(3.0, quad_segs=64)
    assert cut.symmetric_difference(wanted).area < 0.02 * lines.length
    assert wanted.buffer(-0.02).difference(cut).is_empty
    assert cut.buffer(-0.02).difference(wanted).is_empty
