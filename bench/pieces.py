"""Test pieces of known size, made here so that every run measures the same work."""

from __future__ import annotations

import msgspec
import numpy as np

from archimetra.artwork.drawing import Drawing, DrawnLayer, DrawnShape, Scale
from archimetra.edits import basic as edits
from archimetra.edits import placement
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.job.job import Job, new_job
from archimetra.job.sheet import Sheet

replace = msgspec.structs.replace


def wavy(points: int, *, size: float = 170.0, waves: int = 60, at: tuple[float, float] = (0.0, 0.0)) -> np.ndarray:
    """A closed wavy outline of that many segments, (points + 1, 2)."""
    t = np.linspace(0, 2 * np.pi, points + 1)
    r = size * (0.82 + 0.1 * np.sin(waves * t) + 0.05 * np.sin(7 * t + 1) + 0.03 * np.sin(3 * t))
    ring = np.column_stack((at[0] + r * np.cos(t), at[1] + r * np.sin(t)))
    ring[-1] = ring[0]
    return ring


def job_of(paths: list[Path], *, per_shape: int = 1, cuts: int = 1) -> Job:
    """A job on a large sheet with the paths as shapes, and profiles that share them out."""
    job = new_job()
    sheet = Sheet(width=600.0, height=600.0, readings=(18.0,))
    job = edits.change_board(job, job.boards[0].id, "", sheet=sheet).job
    shapes = tuple(
        DrawnShape(f"s{k}", 0, tuple(paths[k : k + per_shape]), FillRule.EVENODD, True, None, 1)
        for k in range(0, len(paths), per_shape)
    )
    drawing = Drawing("bench", (DrawnLayer("all"),), shapes, Scale("mm", 1.0, "", True), None, ())
    edit, ids = placement.place_drawing(job, job.boards[0].id, drawing)
    job = edit.job
    for k in range(cuts):
        edit, _ = edits.add_profile(job, job.boards[0].id, ids[k::cuts], name=f"cut {k}")
        job = edit.job
    return job


def svg_of_size(megabytes: float) -> bytes:
    """An SVG drawing of about that size: groups of curved outlines with transforms, as drawing programs write them."""
    rng = np.random.default_rng(5)
    parts = ['<svg xmlns="http://www.w3.org/2000/svg" width="600mm" height="600mm" viewBox="0 0 600 600">']
    size = 0
    number = 0
    while size < megabytes * 1e6:
        number += 1
        x, y = rng.uniform(20, 580, 2)
        curve = " ".join(
            "c" + " ".join(f"{v:.3f}" for v in rng.normal(0, 3, 6)) + f" l{rng.normal(0, 2):.3f} {rng.normal(0, 2):.3f}"
            for _ in range(30)
        )
        part = (
            f'<g transform="translate({x:.2f} {y:.2f}) rotate({number % 360})"><path id="p{number}" '
            f'style="fill:#aabbcc;stroke:none;fill-rule:evenodd" d="M0 0 {curve} z"/></g>'
        )
        parts.append(part)
        size += len(part)
    parts.append("</svg>")
    return "\n".join(parts).encode()
