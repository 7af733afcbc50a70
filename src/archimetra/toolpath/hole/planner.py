"""Holes: drilled, pecked or bored, plain or wider at their top.

A hole of the bit's own size is drilled; a wider one is bored round in a helix whose last turn is level. A step (counterbore)
is bored from the top before the hole below it. A hole wider than twice the bit would leave a post: its steps go round at
several radii, from the middle outwards.
"""

from __future__ import annotations

from collections.abc import Callable
from math import ceil, pi

import msgspec
import numpy as np

from archimetra.base.findings import Finding, Severity, mm, mm_each
from archimetra.job.bits import BitKind
from archimetra.job.cuts.hole import HoleCut, HoleMethod
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.circles import SAME_SIZE_MM, Circle, circles_of, sizes_of
from archimetra.toolpath.shared.contours import walks_right
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import Role, Toolpath
from archimetra.toolpath.shared.order import inside_first
from archimetra.toolpath.shared.refusals import nothing_to_plan

Progress = Callable[[float], None]
FITS_MM = 0.05  # a hole this much wider than the bit is still of its size
CHIP_GAP_MM = 0.5  # above the hole a pecking bit comes up to, and over the last depth it goes back down to fast


def plan_holes(work: ResolvedCut, progress: Progress = lambda share: None) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath of some holes and what to know about it. Deterministic; only the progress callback may raise."""
    cut = work.cut
    assert isinstance(cut, HoleCut)
    findings = list(nothing_to_plan(work))
    builder = MoveBuilder(work)
    if not findings:
        found = circles_of(work.shapes)
        chosen = [circle for circle in found if _is_chosen(circle, cut)]
        findings.extend(_nothing_round(work, found, chosen))
        planner = _Holes(work, cut, builder)
        starts = np.array([circle.at for circle in chosen]).reshape(-1, 2)
        order = range(len(chosen)) if cut.keeps_order else inside_first(starts, np.full(len(chosen), -1))
        for number, k in enumerate(order):
            progress(number / max(1, len(chosen)))
            planner.hole(chosen[k])
        findings.extend(planner.findings())
    builder.leave()
    return builder.moves.toolpath(cut.id, work.bit.id), tuple(findings)


class Drilled(msgspec.Struct, frozen=True):
    """A hole as an earlier cut really made it: as wide as it is down to ``depth`` below the face of the cut that asks."""

    at: tuple[float, float]
    diameter: float
    depth: float


def drilled_holes(work: ResolvedCut) -> list[Drilled]:
    """The holes earlier cuts have made, as wide as their bits left them and as deep as they are that wide: a circle drilled with a
    smaller bit is no wider than that, and a drill's point narrows the last of its depth."""
    out = []
    for earlier in work.prior:
        cut, bit = earlier.cut, earlier.bit
        if not isinstance(cut, HoleCut):
            continue
        for circle in circles_of(earlier.shapes):
            room = circle.diameter - bit.diameter
            if not _is_chosen(circle, cut) or room < -FITS_MM:
                continue
            is_bored = room > FITS_MM and cut.method in (HoleMethod.BORE, HoleMethod.FITTING)
            point = 0.0 if cut.to_shoulder else bit.point_length
            depth = work.depth_of(earlier) - point
            out.append(Drilled(circle.at, circle.diameter if is_bored else bit.diameter, depth))
            for step in cut.steps:
                if step.diameter > circle.diameter + FITS_MM:
                    deep = min(step.depth + earlier.face - work.face, work.depth_of(earlier))
                    out.append(Drilled(circle.at, step.diameter, deep))
    return out


def _is_chosen(circle: Circle, cut: HoleCut) -> bool:
    return not cut.diameters or any(abs(circle.diameter - d) <= 2 * SAME_SIZE_MM for d in cut.diameters)


