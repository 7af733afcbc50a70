"""Small files that ask for endless work end soon, in a drawing or a sentence."""

from __future__ import annotations

import time

import pytest

from archimetra.artwork import svg
from archimetra.artwork.read import read_artwork
from archimetra.base.errors import ArtworkError

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" width="400mm" height="300mm" viewBox="0 0 400 300">'
MOST_SECONDS = 45.0  # of the processor, however busy it is with others; none of them ended at all


def tens(inner: str, attributes: str = "") -> str:
    """Ten to the tenth copies of something in one and a half kilobytes."""
    levels = "".join(f'<g id="a{k}">{f"<use href={chr(34)}#a{k - 1}{chr(34)}/>" * 10}</g>' for k in range(1, 11))
    return f'{HEAD}<defs><g id="a0" {attributes}>{inner}</g>{levels}</defs><use href="#a10"/></svg>'


@pytest.mark.parametrize(
    ("inner", "attributes"),
    [
        ('<rect width="1" height="1"/>', ""),
        ("", ""),
        ('<rect width="1" height="1"/>', 'display="none"'),
        ("<title>x</title>", ""),
    ],
)
def test_copies_of_copies_are_counted_by_visits(inner, attributes, monkeypatch):
    assert svg.MAX_COPIED == 200_000
    monkeypatch.setattr(svg, "MAX_COPIED", 50_000)  # a quarter, to be read in a quarter of the time
    begun = time.process_time()
    with pytest.raises(ArtworkError, match=r"bomb\.svg asks for more than 50,000 copies"):
        read_artwork(tens(inner, attributes).encode(), name="bomb.svg")
    assert time.process_time() - begun < MOST_SECONDS / 4


def test_a_fan_of_lines_a_hair_apart_is_not_one_line():
    """Lines each a hair from the next are no copies of the first: what is dropped lies on something that stays."""
    lines = "".join(
        f'<line x1="0" y1="{0.006 * k:.4f}" x2="100" y2="{0.006 * k:.4f}" stroke="black"/>' for k in range(400)
    )
    drawing = read_artwork(f"{HEAD}{lines}</svg>".encode(), name="fan.svg")
    heights = sorted(float(p.nodes[:, 1].mean()) for s in drawing.shapes for p in s.paths)
    wanted = [300.0 - 0.006 * k for k in range(400)]
    assert (
        max(min(abs(h - w) for h in heights) for w in wanted) < 0.0201
    )  # twice the distance at which lines count as one


def test_lines_through_one_point_and_lines_all_over_end():
    import math
    import random

    chance = random.Random(4)
    star = "".join(
        f'<line x1="200" y1="150" x2="{200 + 140 * math.cos(k * 0.00031):.3f}" y2="{150 + 140 * math.sin(k * 0.00031):.3f}" stroke="black"/>'
        for k in range(20_000)
    )
    over = "".join(
        f'<line x1="{chance.uniform(0, 400):.2f}" y1="{chance.uniform(0, 300):.2f}" x2="{chance.uniform(0, 400):.2f}" '
        f'y2="{chance.uniform(0, 300):.2f}" stroke="black"/>'
        for _ in range(4_000)
    )
    for body in (star, over):
        begun = time.process_time()
        drawing = read_artwork(f"{HEAD}{body}</svg>".encode(), name="lines.svg")
        assert drawing.shapes
        assert time.process_time() - begun < MOST_SECONDS
        assert "gaps-left" not in {entry.code for entry in drawing.report}
