"""Any artwork file to ``Drawing``: told by what it holds, not by its name alone.

SVG, DXF and PDF go to their readers; what comes out has been through the safe repairs. Pictures are told apart by
``kind_of``: they are traced, which takes settings (``trace``).
"""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path as FilePath

import msgspec

from archimetra.artwork.drawing import Drawing
from archimetra.artwork.report import together
from archimetra.artwork.svg import artwork_bytes
from archimetra.base.errors import ArtworkError


class Kind(StrEnum):
    SVG = "svg"
    DXF = "dxf"
    PDF = "pdf"
    PICTURE = "picture"


SUFFIXES = {
    Kind.SVG: (".svg", ".svgz"),
    Kind.DXF: (".dxf",),
    Kind.PDF: (".pdf", ".ai"),
    Kind.PICTURE: (".png", ".jpg", ".jpeg", ".bmp", ".webp"),
}
_PICTURE_STARTS = (b"\x89PNG\r\n", b"\xff\xd8\xff", b"BM")


def kind_of(data: bytes, name: str) -> Kind:
    """What the bytes are. Raises ArtworkError with a sentence for kinds that cannot be brought in."""
    head = data[:1024].lstrip(b"\xef\xbb\xbf \t\r\n")
    if head.startswith(b"%PDF-") or b"%PDF-" in data[:1024]:
        return Kind.PDF
    if data.startswith(_PICTURE_STARTS) or (data[:4] == b"RIFF" and data[8:12] == b"WEBP"):
        return Kind.PICTURE
    if data.startswith((b"AutoCAD Binary DXF", b"AC10")):
        return Kind.DXF
    if head.startswith((b"<", b"\x1f\x8b")) or data.startswith((b"\xff\xfe<", b"\xfe\xff\x00<")):
        return Kind.SVG
    if head.startswith(b"%!PS"):
        raise ArtworkError(f"{name} is a PostScript file, which cannot be read. Save it as PDF or SVG.")
    suffix = FilePath(name).suffix.lower()
    for kind, suffixes in SUFFIXES.items():
        if suffix in suffixes:
            return kind
    first = head.split(b"\n", 2)
    if len(first) > 1 and first[0].strip() in (b"0", b"999") and (first[0].strip() == b"999" or b"SECTION" in first[1]):
        return Kind.DXF
    raise ArtworkError(
        f"{name} is none of the kinds that can be brought in. Save it as SVG, DXF, PDF, PNG, JPEG, BMP or WebP."
    )


def read_artwork(data: bytes, *, name: str, page: int = 1) -> Drawing:
    """The drawing in the bytes of an SVG, DXF or PDF file, mended as far as that is safe; pictures are traced with the
    standard settings. Raises ArtworkError with a sentence where nothing can be brought in."""
    drawing = _read(data, name=name, page=page)
    return msgspec.structs.replace(drawing, report=together(drawing.report))


def _read(data: bytes, *, name: str, page: int) -> Drawing:
    match kind_of(data, name):
        case Kind.SVG:
            from archimetra.artwork.mend import mend_on_import
            from archimetra.artwork.svg import read_svg

            return mend_on_import(read_svg(data, name=name))
        case Kind.DXF:
            from archimetra.artwork.dxf import read_dxf

            return read_dxf(data, name=name)
        case Kind.PDF:
            from archimetra.artwork.pdf import read_pdf

            return read_pdf(data, name=name, page=page)
        case Kind.PICTURE:
            from archimetra.artwork.trace import open_picture, trace
            from archimetra.artwork.trace_settings import TraceSettings

            return trace(open_picture(data, name=name), TraceSettings(), name=name)


def read_artwork_file(path: FilePath, *, page: int = 1) -> Drawing:
    """As ``read_artwork``, from a file."""
    return read_artwork(artwork_bytes(path), name=path.name, page=page)
