"""A font opened: text shaped into placed glyphs, and glyphs as outlines or single lines, in the font's own units, y up."""

from __future__ import annotations

import json
import unicodedata
from functools import lru_cache
from io import BytesIO
from pathlib import Path as FilePath
from typing import Any, NamedTuple

import numpy as np

from archimetra.artwork.directions import stretches
from archimetra.artwork.fonts import Font
from archimetra.artwork.svg_paths import parse_path
from archimetra.base.errors import ArtworkError
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.geometry.segments import Kind

MAX_FONT_BYTES = 60_000_000


class Glyph(NamedTuple):
    """One glyph of a shaped line: its number or character, where it stands, and how far it moves the pen."""

    key: Any
    x: float
    y: float
    advance: float
    character: int  # place of its first character in the line


class Shaped(NamedTuple):
    glyphs: tuple[Glyph, ...]
    width: float
    missing: tuple[str, ...]  # characters the font has no glyph for


class Face:
    """What text needs of a font."""

    is_single_line = False
    em: float  # what a drawing's font size stands for
    cap_height: float
    line_height: float  # from baseline to baseline as the font suggests

    def shape(self, line: str, *, ligatures: bool) -> Shaped:
        raise NotImplementedError

    def outline(self, key: Any) -> tuple[Path, ...]:
        raise NotImplementedError


@lru_cache(maxsize=24)
def face_of(font: Font) -> Face:
    """The font opened. Raises ArtworkError where it cannot be read or holds no outlines."""
    return StrokeFace(font) if font.is_single_line else OutlineFace(font)


class OutlineFace(Face):
    """Shaped by HarfBuzz with kerning and ligatures; quadratic curves are raised to cubics, which is exact."""

    def __init__(self, font: Font) -> None:
        import uharfbuzz as hb

        path = FilePath(font.path)
        try:
            if path.stat().st_size > MAX_FONT_BYTES:
                raise ArtworkError(
                    f"The font {font.name} is larger than {MAX_FONT_BYTES // 1_000_000} MB. Choose another."
                )
            data = _sfnt(path) if path.suffix.lower() == ".woff" else path.read_bytes()
        except OSError as error:
            raise ArtworkError(f"The font {font.name} could not be read ({error.strerror}). Choose another.") from error
        self._font = hb.Font(hb.Face(data, font.number))
        self.em = upem = float(self._font.face.upem)
        self._hb = hb
        self._outlines: dict[int, tuple[Path, ...]] = {0: ()}  # the box that stands for a missing letter is not cut
        if not upem or not any(self._drawn("Hxo0")):
            raise ArtworkError(f"The font {font.name} holds no outlines that could be cut. Choose another.")
        self.cap_height = self._measured("HIEX0x", fallback=0.7 * upem)
        extents = self._font.get_font_extents("ltr")
        self.line_height = float(extents.ascender - extents.descender + extents.line_gap) or 1.2 * upem

    def shape(self, line: str, *, ligatures: bool) -> Shaped:
        hb = self._hb
        features = {"kern": True, "liga": ligatures, "clig": ligatures, "calt": ligatures}
        glyphs = []
        missing: list[str] = []
        x = 0.0
        for stretch in stretches(line):
            buffer = hb.Buffer()
            buffer.add_str(
                line, stretch.first, stretch.last - stretch.first
            )  # letters beside it may shape those at its ends
            buffer.guess_segment_properties()
            buffer.direction = "rtl" if stretch.is_leftward else "ltr"
            hb.shape(self._font, buffer, features)
            for info, at in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
                if info.codepoint == 0:
                    missing.append(line[info.cluster])
                place = x + at.x_offset, float(at.y_offset)
                glyphs.append(Glyph(info.codepoint, *place, float(at.x_advance), info.cluster))
                x += at.x_advance
        return Shaped(tuple(glyphs), x, tuple(dict.fromkeys(missing)))

    def outline(self, key: int) -> tuple[Path, ...]:
        found = self._outlines.get(key)
        if found is None:
            pen = _Pen()
            self._font.draw_glyph_with_pen(key, pen)
            found = self._outlines[key] = tuple(pen.paths)
        return found

    def _drawn(self, letters: str) -> list[bool]:
        glyphs = [self._font.get_nominal_glyph(ord(letter)) for letter in letters]
        if any(glyph for glyph in glyphs):
            return [bool(self.outline(glyph)) for glyph in glyphs if glyph]
        return [bool(self.outline(glyph)) for glyph in range(min(40, self._font.face.glyph_count))]

    def _measured(self, letters: str, *, fallback: float) -> float:
        for letter in letters:
            glyph = self._font.get_nominal_glyph(ord(letter))
            if glyph:
                tops = [path.bounds()[3] for path in self.outline(glyph)]
                if tops and max(tops) > 0:
                    return float(max(tops))
        return fallback


def _sfnt(path: FilePath) -> bytes:
    """A packed web font as the plain font it holds."""
    from fontTools.ttLib import TTFont, TTLibError

    try:
        with TTFont(path) as font:
            font.flavor = None
            out = BytesIO()
            font.save(out)
    except TTLibError as error:
        raise ArtworkError(f"The font file {path.name} is damaged ({error}). Choose another.") from error
    return out.getvalue()


