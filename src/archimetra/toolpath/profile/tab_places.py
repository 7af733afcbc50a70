"""Where the tabs of a profile stand: on one line at a time, by rule or by hand, with what could not be kept to."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from archimetra.base.findings import Finding, Severity, mm
from archimetra.geometry.arrays import FloatArray
from archimetra.job.cuts.profile import ProfileCut
from archimetra.toolpath.profile.begins import can_enter
from archimetra.toolpath.profile.lines import NOWHERE, Line
from archimetra.toolpath.profile.outlines import Outlines, stations_of
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.moves import MarkKind, PathMark
from archimetra.toolpath.shared.tabs import spans_at, tab_spans
from archimetra.toolpath.shared.track import Track


class TabPlaces(NamedTuple):
    """``middles`` (n, 2), mm on the board."""

    middles: FloatArray = NOWHERE
    marks: tuple[PathMark, ...] = ()
    findings: tuple[Finding, ...] = ()


def tabs_on(work: ResolvedCut, cut: ProfileCut, outlines: Outlines, line: Line) -> TabPlaces:
    """The tabs on a line; none where the cut has none, does not go through, or leaves a skin that holds the part, or the bit
    cannot come down along it."""
    contour = line.contour
    has_skin = cut.goes_through and cut.skin > 0
    if (
        contour.path is None
        or has_skin
        or not (cut.tabs.is_wanted and (cut.is_through(work.sheet) or cut.meets_other_face))
    ):
        return TabPlaces()
    track, tabs, diameter = Track(contour.path), cut.tabs, work.bit.diameter
    if not can_enter(work.bit, track):
        return TabPlaces()
    shape = outlines.shape_at(contour.at)
    by_hand = stations_of(track, line.tabs)
    told: list[Finding]
    if len(by_hand):
        spans = spans_at(track, by_hand, tabs, bit_diameter=diameter)
        told = _told_by_hand(work, cut, track, len(by_hand), len(spans))
    else:
        count = next((own.count for own in cut.tabs_of if own.shape == shape), None)
        placed = tab_spans(track, tabs, bit_diameter=diameter, count=count, forbidden=outlines.zone_test())
        spans = placed.spans
        told = _told(cut, track, len(spans), placed.asked, placed.near_corner, placed.in_zone)
    if not len(spans):
        return TabPlaces(findings=tuple(told))
    middles = track.points(spans.mean(axis=1))
    directions = track.tangents_at(spans.mean(axis=1))
    marks = tuple(
        PathMark(MarkKind.TAB, float(x), float(y), shape, degrees=float(np.degrees(np.arctan2(dy, dx))))
        for (x, y), (dx, dy) in zip(middles, directions, strict=True)
    )
    return TabPlaces(np.asarray(middles), marks, tuple(told))


def _told_by_hand(work: ResolvedCut, cut: ProfileCut, track: Track, asked: int, placed: int) -> list[Finding]:
    if placed >= asked:
        return []
    lift = cut.tabs.length + work.bit.diameter
    if placed == 0:
        words = f"A tab set by hand in '{cut.name}' is longer than its outline of {mm(track.length, '.0f')}; it is left out."
    else:
        words = (
            f"{asked - placed} of {asked} tabs set by hand in '{cut.name}' stand nearer to another than {mm(lift)}, a tab and "
            "the bit's width, and are left out."
        )
    fix = "Move them apart, or make the tabs shorter."
    return [Finding("tabs-by-hand", Severity.CAUTION, words, mend=fix, at=track.point(0.0), subject=cut.id)]


def _told(cut: ProfileCut, track: Track, placed: int, asked: int, near: int, in_zone: int) -> list[Finding]:
    at, name = track.point(0.0), cut.name
    if placed < asked:
        return [
            Finding(
                "tabs-few", Severity.CAUTION,
                f"Only {placed} of {asked} tabs fit on an outline of {mm(track.length, '.0f')} in '{name}'.",
                mend="Make the tabs shorter or fewer, or hold the part with tape.", at=at, subject=cut.id,
            )
        ]  # fmt: skip
    if in_zone:
        return [
            Finding(
                "tabs-zone", Severity.CAUTION,
                f"{in_zone} tab{'' if in_zone == 1 else 's'} of '{name}' could not be kept out of the areas given.",
                mend="Use fewer tabs or set them by hand.", at=at, subject=cut.id,
            )
        ]  # fmt: skip
    if near:
        return [
            Finding(
                "tabs-corner", Severity.NOTE,
                f"{near} tab{'' if near == 1 else 's'} of '{name}' could not be kept "
                f"{mm(cut.tabs.corner_distance)} off corners and tight curves.",
                at=at, subject=cut.id,
            )
        ]  # fmt: skip
    return []
