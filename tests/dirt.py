"""Known drawings and the dirt real files bring: taken apart, shuffled, turned round, gapped, doubled."""

from __future__ import annotations

import numpy as np

from archimetra.geometry.path import Path


def pieces_of_outline(path: Path) -> list[Path]:
    """Every segment as an open path of its own."""
    return [
        Path(path.nodes[k : k + 2], path.kinds[k : k + 1], path.params[k : k + 1], closed=False)
        for k in range(len(path))
    ]


def dirty(outlines: list[Path], *, seed: int, gap: float = 0.02, doubles: float = 0.0, specks: int = 0) -> list[Path]:
    """The outlines as loose lines and arcs in any order and direction, ends off by up to half a gap, a share of them
    drawn twice, and some lines without length between them."""
    rng = np.random.default_rng(seed)
    out: list[Path] = []
    for outline in outlines:
        for piece in pieces_of_outline(outline):
            out.append(piece)
            if rng.random() < doubles:
                out.append(piece)
    out = [_nudged(piece, gap / 4, rng) for piece in out]
    for _ in range(specks):
        at = out[int(rng.integers(len(out)))].nodes[0]
        out.append(Path.polyline([at, at], closed=False))
    order = rng.permutation(len(out))
    return [out[k].reverse() if rng.random() < 0.5 and len(out[k]) else out[k] for k in order]


def _nudged(piece: Path, by: float, rng: np.random.Generator) -> Path:
    if by == 0:
        return piece
    return Path(piece.nodes + rng.uniform(-by, by, piece.nodes.shape), piece.kinds, piece.params, closed=False)


def rounded_box(x: float, y: float, width: float, height: float, radius: float) -> Path:
    """Lines and quarter arcs, counter-clockwise."""
    x1, y1, r = x + width, y + height, radius
    nodes = [(x + r, y), (x1 - r, y), (x1, y + r), (x1, y1 - r), (x1 - r, y1), (x + r, y1), (x, y1 - r), (x, y + r)]
    bulge = np.tan(np.pi / 8)
    return Path.arcs(np.array([*nodes, nodes[0]]), np.array([0, bulge] * 4), closed=True)