class _Pen:
    """Collects what HarfBuzz draws as closed paths."""

    def __init__(self) -> None:
        self.paths: list[Path] = []
        self._nodes: list[tuple[float, float]] = []
        self._kinds: list[int] = []
        self._params: list[tuple[float, float, float, float]] = []

    def moveTo(self, at: tuple[float, float]) -> None:
        self._nodes, self._kinds, self._params = [at], [], []

    def lineTo(self, at: tuple[float, float]) -> None:
        if at != self._nodes[-1]:
            self._add(Kind.LINE, at, (0.0, 0.0, 0.0, 0.0))

    def qCurveTo(self, control: tuple[float, float], at: tuple[float, float]) -> None:
        (x0, y0), (cx, cy), (x1, y1) = self._nodes[-1], control, at
        first = x0 + 2 / 3 * (cx - x0), y0 + 2 / 3 * (cy - y0)
        self._add(Kind.CUBIC, at, (*first, x1 + 2 / 3 * (cx - x1), y1 + 2 / 3 * (cy - y1)))

    def curveTo(self, one: tuple[float, float], two: tuple[float, float], at: tuple[float, float]) -> None:
        self._add(Kind.CUBIC, at, (*one, *two))

    def closePath(self) -> None:
        if self._nodes and self._nodes[-1] != self._nodes[0]:
            self._add(Kind.LINE, self._nodes[0], (0.0, 0.0, 0.0, 0.0))
        if len(self._kinds) > 1:
            nodes, kinds = np.array(self._nodes, dtype=np.float64), np.array(self._kinds, np.uint8)
            self.paths.append(Path(nodes, kinds, np.array(self._params), closed=True))
        self._nodes = []

    def endPath(self) -> None:
        self.closePath()

    def _add(self, kind: Kind, at: tuple[float, float], params: tuple[float, float, float, float]) -> None:
        self._nodes.append(at)
        self._kinds.append(kind)
        self._params.append(params)


# accents of single-line fonts: drawn over (or under) the base letter, in units of the cap height, x about its middle
_MARKS = {
    "\u0301": "M-0.06 0.06L0.1 0.24", "\u0300": "M0.06 0.06L-0.1 0.24", "\u0302": "M-0.14 0.06L0 0.22L0.14 0.06",
    "\u030c": "M-0.14 0.22L0 0.06L0.14 0.22", "\u0303": "M-0.17 0.08C-0.1 0.26 -0.06 0.2 0 0.15C0.06 0.1 0.1 0.04 0.17 0.2",
    "\u0304": "M-0.14 0.14L0.14 0.14", "\u0308": "M-0.12 0.1L-0.12 0.16M0.12 0.1L0.12 0.16",
    "\u030a": "M0.09 0.15A0.09 0.09 0 1 1 -0.09 0.15A0.09 0.09 0 1 1 0.09 0.15", "\u0307": "M0 0.1L0 0.16",
}  # fmt: skip
_BELOW = {
    "\u0327": "M0 0C0.02 -0.08 0.12 -0.08 0.08 -0.18C0.04 -0.24 -0.06 -0.24 -0.1 -0.2",
    "\u0323": "M0 -0.1L0 -0.16",
}
_OTHERS = {"ß": "ss", "’": "'", "‘": "'", "“": '"', "”": '"', "–": "-", "—": "-", "…": "...", "×": "x", "\u00a0": " "}


class StrokeFace(Face):
    """A single-line font; letters with accents are put together from letter and accent."""

    is_single_line = True

    def __init__(self, font: Font) -> None:
        data = json.loads(FilePath(font.path).read_text())
        self.cap_height, self.line_height = float(data["cap_height"]), float(data["line_height"])
        self.em = self.cap_height / 0.7
        self._glyphs: dict[str, dict[str, Any]] = data["glyphs"]
        self._outlines: dict[str, tuple[Path, ...]] = {}

    def shape(self, line: str, *, ligatures: bool) -> Shaped:
        del ligatures
        glyphs: list[Glyph] = []
        missing: list[str] = []
        x = 0.0
        for number, given in enumerate(unicodedata.normalize("NFC", line)):
            for character in _OTHERS.get(given, given):
                if character in self._glyphs or self._parts(character) is not None:
                    base = character if character in self._glyphs else unicodedata.normalize("NFD", character)[0]
                    advance = float(self._glyphs[base]["advance"])
                    glyphs.append(Glyph(character, x, 0.0, advance, number))
                    x += advance
                else:
                    missing.append(character)
        return Shaped(tuple(glyphs), x, tuple(dict.fromkeys(missing)))

    def outline(self, key: str) -> tuple[Path, ...]:
        found = self._outlines.get(key)
        if found is None:
            found = self._outlines[key] = self._made(key)
        return found

    def _made(self, character: str) -> tuple[Path, ...]:
        if character in self._glyphs:
            return tuple(parse_path(self._glyphs[character]["strokes"]))
        parts = self._parts(character)
        if parts is None:
            return ()
        base, marks = parts
        paths = list(parse_path(self._glyphs[base]["strokes"]))
        if base in "ij" and any(mark in _MARKS for mark in marks):  # the accent takes the place of the dot
            paths = [max(paths, key=lambda path: path.length())]
        boxes = [path.bounds() for path in paths]
        middle = (min(b[0] for b in boxes) + max(b[2] for b in boxes)) / 2
        top, bottom = max(b[3] for b in boxes), min(b[1] for b in boxes)
        for mark in marks:
            is_above = mark in _MARKS
            data = _MARKS[mark] if is_above else _BELOW[mark]
            m = Affine.scale(self.cap_height).then(Affine.shift(middle, top if is_above else bottom))
            paths.extend(path.transform(m) for path in parse_path(data))
        return tuple(paths)

    def _parts(self, character: str) -> tuple[str, str] | None:
        apart = unicodedata.normalize("NFD", character)
        if len(apart) < 2 or apart[0] not in self._glyphs:
            return None
        return (apart[0], apart[1:]) if all(m in _MARKS or m in _BELOW for m in apart[1:]) else None