def _nothing_round(work: ResolvedCut, found: list[Circle], chosen: list[Circle]) -> list[Finding]:
    cut = work.cut
    assert isinstance(cut, HoleCut)
    out = []
    if not found:
        out.append(
            Finding(
                "holes-none", Severity.STOP, f"'{cut.name}' has no circles among its shapes and cuts nothing.",
                mend="Give it circles, or cut the shapes as a pocket.", subject=cut.id,
            )
        )  # fmt: skip
    elif not chosen:
        sizes = [size for size, _ in sizes_of(found)]
        out.append(
            Finding(
                "holes-size", Severity.STOP,
                f"'{cut.name}' takes holes of {mm_each(cut.diameters, between=', ')}; its shapes have {mm_each(sizes, between=', ')}.",
                mend="Choose the sizes again.", subject=cut.id,
            )
        )  # fmt: skip
    round_shapes = {circle.shape for circle in found}
    others = [shape for shape in work.shapes if shape.id not in round_shapes]
    if found and others:
        out.append(
            Finding(
                "holes-not-round", Severity.NOTE,
                f"{len(others)} of the shapes of '{cut.name}' {'is' if len(others) == 1 else 'are'} no circle "
                f"('{others[0].name}' first) and left alone.", subject=cut.id,
            )
        )  # fmt: skip
    return out


