"""Text as outlines (or single lines): lines set in a font, straight, on an arc or along a path.

Sizes are by cap height, the height of a capital H. The origin is the first baseline's start, its middle or its end, as the
text is aligned; on an arc it is the circle's centre.
"""

from __future__ import annotations

from collections.abc import Sequence
from math import cos, degrees, pi, sin

import msgspec
import numpy as np

from archimetra.artwork.faces import Face, Glyph, Shaped, face_of
from archimetra.artwork.fonts import Font, font_named
from archimetra.artwork.text_form import Align, Fit, TextForm
from archimetra.base.errors import ArtworkError
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path, bounds_of


class SetText(msgspec.Struct, frozen=True, eq=False):
    """Outlines of all letters, and what the reader should know: missing characters, a font that stood in."""

    paths: tuple[Path, ...]
    is_single_line: bool
    notes: tuple[str, ...]


def set_text(form: TextForm) -> SetText:
    """The outlines of a text. Raises ArtworkError where its font is missing or unusable, or nothing of it can be drawn."""
    font = font_named(form.font)
    if font is None:
        raise ArtworkError(f"The font {form.font} is not on this machine. Choose another, or install it.")
    return set_in(form, font)


def set_in(form: TextForm, font: Font) -> SetText:
    """As ``set_text``, in a font that need not be the one the form names."""
    face = face_of(font)
    lines = form.text.split("\n")
    ligatures = form.letter_spacing == 0 and form.fit is not Fit.SPACING
    shaped = [face.shape(line.rstrip("\r"), ligatures=ligatures) for line in lines]
    missing = "".join(dict.fromkeys(letter for line in shaped for letter in line.missing))
    notes = [f"{font.name} has no {_letters(missing)}."] if missing else []
    scale, spacings = _sizes(form, face, shaped)
    paths: list[Path] = []
    for number, line in enumerate(shaped):
        drop = -number * form.line_spacing * face.line_height * scale
        paths.extend(_set_line(form, face, line, scale, spacings[number], drop))
    if not paths:
        raise ArtworkError(f"Nothing of this text can be drawn in {font.name}. Choose another font.")
    notes.extend(_notes(form, shaped, scale, spacings))
    if form.along is not None and _width(shaped[0], scale, spacings[0]) > form.along.length() + 1e-6:
        notes.append("The text is longer than the line it follows; its ends run on straight.")
    return SetText(tuple(paths), face.is_single_line, tuple(notes))


def _notes(form: TextForm, shaped: Sequence[Shaped], scale: float, spacings: Sequence[float]) -> list[str]:
    """What the text's form cannot do as asked."""
    notes = []
    widest = max((_width(line, scale, spacing) for line, spacing in zip(shaped, spacings, strict=True)), default=0.0)
    if form.arc_radius and form.along is None and widest > 2 * pi * abs(form.arc_radius):
        notes.append(
            "The text is longer than its circle, so it runs into itself. Make the radius larger or the text smaller."
        )
    if form.fit is Fit.SPACING and any(len(line.glyphs) and not _steps(line) for line in shaped):
        notes.append("A line of a single letter cannot be spread to a width; it stays as it is.")
    return notes


def _sizes(form: TextForm, face: Face, shaped: Sequence[Shaped]) -> tuple[float, list[float]]:
    """mm per font unit, and the mm added after each letter of each line."""
    scale = form.cap_height / face.cap_height
    spacings = [form.letter_spacing] * len(shaped)
    if form.fit is Fit.SIZE:
        # width = scale * ink in font units + spacings: the widest line decides
        scales = [
            (form.fit_width - form.letter_spacing * _steps(line)) / ink
            for line in shaped
            if (ink := _ink(face, line)) > 0
        ]
        smallest = min(scales, default=scale)
        if smallest <= 0:
            raise ArtworkError("The letter spacing alone is wider than the width to fit. Make it smaller.")
        scale = smallest
    elif form.fit is Fit.SPACING:
        spacings = [
            (form.fit_width - _ink(face, line) * scale) / _steps(line) if _steps(line) else 0.0 for line in shaped
        ]
    return scale, spacings


def _ink(face: Face, line: Shaped) -> float:
    """From the left edge of the first inked letter to the right edge of the last, in font units; what a ruler measures."""
    boxes = [(glyph.x, bounds_of(outlines)) for glyph in line.glyphs if (outlines := face.outline(glyph.key))]
    edges = [(x + box[0], x + box[2]) for x, box in boxes if box is not None]
    return max(right for _, right in edges) - min(left for left, _ in edges) if edges else 0.0


