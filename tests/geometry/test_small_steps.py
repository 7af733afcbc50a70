"""Small steps on an outline move nothing they should not: by GEOS against the outline as it was."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from archimetra.artwork.text_form import TextForm
from archimetra.geometry import nodes
from archimetra.geometry.corners import cut_back
from archimetra.geometry.path import Path
from archimetra.geometry.thicken import thickened
from archimetra.job.forms import SlotForm, scaled_form


def strays(one: Path, two: Path) -> float:
    """How far either outline strays from the other: points and middles of one against the sides of the other."""
    a, b = (path.flatten(0.0005) for path in (one, two))
    return max(_off(a, b), _off(b, a))


def _off(points: np.ndarray, line: np.ndarray) -> float:
    tree = shapely.STRtree(shapely.linestrings(np.stack((line[:-1], line[1:]), axis=1)))
    looked = shapely.points(np.vstack((points, (points[:-1] + points[1:]) / 2)))
    return float(tree.query_nearest(looked, return_distance=True, all_matches=False)[1].max())


def halves(radius: float) -> Path:
    ends = np.array([(radius, 0.0), (-radius, 0.0), (radius, 0.0)])
    return Path.arcs(ends, np.array([1.0, 1.0]), closed=True)


@pytest.mark.parametrize("radius", [1.0, 10.0, 100.0])
def test_smoothing_what_is_smooth_moves_nothing(radius):
    for path in (Path.circle((0, 0), radius), halves(radius)):
        for which in range(nodes.node_count(path)):
            assert strays(nodes.smooth(path, [which]), path) < 1e-6 * radius + 1e-9


@pytest.mark.parametrize("radius", [1.0, 10.0, 100.0])
@pytest.mark.parametrize("segment", [0, 1])
@pytest.mark.parametrize("t", [0.1, 0.5, 0.9])
def test_a_node_added_to_an_arc_and_deleted_again_leaves_it(radius, segment, t):
    path = halves(radius)
    more = nodes.add_node(path, segment, t)
    back = nodes.delete_nodes(more, [segment + 1])
    assert back is not None
    assert strays(back, path) < 1e-6 * radius
    assert len(back) == len(path)


@pytest.mark.parametrize("sweep", [60.0, 179.0, 300.0])
def test_smoothing_a_corner_beside_a_long_arc_bends_only_what_is_near(sweep):
    a = np.radians(sweep)
    arc = Path.arcs(np.array([(10.0, 0.0), (10 * np.cos(a), 10 * np.sin(a))]), np.array([np.tan(a / 4)]), closed=False)
    tail = Path.polyline([tuple(arc.nodes[-1]), (40.0, 40.0)], closed=False)
    path = nodes.joined_ends(arc, True, tail, True)
    done = nodes.smooth(path, [1])
    far = shapely.LineString(arc.flatten(0.001))
    kept = shapely.line_interpolate_point(far, np.linspace(0, max(far.length - 10 * np.pi / 2 - 0.1, 0.1), 40))
    assert shapely.distance(kept, shapely.LineString(done.flatten(0.001))).max() < 0.01


def test_a_triangle_less_a_node_is_no_outline():
    triangle = Path.polyline([(0, 0), (10, 0), (0, 10), (0, 0)], closed=True)
    for node in range(3):
        assert nodes.delete_nodes(triangle, [node]) is None
    square = Path.rectangle(0, 0, 10, 10)
    assert nodes.delete_nodes(square, [1]) is not None
    assert nodes.delete_nodes(square, [1, 2]) is None


@pytest.mark.parametrize("ends", ["flat", "square"])
def test_thick_lines_end_square_to_the_curve(ends):
    curve = Path.arcs(np.array([(2.0, 0.0), (0.0, 2.0)]), np.array([np.tan(np.pi / 8)]), closed=False)
    area = thickened(curve, 3.0, ends=ends)
    past = 1.5 if ends == "square" else 0.0
    x0, y0, _, _ = shapely.bounds(area)
    assert y0 == pytest.approx(-past, abs=0.02)  # the begin stands level: its end is a straight edge along x
    assert x0 == pytest.approx(-past, abs=0.02)
    if ends == "flat":
        corners = shapely.MultiPoint([(3.5, 0.0), (0.5, 0.0), (0.0, 3.5), (0.0, 0.5)])
        assert all(shapely.distance(point, area.boundary) < 3e-3 for point in corners.geoms)


def test_a_smaller_radius_than_asked_is_told():
    box = Path.rectangle(0, 0, 40, 2)
    assert cut_back(box, 1.0) == (0, 1.0)
    assert cut_back(box, 5.0) == (4, pytest.approx(1.0))
    assert cut_back(box, 5.0, [0]) == (1, pytest.approx(2.0))


def test_what_a_form_does_not_use_does_not_stop_its_sizing():
    assert scaled_form(TextForm(text="A", fit_width=9_000.0), 3.0, 3.0) is not None
    assert scaled_form(SlotForm(slack=5.0, thickness=20.0, length=60.0), 4.0, 4.0) is not None
