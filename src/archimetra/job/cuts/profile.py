"""Along outlines and beside lines: parts, openings, grooves."""

from __future__ import annotations

from collections.abc import Callable
from math import isfinite
from typing import Any, ClassVar, Self

import msgspec

from archimetra.job.cut_parts import Entry, Lead, Mark, ShapeTabs, Side, Tabs
from archimetra.job.cuts.base import MILLS, CutBase, Kind, Opening
from archimetra.job.ids import LayerId
from archimetra.job.require import require
from archimetra.job.shapes import Shape
from archimetra.job.sheet import HoldDown, Sheet

replace = msgspec.structs.replace
ENTRIES = (Entry.PLUNGE, Entry.RAMP, Entry.SPIRAL)


class ProfileCut(CutBase, frozen=True, kw_only=True, tag="profile"):
    """Along outlines, outside, inside or on them, and beside open lines. ``finish`` is left by the first passes and
    taken off in one last pass of full depth; ``skin`` is wood left at the bottom instead of tabs; ``overcut`` drives the
    bit into inner corners so that a square part fits; ``starts`` and ``turned`` are marks of contours begun there or
    walked the other way."""

    side: Side = Side.OUTSIDE
    entry: Entry = Entry.RAMP
    ramp_degrees: float = 8.0
    ramp_length: float = 0.0
    finish: float = 0.0
    finish_feed: float | None = None
    lead_in: Lead = Lead()
    lead_out: Lead = Lead()
    overlap: float = 0.0
    skin: float = 0.0
    overcut: bool = False
    tabs: Tabs = Tabs()
    tabs_of: tuple[ShapeTabs, ...] = ()
    starts: tuple[Mark, ...] = ()
    turned: tuple[Mark, ...] = ()
    shares_edges: bool = False

    def __post_init__(self) -> None:
        CutBase.__post_init__(self)
        require(self.entry in ENTRIES, "a profile is entered by a plunge, a ramp or a spiral")
        require(isfinite(self.ramp_degrees) and 0.5 <= self.ramp_degrees <= 60, "a ramp is 0.5 to 60 degrees steep")
        require(isfinite(self.ramp_length) and 0 <= self.ramp_length <= 10_000, "a ramp is 0 to 10000 mm long")
        require(isfinite(self.finish) and 0 <= self.finish <= 20, "a finishing allowance is 0 to 20 mm")
        require(self.finish_feed is None or 1 <= self.finish_feed <= 50_000, "a feed is 1 to 50000 mm/min")
        require(isfinite(self.overlap) and 0 <= self.overlap <= 500, "an overlap is 0 to 500 mm long")
        require(isfinite(self.skin) and 0 <= self.skin <= 50, "a skin is 0 to 50 mm thick")

    def depth(self, sheet: Sheet) -> float:
        """The end depth; a skin ends a through cut above the thinnest reading's bottom."""
        if self.goes_through and self.skin > 0:
            return max(sheet.thinnest - self.skin, 0.0)
        return CutBase.depth(self, sheet)

    leaves_floor: ClassVar[bool] = False
    has_entries: ClassVar[bool] = True
    takes_marks: ClassVar[bool] = True

    @property
    def start_marks(self) -> tuple[Mark, ...]:
        return self.starts

    @property
    def loosens(self) -> Side | None:
        return self.side if self.side in (Side.OUTSIDE, Side.INSIDE) else None

    def is_same_outline(self, other: CutBase) -> bool:
        return other.loosens is Side.INSIDE or self.side is Side.OUTSIDE

    @property
    def opening(self) -> Opening | None:
        return Opening.GROOVE if self.side is Side.ON else None

    @property
    def manner(self) -> str:
        return str(self.side)

    @property
    def plunges(self) -> bool | None:
        return self.entry is Entry.PLUNGE

    @property
    def last_pass(self) -> float:
        return self.finish

    @property
    def is_last_pass_deep(self) -> bool:
        return self.finish > 0

    @property
    def last_feed(self) -> float | None:
        return self.finish_feed

    def with_last_feed(self, feed: float) -> Self:
        return replace(self, finish_feed=feed)

    @property
    def reach(self) -> float | None:
        return self.finish + 1.5 * max(self.lead_in.length, self.lead_out.length)

    @property
    def bridges(self) -> Tabs | None:
        return self.tabs

    def with_marks(self, change: Callable[[tuple[Any, ...]], tuple[Any, ...]]) -> Self:
        own = {name: change(getattr(self, name)) for name in ("starts", "turned", "tabs_of")}
        by_hand = change(self.tabs.by_hand)
        if by_hand is self.tabs.by_hand and all(marks is getattr(self, name) for name, marks in own.items()):
            return self
        return replace(self, **own, tabs=replace(self.tabs, by_hand=by_hand))

    @property
    def zone(self) -> LayerId:
        return LayerId(self.tabs.avoid)

    def with_zone(self, layer: LayerId) -> Self:
        return replace(self, tabs=replace(self.tabs, avoid=layer))


def default_tabs(sheet: Sheet) -> Tabs:
    """Four tabs on clamped work, none on work that tape or glue holds."""
    count = 4 if sheet.hold_down is HoldDown.CLAMPED else 0
    return Tabs(count=count, thickness=min(3.0, max(sheet.thinnest / 4, 0.4)))


def _defaults(sheet: Sheet, shapes: list[Shape]) -> dict[str, Any]:
    is_open = bool(shapes) and not any(path.closed for shape in shapes for path in shape.paths)
    tabs = default_tabs(sheet)
    return {
        "side": Side.ON if is_open else Side.OUTSIDE,
        "end_depth": 1.0 if is_open else 0.0,
        "goes_through": not is_open,
        "tabs": Tabs(thickness=tabs.thickness) if is_open else tabs,
    }


KIND = Kind(ProfileCut, "Profile", lambda cut: 5 if cut.side is Side.OUTSIDE else 4, MILLS, _defaults)
