"""A sheet turned over: how it is seen from its back, and what of a place on one face lies behind it on the other.

The one place for this transform. Turned left to right, x becomes width - x; turned front to back, y becomes height - y. A depth z below one
face lies thickness - z below the other. Turning over again brings everything back.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence

import msgspec

from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.setups import TurnedAbout
from archimetra.job.sheet import Sheet

replace = msgspec.structs.replace


_kept: OrderedDict[int, tuple[Sheet, TurnedAbout, float, Sheet]] = (
    OrderedDict()
)  # by the objects themselves, held so that no others can come to
# stand in their place: the same sheet is seen from behind as the same object, and boards on it stay theirs
_MOST_KEPT = 400


def over(about: TurnedAbout, sheet: Sheet) -> Affine:
    """From a place on one face to the same place seen on the other."""
    if about is TurnedAbout.SIDEWAYS:
        return Affine(-1.0, 0.0, 0.0, 1.0, sheet.width, 0.0)
    return Affine(1.0, 0.0, 0.0, -1.0, 0.0, sheet.height)


def from_behind(sheet: Sheet, about: TurnedAbout, faced: float) -> Sheet:
    """The sheet as its back is worked on: seen from there, and thinner by what its front was ``faced``."""
    found = _kept.get(id(sheet))
    if found is not None and found[0] is sheet and found[1:3] == (about, faced):
        return found[3]
    other = _turned(sheet, about, -faced)
    _kept[id(sheet)] = (sheet, about, faced, other)
    while len(_kept) > _MOST_KEPT:
        _kept.popitem(last=False)
    return other


def from_the_front(sheet: Sheet, about: TurnedAbout, faced: float) -> Sheet:
    """The sheet a back was seen of: the same way back."""
    return _turned(sheet, about, faced)


def _turned(sheet: Sheet, about: TurnedAbout, thicker: float) -> Sheet:
    if not sheet.outline and not sheet.flaws and not thicker and not sheet.grain_degrees:
        return sheet
    m = over(about, sheet)
    return replace(
        sheet, readings=tuple(max(reading + thicker, 0.1) for reading in sheet.readings), outline=_moved(sheet.outline, m),
        flaws=tuple(replace(flaw, outline=_moved((flaw.outline,), m)[0]) for flaw in sheet.flaws),
        grain_degrees=-sheet.grain_degrees if sheet.grain_degrees else 0.0,
    )  # fmt: skip


def _moved(paths: Sequence[Path], m: Affine) -> tuple[Path, ...]:
    return tuple(path.transform(m) for path in paths)
