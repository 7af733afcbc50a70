"""SVG text laid out as outlines: runs in their fonts, anchors, spans that move, text on a path."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from archimetra.artwork.faces import Face, face_of
from archimetra.artwork.fonts import font_like
from archimetra.artwork.svg_paths import MM_PER, parse_length, parse_numbers, parse_path
from archimetra.artwork.svg_tree import Node
from archimetra.artwork.text import set_in
from archimetra.artwork.text_form import Align, TextForm
from archimetra.base.errors import ArtworkError
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path

StyleOf = Callable[[Node, dict[str, str]], dict[str, str]]
_FLIP = Affine(d=-1.0)
_SIZES = {
    "xx-small": 9.0,
    "x-small": 10.0,
    "small": 13.0,
    "medium": 16.0,
    "large": 18.0,
    "x-large": 24.0,
    "xx-large": 32.0,
}


class LaidText(NamedTuple):
    """Outlines in the element's own units (y down), the words, and fonts that stood in for missing ones."""

    paths: list[Path]
    words: str
    stood_in: list[str]
    missing: str


class _Run(NamedTuple):
    text: str
    style: dict[str, str]
    dx: float
    dy: float


class _Chunk:
    """What is anchored together: it begins at a stated place."""

    def __init__(self, x: float, y: float) -> None:
        self.x, self.y = x, y
        self.runs: list[_Run] = []


class _Layout:
    def __init__(self, style_of: StyleOf, by_id: dict[str, Node]) -> None:
        self._style_of = style_of
        self._by_id = by_id
        self.chunks = [_Chunk(0.0, 0.0)]
        self.stood_in: list[str] = []
        self.missing = ""
        self.on_paths: list[Path] = []
        self.words: list[str] = []
        self._ends_in_space = True

    def take(self, node: Node, style: dict[str, str]) -> None:
        style = self._style_of(node, style)
        if style.get("display") == "none" or style.get("visibility") in ("hidden", "collapse"):
            return
        if node.tag == "textPath":
            self._on_path(node, style)
            return
        x, y = _first(node, "x"), _first(node, "y")
        if x is not None or y is not None:
            last = self.chunks[-1]
            self.chunks.append(_Chunk(last.x if x is None else x, last.y if y is None else y))
            self._ends_in_space = True
        dx, dy = _first(node, "dx") or 0.0, _first(node, "dy") or 0.0
        for piece in node.pieces:
            if isinstance(piece, str):
                text = self._collapsed(piece)
                if text:
                    self.chunks[-1].runs.append(_Run(text, style, dx, dy))
                    self.words.append(text)
                    dx = dy = 0.0
            elif piece.tag in ("tspan", "a", "textPath"):
                self.take(piece, style)

    def _collapsed(self, text: str) -> str:
        """White space as XML text has it by default: runs of it are one space, none at a line's start."""
        words = " ".join(text.split())
        if not words:
            if text and not self._ends_in_space:
                self._ends_in_space = True
                return " "
            return ""
        lead = " " if text[0].isspace() and not self._ends_in_space else ""
        trail = " " if text[-1].isspace() else ""
        self._ends_in_space = bool(trail)
        return lead + words + trail

    def paths(self) -> list[Path]:
        out = list(self.on_paths)
        for chunk in self.chunks:
            out.extend(self._chunk_paths(chunk))
        return out

    def _chunk_paths(self, chunk: _Chunk) -> list[Path]:
        if chunk.runs:
            last = chunk.runs[-1]
            chunk.runs[-1] = last._replace(text=last.text.rstrip())
        placed: list[Path] = []
        x = y = 0.0
        for run in chunk.runs:
            if not run.text:
                continue
            x, y = x + run.dx, y + run.dy
            face, size = self._face(run.style), _font_size(run.style)
            spacing = _length(run.style.get("letter-spacing", "0"), size)
            shaped = face.shape(run.text, ligatures=spacing == 0)
            self.missing += "".join(shaped.missing)
            scale = size / face.em
            for number, glyph in enumerate(shaped.glyphs):
                m = Affine(scale, 0.0, 0.0, -scale, x + glyph.x * scale + spacing * number, y - glyph.y * scale)
                placed.extend(path.transform(m) for path in face.outline(glyph.key))
            x += shaped.width * scale + spacing * len(shaped.glyphs)
        anchor = chunk.runs[0].style.get("text-anchor", "start") if chunk.runs else "start"
        shift = Affine.shift(chunk.x - x * {"middle": 0.5, "end": 1.0}.get(anchor, 0.0), chunk.y)
        return [path.transform(shift) for path in placed]

    def _on_path(self, node: Node, style: dict[str, str]) -> None:
        target = self._by_id.get(node.attributes.get("href", "").lstrip("#"))
        text = " ".join("".join(piece for piece in _texts(node)).split())
        if target is None or target.tag != "path" or not text:
            return
        lines = parse_path(target.attributes.get("d", ""))
        if not lines:
            return
        path = lines[0].transform(_FLIP)
        size = _font_size(style)
        face = self._face(style)
        offset = node.attributes.get("startOffset", "0")
        start = float(offset[:-1]) / 100 * path.length() if offset.endswith("%") else _length(offset, size)
        anchor = style.get("text-anchor", "start")
        align = {"middle": Align.CENTRE, "end": Align.RIGHT}.get(anchor, Align.LEFT)
        # an anchored text is anchored to its offset, ours to the path's middle or end
        start -= {Align.LEFT: 0.0, Align.CENTRE: path.length() / 2, Align.RIGHT: path.length()}[align]
        form = TextForm(
            text=text, cap_height=size * face.cap_height / face.em, align=align, along=path, along_start=start,
            letter_spacing=_length(style.get("letter-spacing", "0"), size),
        )  # fmt: skip
        font, _ = self._font(style)
        self.words.append(text)
        self.on_paths.extend(p.transform(_FLIP) for p in set_in(form, font).paths)

    def _font(self, style: dict[str, str]):  # type: ignore[no-untyped-def]
        weight = style.get("font-weight", "normal")
        is_bold = weight in ("bold", "bolder") or (weight.isdigit() and int(weight) >= 600)
        families = style.get("font-family", "sans-serif")
        return font_like(families, is_bold=is_bold, is_italic=style.get("font-style") in ("italic", "oblique"))

    def _face(self, style: dict[str, str]) -> Face:
        font, is_named = self._font(style)
        if not is_named:
            wanted = style.get("font-family", "").split(",")[0].strip(" '\"")
            words = f"'{wanted}' ({font.name} stood in)" if wanted else font.name
            if words not in self.stood_in:
                self.stood_in.append(words)
        return face_of(font)


