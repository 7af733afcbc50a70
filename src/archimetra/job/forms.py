"""Drawn shapes that keep their measures: what each is made from, about its own centre, in mm.

A shape with a form can be changed by its numbers until it is converted to a plain outline. The kinds are one tagged union;
``outlines_of`` makes the paths.
"""

from __future__ import annotations

from math import isfinite

import msgspec

from archimetra.artwork.text_form import Fit, TextForm
from archimetra.geometry import figures
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.record import Record

LARGEST = 10_000.0


class RectangleForm(Record, frozen=True, kw_only=True, tag="rectangle"):
    width: float = 60.0
    height: float = 40.0
    corner_radius: float = 0.0

    def __post_init__(self) -> None:
        _sides("a rectangle", self.width, self.height)
        _need(isfinite(self.corner_radius) and 0 <= self.corner_radius <= LARGEST, "a corner radius is 0 to 10000 mm")


class EllipseForm(Record, frozen=True, kw_only=True, tag="ellipse"):
    """A circle where width and height are equal."""

    width: float = 40.0
    height: float = 40.0

    def __post_init__(self) -> None:
        _sides("a circle or ellipse", self.width, self.height)


class PolygonForm(Record, frozen=True, kw_only=True, tag="polygon"):
    """``radius`` is that of its corners."""

    sides: int = 6
    radius: float = 25.0

    def __post_init__(self) -> None:
        _need(3 <= self.sides <= 360, "a polygon has 3 to 360 sides")
        _sides("a polygon", self.radius)


class StarForm(Record, frozen=True, kw_only=True, tag="star"):
    points: int = 5
    outer: float = 30.0
    inner: float = 12.0

    def __post_init__(self) -> None:
        _need(2 <= self.points <= 360, "a star has 2 to 360 points")
        _sides("a star", self.outer, self.inner)


class SlotForm(Record, frozen=True, kw_only=True, tag="slot"):
    """A slot for a part of a measured ``thickness``: it is as wide as that and the ``slack``, and at one end or both runs
    ``overrun`` further, past the part's edge. With round ends the length is over all."""

    length: float = 60.0
    thickness: float = 6.0
    slack: float = 0.0
    overrun: float = 0.0
    overruns_both: bool = False
    is_round: bool = True

    def __post_init__(self) -> None:
        _sides("a slot", self.length, self.thickness)
        _need(isfinite(self.slack) and -2 <= self.slack <= 10, "slack is -2 to 10 mm")
        _need(isfinite(self.overrun) and 0 <= self.overrun <= 1000, "a slot runs 0 to 1000 mm past the edge")
        _need(self.width > 0.01, "a slot is wider than 0.01 mm")

    @property
    def width(self) -> float:
        return self.thickness + self.slack


Form = RectangleForm | EllipseForm | PolygonForm | StarForm | SlotForm | TextForm


def outlines_of(form: Form) -> tuple[Path, ...]:
    """The form's outlines about its own origin. Raises ArtworkError for a text that cannot be set."""
    match form:
        case RectangleForm():
            return (figures.rectangle((0.0, 0.0), form.width, form.height, form.corner_radius),)
        case EllipseForm():
            return (figures.ellipse((0.0, 0.0), form.width, form.height),)
        case PolygonForm():
            return (figures.polygon((0.0, 0.0), form.sides, form.radius),)
        case StarForm():
            return (figures.star((0.0, 0.0), form.points, form.outer, form.inner),)
        case SlotForm():
            return (_slot(form),)
        case TextForm():
            from archimetra.artwork.text import set_text

            return set_text(form).paths


def _slot(form: SlotForm) -> Path:
    a, b = -form.length / 2, form.length / 2 + form.overrun
    if form.overruns_both:
        a -= form.overrun
    if not form.is_round:
        return figures.square_slot((a, 0.0), (b, 0.0), form.width)
    r = form.width / 2
    if b - a <= form.width:  # no longer than wide: a round hole
        return Path.circle(((a + b) / 2, 0.0), r)
    return figures.slot((a + r, 0.0), (b - r, 0.0), form.width)


def words_of(form: Form) -> str:
    """What a new shape of this form is called."""
    match form:
        case RectangleForm():
            return "rectangle"
        case EllipseForm():
            return "circle" if form.width == form.height else "ellipse"
        case PolygonForm():
            return "polygon"
        case StarForm():
            return "star"
        case SlotForm():
            return "slot"
        case TextForm():
            return " ".join(form.text.split())[:40]


def scaled_form(form: Form, sx: float, sy: float) -> Form | None:
    """The form that many times as wide and high along its own axes; None where it has none of that shape."""
    replace = msgspec.structs.replace
    is_even = abs(sx - sy) <= 1e-9 * max(sx, sy)
    match form:
        case RectangleForm():
            radius = form.corner_radius * sx if is_even else form.corner_radius
            return replace(form, width=form.width * sx, height=form.height * sy, corner_radius=radius)
        case EllipseForm():
            return replace(form, width=form.width * sx, height=form.height * sy)
        case PolygonForm() if is_even:
            return replace(form, radius=form.radius * sx)
        case StarForm() if is_even:
            return replace(form, outer=form.outer * sx, inner=form.inner * sx)
        case SlotForm() if is_even:
            return replace(
                form, length=form.length * sx, thickness=form.thickness * sx, slack=min(max(form.slack * sx, -2.0), 10.0),
                overrun=form.overrun * sx,
            )  # fmt: skip
        case TextForm() if is_even:
            along = form.along.transform(Affine.scale(sx)) if form.along is not None else None
            return replace(
                form, cap_height=form.cap_height * sx, letter_spacing=form.letter_spacing * sx,
                fit_width=_in_limits(form.fit_width * sx, form.fit is Fit.NONE), arc_radius=form.arc_radius * sx, along=along,
                along_start=form.along_start * sx, lift=form.lift * sx,
            )  # fmt: skip
    return None


def _in_limits(width: float, is_unused: bool) -> float:
    """A width to fit; one that is not used must not stop what is sized."""
    return min(max(width, 1.0), 10_000.0) if is_unused else width


def _sides(what: str, *sides: float) -> None:
    _need(all(isfinite(side) and 0.01 <= side <= LARGEST for side in sides), f"{what} measures 0.01 to 10000 mm")


def _need(is_so: bool, words: str) -> None:
    if not is_so:
        raise ValueError(words)
