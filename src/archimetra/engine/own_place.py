"""A cut planned in its own place and without names, so that moving it or calling it otherwise costs no new plan."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any

import msgspec
import numpy as np

from archimetra.base.findings import Finding
from archimetra.engine.keys import PLACE_DIGITS, own_place
from archimetra.geometry.affine import Affine
from archimetra.job.shapes import Shape
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolved_cut import PriorCut, ResolvedCut
from archimetra.toolpath.shared.moves import Move, Toolpath

replace = msgspec.structs.replace
Planned = tuple[Toolpath, tuple[Finding, ...]]

_NAME_OF = re.compile("⟦((?!mm )[^⟧]*)⟧")  # stands for a name until it is known; lengths are another matter


def plan_in_own_place(work: ResolvedCut, progress: Callable[[float], None]) -> Planned:
    """The toolpath and findings of a cut with its first shape at the origin and ids in place of names."""
    away = own_place(work)
    return plan_cut(_in_own_place(work, away), progress)


def on_the_board(planned: Planned, work: ResolvedCut) -> Planned:
    """What was planned so, where the cut lies and in the names things have."""
    x, y = own_place(work)
    toolpath, findings = planned
    names: dict[str, str] = {str(thing.id): thing.name for thing in _named(work)}

    def named(text: str) -> str:
        return _NAME_OF.sub(lambda found: names.get(found.group(1), found.group(1)), text)

    told = tuple(
        replace(
            finding, words=named(finding.words), mend=named(finding.mend),
            at=None if finding.at is None else (finding.at[0] + x, finding.at[1] + y),
        )
        for finding in findings
    )  # fmt: skip
    return _moved(toolpath, x, y), told


def _named(work: ResolvedCut) -> Iterator[Any]:
    """Everything a finding may name."""
    yield from (work.cut, work.bit, *work.shapes, *work.waste_outlines, *work.tab_zones)
    if work.previous_bit is not None:
        yield work.previous_bit
    for prior in work.prior:
        yield from (prior.cut, prior.bit, *prior.shapes)


def _in_own_place(work: ResolvedCut, away: tuple[float, float]) -> ResolvedCut:
    def nameless(thing: Any) -> Any:
        return None if thing is None else replace(thing, name=f"⟦{thing.id}⟧")

    def placed(shapes: tuple[Shape, ...]) -> tuple[Shape, ...]:
        return tuple(replace(shape, name=f"⟦{shape.id}⟧", at=_shifted(shape.at, away)) for shape in shapes)

    return replace(
        work, cut=nameless(work.cut), bit=nameless(work.bit), previous_bit=nameless(work.previous_bit),
        shapes=placed(work.shapes), waste_outlines=placed(work.waste_outlines), tab_zones=placed(work.tab_zones),
        prior=tuple(
            PriorCut(nameless(prior.cut), nameless(prior.bit), placed(prior.shapes), prior.depth, prior.face)
            for prior in work.prior
        ),
    )  # fmt: skip


def _shifted(at: Affine, away: tuple[float, float]) -> Affine:
    x, y = away
    return replace(at, e=round(at.e - x, PLACE_DIGITS), f=round(at.f - y, PLACE_DIGITS))


def _moved(path: Toolpath, x: float, y: float) -> Toolpath:
    if not x and not y:
        return path
    arcs = (path.kind == Move.ARC_CW) | (path.kind == Move.ARC_CCW)
    return replace(
        path, xyz=path.xyz + np.array((x, y, 0.0)), centre=np.where(arcs[:, None], path.centre + np.array((x, y)), path.centre),
        marks=tuple(replace(mark, x=mark.x + x, y=mark.y + y) for mark in path.marks),
        outlines=tuple(ring + np.array((x, y)) for ring in path.outlines),
    )  # fmt: skip
