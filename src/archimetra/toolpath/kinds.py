"""The row of each kind of cut in planning: what follows for it from the job, and its planner. And the one way to plan."""

from __future__ import annotations

import msgspec
import numpy as np

from archimetra.base.findings import Finding
from archimetra.job.cuts import Cut
from archimetra.toolpath.carve import planner as carve
from archimetra.toolpath.chamfer import planner as chamfer
from archimetra.toolpath.engrave import planner as engrave
from archimetra.toolpath.facing import planner as facing
from archimetra.toolpath.hole import planner as hole
from archimetra.toolpath.pocket import planner as pocket
from archimetra.toolpath.profile import planner as profile
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.row import Progress, Row
from archimetra.toolpath.shared.mates import adjust_for_inlay
from archimetra.toolpath.shared.moves import Toolpath
from archimetra.toolpath.slot import planner as slot

_SHOWN_MM = 0.02  # how near adjusted outlines are drawn

ROWS: tuple[Row, ...] = (profile.ROW, pocket.ROW, hole.ROW, engrave.ROW, facing.ROW, slot.ROW, carve.ROW, chamfer.ROW)
_BY_TYPE = {row.kind: row for row in ROWS}


def row_of(cut: Cut) -> Row:
    return _BY_TYPE[type(cut)]


def plan_cut(work: ResolvedCut, progress: Progress = lambda share: None) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath of a work in board coordinates and what to know about it. A planner counts from the face the cut starts
    at; here that goes to where it lies below the sheet's top."""
    drawn = work.shapes
    work, told = adjust_for_inlay(work)
    toolpath, findings = row_of(work.cut).plan(work, progress)
    findings = told + tuple(f for f in findings if not (told and f.code == "no-shapes"))
    if work.face > 0 and len(toolpath):
        xyz = np.array(toolpath.xyz)
        xyz[:, 2] -= work.face
        toolpath = msgspec.structs.replace(toolpath, xyz=xyz)
    if work.shapes is not drawn and len(toolpath):
        adjusted = tuple(path.flatten(_SHOWN_MM) for shape in work.shapes for path in shape.placed())
        toolpath = msgspec.structs.replace(toolpath, outlines=adjusted)
    return toolpath, findings
