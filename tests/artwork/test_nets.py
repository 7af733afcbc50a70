"""Parts that share an edge come back whole, however carelessly the edge was drawn; measured by area and by GEOS."""

from __future__ import annotations

import random

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.artwork.assemble import assemble
from archimetra.artwork.drawing import DrawnShape
from archimetra.artwork.dxf import read_dxf
from archimetra.artwork.mend import areas_as_parts, join_ends
from archimetra.artwork.offers import repair_of, words_of
from archimetra.artwork.read import read_artwork
from archimetra.geometry.affine import Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.geometry.pieces import pieces_of


def sides(x: float, y: float, w: float, h: float) -> list[Path]:
    """A rectangle as four loose lines."""
    corners = [(x, y), (x + w, y), (x + w, y + h), (x, y + h), (x, y)]
    return [Path.polyline([a, b], closed=False) for a, b in zip(corners[:-1], corners[1:], strict=True)]


def put(lines: list[Path], seed: int = 0, at: Affine | None = None) -> tuple[list[Path], dict[str, str]]:
    """The lines shuffled, some turned round, laid elsewhere; what comes of them and what is said."""
    chance = random.Random(seed)
    mixed = [line.reverse() if chance.random() < 0.5 else line for line in chance.sample(lines, len(lines))]
    placed = [line.transform(at) for line in mixed] if at is not None else mixed
    found = assemble(pieces_of(placed), np.zeros(len(placed), np.int64))
    back = at.inverse() if at is not None else Affine()
    return [path.transform(back) for path in found.paths], {entry.code: entry.sentence for entry in found.entries}


def areas(paths: list[Path]) -> list[float]:
    assert all(path.closed for path in paths)
    return sorted(shapely.Polygon(path.flatten(0.001)).area for path in paths)


PLACES = [None, Affine.turn(31.0), Affine.turn(90.0).then(Affine.shift(40_000.0, -3_000.0))]


@pytest.mark.parametrize("at", PLACES)
@pytest.mark.parametrize("seed", range(3))
@pytest.mark.parametrize("gap", [-0.03, -0.005, 0.0, 0.005, 0.009, 0.011, 0.02, 0.035])
def test_two_squares_side_by_side_are_two_squares(gap, seed, at):
    paths, said = put([*sides(0, 0, 10, 10), *sides(10 + gap, 0, 10, 10)], seed, at)
    assert areas(paths) == pytest.approx([100.0, 100.0], abs=11 * abs(gap) + 1e-3)
    assert "1 edge belongs to two parts" in said["shared-edges"]


@pytest.mark.parametrize("gap", [0.0, 0.005, 0.02])
@pytest.mark.parametrize("low", [-2.0, 0.0, 3.0])
@pytest.mark.parametrize("tall", [4.0, 10.0, 20.0])
def test_a_taller_or_shifted_neighbour_is_whole_too(gap, low, tall):
    for seed in range(3):
        paths, said = put([*sides(0, 0, 10, 10), *sides(10 + gap, low, 8, tall)], seed)
        assert areas(paths) == pytest.approx(sorted([100.0, 8 * tall]), abs=25 * gap + 1e-3)
        assert "shared-edges" in said


def test_one_more_doubled_line_changes_nothing_but_the_count_of_doubles():
    lines = [*sides(0, 0, 10, 10), *sides(10, 0, 10, 10)]
    for extra in range(8):
        paths, said = put([*lines, lines[extra]], extra)
        assert areas(paths) == pytest.approx([100.0, 100.0])
        assert "1 line drawn twice was dropped" in said["doubles"]


def test_a_side_drawn_twice_as_a_line_with_a_node_in_its_middle():
    bent = Path.polyline([(10, 0), (10, 4), (10, 10)], closed=False)
    for seed in range(6):
        paths, _ = put([*sides(0, 0, 10, 10)[:1], *sides(0, 0, 10, 10)[2:], bent, bent.reverse()], seed)
        assert areas(paths) == pytest.approx([100.0])
        paths, said = put([*sides(0, 0, 10, 10), *sides(10, 0, 10, 10)[:3], bent], seed)
        assert areas(paths) == pytest.approx([100.0, 100.0])
        assert "shared-edges" in said


def test_parts_that_share_an_arc():
    arc = Path.arcs(np.array([(10.0, 0.0), (10.0, 10.0)]), np.array([0.4]), closed=False)
    left = [*sides(0, 0, 10, 10)[:1], *sides(0, 0, 10, 10)[2:], arc]
    right = [*sides(10, 0, 10, 10)[:3], arc.reverse()]
    whole = 200.0
    for seed in range(4):
        paths, _ = put([*left, *right], seed, Affine.turn(17.0))
        assert len(paths) == 2
        assert sum(areas(paths)) == pytest.approx(whole, abs=1e-2)


@settings(max_examples=30, deadline=None)
@given(
    seed=st.integers(0, 10_000), nx=st.integers(1, 4), ny=st.integers(1, 4), gap=st.sampled_from([0.0, 0.006, 0.02]),
    doubles=st.integers(0, 3), turn=st.floats(0, 360),
)  # fmt: skip
def test_a_field_of_cells_of_different_sizes_comes_apart_into_them(seed, nx, ny, gap, doubles, turn):
    chance = random.Random(seed)
    xs = np.cumsum([0, *[chance.uniform(4, 15) for _ in range(nx)]])
    ys = np.cumsum([0, *[chance.uniform(4, 15) for _ in range(ny)]])
    lines, wanted = [], []
    for i in range(nx):
        for j in range(ny):
            w, h = xs[i + 1] - xs[i], ys[j + 1] - ys[j]
            lines += sides(xs[i] + i * gap, ys[j] + j * gap, w, h)
            wanted.append(w * h)
    lines += chance.sample(lines, doubles)
    paths, _ = put(lines, seed, Affine.turn(turn))
    assert areas(paths) == pytest.approx(sorted(wanted), abs=60 * gap + 1e-3)


