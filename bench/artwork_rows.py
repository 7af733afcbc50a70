"""Rows of artwork: DXF read, pictures traced, loose pieces joined, and how joining grows."""

from __future__ import annotations

import gc
import io
from collections.abc import Iterator

import numpy as np
from PIL import Image

from archimetra.artwork import dxf
from archimetra.artwork.trace import _followed, open_picture, toned, trace
from archimetra.artwork.trace_settings import TraceSettings
from archimetra.geometry.joining import join
from archimetra.geometry.pieces import Pieces
from rows import Row, compared, seconds, spell


def dxf_reading() -> Iterator[Row]:
    """Against the library's parser alone, which then still has entities, not outlines."""
    data = _dxf(50_000)

    best_floor = best_work = float("inf")
    for _ in range(3):
        gc.collect()  # the parser leaves half a million objects in circles; clearing them up is nobody's time
        best_floor = min(best_floor, seconds(lambda: dxf._document(data, "x.dxf")))
        gc.collect()
        best_work = min(best_work, seconds(lambda: dxf.read_dxf(data, name="x.dxf")))
    name = "DXF of 50,000 entities, to joined outlines in mm"
    yield Row(name, spell(best_floor), spell(best_work), best_work / best_floor, 1.6)


def tracing() -> Iterator[Row]:
    """Against the tracer's own time on the same ink."""
    rng = np.random.default_rng(1)
    small = Image.fromarray((rng.random((50, 50)) * 255).astype(np.uint8))
    out = io.BytesIO()
    small.resize((2000, 2000), Image.Resampling.BICUBIC).convert("RGB").save(out, "PNG")
    picture = open_picture(out.getvalue(), name="p.png")
    settings = TraceSettings()
    tones = toned(picture, settings)
    mask = tones.labels == 0
    yield compared(
        "picture of 4 megapixels traced, tones and all",
        lambda: _followed(mask, settings, tones.finer),
        lambda: trace(picture, settings, name="p.png"),
        reach=1.5,  # smoothing four megapixels is a third of following their outlines
        runs=4,
    )


def joining() -> Iterator[Row]:
    """Time a piece costs among ten and a hundred times as many: 1 is linear."""
    join(_loose(5_000), tolerance_mm=0.05)
    each = {}
    for n in (5_000, 50_000, 500_000):
        pieces = _loose(n)
        each[n] = min(seconds(lambda pieces=pieces: join(pieces, tolerance_mm=0.05)) for _ in range(2))
    yield Row("joining 50,000 loose pieces", "", spell(each[50_000]), each[50_000] * 1e3, None, "ms")
    for few, many in ((5_000, 50_000), (50_000, 500_000)):
        a, b = each[few] / few * 1e6, each[many] / many * 1e6
        yield Row(f"joining grows ({few:,} to {many:,} pieces)", f"{a:.1f} us each", f"{b:.1f} us each", b / a, 1.5)


def _loose(count: int) -> Pieces:
    """Squares taken apart: their sides in any order and direction, ends off by hundredths."""
    rng = np.random.default_rng(1)
    squares = count // 4
    side = int(np.ceil(squares**0.5))
    at = np.column_stack((np.arange(squares) % side, np.arange(squares) // side)) * 3.0
    corners = np.array([(0, 0), (2, 0), (2, 2), (0, 2), (0, 0)])
    p = (at[:, None] + corners[:4]).reshape(-1, 2)
    q = (at[:, None] + corners[1:]).reshape(-1, 2)
    p, q = p + rng.uniform(-0.01, 0.01, p.shape), q + rng.uniform(-0.01, 0.01, q.shape)
    order, flip = rng.permutation(len(p)), rng.random(len(p)) < 0.5
    p, q = p[order], q[order]
    p, q = np.where(flip[:, None], q, p), np.where(flip[:, None], p, q)
    return Pieces(p, q, np.zeros(len(p), np.uint8), np.zeros((len(p), 4)), np.arange(len(p) + 1))


def _dxf(count: int) -> bytes:
    """Plates with holes and slots, their outlines in loose lines."""
    import ezdxf

    doc = ezdxf.new("R2010")
    doc.header["$INSUNITS"] = 4
    space = doc.modelspace()
    for k in range(count // 10):
        x, y = (k % 100) * 12, (k // 100) * 12
        corners = [(x, y), (x + 10, y), (x + 10, y + 6), (x + 6, y + 10), (x, y + 10)]
        for a, b in zip(corners, corners[1:] + corners[:1], strict=True):
            space.add_line(a, b)
        space.add_circle((x + 3, y + 3), 1)
        space.add_arc((x + 6, y + 6), 2, 0, 180)
        space.add_arc((x + 6, y + 6), 2, 180, 360)
        space.add_lwpolyline([(x + 1, y + 7, 0), (x + 3, y + 7, 0.5), (x + 3, y + 9, 0)], format="xyb", close=True)
        space.add_line((x + 7, y + 1), (x + 8, y + 2))
    out = io.StringIO()
    doc.write(out)
    return out.getvalue().encode()


ROWS = (dxf_reading, tracing, joining)
