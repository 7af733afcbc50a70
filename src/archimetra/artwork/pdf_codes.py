"""Letters of a PDF by the codes the page draws, not by the characters they stand for.

The page reader gives outlines by character only. Where several glyphs of a font share one (a raised o and a plain one, a
ligature's parts, a subset that maps everything to a space), that finds one of them, and the drawing gets wrong letters. So a
copy of the file is made in which the map from codes to characters of every font that is inside the file names each code by a
character of its own: asked for that, the reader finds the glyph of that very code. Nothing else of the page changes.

Letters of Type 3 fonts are little drawings; each becomes a page of its own at the end of the copy.
"""

from __future__ import annotations

import io
from typing import TYPE_CHECKING, Any

import msgspec

from archimetra.geometry.affine import Affine

if TYPE_CHECKING:
    import pikepdf

# Characters that nothing reads a meaning into: the private area for most, and ideographs for what goes beyond it.
_BLOCKS = ((0xE000, 6400), (0x4E00, 20_992), (0xAC00, 11_172))
_DRAWN = 0x3400  # the first character that stands for a Type 3 letter
MOST_DRAWN = 6500
MOST_DEPTH = 8


class DrawnLetter(msgspec.Struct, frozen=True):
    """A Type 3 letter: the page of the copy (from 0) that draws it, and the map from its units to an em."""

    page: int
    to_em: Affine


class ByCode(msgspec.Struct, frozen=True):
    """The copy, and what the characters of Type 3 letters draw."""

    data: bytes
    drawn: dict[int, DrawnLetter]


def by_code(data: bytes, page: int) -> ByCode | None:
    """The copy in which every code of the page's (from 1) own fonts is a character; None where the file cannot be copied."""
    import pikepdf

    try:
        with pikepdf.open(io.BytesIO(data)) as pdf:
            found = pdf.pages[page - 1]
            drawn: dict[int, DrawnLetter] = {}
            maps: dict[int, pikepdf.Stream] = {}
            for font in _fonts(found.resources, 0, set()):
                _name_codes(pdf, font, maps, drawn)
            out = io.BytesIO()
            pdf.save(out, compress_streams=False, recompress_flate=False)
        return ByCode(out.getvalue(), drawn)
    except (pikepdf.PdfError, ValueError, TypeError, KeyError, IndexError, AttributeError, RuntimeError, OSError):
        return None  # damaged beyond what can be copied; its characters must do


def is_named(character: int) -> bool:
    """Whether a character stands for a code of the copy."""
    return _DRAWN <= character < _DRAWN + MOST_DRAWN or any(a <= character < a + n for a, n in _BLOCKS)


def _fonts(resources: Any, depth: int, seen: set[tuple[int, int]]) -> list[Any]:
    """All fonts of a page or of a form drawn in it."""
    out: list[Any] = []
    if resources is None or depth > MOST_DEPTH:
        return out
    for font in resources.get("/Font", {}).values():
        if _is_new(font, seen):
            out.append(font)
    for kind in ("/XObject", "/Pattern"):
        for inner in resources.get(kind, {}).values():
            if _is_new(inner, seen):
                out += _fonts(inner.get("/Resources"), depth + 1, seen)
    return out


def _is_new(thing: Any, seen: set[tuple[int, int]]) -> bool:
    if not thing.is_indirect:
        return True
    if thing.objgen in seen:
        return False
    seen.add(thing.objgen)
    return True


def _name_codes(pdf: Any, font: Any, maps: dict[int, Any], drawn: dict[int, DrawnLetter]) -> None:
    kind = str(font.get("/Subtype", ""))
    if kind == "/Type3":
        _draw_letters(pdf, font, drawn)
        return
    inner = font.DescendantFonts[0] if kind == "/Type0" else font
    descriptor = inner.get("/FontDescriptor")
    if descriptor is None or not any(name in descriptor for name in ("/FontFile", "/FontFile2", "/FontFile3")):
        return  # not inside the file: its glyphs are looked up by their characters in any case
    width = 2 if kind == "/Type0" else 1
    if width not in maps:
        maps[width] = pdf.make_stream(_map(width))
    font.ToUnicode = maps[width]


def _map(width: int) -> bytes:
    """A character map from each code but 0 to a character of its own, in runs that stay within a high byte."""
    last = 0xFF if width == 1 else 0xFFFF
    runs, code = [], 1
    for first, count in _BLOCKS:
        begin = code
        while code <= last and code < begin + count:
            end = min(code | 0xFF, last, begin + count - 1)
            runs.append(f"<{code:0{2 * width}X}> <{end:0{2 * width}X}> <{first + code - begin:04X}>")
            code = end + 1
    return _wrapped(width, runs)


def _wrapped(width: int, runs: list[str]) -> bytes:
    low, high = "0" * 2 * width, "F" * 2 * width
    parts = [
        "/CIDInit /ProcSet findresource begin 12 dict begin begincmap /CMapName /Codes def /CMapType 2 def",
        f"1 begincodespacerange <{low}> <{high}> endcodespacerange",
    ]
    for k in range(0, len(runs), 100):
        some = runs[k : k + 100]
        parts += [f"{len(some)} beginbfrange", *some, "endbfrange"]
    parts.append("endcmap CMapName currentdict /CMap defineresource pop end end")
    return "\n".join(parts).encode()


def _draw_letters(pdf: Any, font: Any, drawn: dict[int, DrawnLetter]) -> None:
    """A page for each letter of a Type 3 font, and a character for each of its codes."""
    import pikepdf

    a, b, c, d, e, f = (float(number) for number in font.FontMatrix)
    procs, runs, code = font.CharProcs, [], 0
    for entry in font.Encoding.get("/Differences", []):
        if not isinstance(entry, pikepdf.Name):
            code = int(entry)
            continue
        if str(entry) in procs and 0 < code < 256 and len(drawn) < MOST_DRAWN:
            character = _DRAWN + len(drawn)
            page = pdf.add_blank_page(page_size=(14_400, 14_400))
            page.MediaBox = pikepdf.Array([-7200, -7200, 7200, 7200])
            page.Contents = pdf.make_stream(procs[str(entry)].read_bytes())
            page.Resources = font.get("/Resources", pikepdf.Dictionary())
            drawn[character] = DrawnLetter(len(pdf.pages) - 1, Affine(a, b, c, d, e, f))
            runs.append(f"<{code:02X}> <{code:02X}> <{character:04X}>")
        code += 1
    font.ToUnicode = pdf.make_stream(_wrapped(1, runs))
