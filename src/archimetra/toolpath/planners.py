"""The planner of each kind of cut, and the one way to run them. A new kind is one line in the table."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
import numpy as np

from archimetra.base.findings import Finding
from archimetra.job.cuts import CarveCut, Cut, EngraveCut, FacingCut, HoleCut, PocketCut, ProfileCut, SlotCut
from archimetra.toolpath.carve import plan_carve
from archimetra.toolpath.engrave import plan_engraving
from archimetra.toolpath.facing import plan_facing
from archimetra.toolpath.holes import plan_holes
from archimetra.toolpath.mates import mated
from archimetra.toolpath.moves import Toolpath
from archimetra.toolpath.pocket import plan_pocket
from archimetra.toolpath.profile import plan_profile
from archimetra.toolpath.slot import plan_slots
from archimetra.toolpath.task import Task

Progress = Callable[[float], None]
Planner = Callable[[Task, Progress], tuple[Toolpath, tuple[Finding, ...]]]

_SHOWN_MM = 0.02  # how near adjusted outlines are drawn

PLANNERS: dict[type[Cut], Planner] = {
    ProfileCut: plan_profile,
    PocketCut: plan_pocket,
    HoleCut: plan_holes,
    EngraveCut: plan_engraving,
    FacingCut: plan_facing,
    SlotCut: plan_slots,
    CarveCut: plan_carve,
}


def plan_cut(task: Task, progress: Progress = lambda share: None) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath of a task in board coordinates and what to know about it. A planner counts from the face the cut starts
    at; here that goes to where it lies below the sheet's top."""
    drawn = task.shapes
    task, told = mated(task)
    toolpath, findings = PLANNERS[type(task.cut)](task, progress)
    findings = told + tuple(f for f in findings if not (told and f.code == "no-shapes"))
    if task.face > 0 and len(toolpath):
        xyz = np.array(toolpath.xyz)
        xyz[:, 2] -= task.face
        toolpath = msgspec.structs.replace(toolpath, xyz=xyz)
    if task.shapes is not drawn and len(toolpath):
        adjusted = tuple(path.flatten(_SHOWN_MM) for shape in task.shapes for path in shape.placed())
        toolpath = msgspec.structs.replace(toolpath, outlines=adjusted)
    return toolpath, findings