def lay_out(node: Node, style: dict[str, str], style_of: StyleOf, by_id: dict[str, Node]) -> LaidText:
    """A ``text`` element as outlines. Raises ValueError with a reason where it is damaged."""
    layout = _Layout(style_of, by_id)
    try:
        layout.take(node, style)
        paths = layout.paths()
    except ArtworkError as error:
        raise ValueError(str(error)) from error
    words = " ".join("".join(layout.words).split())
    return LaidText(paths, words, layout.stood_in, "".join(dict.fromkeys(layout.missing)))


def _texts(node: Node) -> list[str]:
    out: list[str] = []
    for piece in node.pieces:
        out.extend([piece] if isinstance(piece, str) else _texts(piece))
    return out


def _first(node: Node, name: str) -> float | None:
    """The first number of a list of places."""
    text = node.attributes.get(name, "").replace(",", " ").split()
    return _length(text[0], 16.0) if text else None


def _font_size(style: dict[str, str]) -> float:
    text = style.get("font-size", "16")
    return _SIZES.get(text) or _length(text, 16.0) or 16.0


def _length(text: str, em: float) -> float:
    """A length in user units; ValueError where it is none."""
    text = text.strip()
    if text in ("normal", ""):
        return 0.0
    if text.endswith("em"):
        return parse_numbers(text[:-2])[0] * em
    value, unit = parse_length(text)
    if unit == "%":
        return value / 100 * em
    return value * (MM_PER[unit] / MM_PER["px"] if unit else 1.0)