class _Holes:
    def __init__(self, work: ResolvedCut, cut: HoleCut, builder: MoveBuilder) -> None:
        self._work, self._cut, self._bit, self._builder = work, cut, work.bit, builder
        self._left = walks_right(cut.direction, work.bit)
        point = self._bit.point_length if cut.to_shoulder else 0.0
        self._end = work.depth + point
        self._too_narrow: list[Circle] = []
        self._too_wide: list[Circle] = []
        self._bad_steps: list[Circle] = []

    def hole(self, circle: Circle) -> None:
        steps = sorted(self._cut.steps, key=lambda step: step.depth)
        start = self._cut.start_depth
        begun = False
        for step in steps:
            depth = min(step.depth, self._work.depth)
            if step.diameter <= circle.diameter + FITS_MM or depth <= start:
                self._bad_steps.append(circle)
                continue
            begun |= self._bore(circle, step.diameter, start, depth, is_first=not begun)
        self._through(circle, start, is_first=not begun)

    def _through(self, circle: Circle, start: float, *, is_first: bool) -> None:
        method, room = self._cut.method, circle.diameter - self._bit.diameter
        if room < -FITS_MM:
            self._too_narrow.append(circle)
            return
        # below a step the top is open already; the hole itself still begins where the cut does
        if method is HoleMethod.BORE or (method is HoleMethod.FITTING and room > FITS_MM):
            if room <= FITS_MM:
                self._drill(circle, start, pecks=False, is_first=is_first)
            else:
                self._bore(circle, circle.diameter, start, self._end, is_first=is_first)
            return
        if (room > FITS_MM and self._bit.kind is not BitKind.DRILL) or room > FITS_MM:
            self._too_wide.append(circle)
        self._drill(circle, start, pecks=method is HoleMethod.PECK or self._wants_pecks(start), is_first=is_first)

    def _wants_pecks(self, start: float) -> bool:
        """A fitting hole deeper than three diameters clears its chips on the way."""
        return self._cut.method is HoleMethod.FITTING and self._end - start > 3 * self._bit.diameter

    def _drill(self, circle: Circle, start: float, *, pecks: bool, is_first: bool) -> None:
        builder = self._builder
        if is_first:
            builder.arrive(*circle.at)
        else:
            self._back_to(circle.at, start)
        top = -start
        top_z = builder.at[2]
        if not pecks:
            builder.down(-self._end, pass_no=1, role=Role.DRILL)
        else:
            # equal pecks: a last one of a hair would have a control peck by that hair all the way
            count = max(1, ceil((self._end - start) / self._cut.peck - 1e-9))
            peck = (self._end - start) / count
            for number in range(1, count + 1):
                goal = top - peck * number if number < count else -self._end
                if number > 1:
                    builder.down(
                        top - peck * (number - 1) + min(CHIP_GAP_MM, peck / 2),
                        pass_no=number,
                        is_open=True,
                        role=Role.DRILL,
                    )
                builder.down(goal, pass_no=number, role=Role.DRILL)
                if number < count:
                    builder.down(top_z, pass_no=number, is_open=True, role=Role.DRILL)
        builder.down(top_z, pass_no=1, is_open=True, role=Role.DRILL)

    def _bore(self, circle: Circle, diameter: float, start: float, end: float, *, is_first: bool) -> bool:
        """Round in a helix, at several radii where the hole is wide; False where the bit does not fit."""
        room = (diameter - self._bit.diameter) / 2
        if room < FITS_MM / 2:
            return False
        builder, per_turn = self._builder, self._work.recipe.depth_per_pass
        ring_step = self._bit.diameter * min(self._work.recipe.stepover, 0.5)
        # the innermost ring leaves no post; the rings outwards of it are a stepover apart
        innermost = min(room, 0.9 * self._bit.radius)
        rings = [innermost, *np.linspace(innermost, room, ceil((room - innermost) / ring_step - 1e-9) + 1)[1:]]
        for number, radius in enumerate(rings):
            radius = float(radius)
            at = (circle.at[0] + radius, circle.at[1])
            if number == 0:
                if is_first:
                    builder.arrive(*at)
                else:
                    self._back_to(at, start)
                builder.down(-start, pass_no=1)
                turns = max(1, ceil((end - start) / min(per_turn, self._steepest(radius)) - 1e-9))
                for turn in range(1, turns + 1):
                    builder.circle(
                        circle.at,
                        -start - (end - start) * turn / turns,
                        is_left=self._left,
                        pass_no=turn,
                        role=Role.ENTRY,
                    )
                builder.circle(circle.at, -end, is_left=self._left, pass_no=turns)
            else:
                self._widen(circle, radius, float(rings[number - 1]), start, end)
        # away from the wall before lifting: no mark on it
        inward = max(radius - 0.5, 0.0)
        builder.line(circle.at[0] + inward, circle.at[1], builder.at[2], pass_no=1)
        return True

    def _widen(self, circle: Circle, radius: float, inner: float, start: float, end: float) -> None:
        """A ring outwards of the one of radius ``inner``, which is open: down there in passes, each out and once round."""
        builder = self._builder
        count = max(1, ceil((end - start) / self._work.recipe.depth_per_pass - 1e-9))
        for number in range(1, count + 1):
            z = -start - (end - start) * number / count
            builder.line(circle.at[0] + inner, circle.at[1], builder.at[2], pass_no=number)
            builder.down(z, pass_no=number, is_open=True)
            builder.line(circle.at[0] + radius, circle.at[1], z, pass_no=number)
            builder.circle(circle.at, z, is_left=self._left, pass_no=number)

    def _steepest(self, radius: float) -> float:
        """The drop of one turn at which a helix is no steeper than about 20 degrees."""
        return max(2 * pi * radius * 0.36, 0.05)

    def _back_to(self, at: tuple[float, float], start: float) -> None:
        """To the start of the next part of the same hole, over what is open."""
        builder = self._builder
        builder.down(min(-start + CHIP_GAP_MM, builder.retract), pass_no=0, is_open=True, role=Role.LINK)
        builder.line(*at, builder.at[2], pass_no=0, role=Role.LINK)

    def findings(self) -> list[Finding]:
        cut, bit = self._cut, self._bit
        out = []
        if self._too_narrow:
            first = self._too_narrow[0]
            out.append(
                Finding(
                    "hole-narrow", Severity.STOP,
                    f"{_holes(self._too_narrow)} of '{cut.name}' {'is' if len(self._too_narrow) == 1 else 'are'} narrower than "
                    f"the {mm(bit.diameter)} bit ({mm(first.diameter, '.2f')} first) and left uncut.",
                    mend="Choose a smaller bit.", at=first.at, subject=cut.id,
                )
            )  # fmt: skip
        if self._too_wide:
            first = self._too_wide[0]
            out.append(
                Finding(
                    "hole-wide", Severity.CAUTION,
                    f"{_holes(self._too_wide)} of '{cut.name}' {'is' if len(self._too_wide) == 1 else 'are'} wider than the "
                    f"{mm(bit.diameter)} bit ({mm(first.diameter, '.2f')} first); drilling leaves "
                    f"{'it' if len(self._too_wide) == 1 else 'them'} too narrow.",
                    mend="Bore instead of drilling, or choose a bit of that size.", at=first.at, subject=cut.id,
                )
            )  # fmt: skip
        if self._bad_steps:
            first = self._bad_steps[0]
            out.append(
                Finding(
                    "hole-step", Severity.CAUTION,
                    f"A counterbore of '{cut.name}' is no wider than its {mm(first.diameter, '.2f')} hole, or no deeper than where the "
                    "cut starts; it is left out there.",
                    mend="Make the counterbore wider, or choose the holes it belongs to.", at=first.at, subject=cut.id,
                )
            )  # fmt: skip
        return out


def _holes(circles: list[Circle]) -> str:
    return "1 hole" if len(circles) == 1 else f"{len(circles)} holes"
