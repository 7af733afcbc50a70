"""What a kind of cut is to planning."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING, Any, NamedTuple

from archimetra.base.findings import Finding
from archimetra.job.cuts import Cut
from archimetra.toolpath.resolved_cut import ResolvedCut, Resolving
from archimetra.toolpath.wanted import Wanted

if TYPE_CHECKING:
    from archimetra.toolpath.offer import Offer, Picked
    from archimetra.toolpath.shared.moves import Toolpath

Progress = Callable[[float], None]


def no_offers(picked: Picked) -> Iterable[Offer]:
    return ()


def nothing_more(about: Resolving, cut: Any) -> dict[str, Any]:
    return {}


def wants_nothing(work: ResolvedCut) -> Iterable[Wanted]:
    return ()


class Row(NamedTuple):
    """``plan`` makes the toolpath of a resolved cut, counted from the face it starts at. ``resolve`` gives the fields of ``ResolvedCut``
    that are this kind's own; the cut it is handed runs at feeds the machine can do. ``offers`` are the cuts of this kind that
    make sense for picked shapes. ``wanted`` is the ground it is meant to leave, where that is more than its path."""

    kind: type[Cut]
    plan: Callable[[ResolvedCut, Progress], tuple[Toolpath, tuple[Finding, ...]]]
    resolve: Callable[[Resolving, Any], dict[str, Any]] = nothing_more
    offers: Callable[[Picked], Iterable[Offer]] = no_offers
    wanted: Callable[[ResolvedCut], Iterable[Wanted]] = wants_nothing
