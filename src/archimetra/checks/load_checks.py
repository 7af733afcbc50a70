"""Checks of what the bit meets: a start below the surface where nothing has opened the wood, and strokes too heavy for a V bit."""

from __future__ import annotations

from collections.abc import Iterator
from math import radians, tan

import numpy as np

from archimetra.base.findings import Finding, Severity, mm
from archimetra.checks.check_input import CheckInput
from archimetra.job.bits import BitKind
from archimetra.job.recipes import PASS_SHARES, REFERENCE_DIAMETER
from archimetra.stock.surface import lowest_by_block
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.passes import pass_depths

_OPEN_MM = 0.05
_FAR_ABOVE = 1.6  # of what is sound
_MOST_PLACES = 1500
_FEW = 0.02  # share of a cut's way that may lie over uncut wood: corners


def start_closed(given: CheckInput) -> Iterator[Finding]:
    """A start depth counts on wood that is gone: whether it is, by then, is read off the run."""
    for work in given.resolved():
        cut = work.cut
        if cut.start_depth <= 0 or not cut.counts_on_opened:
            continue
        for number, block in enumerate(given.run.blocks):
            found = _start_closed(given, work, number) if block.cut == cut.id else None
            if found is not None:
                yield found
                break


def _start_closed(given: CheckInput, work: ResolvedCut, number: int) -> Finding | None:
    """Where one block of a cut comes down into wood that stands above its start."""
    cut, start = work.cut, work.cut.start_depth + work.face
    block = given.run.blocks[number]
    xyz = given.run.xyz[block.first : block.last]
    low = xyz[xyz[:, 2] < -start - 1e-6][:, :2]
    if not len(low):
        return None
    places = low[:: max(1, len(low) // _MOST_PLACES)]
    before = lowest_by_block(given.run, given.job.bits, places, blocks=number).min(axis=1, initial=0.0)
    closed = before > -start + _OPEN_MM
    if closed.mean() <= _FEW:
        return None
    worst = int(np.argmax(before * closed - (~closed) * 1e9))
    standing = start + float(before[worst])
    return Finding(
        "start-closed", Severity.STOP,
        f"'{cut.name}' starts {mm(cut.start_depth)} down, but {mm(standing, '.1f')} of wood still stand above that when it runs: the bit "
        "would go down into it at once.",
        mend="Let the cut that opens it run before, or start at 0.", at=(float(places[worst, 0]), float(places[worst, 1])), subject=cut.id,
    )  # fmt: skip


def carve_heavy(given: CheckInput) -> Iterator[Finding]:
    """The load of a V bit is the section it takes at once, t d^2 for a depth d, less what the pass before took. It is held against
    that of a straight bit of ``REFERENCE_DIAMETER`` in a slot as deep as a pass may be in this material."""
    for work in given.resolved():
        cut, bit = work.cut, work.bit
        carving = work.carving
        if carving is None or bit.kind is not BitKind.VEE:
            continue
        blocks = [block for block in given.run.blocks if block.cut == cut.id]
        if not blocks:
            continue
        lowest = min(float(given.run.xyz[block.first : block.last, 2].min()) for block in blocks)
        deepest = -lowest - work.face - carving.start
        slope = tan(radians(bit.angle / 2))
        sound = PASS_SHARES[given.sheet.material.like] * REFERENCE_DIAMETER**2

        def heaviest(
            per_pass: float, deepest: float = deepest, slope: float = slope, flat: float = bit.tip_flat
        ) -> float:
            depths = np.concatenate(([0.0], pass_depths(0.0, deepest, per_pass)))
            return float(np.diff(slope * depths**2 + flat * depths).max())

        taken = heaviest(work.recipe.depth_per_pass)
        if deepest <= 0 or taken <= sound:
            continue
        better = next(
            (deepest / n for n in range(1, 200) if heaviest(deepest / n) <= sound), work.recipe.depth_per_pass / 10
        )
        yield Finding(
            "carve-heavy", Severity.CAUTION,
            f"'{cut.name}' takes a section of {taken:.0f} mm² at once where it is {mm(deepest, '.1f')} deep; in {given.sheet.material.value} about "
            f"{sound:.0f} mm² are sound.",
            mend=f"Make the depth per pass {mm(better, '.1f')} or less.", subject=cut.id,
        )  # fmt: skip


def slot_heavy(given: CheckInput) -> Iterator[Finding]:
    """A straight bit takes its whole width wherever it goes first: around a profile, along the first loop of a pocket, into a corner. A pass
    sound for a narrow step beside open ground is then several times too much."""
    for work in given.resolved():
        cut, bit = work.cut, work.bit
        if (
            bit.kind is not BitKind.STRAIGHT
            or cut.goes_down_at_once
            or cut.lowers_face
            or work.previous_bit is not None
        ):
            continue
        taken = min(work.recipe.depth_per_pass, max(work.depth - cut.start_depth, 0.0))
        sound = PASS_SHARES[given.sheet.material.like] * bit.diameter
        if taken > _FAR_ABOVE * sound + 1e-6:
            yield Finding(
                "slot-heavy", Severity.CAUTION,
                f"'{cut.name}' takes {mm(taken, '.1f')} a pass; where {bit.name} cuts its full width that is {taken / sound:.1f} times what is sound "
                f"in {given.sheet.material.value}.",
                mend=f"Make the depth per pass {mm(sound, '.1f')} or less.", subject=cut.id,
            )  # fmt: skip
