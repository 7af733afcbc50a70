"""A sheet turned over: how it is seen from its back, and what of a place on one face lies behind it on the other.

The one place for this transform. Turned left to right, x becomes width - x; turned front to back, y becomes height - y. A depth z below one
face lies thickness - z below the other. Turning over again brings everything back.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import msgspec

from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.setups import TurnedAbout
from archimetra.job.sheet import Sheet

replace = msgspec.structs.replace


class _Known(NamedTuple):
    sheet: Sheet
    about: TurnedAbout
    faced: float
    other: Sheet


_known: dict[
    tuple[int, bool], _Known
] = {}  # by the objects themselves, held so that no others can come to stand in their place
_MOST_KEPT = 400


def over(about: TurnedAbout, sheet: Sheet) -> Affine:
    """From a place on one face to the same place seen on the other."""
    if about is TurnedAbout.SIDEWAYS:
        return Affine(-1.0, 0.0, 0.0, 1.0, sheet.width, 0.0)
    return Affine(1.0, 0.0, 0.0, -1.0, 0.0, sheet.height)


def from_behind(sheet: Sheet, about: TurnedAbout, faced: float) -> Sheet:
    """The sheet as its back is worked on: seen from there, and thinner by what its front was ``faced``."""
    return _turned(sheet, about, faced, is_back=False)


def from_the_front(sheet: Sheet, about: TurnedAbout, faced: float) -> Sheet:
    """The sheet a back was seen of."""
    return _turned(sheet, about, faced, is_back=True)


def unturned(sheet: Sheet) -> Sheet:
    """The sheet this one is a view of from behind; itself where it is none."""
    found = _known.get((id(sheet), True))
    return found.other if found is not None and found.sheet is sheet else sheet


def _turned(sheet: Sheet, about: TurnedAbout, faced: float, *, is_back: bool) -> Sheet:
    if not sheet.outline and not sheet.flaws and not faced and not sheet.grain_degrees:
        return sheet
    found = _known.get((id(sheet), is_back))
    if found is not None and found.sheet is sheet and (found.about, found.faced) == (about, faced):
        return found.other
    m = over(about, sheet)
    less = -faced if is_back else faced
    other = replace(
        sheet, readings=tuple(max(reading - less, 0.1) for reading in sheet.readings), outline=_moved(sheet.outline, m),
        flaws=tuple(replace(flaw, outline=_moved((flaw.outline,), m)[0]) for flaw in sheet.flaws),
        grain_degrees=-sheet.grain_degrees if sheet.grain_degrees else 0.0,
    )  # fmt: skip
    if len(_known) > _MOST_KEPT:
        _known.clear()
    _known[id(sheet), is_back] = _Known(sheet, about, faced, other)
    _known[id(other), not is_back] = _Known(other, about, faced, sheet)
    return other


def _moved(paths: Sequence[Path], m: Affine) -> tuple[Path, ...]:
    return tuple(path.transform(m) for path in paths)
