"""What is looked at before a program runs, made from the job: a board is ruined by what nobody looked at."""

from __future__ import annotations

from typing import NamedTuple

from archimetra.job.bits import Bit
from archimetra.job.job import Board, Job
from archimetra.job.quantities import format_length
from archimetra.job.setups import Setup
from archimetra.job.sheet import FixtureKind, ZeroAt
from archimetra.output.controllers import Controller, Spindle


class Check(NamedTuple):
    """``id`` changes with what is to be looked at: a tick does not outlive it."""

    id: str
    words: str


def checks_of(
    job: Job,
    board: Board,
    setup: Setup,
    bit: Bit | None,
    profile: Controller | None,
    *,
    rpm: float,
    is_new_bit: bool,
    turn: float = 0.0,
    feed_percent: int = 100,
) -> tuple[Check, ...]:
    """Before a file with ``bit`` runs, turned by ``turn`` degrees, the control's feed left at ``feed_percent``. ``is_new_bit`` where another was in before: Z zero is found anew then, X and Y stay."""
    sheet, unit = board.sheet, job.unit

    def length(mm: float) -> str:
        return format_length(mm, unit)

    size = f"{length(sheet.width)} x {length(sheet.height)} x {length(sheet.thickest)} {unit}"
    tile = f", {setup.name} on the machine" if setup.name else ""
    out = [Check(f"sheet {board.id} {size}{tile}", f"{sheet.material.label} {size} lies flat and is held down{tile}")]
    if setup.pins:
        out.append(Check(f"pins {setup.name} {setup.pins}", f"It lies on its {len(setup.pins)} pins"))
    clamps = [one for one in board.fixtures if one.kind is not FixtureKind.PIN and one.setup in ("", setup.name)]
    if clamps:
        highest = max(one.rise for one in clamps)
        count, there = ("1 clamp or screw", "it") if len(clamps) == 1 else (f"{len(clamps)} clamps and screws", "them")
        words = f"{count} where the plan shows {there}, at most {length(highest)} {unit} above the sheet"
        out.append(Check(f"clamps {clamps}", words))
    if bit is not None:
        out.append(Check(f"bit {bit.id} {bit.name}", f"Bit {bit.letter} is in and tight: {bit.name}"))
    x, y = board.zero.point(sheet)
    plain = (
        f"x {length(x)}, y {length(y)} {unit} on the sheet"
        if board.zero.at is ZeroAt.TYPED
        else f"{board.zero.at.value} of the sheet"
    )
    out.append(Check(f"xy {board.id} {setup.zero} {board.zero}", f"X Y zero: {setup.zero_name or plain}"))
    named = f" with bit {bit.letter}" if bit is not None else ""
    bit_id = bit.id if bit is not None else ""
    done = "found again" if is_new_bit else "set"
    out.append(Check(f"z {board.id} {board.zero.z.value} {bit_id}", f"Z zero {done}{named}: {board.zero.z.value}"))
    if profile is not None and profile.spindle is not Spindle.SPEED and rpm > 0:
        does = "Spindle on by hand," if profile.spindle is Spindle.NONE else "Spindle's speed set by hand:"
        out.append(Check(f"spindle {bit_id} {rpm:.0f}", f"{does} {rpm:,.0f} 1/min"))
    if turn:
        out.append(
            Check(f"turn {turn:.3f}", f"It lies {turn:+.2f}° askew, as it was touched, and has not been moved since")
        )
    if feed_percent != 100:
        out.append(Check(f"feed {feed_percent}", f"The feed is left at {feed_percent} % of what was planned"))
    out.append(Check("dust", "Dust extraction on, eyes and ears covered"))
    return tuple(out)
