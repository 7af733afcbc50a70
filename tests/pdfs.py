"""PDF files written by hand, byte by byte: what the reader is to make of them is known exactly."""

from __future__ import annotations

import zlib


def pdf(
    *contents: str,
    size: tuple[float, float] = (283.4645669, 141.7322835),  # 100 x 50 mm
    rotate: int = 0,
    corner: tuple[float, float] = (0.0, 0.0),
    resources: str = "",
    objects: tuple[str | bytes, ...] = (),
    trailer: str = "",
) -> bytes:
    """One page for each content stream. ``objects`` are numbered from 100; ``resources`` may refer to them."""
    pages = [f"{10 + 2 * k} 0 R" for k in range(len(contents))]
    bodies: dict[int, bytes] = {
        1: b"<< /Type /Catalog /Pages 2 0 R >>",
        2: f"<< /Type /Pages /Kids [{' '.join(pages)}] /Count {len(pages)} >>".encode(),
        3: b"<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>",
    }
    x, y = corner
    box = f"[{x} {y} {x + size[0]} {y + size[1]}]"
    for k, content in enumerate(contents):
        bodies[10 + 2 * k] = (
            f"<< /Type /Page /Parent 2 0 R /MediaBox {box} /Rotate {rotate} /Contents {11 + 2 * k} 0 R "
            f"/Resources << /Font << /F1 3 0 R >> {resources} >> >>"
        ).encode()
        bodies[11 + 2 * k] = stream(content.encode())
    for k, body in enumerate(objects):
        bodies[100 + k] = body if isinstance(body, bytes) else body.encode()
    out = bytearray(b"%PDF-1.5\n")
    places = {}
    for number in sorted(bodies):
        places[number] = len(out)
        out += f"{number} 0 obj\n".encode() + bodies[number] + b"\nendobj\n"
    start = len(out)
    out += b"xref\n"
    for number, place in places.items():
        out += f"{number} 1\n{place:010d} 00000 n \n".encode()
    out += f"trailer << /Size {max(bodies) + 1} /Root 1 0 R {trailer} >>\nstartxref\n{start}\n%%EOF\n".encode()
    return bytes(out)


def stream(data: bytes, entries: str = "") -> bytes:
    packed = zlib.compress(data)
    head = f"<< /Length {len(packed)} /Filter /FlateDecode {entries} >>\nstream\n".encode()
    return head + packed + b"\nendstream"


def circle(x: float, y: float, r: float) -> str:
    """The four cubics every program draws a circle with."""
    k = 0.5522847498 * r
    return (
        f"{x + r} {y} m {x + r} {y + k} {x + k} {y + r} {x} {y + r} c {x - k} {y + r} {x - r} {y + k} {x - r} {y} c "
        f"{x - r} {y - k} {x - k} {y - r} {x} {y - r} c {x + k} {y - r} {x + r} {y - k} {x + r} {y} c h "
    )