def test_a_common_edge_drawn_once_is_asked_about_and_never_opens_a_part_in_silence():
    seven = [*sides(0, 0, 10, 10), *sides(10, 0, 10, 10)[:3]]
    for seed in range(4):
        _, said = put(seven, seed)
        assert "1 line has an enclosed area on both sides" in said["areas-between-lines"]
        drawn = [
            DrawnShape("line", 0, (line,), FillRule.NONZERO, False, 0.1, 0, str(k)) for k, line in enumerate(seven)
        ]
        joined = join_ends(random.Random(seed).sample(drawn, 7))
        parts = areas_as_parts(joined.shapes)
        assert areas([p for s in parts.shapes for p in s.paths]) == pytest.approx([100.0, 100.0])
    three = [*sides(0, 0, 10, 10), *sides(10, 0, 10, 10), *sides(20, 0, 10, 10)[:3]]
    paths, said = put(three)
    assert areas(paths) == pytest.approx([100.0] * 3)
    assert "1 edge between two parts is drawn once" in said["edges-drawn-once"]


def test_areas_made_parts_lose_nothing_of_shapes_that_lie_partly_elsewhere():
    """One drawn thing holds the dividing line and a far circle: the circle stays, both areas come."""
    seven = [*sides(0, 0, 10, 10), *sides(10, 0, 10, 10)[:3]]
    far = Path.circle((100, 100), 5)
    drawn = [DrawnShape("line", 0, (p,), FillRule.NONZERO, False, 0.1, 0, str(k)) for k, p in enumerate(seven[1:])]
    drawn.append(DrawnShape("both", 0, (far, seven[0]), FillRule.NONZERO, False, 0.1, 0, "both"))
    for order in (drawn, drawn[::-1]):
        parts = areas_as_parts(order)
        found = areas([p for s in parts.shapes for p in s.paths])
        assert found == pytest.approx([far.area(), 100.0, 100.0], abs=0.05)


def test_lines_that_hang_on_a_net_stay_lines():
    lead = Path.polyline([(20, 10), (26, 15)], closed=False)
    paths, _ = put([*sides(0, 0, 10, 10), *sides(10, 0, 10, 10), lead])
    assert sorted(path.closed for path in paths) == [False, True, True]
    assert next(path for path in paths if not path.closed).length() == pytest.approx(lead.length())


def test_files_with_parts_side_by_side_bring_both():
    lines = [*sides(0, 0, 10, 10), *sides(10, 0, 10, 10)]
    rows = "".join(
        f'<line x1="{a[0]}" y1="{a[1]}" x2="{b[0]}" y2="{b[1]}" stroke="black"/>' for a, b in (p.nodes for p in lines)
    )
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="20mm" viewBox="0 0 40 20">{rows}</svg>'
    drawing = read_artwork(svg.encode(), name="two.svg")
    assert areas([p for s in drawing.shapes for p in s.paths]) == pytest.approx([100.0, 100.0])
    body = "".join(
        f"0\nLINE\n8\n0\n10\n{a[0]}\n20\n{a[1]}\n11\n{b[0]}\n21\n{b[1]}\n" for a, b in (p.nodes for p in lines)
    )
    dxf = f"0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n{body}0\nENDSEC\n0\nEOF\n"
    drawing = read_dxf(dxf.encode(), name="two.dxf")
    assert areas([p for s in drawing.shapes for p in s.paths]) == pytest.approx([100.0, 100.0])


class TestGapsLeft:
    @pytest.mark.parametrize("gap", [0.051, 0.06, 0.1, 0.3, 0.8])
    @pytest.mark.parametrize("at", PLACES)
    def test_a_gap_too_wide_to_be_closed_unasked_is_told_and_what_is_offered_closes_it(self, gap, at):
        lines = []
        for k in range(12):
            box = sides(30 * k, 0, 20, 15)
            (a, b) = box[0].nodes
            lines += [Path.polyline([(float(a[0]) + gap, float(a[1])), b], closed=False), *box[1:]]
        lines += [
            Path.polyline([(-50, 40), (300, 47)], closed=False),
            Path.polyline([(300, 53), (-50, 58)], closed=False),
        ]
        paths, said = put(lines, 3, at)
        assert sum(path.closed for path in paths) == 0
        assert f"Open by up to {gap:.2g} mm at 12 places" in said["gaps-left"]
        found = assemble(pieces_of(lines), np.zeros(len(lines), np.int64))
        entry = next(e for e in found.entries if e.code == "gaps-left")
        assert gap < entry.within_mm <= 2.0 * gap
        drawn = [
            DrawnShape("line", 0, (p,), FillRule.NONZERO, False, 0.1, 0, str(k)) for k, p in enumerate(found.paths)
        ]
        closed = repair_of(entry)(drawn)
        assert sum(p.closed for s in closed.shapes for p in s.paths) == 12
        assert words_of(entry) == f"Close gaps up to {entry.within_mm:g} mm"

    def test_lines_that_were_never_meant_to_meet_ask_nothing(self):
        hatch = [Path.polyline([(0, 0.5 * k), (40, 0.5 * k)], closed=False) for k in range(20)]
        dashes = [Path.polyline([(3 * k, 50), (3 * k + 2, 50)], closed=False) for k in range(20)]
        _, said = put(dashes)
        assert "gaps-left" not in said
        _, said = put(
            [Path.polyline([(0, 0), (40, 0)], closed=False), Path.polyline([(0, 30), (40, 30)], closed=False)]
        )
        assert "gaps-left" not in said
        assert len(put(hatch)[0]) == 20
