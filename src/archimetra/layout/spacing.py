"""How far apart parts are proposed to lie."""

from __future__ import annotations

from collections.abc import Sequence

from archimetra.job.cut_parts import Side
from archimetra.job.cuts import Cut
from archimetra.job.job import Job
from archimetra.job.parts import Part

WEB_MM = 2.0  # wood proposed to stay between two cuts


def cuts_of(job: Job, part: Part) -> list[Cut]:
    """The cuts of the job that take something of a part, and are on."""
    ids, layers = {shape.id for shape in part.shapes}, {shape.layer for shape in part.shapes}
    own = {cut.id for cut in job.cuts if ids.intersection(cut.shapes) or (cut.layer and cut.layer in layers)}
    own |= {cut.id for cut in job.cuts if cut.parent in own}
    return [cut for cut in job.cuts if cut.id in own and cut.is_on]


def proposed_spacing(job: Job, parts: Sequence[Part], *, shares_edges: bool = False) -> float:
    """The widest bit that cuts a part out, and a web between the cuts, mm; without the web where edges may share a cut."""
    bits = [job.bit(cut.bit) for cut in outlines_of(job, parts)]
    return max((bit.diameter for bit in bits if bit is not None), default=0.0) + (0.0 if shares_edges else WEB_MM)


def outlines_of(job: Job, parts: Sequence[Part]) -> list[Cut]:
    """The cuts that cut any of these parts out."""
    every = {cut.id: cut for part in parts for cut in cuts_of(job, part) if cut.loosens is Side.OUTSIDE}
    return list(every.values())