def _letters_of(line: Shaped) -> list[list[Glyph]]:
    """The glyphs that stand and move together: a letter with the accents that were put on it."""
    out: list[list[Glyph]] = []
    for glyph in line.glyphs:
        if out and glyph.advance == 0 and glyph.character == out[-1][0].character:
            out[-1].append(glyph)
        else:
            out.append([glyph])
    return out


def _steps(line: Shaped) -> int:
    """Gaps between the letters of a line."""
    return max(len(_letters_of(line)) - 1, 0)


def _width(line: Shaped, scale: float, spacing: float) -> float:
    return line.width * scale + spacing * _steps(line)


def _set_line(form: TextForm, face: Face, line: Shaped, scale: float, spacing: float, drop: float) -> list[Path]:
    width = _width(line, scale, spacing)
    share = {Align.LEFT: 0.0, Align.CENTRE: 0.5, Align.RIGHT: 1.0}[form.align]
    paths: list[Path] = []
    for number, letter in enumerate(_letters_of(line)):
        first, advance = letter[0], sum(glyph.advance for glyph in letter) * scale
        x = first.x * scale + spacing * number
        if form.along is not None:
            place = _along(form, x, advance, width, share, drop)
        elif form.arc_radius:
            place = _on_arc(form.arc_radius, x - width * share, advance, drop)
        else:
            place = Affine.shift(x - width * share, drop)
        for glyph in letter:
            m = Affine.shift(glyph.x - first.x, glyph.y).then(Affine.scale(scale)).then(place)
            paths.extend(path.transform(m) for path in face.outline(glyph.key))
    return paths


def _on_arc(radius: float, x: float, advance: float, rise: float) -> Affine:
    """A letter on a circle about the origin: its middle on the baseline, upright to the radius. Lines further down get a
    smaller circle, or, under the bottom, a larger one."""
    middle = x + advance / 2
    own = abs(radius) + rise if radius > 0 else abs(radius) - rise
    angle = middle / abs(radius)  # from the top (or bottom), by the first line's circle: lines stay in step
    if radius > 0:
        turn, cx, cy = -degrees(angle), own * sin(angle), own * cos(angle)
    else:
        turn, cx, cy = degrees(angle), own * sin(angle), -own * cos(angle)
    return Affine.shift(-advance / 2, 0.0).then(Affine.turn(turn)).then(Affine.shift(cx, cy))


def _along(form: TextForm, x: float, advance: float, width: float, share: float, rise: float) -> Affine:
    """A letter on a path: its middle at its place along it, standing on the left of the way."""
    path = form.along
    assert path is not None
    total = path.length()
    at = form.along_start + share * (total - width) + x + advance / 2
    over = 0.0
    if path.closed:
        at %= total
    elif at < 0 or at > total:  # beyond an end it goes straight on
        over, at = (at, 0.0) if at < 0 else (at - total, total)
    point, way = path.point_at(at), path.direction_at(at)
    angle = float(np.degrees(np.arctan2(way[1], way[0])))
    m = Affine.shift(-advance / 2 + over, rise + form.lift).then(Affine.turn(angle))
    return m.then(Affine.shift(float(point[0]), float(point[1])))


def _letters(missing: str) -> str:
    shown = ", ".join(f"'{letter}'" if letter.isprintable() else f"U+{ord(letter):04X}" for letter in missing[:6])
    return shown + (f" and {len(missing) - 6} more" if len(missing) > 6 else "")


def baseline_width(form: TextForm) -> float:
    """How wide the widest line is set, mm, along its baseline."""
    font = font_named(form.font)
    if font is None:
        return 0.0
    face = face_of(font)
    ligatures = form.letter_spacing == 0 and form.fit is not Fit.SPACING
    shaped = [face.shape(line.rstrip("\r"), ligatures=ligatures) for line in form.text.split("\n")]
    scale, spacings = _sizes(form, face, shaped)
    return max(_width(line, scale, spacing) for line, spacing in zip(shaped, spacings, strict=True))


def wrapped(text: str, font: Font, *, width_mm: float, cap_height: float) -> str:
    """A text broken at spaces so that no line is wider than a width; a single word may be."""
    face = face_of(font)
    scale = cap_height / face.cap_height
    out = []
    for line in text.split("\n"):
        current = ""
        for word in line.split(" "):
            longer = f"{current} {word}" if current else word
            if current and face.shape(longer, ligatures=True).width * scale > width_mm:
                out.append(current)
                current = word
            else:
                current = longer
        out.append(current)
    return "\n".join(out)
