"""The sample job: the Quay tide clock, made from its artwork by the real readers and edits."""

from __future__ import annotations

from importlib.resources import files
from typing import Any

import msgspec

from archimetra.artwork.svg import read_svg
from archimetra.job import edits, landing
from archimetra.job.bits import STARTER_RACK
from archimetra.job.cuts import Overrides, Side, Tabs
from archimetra.job.file import JobFile
from archimetra.job.ids import BoardId, ShapeId
from archimetra.job.job import Board, Job
from archimetra.job.sheet import Material, Sheet, Zero, ZeroAt

replace = msgspec.structs.replace


def artwork(name: str) -> bytes:
    """The bytes of one of the sample's drawings."""
    return files("archimetra.demo").joinpath("artwork", name).read_bytes()


def quay_tide_clock() -> JobFile:
    """The sample as a new document."""
    name = "dial-face.svg"
    data = artwork(name)
    dial = Board(
        id=BoardId("board1"),
        name="Dial face",
        sheet=Sheet(width=320.0, height=320.0, readings=(18.3, 18.1, 18.2), material=Material.ASH, grain_degrees=0.0),
        zero=Zero(at=ZeroAt.FRONT_LEFT),
        bed_x=120.0,
        bed_y=80.0,
    )
    job = Job(name="Quay tide clock", bits=STARTER_RACK, boards=(dial,))
    edit, _ = landing.place_drawing(job, dial.id, read_svg(data, name=name))
    job = edit.job
    by_name = {shape.name: shape.id for shape in job.boards[0].shapes}
    bits = {bit.name: bit.id for bit in STARTER_RACK}
    none = Tabs()
    job = _profile(job, "Star", by_name["star"], bit=bits["3 mm straight"], side=Side.INSIDE, goes_through=False,
                   end_depth=5.0, tabs=none)  # fmt: skip
    job = _profile(job, "Wave border", by_name["wave border"], bit=bits["1.5 mm straight"], side=Side.ON,
                   goes_through=False, end_depth=1.2, tabs=none)  # fmt: skip
    job = _profile(job, "Arbor hole", by_name["arbor hole"], bit=bits["6 mm straight"], side=Side.INSIDE, tabs=none)
    job = _profile(job, "Outline", by_name["dial"], bit=bits["6 mm straight"], side=Side.OUTSIDE,
                   tabs=Tabs(count=4, length=12.0, thickness=3.0), run=Overrides(depth_per_pass=4.0))  # fmt: skip
    return JobFile(job, {name: data})


def _profile(job: Job, name: str, shape: ShapeId, **fields: Any) -> Job:
    edit, cut = edits.add_profile(job, job.boards[0].id, [shape], name=name)
    return edits.change_cut(edit.job, cut, name, **fields).job
