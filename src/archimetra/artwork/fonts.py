"""Which fonts there are: the shipped ones and those of the system, found by reading their name tables only."""

from __future__ import annotations

import json
import os
import struct
from collections.abc import Iterator
from functools import cache
from importlib.resources import files
from pathlib import Path as FilePath

import msgspec

FONT_SUFFIXES = (".ttf", ".otf", ".ttc", ".otc", ".woff")
MOST_FILES = 5000
KINDS = {
    "Libre Baskerville": "serif",
    "Alegreya Sans": "sans",
    "Zilla Slab": "slab",
    "Pacifico": "script",
    "Limelight": "display",
    "Cinzel": "display",
    "Stardos Stencil": "stencil",
}


class Font(msgspec.Struct, frozen=True):
    """``name`` is what documents keep: family and style. ``kind`` is a word for the picker: serif, single line, system ..."""

    name: str
    family: str
    style: str
    path: str
    number: int = 0
    kind: str = "system"
    is_single_line: bool = False
    is_shipped: bool = False


@cache
def shipped_fonts() -> tuple[Font, ...]:
    """The fonts that come along, outline fonts first."""
    folder = FilePath(str(files("archimetra.artwork").joinpath("fonts")))
    out = []
    for path in sorted(folder.iterdir()):
        if path.suffix in FONT_SUFFIXES:
            for font in fonts_in(path):
                kind = KINDS.get(font.family, "sans")
                out.append(msgspec.structs.replace(font, kind=kind, is_shipped=True))
    for path in sorted(folder.glob("*.json")):
        name = json.loads(path.read_text())["name"]
        out.append(Font(name, name, "", str(path), 0, "single line", is_single_line=True, is_shipped=True))
    return tuple(out)


@cache
def system_fonts() -> tuple[Font, ...]:
    """The outline fonts installed on this machine; files that cannot be read are passed over."""
    shipped = {font.name for font in shipped_fonts()}
    found: dict[str, Font] = {}
    for number, path in enumerate(_font_files()):
        if number >= MOST_FILES:
            break
        for font in fonts_in(path):
            if font.name not in shipped:
                found.setdefault(font.name, font)
    return tuple(sorted(found.values(), key=lambda font: font.name.casefold()))


def all_fonts() -> tuple[Font, ...]:
    return shipped_fonts() + system_fonts()


def font_named(name: str) -> Font | None:
    """The font of that name; the system's are only looked through where no shipped one bears it."""
    for fonts in (shipped_fonts, system_fonts):
        for font in fonts():
            if font.name == name:
                return font
    return None


def font_like(families: str, *, is_bold: bool = False, is_italic: bool = False) -> tuple[Font, bool]:
    """The best font for a drawing's list of families, and whether it is one of those it names."""
    wanted = [family.strip().strip("'\"") for family in families.split(",") if family.strip()]
    generic = {"serif": "Libre Baskerville", "sans-serif": "Alegreya Sans", "cursive": "Pacifico", "monospace": ""}
    for family in wanted:
        alike = [f for f in all_fonts() if f.family.casefold() == family.casefold()]
        if alike:
            return min(alike, key=lambda f: _distance(f, is_bold=is_bold, is_italic=is_italic)), True
        if generic.get(family.casefold()):
            wanted.append(generic[family.casefold()])
            continue
    sans = [f for f in shipped_fonts() if f.family == "Alegreya Sans"]
    return min(sans, key=lambda f: _distance(f, is_bold=is_bold, is_italic=is_italic)), False


def _distance(font: Font, *, is_bold: bool, is_italic: bool) -> tuple[int, int, int]:
    style = font.style.casefold()
    bold = any(word in style for word in ("bold", "black", "heavy"))
    italic = any(word in style for word in ("italic", "oblique"))
    plain = style in ("regular", "book", "roman", "bold", "italic", "bold italic", "normal", "")
    return int(bold != is_bold), int(italic != is_italic), int(not plain)


def fonts_in(path: FilePath) -> Iterator[Font]:
    """The fonts of one file, none where it cannot be read as one."""
    from fontTools.ttLib import TTFont, TTLibError
    from fontTools.ttLib.ttCollection import TTCollection

    is_collection = path.suffix.lower() in (".ttc", ".otc")
    try:
        with open(path, "rb") as handle:
            count = len(TTCollection(handle, lazy=True).fonts) if is_collection else 1
            for number in range(count):
                handle.seek(0)
                file = TTFont(handle, fontNumber=number if is_collection else -1, lazy=True)
                if not any(table in file for table in ("glyf", "CFF ", "CFF2")):
                    continue
                names = file["name"]
                family = names.getDebugName(16) or names.getDebugName(1) or path.stem
                style = names.getDebugName(17) or names.getDebugName(2) or ""
                yield Font(f"{family} {style}".strip(), family, style, str(path), number)
    except (TTLibError, OSError, KeyError, ValueError, AssertionError, IndexError, TypeError, AttributeError,
            struct.error):  # fmt: skip
        return  # a damaged font file is the system's affair; text in it cannot be asked for


def _font_files() -> Iterator[FilePath]:
    home = FilePath.home()
    own = FilePath(os.environ.get("XDG_DATA_HOME") or home / ".local/share")
    roots = [own / "fonts", home / ".fonts"]
    data = os.environ.get("XDG_DATA_DIRS", "/usr/local/share:/usr/share")
    roots += [FilePath(part) / "fonts" for part in data.split(":") if part]
    for root in roots:
        if root.is_dir():
            yield from (p for p in sorted(root.rglob("*")) if p.suffix.lower() in FONT_SUFFIXES)
