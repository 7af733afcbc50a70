"""Parts of many kinds to nest, made up: what tests and benchmarks share."""

from __future__ import annotations

from math import cos, pi, sin

import numpy as np
from shapely import affinity
from shapely.geometry import Point, Polygon, box

from archimetra.geometry.region import Region, as_region
from archimetra.layout.nest.request import KeepClear, NestPart, NestRequest, NestSheet

QUARTERS = (0.0, 90.0, 180.0, 270.0)
EIGHTHS = tuple(45.0 * k for k in range(8))


def bracket(a: float, b: float, t: float) -> Polygon:
    return Polygon([(0, 0), (a, 0), (a, t), (t, t), (t, b), (0, b)])


def trough(a: float, b: float, t: float) -> Polygon:
    return Polygon([(0, 0), (a, 0), (a, b), (a - t, b), (a - t, t), (t, t), (t, b), (0, b)])


def tee(a: float, b: float, t: float) -> Polygon:
    return Polygon(
        [(0, 0), (t, 0), (t, b), ((a + t) / 2, b), ((a + t) / 2, b + t), ((t - a) / 2, b + t), ((t - a) / 2, b), (0, b)]
    )


def star(n: int, outer: float, inner: float) -> Polygon:
    turns = [pi * k / n for k in range(2 * n)]
    return Polygon([((outer, inner)[k % 2] * cos(t), (outer, inner)[k % 2] * sin(t)) for k, t in enumerate(turns)])


def ring(outer: float, inner: float) -> Region:
    return as_region(Point(0, 0).buffer(outer, quad_segs=16).difference(Point(0, 0).buffer(inner, quad_segs=16)))


def frame(a: float, b: float, t: float) -> Region:
    return as_region(box(0, 0, a, b).difference(box(t, t, a - t, b - t)))


def hand(long: float, wide: float, hub: float) -> Region:
    """A clock hand: a leaf with a hub that has a hole."""
    leaf = Polygon([(0, -wide / 4), (long * 0.55, -wide / 2), (long, 0), (long * 0.55, wide / 2), (0, wide / 4)])
    return as_region(
        leaf.union(Point(0, 0).buffer(hub, quad_segs=12)).difference(Point(0, 0).buffer(hub / 3, quad_segs=8))
    )


def some(shapes, quantity: int, turns=QUARTERS, **more) -> tuple[NestPart, ...]:
    return tuple(
        NestPart(name=f"part {k + 1}", outline=as_region(shape), quantity=quantity, turns=turns, **more)
        for k, shape in enumerate(shapes)
    )


def strip(parts: tuple[NestPart, ...], height: float = 600.0, **more) -> NestRequest:
    area = sum(part.quantity * part.outline.area for part in parts)
    return NestRequest(parts=parts, sheets=(NestSheet(outline=box(0, 0, 4 * area / height + 400, height)),), **more)


def instances() -> dict[str, NestRequest]:
    """A dozen of the kinds that are cut: each on a long sheet of one height."""
    rng = np.random.default_rng(11)
    rectangles = [box(0, 0, *rng.uniform(40, 160, 2).round()) for _ in range(8)]
    discs = [Point(0, 0).buffer(r, quad_segs=16) for r in (18, 26, 34, 45, 60)]
    hexes = [star(3, r, r) for r in (30, 42, 55)] + [
        Polygon([(0, 0), (a, 0), (a / 2, a * 0.866)]) for a in (70, 95, 120)
    ]
    convex = [
        as_region(Polygon(rng.uniform(0, size, (9, 2))).convex_hull) for size in (70, 85, 100, 120, 140, 90, 110)
    ]  # fmt: skip
    concave = [
        bracket(120, 80, 30),
        bracket(90, 90, 25),
        trough(100, 80, 22),
        trough(140, 60, 20),
        tee(110, 70, 26),
        tee(80, 90, 24),
    ]
    stars = [star(5, 60, 26), star(4, 50, 22), star(7, 48, 30)]
    hands = [hand(150, 26, 16), hand(110, 22, 14), hand(190, 20, 12), hand(80, 30, 18)]
    rings = [ring(90, 70), ring(60, 44), *(Point(0, 0).buffer(r, quad_segs=12) for r in (20, 30, 40))]
    frames = [frame(200, 150, 18), frame(140, 140, 16), box(0, 0, 60, 40), box(0, 0, 45, 45), bracket(60, 50, 18)]
    many = [bracket(60, 40, 15), tee(50, 40, 14), box(0, 0, 45, 30), star(5, 24, 12), hand(70, 14, 8)]
    return {
        "rectangles": strip(some(rectangles, 7)),
        "discs": strip(some(discs, 14, (0.0,))),
        "hexagons and triangles": strip(some(hexes, 10, tuple(30.0 * k for k in range(12)))),
        "mixed convex": strip(some(convex, 10)),
        "brackets": strip(some(concave, 10)),
        "stars": strip(some(stars, 20, EIGHTHS)),
        "hands": strip(some(hands, 14, EIGHTHS)),
        "mirrored": strip(some(concave, 10, may_mirror=True)),
        "rings": strip(some(rings, 11, (0.0,))),
        "frames": strip(some(frames, 11)),
        "200 parts": strip(some(many, 40)),
        "1,000 parts": strip(some(many, 200), height=1200.0),
    }


def offcuts() -> NestRequest:
    """Two odd offcuts and a whole sheet, with clamps and a flaw; small parts have openings of larger ones to go to."""
    first = Polygon([(0, 0), (620, 0), (700, 180), (520, 420), (240, 380), (0, 300)])
    second = Polygon([(0, 0), (500, 0), (500, 160), (200, 160), (200, 420), (0, 420)])
    clamps = (KeepClear(box(-20, 120, 40, 170), 6.0), KeepClear(box(560, 60, 640, 100), 6.0))
    flaw = (KeepClear(Point(300, 200).buffer(25), 3.0),)
    return NestRequest(
        parts=some([bracket(120, 80, 30), trough(140, 60, 20), ring(70, 52), Point(0, 0).buffer(30), hand(150, 26, 16)], 8, EIGHTHS),
        sheets=(
            NestSheet(outline=first, keep_clear=clamps), NestSheet(outline=second, keep_clear=flaw),
            NestSheet(outline=box(0, 0, 1200, 600), keep_clear=(KeepClear(box(0, 0, 60, 60), 6.0),)),
        ),
        spacing=6.0,
        margin=8.0,
    )  # fmt: skip


def lying(request: NestRequest, nested, sheet: int) -> list[Region]:
    """The kept wood on a sheet, placed by hand: mirrored, turned, moved."""
    out = []
    for p in nested.placements:
        if p.sheet == sheet:
            shape = request.parts[p.part].outline
            shape = affinity.scale(shape, -1, 1, origin=(0, 0)) if p.mirrored else shape
            out.append(affinity.translate(affinity.rotate(shape, p.degrees, origin=(0, 0)), p.x, p.y))
    return out
