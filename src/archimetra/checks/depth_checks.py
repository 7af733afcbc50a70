"""Checks of depths, entries and recipes against the sheet, the bit and the machine."""

from __future__ import annotations

from collections.abc import Iterator

from archimetra.base.findings import Finding, Severity, mm
from archimetra.checks.check_input import CheckInput
from archimetra.job.bits import UNDERCUTS, BitKind
from archimetra.job.cuts import kind_of
from archimetra.job.recipes import limit_to_machine
from archimetra.toolpath.shared.moves import Role


def too_deep(given: CheckInput) -> Iterator[Finding]:
    """Depths the sheet does not have, or which leave nothing under a floor."""
    for work in given.resolved():
        cut, sheet = work.cut, work.sheet
        if cut.lowers_face:
            if work.depth > 0.5 * sheet.thinnest:
                yield Finding(
                    "facing-deep", Severity.CAUTION,
                    f"'{cut.name}' takes {mm(work.depth)} off a sheet {mm(sheet.thinnest)} thin.",
                    mend="Enter a greater target thickness, or a smaller depth.", subject=cut.id,
                )  # fmt: skip
            continue
        if cut.limits_itself:
            continue  # what stops it is told where it is planned, an inlay's halves by their own check
        deepest = sheet.thickest + max(cut.allowance, 0.0)
        if not cut.goes_through and work.depth > deepest + 1e-6:
            yield Finding(
                "too-deep", Severity.STOP,
                f"'{cut.name}' ends {mm(work.depth)} deep; the sheet is {mm(sheet.thickest)} thick.",
                mend=f"End at {mm(deepest)} or less, or let it go through.", subject=cut.id,
            )  # fmt: skip
        elif cut.leaves_floor and not cut.goes_through:
            left = sheet.thinnest - work.depth
            if left <= 0:
                yield Finding(
                    "floor-gone", Severity.CAUTION,
                    f"'{cut.name}' is {mm(work.depth)} deep; where the sheet is {mm(sheet.thinnest)} thin nothing stays under it.",
                    mend="Make it less deep, or let it go through.", subject=cut.id,
                )  # fmt: skip


def deeper_than_bit(given: CheckInput) -> Iterator[Finding]:
    """Cuts deeper than the bit's cutting length."""
    for work in given.resolved():
        cut, bit = work.cut, work.bit
        if cut.tells_short_bit:
            continue
        depth = work.depth + work.face * cut.lowers_face
        if depth > bit.cutting_length + 1e-6:
            is_thick = bit.shank > bit.diameter + 0.05
            shank = (
                f", and its {mm(bit.shank)} shank would be driven into the wall"
                if is_thick
                else ", above that its shank rubs"
            )
            yield Finding(
                "bit-too-short", Severity.STOP,
                f"'{cut.name}' goes {mm(depth)} deep; {bit.name} cuts only {mm(bit.cutting_length)}{shank}.",
                mend="Choose a longer bit or a smaller depth.", subject=cut.id,
            )  # fmt: skip


def pass_too_deep(given: CheckInput) -> Iterator[Finding]:
    """Passes deeper than the bit's cutting length, though the cut as a whole may be."""
    for work in given.resolved():
        step, bit = work.recipe.depth_per_pass, work.bit
        if step > bit.cutting_length and not work.cut.goes_down_at_once:
            yield Finding(
                "pass-too-deep", Severity.CAUTION,
                f"'{work.cut.name}' takes {mm(step)} a pass; {bit.name} cuts only {mm(bit.cutting_length)}.",
                mend="Make the depth per pass smaller.", subject=work.cut.id,
            )  # fmt: skip
        if work.cut.is_last_pass_deep and work.depth - work.cut.start_depth > bit.cutting_length:
            yield Finding(
                "finish-deep", Severity.CAUTION,
                f"The last pass of '{work.cut.name}' is {mm(work.depth)} deep at once; {bit.name} cuts {mm(bit.cutting_length)}.",
                mend="Choose a longer bit, or no finishing allowance.", subject=work.cut.id,
            )  # fmt: skip


def cannot_plunge(given: CheckInput) -> Iterator[Finding]:
    """Bits that go straight down without cutting at their centre."""
    for work in given.resolved():
        cut, bit = work.cut, work.bit
        if bit.can_plunge:
            continue
        straight_down = cut.plunges
        if straight_down is None:
            roles = (given.run.role[b.first : b.last] for b in given.run.blocks if b.cut == cut.id)
            straight_down = any(bool((role == Role.DRILL).any()) for role in roles)
        if straight_down:
            yield Finding(
                "no-plunge", Severity.STOP,
                f"'{cut.name}' plunges, but {bit.name} does not cut at its centre.",
                mend="Enter by a ramp, or choose another bit." if cut.has_entries else "Choose another bit.", subject=cut.id,
            )  # fmt: skip


def wrong_kind_of_bit(given: CheckInput) -> Iterator[Finding]:
    """Drills that are to travel sideways, and undercut bits where they would be stuck."""
    for work in given.resolved():
        cut, bit = work.cut, work.bit
        if bit.kind is BitKind.DRILL and bit.kind not in kind_of(cut).bits:
            yield Finding(
                "drill-sideways", Severity.STOP,
                f"'{cut.name}' moves {bit.name} sideways; a drill cuts only straight down and would break.",
                mend="Choose another bit.", subject=cut.id,
            )  # fmt: skip
        if bit.kind in UNDERCUTS and bit.kind not in kind_of(cut).bits:
            yield Finding(
                "undercut-bit", Severity.STOP,
                f"'{cut.name}' lifts {bit.name} out of solid wood; its head is wider than the way out.",
                mend="Choose another bit, or cut it as an undercut slot.", subject=cut.id,
            )  # fmt: skip


def speed_out_of_reach(given: CheckInput) -> Iterator[Finding]:
    """Speeds and feeds the machine does not have; what the file says instead."""
    machine, material = given.job.machine, given.sheet.material
    for cut, bit in given.cuts():
        recipe = cut.recipe(bit, material)
        if not machine.min_rpm <= recipe.spindle_rpm <= machine.max_rpm:
            changed = limit_to_machine(recipe, machine).recipe
            yield Finding(
                "spindle-limit", Severity.CAUTION,
                f"'{cut.name}' asks for {recipe.spindle_rpm:g} rpm; the machine turns {machine.min_rpm:g} to "
                f"{machine.max_rpm:g}. The file says {changed.spindle_rpm:g}, and feeds {changed.feed:.0f} mm/min so that the chip "
                "load stays.",
                mend="Change the speed, and the feed with it.", subject=cut.id,
            )  # fmt: skip
            continue
        asked = {"feed": recipe.feed, "plunge": recipe.plunge, "finishing feed": cut.last_feed or 0.0}
        over = [f"a {name} of {value:g} mm/min" for name, value in asked.items() if value > machine.max_feed]
        if over:
            yield Finding(
                "feed-limit", Severity.NOTE,
                f"'{cut.name}' asks for {' and '.join(over)}; the machine feeds at most {machine.max_feed:g}, and the file says so.",
                mend="Lower it.", subject=cut.id,
            )  # fmt: skip
