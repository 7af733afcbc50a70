"""The one way to plan a cut, whatever its kind."""

from __future__ import annotations

import msgspec
import numpy as np

from archimetra.base.findings import Finding
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.row import Progress
from archimetra.toolpath.rows import row_of
from archimetra.toolpath.shared.mates import adjust_for_inlay
from archimetra.toolpath.shared.moves import Toolpath

_SHOWN_MM = 0.02  # how near adjusted outlines are drawn


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
