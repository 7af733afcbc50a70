"""Checks of inlays: whether both halves can be cut as deep as they must, whether the plug can be pressed home and taken off its board."""

from __future__ import annotations

from collections.abc import Iterator
from math import radians, tan

from archimetra.base.findings import Finding, Severity, mm
from archimetra.checks.check_input import CheckInput
from archimetra.job.bits import BitKind
from archimetra.job.cut_parts import Half
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.inlays import InlayKind
from archimetra.toolpath.carve_depths import carve_depths_of

FLAT_WORTH_MM = 0.12  # a finer tip leaves corners open by less than a sheet of paper is thick; the inlay's form says it all the same
LEAST_GLUE_MM = 0.1  # under the plug, where glue has to go
LEAST_BACK_MM = 2.0  # of the plug's board that holds it together until it is glued


def mating_depths(given: CheckInput) -> Iterator[Finding]:
    """V halves that the bit or the sheet stop before they are as deep as the pair asks."""
    for work in given.resolved():
        cut, bit = work.cut, work.bit
        if not isinstance(cut, CarveCut) or cut.mating is None:
            continue
        carving = carve_depths_of(cut, bit, work.sheet)
        if carving.rule == "bit":
            yield Finding(
                "inlay-bit-short", Severity.STOP,
                f"'{cut.name}' has to be {mm(cut.end_depth, '.2f')} deep, but {bit.name} cuts only {mm(carving.floor_depth, '.2f')}; the halves "
                "would not go together.",
                mend="Choose a longer bit, or make the pocket less deep.", subject=cut.id,
            )  # fmt: skip
        elif carving.rule == "sheet":
            yield Finding(
                "inlay-sheet-thin", Severity.STOP,
                f"'{cut.name}' has to be {mm(cut.end_depth, '.2f')} deep; its sheet is only {mm(work.sheet.thinnest)} thick.",
                mend="Take a thicker sheet, or make the pocket less deep.", subject=cut.id,
            )  # fmt: skip
        elif cut.mating.half is Half.PLUG and work.sheet.thinnest - cut.end_depth < LEAST_BACK_MM:
            yield Finding(
                "inlay-plug-back", Severity.CAUTION,
                f"Only {mm(work.sheet.thinnest - cut.end_depth, '.2f')} of the board stay behind '{cut.name}'.",
                mend="Take a thicker sheet, or make the pocket or the room for the saw smaller.", subject=cut.id,
            )  # fmt: skip


def glue_used_up(given: CheckInput) -> Iterator[Finding]:
    """A fit that lets a V plug sink until no glue gap is left: it bottoms out and its walls stay open."""
    for inlay in given.job.inlays:
        if inlay.kind is not InlayKind.VEE or inlay.pocket_board != given.board.id:
            continue
        for cut, bit in given.cuts():
            if not isinstance(cut, CarveCut) or cut.mating is None or cut.mating.inlay != inlay.id:
                continue
            if bit.kind is not BitKind.VEE:
                yield Finding(
                    "inlay-no-vee", Severity.STOP, f"'{cut.name}' is half of a V inlay, but {bit.name} is no V bit.",
                    mend="Choose a V bit; the plug follows.", subject=cut.id,
                )  # fmt: skip
                continue
            slope = tan(radians(bit.angle / 2))
            # a flat's share of the sink keeps groove bottoms free; where no groove is rounded the plug goes that much deeper
            sinks = (inlay.fit + bit.tip_flat / 2) / slope
            if inlay.glue_gap - sinks < LEAST_GLUE_MM:
                why = f"a fit of {mm(inlay.fit)}" if inlay.fit > 0 else ""
                tip = f"a tip {mm(bit.tip_flat)} flat" if bit.tip_flat > 0 else ""
                yield Finding(
                    "inlay-bottoms", Severity.CAUTION,
                    f"With {' and '.join(w for w in (why, tip) if w) or 'no room for glue'} the plug of '{inlay.name}' sinks up to {mm(sinks, '.2f')} "
                    f"and leaves {mm(max(inlay.glue_gap - sinks, 0), '.2f')} for glue under it: it bottoms out before its walls close.",
                    mend=f"Leave at least {mm(sinks + LEAST_GLUE_MM, '.2f')} under the plug, or take a finer tip or a smaller side clearance.", subject=cut.id,
                )  # fmt: skip
            if bit.tip_flat > FLAT_WORTH_MM:
                yield Finding(
                    "inlay-flat", Severity.NOTE,
                    f"The tip of {bit.name} is {mm(bit.tip_flat)} flat: where the art of '{inlay.name}' has corners its walls stay open by "
                    f"up to {mm(bit.tip_flat / 2, '.2f')} a side.",
                    mend="A finer tip closes them.", subject=cut.id,
                )  # fmt: skip


def half_missing(given: CheckInput) -> Iterator[Finding]:
    """Halves that are switched off, and art that is gone."""
    for inlay in given.job.inlays:
        for board, half in ((inlay.pocket_board, Half.POCKET), (inlay.plug_board, Half.PLUG)):
            if board != given.board.id:
                continue
            mine = [
                c
                for c in given.board.cuts
                if c.mating is not None and c.mating.inlay == inlay.id and c.mating.half is half
            ]
            main = [
                c for c in mine if isinstance(c, CarveCut | ProfileCut) or (isinstance(c, PocketCut) and not c.floor_of)
            ]
            if not main or not any(c.is_on for c in main):
                yield Finding(
                    "inlay-half", Severity.CAUTION,
                    f"The {half.value} of '{inlay.name}' is {'switched off' if main else 'gone'}; its other half has nothing to fit.",
                    mend="Switch it on, undo, or remove the inlay.", subject=main[0].id if main else "",
                )  # fmt: skip


def frame_too_tight(given: CheckInput) -> Iterator[Finding]:
    """A margin that bits which clear around a plug, or cut it out, do not fit into."""
    for inlay in given.job.inlays:
        if inlay.plug_board != given.board.id or inlay.kind is not InlayKind.VEE:
            continue
        mine = [(c, b) for c, b in given.cuts() if c.mating is not None and c.mating.inlay == inlay.id]
        wall = max((carve_depths_of(c, b, given.sheet).foot for c, b in mine if isinstance(c, CarveCut)), default=0.0)
        for cut, bit in mine:
            needed = bit.diameter + 2 * wall if isinstance(cut, PocketCut) else bit.diameter + wall + 0.5
            if isinstance(cut, PocketCut | ProfileCut) and inlay.margin < needed:
                yield Finding(
                    "inlay-margin", Severity.CAUTION,
                    f"The margin of {mm(inlay.margin)} around the plug of '{inlay.name}' is too tight for {bit.name} in '{cut.name}'.",
                    mend=f"Make the margin {mm(needed, '.1f')} or more, or choose a smaller bit.", subject=cut.id,
                )  # fmt: skip
