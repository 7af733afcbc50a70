"""What a control says of itself by its numbered settings, against the machine a job is for."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import msgspec

from archimetra.job.sheet import Machine

HOMES, IS_LASER = 22, 32
_SLACK = 0.005  # of a figure: a control keeps its own rounded


class Figure(NamedTuple):
    """One figure of a machine, as its control has it and as the job has it."""

    field: str
    words: str
    own: float
    known: float

    @property
    def sentence(self) -> str:
        return f"{self.words.format(f'{self.own:g}')}, not {self.known:g}"


# of several axes the slowest counts: a way in both is no faster
_FIGURES = (
    ("travel_x", "{} mm of travel in X", (130,)), ("travel_y", "{} mm in Y", (131,)), ("travel_z", "{} mm in Z", (132,)),
    ("rapid_xy", "rapids of {} mm/min", (110, 111)), ("rapid_z", "of {} mm/min in Z", (112,)),
    ("acceleration", "acceleration of {} mm/s²", (120, 121)), ("acceleration_z", "of {} mm/s² in Z", (122,)),
    ("junction_deviation", "corners within {} mm", (11,)), ("max_rpm", "a spindle of at most {} 1/min", (30,)),
)  # fmt: skip


def differing(settings: Mapping[int, float], machine: Machine) -> tuple[Figure, ...]:
    """The figures a control has otherwise than the job; none of those it does not tell, or could not mean."""
    out = []
    for field, words, numbers in _FIGURES:
        values = [settings[number] for number in numbers if settings.get(number, 0.0) > 0]
        known = getattr(machine, field)
        if len(values) < len(numbers):
            continue
        own = min(values)
        # a spindle that is switched only is told as one of a few steps
        if field == "max_rpm" and own < machine.min_rpm:
            continue
        if abs(own - known) > _SLACK * known:
            out.append(Figure(field, words, own, known))
    return tuple(out)


def taken(machine: Machine, figures: tuple[Figure, ...]) -> Machine:
    """The machine with its control's figures. A feed is no faster than a rapid."""
    new = msgspec.structs.replace(machine, **{one.field: one.own for one in figures})
    return msgspec.structs.replace(new, max_feed=min(new.max_feed, new.rapid_xy))


def concerns(settings: Mapping[int, float]) -> tuple[str, ...]:
    """What of a control's settings spoils work on a router, in words."""
    out = []
    if settings.get(IS_LASER) == 1:
        out.append(
            f"It is set for a laser (${IS_LASER}=1): it does not wait for the spindle, and slows it down in corners. Set ${IS_LASER}=0."
        )
    if settings.get(HOMES) == 0:
        out.append(f"Homing is switched off (${HOMES}=0): how far the machine travels cannot be watched.")
    return tuple(out)
