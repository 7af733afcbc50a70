"""Line engraving: the bit follows the drawn lines themselves, to and fro in passes, in an order with little travel."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from archimetra.base.findings import Finding
from archimetra.job.cut_parts import Entry
from archimetra.job.cuts import EngraveCut
from archimetra.toolpath.contours import no_area, on_the_line
from archimetra.toolpath.laying import Layer
from archimetra.toolpath.moves import Toolpath
from archimetra.toolpath.order import inside_first
from archimetra.toolpath.passes import lay_pass, no_lifts, pass_depths, ramp_length
from archimetra.toolpath.refusals import nothing_to_plan
from archimetra.toolpath.task import Task
from archimetra.toolpath.track import Track

Progress = Callable[[float], None]
TOUCHING_MM = 0.02  # lines that meet this closely are followed on without lifting


def plan_engraving(task: Task, progress: Progress = lambda share: None) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath of some lines and what to know about it. Deterministic; only the progress callback may raise."""
    cut = task.cut
    assert isinstance(cut, EngraveCut)
    findings = list(nothing_to_plan(task))
    layer = Layer(task)
    if not findings:
        depths = pass_depths(cut.start_depth, task.depth, task.recipe.depth_per_pass)
        contours = [c for c in on_the_line(task.shapes, cut.direction, task.bit) if c.path is not None]
        tracks = [Track(contour.path) for contour in contours if contour.path is not None]
        order = range(len(tracks)) if cut.keeps_order else _ordered(tracks)
        for number, k in enumerate(order):
            progress(number / max(1, len(tracks)))
            track = tracks[k if k >= 0 else ~k]
            if len(track):
                _line(layer, track, cut, depths, is_back=k < 0)
        if layer.moves.is_empty and not findings:
            findings.append(no_area(cut))
    layer.leave()
    return layer.moves.toolpath(cut.id, task.bit.id), tuple(findings)


def _ordered(tracks: list[Track]) -> list[int]:
    starts = np.array([track.points(np.array([0.0]))[0] for track in tracks if len(track)]).reshape(-1, 2)
    kept = [k for k, track in enumerate(tracks) if len(track)]
    ends = np.array([
        starts[n] if tracks[k].is_closed else tracks[k].points(np.array([tracks[k].length]))[0] for n, k in enumerate(kept)
    ]).reshape(-1, 2)  # fmt: skip
    is_open = np.array([not tracks[k].is_closed for k in kept], dtype=bool)
    order = inside_first(starts, np.full(len(kept), -1), ends=ends, can_turn=is_open)
    return [kept[k] if k >= 0 else ~kept[~k] for k in order]


def _line(layer: Layer, track: Track, cut: EngraveCut, depths: np.ndarray, *, is_back: bool) -> None:
    """One line: open ones to and fro, from the end it is nearest to; a ramp's slope is gone over again at full depth."""
    length = track.length
    a = length if is_back else 0.0
    x, y = (float(v) for v in track.points(np.array([a]))[0])
    z = -cut.start_depth
    follows_on = (
        not layer.moves.is_empty
        and len(depths) == 1
        and cut.entry is Entry.PLUNGE
        and abs(layer.at[2] + float(depths[0])) < 1e-9
        and np.hypot(layer.at[0] - x, layer.at[1] - y) < TOUCHING_MM
    )
    if follows_on:
        z = -float(depths[0])
        layer.line(x, y, z, pass_no=1)
    else:
        layer.arrive(x, y)
        layer.down(z, pass_no=1)
    for pass_no, depth in enumerate(depths, 1):
        z_to = -float(depth)
        ramp = ramp_length(z - z_to, cut.ramp_degrees, length) if cut.entry is Entry.RAMP and z > z_to else 0.0
        if track.is_closed:
            b = a + ramp + length
        elif ramp:
            b = float(np.ceil((a + ramp) / length - 1e-9) * length)
            b = max(b, a + length) + length
        else:
            b = a + length
        lay_pass(
            layer.moves, track, a=a, b=b, z_from=z, z_to=z_to, ramp=ramp, lifts=no_lifts(track), feed=layer.feed,
            plunge=layer.plunge, pass_no=pass_no,
        )  # fmt: skip
        a, z = b, z_to
