"""Where seams lie: at the place of least harm within the room the machine's travel leaves.

What can be cut whole on one side costs nothing. Of what has to be parted a straight run costs little, a corner, a tab or a narrow web beside the
seam much; through a hole or an undercut slot no seam goes.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from archimetra.base.findings import mm
from archimetra.geometry.arrays import FloatArray
from archimetra.layout.tiles.answer import Seam
from archimetra.layout.tiles.chains import Chain
from archimetra.layout.tiles.grid import Span, with_seams

_STEP_MM = 1.0
_PARTED, _CROSSING, _CORNER, _TAB, _WEB = 10.0, 1.0, 12.0, 15.0, 6.0
_BESIDE, _BESIDE_MM = 0.8, 25.0
_NEVER = 1e6
_TOO_NARROW = 1e4
_MIDDLE = 1e-3  # per mm away from the middle of the room
_ROUND_MM = 0.5


class Crossing(NamedTuple):
    """A chain with what seams need to know of it: the name of its cut, and how far past a seam it has to be cut, mm."""

    chain: Chain
    name: str
    beyond: float


def placed(
    span: Span, axis: int, crossings: Sequence[Crossing], *, by_hand: Sequence[float], margin: float
) -> tuple[Span, list[Seam]]:
    """The span with its seams, and why each lies where it does. Seams set by hand stay where they are when there are as many as it takes."""
    count = len(span.starts) - 1
    if len(by_hand) == count and count:
        span = with_seams(span, by_hand, margin=margin)
        return span, [
            Seam(axis, at, span.room(k, margin), True, _why(axis, at, span, k, crossings))
            for k, at in enumerate(by_hand)
        ]
    seams: list[Seam] = []
    least = -np.inf
    for k in range(count):
        low, high = span.room(k, margin)
        low = max(low, least)
        if high < low:
            low = high = (low + high) / 2
        at = _cheapest(axis, low, high, span, k, crossings)
        seams.append(Seam(axis, at, (low, high), False, _why(axis, at, span, k, crossings)))
        least = at + 2 * margin
    return span._replace(seams=tuple(seam.at for seam in seams)), seams


def past_seam(crossings: Sequence[Crossing], axis: int, span: Span, k: int) -> float:
    """How far past the seam after tile k what is parted there has to be cut, mm; 0 where nothing is."""
    at = span.seams[k]
    return max(
        (
            c.beyond for c in crossings
            if c.chain.box[axis] < at < c.chain.box[axis + 2] and not c.chain.stays_whole and not _is_whole(c.chain, axis, span, k)
        ),
        default=0.0,
    )  # fmt: skip


def _cheapest(axis: int, low: float, high: float, span: Span, k: int, crossings: Sequence[Crossing]) -> float:
    first, last = np.ceil(low / _ROUND_MM) * _ROUND_MM, np.floor(high / _ROUND_MM) * _ROUND_MM
    places = np.arange(first, last + 1e-9, _STEP_MM) if last > first else np.array([(low + high) / 2])
    cost = costs(axis, places, span, k, crossings) + _MIDDLE * np.abs(places - (low + high) / 2)
    return float(places[int(np.argmin(cost))])


def costs(axis: int, places: FloatArray, span: Span, k: int, crossings: Sequence[Crossing]) -> FloatArray:
    """What a seam after tile k costs at each place (n,)."""
    out = np.zeros(len(places))
    spare = np.minimum(places - span.starts[k + 1], span.starts[k] + span.travel - places)
    for crossing in crossings:
        low, high = crossing.chain.box[axis], crossing.chain.box[axis + 2]
        is_crossed = (places > low) & (places < high)
        if not is_crossed.any() or _is_whole(crossing.chain, axis, span, k):
            continue
        if crossing.chain.stays_whole:
            out[is_crossed] += _NEVER
            continue
        near = crossing.beyond + crossing.chain.radius + 2.0
        own = np.full(len(places), _PARTED)
        own += np.where(spare < crossing.beyond - 1e-6, _TOO_NARROW, 0.0)
        own += _CROSSING * _crossings(crossing.chain, axis, places)
        own += _CORNER * np.minimum(_near(crossing.chain.corners, axis, places, near), 4)
        for points in (crossing.chain.corners, crossing.chain.tabs):  # farther off is better, as far as it goes
            own += _BESIDE * np.minimum(_near(points, axis, places, _BESIDE_MM), 4)
        own += _TAB * np.minimum(_near(crossing.chain.tabs, axis, places, near), 2)
        own += _WEB * _webs(crossing.chain, axis, places, is_crossed)
        out += np.where(is_crossed, own, 0.0)
    return out


def _is_whole(chain: Chain, axis: int, span: Span, k: int) -> bool:
    """Whether one of the two tiles reaches all of it along this side."""
    low, high = chain.box[axis], chain.box[axis + 2]
    return any(span.reach(t)[0] <= low + 1e-6 and high <= span.reach(t)[1] + 1e-6 for t in (k, k + 1))


def _crossings(chain: Chain, axis: int, places: FloatArray) -> FloatArray:
    low = np.sort(chain.segments[:, :, axis].min(axis=1))
    high = np.sort(chain.segments[:, :, axis].max(axis=1))
    count = np.searchsorted(low, places, side="left") - np.searchsorted(high, places, side="right")
    return np.asarray(np.minimum(np.maximum(count, 0), 20), dtype=np.float64)


def _near(points: FloatArray, axis: int, places: FloatArray, within: float) -> FloatArray:
    at = np.sort(points[:, axis])
    count = np.searchsorted(at, places + within) - np.searchsorted(at, places - within)
    return np.asarray(count, dtype=np.float64)


def _webs(chain: Chain, axis: int, places: FloatArray, is_crossed: np.ndarray) -> FloatArray:
    """How many gaps between neighbouring crossings are no wider than three bits: thin places the seam would go through."""
    out = np.zeros(len(places))
    a, b = chain.segments[:, 0], chain.segments[:, 1]
    for k in np.flatnonzero(is_crossed)[:: max(1, len(places) // 60)]:
        s = places[k]
        hit = (np.minimum(a[:, axis], b[:, axis]) <= s) & (np.maximum(a[:, axis], b[:, axis]) > s)
        if hit.sum() > 60:
            continue
        d = b[hit] - a[hit]
        t = (s - a[hit][:, axis]) / np.where(np.abs(d[:, axis]) < 1e-12, 1.0, d[:, axis])
        across = np.sort(a[hit][:, 1 - axis] + t * d[:, 1 - axis])
        gaps = np.diff(across)
        out[k] = float(((gaps > 0.05) & (gaps < 6 * chain.radius)).sum())
    return out


def _why(axis: int, at: float, span: Span, k: int, crossings: Sequence[Crossing]) -> str:
    """Why a seam lies where it does: what it parts, and what it keeps clear of."""
    parted: list[str] = []
    whole: list[str] = []
    refused: list[str] = []
    clear = np.inf
    nearest: tuple[float, str] | None = None
    for crossing in crossings:
        chain = crossing.chain
        low, high = chain.box[axis], chain.box[axis + 2]
        if low < at < high:
            if _is_whole(chain, axis, span, k):
                whole.append(crossing.name)
            elif chain.stays_whole:
                refused.append(crossing.name)
            else:
                parted.append(crossing.name)
                for points in (chain.corners, chain.tabs):
                    if len(points):
                        clear = min(clear, float(np.abs(points[:, axis] - at).min()))
        else:
            gap = min(abs(low - at), abs(high - at))
            if nearest is None or gap < nearest[0]:
                nearest = gap, crossing.name
    words = []
    if parted:
        far = f", {mm(clear, '.0f')} from the nearest corner or tab" if np.isfinite(clear) and clear >= 1 else ""
        words.append(f"Parts {_named(parted)}{far}.")
    else:
        words.append("Parts nothing.")
    if refused:
        words.append(f"Goes through {_named(refused)}, which cannot be parted.")
    if whole:
        words.append(f"{_named(whole)} across it {'is' if len(set(whole)) == 1 else 'are'} cut whole on one side.")
    elif nearest is not None and nearest[0] >= 1:
        words.append(f"'{nearest[1]}' is {mm(nearest[0], '.0f')} away.")
    return " ".join(words)


def _named(names: Sequence[str]) -> str:
    each = [f"'{name}'" for name in dict.fromkeys(names)]
    return (
        each[0]
        if len(each) == 1
        else f"{', '.join(each[:-1])} and {each[-1]}"
        if len(each) < 4
        else f"{', '.join(each[:2])} and {len(each) - 2} more"
    )
