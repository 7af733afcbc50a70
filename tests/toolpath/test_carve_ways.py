"""Walking all strokes of a carving: each at least once, with the least sum of ways and lifts."""

from __future__ import annotations

from itertools import combinations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.toolpath.carve.kernels import repeated
from archimetra.toolpath.carve.route import ways


def cost_of(edges, costs, twice, hop: float) -> float:
    """Everything walked once, what is chosen twice, and a lift for every pair of odd nodes but the first of each part."""
    degree, parent = {}, {}

    def lead(k):
        while parent.setdefault(k, k) != k:
            k = parent[k]
        return k

    for (u, v), again in zip(edges, twice, strict=True):
        parent[lead(u)] = lead(v)
        for node in (u, v):
            degree[node] = degree.get(node, 0) + 1 + again
    odd = {}
    for node, count in degree.items():
        if count % 2:
            odd[lead(node)] = odd.get(lead(node), 0) + 1
    again = sum(c for c, t in zip(costs, twice, strict=True) if t)
    return sum(costs) + again + sum(max(0, n - 2) * hop / 2 for n in odd.values())


@st.composite
def trees(draw):
    count = draw(st.integers(2, 9))
    edges = [(draw(st.integers(0, k - 1)), k) for k in range(1, count)]
    costs = draw(st.lists(st.floats(0.05, 4.0), min_size=count - 1, max_size=count - 1))
    return edges, costs


@given(trees(), st.floats(0.1, 3.0))
@settings(max_examples=150, deadline=None)
def test_on_a_tree_the_choice_is_the_best_of_all(tree, hop):
    edges, costs = tree
    a, b = np.array([e[0] for e in edges]), np.array([e[1] for e in edges])
    chosen = repeated(a, b, np.array(costs), len(edges) + 1, hop)
    every = range(len(edges))
    best = min(
        cost_of(edges, costs, [k in some for k in every], hop)
        for n in range(len(edges) + 1)
        for some in combinations(every, n)
    )
    assert cost_of(edges, costs, chosen, hop) == pytest.approx(best)


@given(trees(), st.floats(0.1, 3.0), st.integers(0, 3))
@settings(max_examples=80, deadline=None)
def test_every_stroke_is_walked_and_trails_hang_together(tree, lift, loops):
    edges, _ = tree
    rng = np.random.default_rng(len(edges) + loops)
    places = rng.uniform(0, 50, (len(edges) + 1, 2))
    lines = [np.column_stack((places[[u, v]], [0.0, -1.0])) for u, v in edges]
    for k in range(loops):  # rings back to where they begin
        u = k % len(places)
        lines.append(np.vstack([np.append(places[u], 0.0), np.append(places[u] + 2, -1.0), np.append(places[u], 0.0)]))
    found = ways(lines, mm_per_s=20.0, lift_s=lift)
    walked = {stroke for trail in found.trails for stroke, _ in trail.strokes}
    assert walked == set(range(len(lines)))
    for trail in found.trails:
        at = None
        for stroke, back in trail.strokes:
            line = lines[stroke][::-1] if back else lines[stroke]
            if at is not None:
                assert np.allclose(line[0, :2], at)
            at = line[-1, :2]


def test_short_branches_are_gone_over_twice_and_long_ones_lifted_from():
    """A star of five strokes: with short ones one walk does it, with long ones it pays to lift."""
    a = np.arange(5) * 2 * np.pi / 5

    def trails(size: float) -> int:
        lines = [np.array([[0.0, 0.0, -1.0], [size * np.cos(t), size * np.sin(t), 0.0]]) for t in a]
        return len(ways(lines, mm_per_s=20.0, lift_s=1.0).trails)

    assert trails(2.0) == 1
    assert trails(200.0) == 3


def test_a_walk_begins_at_the_surface_where_it_can():
    line = np.array([[0.0, 0.0, -3.0], [10.0, 0.0, 0.0]])
    (trail,) = ways([line], mm_per_s=20.0, lift_s=1.0).trails
    assert trail.strokes == ((0, True),)
    assert ways([], mm_per_s=20.0, lift_s=1.0).trails == ()
