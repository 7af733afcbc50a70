"""All files of a planned board: first that which makes the holes for pins in the bed, where there are pins, then those of its setups."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from archimetra.geometry.affine import Affine
from archimetra.job.cuts import Cut
from archimetra.job.forms import EllipseForm, outlines_of
from archimetra.job.ids import BoardId, LayerId, ShapeId, SheetId
from archimetra.job.job import Board, Job
from archimetra.job.lying import EVERYTHING
from archimetra.job.materials import Material
from archimetra.job.setups import Setup
from archimetra.job.shapes import Layer, Shape
from archimetra.job.sheet import Sheet
from archimetra.output.controllers import Controller
from archimetra.output.files import gcode_files
from archimetra.output.gcode_file import GcodeFile
from archimetra.output.gcode_writer import BED
from archimetra.output.names import Called, board_called
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.program import Run, assemble

replace = msgspec.structs.replace
_UNDER_MM = 5.0  # of bed under a pin
_SAME_MM = 0.01


def files_of(
    job: Job, board: Board, run: Run, setups: Sequence[Setup], profile: Controller, called: Called | None = None
) -> list[GcodeFile]:
    """The files in the order they are run; ``called`` as of the whole job, where ``job`` lacks its boards."""
    called = called or board_called(job, board)
    return bed_files(job, board, setups, profile, called) + gcode_files(job, board, run, profile, setups, called)


def bed_places(setups: Sequence[Setup]) -> list[tuple[float, float]]:
    """Where pins stand in the bed, each place once."""
    out: list[tuple[float, float]] = []
    for setup in setups:
        for pin in setup.pins:
            x, y = setup.on_bed(*pin)
            if all(abs(x - a) > _SAME_MM or abs(y - b) > _SAME_MM for a, b in out):
                out.append((round(x, 4), round(y, 4)))
    return out


def bed_files(job: Job, board: Board, setups: Sequence[Setup], profile: Controller, called: Called) -> list[GcodeFile]:
    """The file that makes the holes for the pins of a board's setups in the bed, with nothing on it: in the X Y zero of the first setup, Z from the
    bed's surface. None where there are no pins."""
    places = bed_places(setups)
    pins = board.cut(board.tiling.pins) if board.tiling is not None else None
    if not places or pins is None or board.tiling is None:
        return []
    tiling, machine = board.tiling, job.machine
    layer = Layer(id=LayerId("pins"), name="pins")
    form = EllipseForm(width=tiling.pin_diameter, height=tiling.pin_diameter)
    shapes = tuple(
        Shape(
            id=ShapeId(f"pin{k}"),
            name=f"pin {k}",
            layer=layer.id,
            paths=outlines_of(form),
            form=form,
            at=Affine.shift(*place),
        )
        for k, place in enumerate(places, 1)
    )
    cut: Cut = replace(
        pins, shapes=tuple(s.id for s in shapes), layer=LayerId(""), goes_through=False, start_depth=0.0, end_depth=tiling.pin_depth,
        is_on=True, mating=None,
    )  # fmt: skip
    sheet = Sheet(
        id=SheetId("bed"), width=machine.travel_x, height=machine.travel_y, readings=(tiling.pin_depth + _UNDER_MM,), material=Material.MDF,
    )  # fmt: skip
    bed = Board(
        id=BoardId("bed"), name=f"{board.name} pins in the bed", sheet=sheet, heights=board.heights, layers=(layer,), shapes=shapes,
        cuts=(cut,),
    )  # fmt: skip
    path, _ = plan_cut(resolve(job, bed, cut))
    if not len(path):
        return []
    first = setups[0]
    lying = Setup(
        name=BED, cell=EVERYTHING, reach=(0.0, 0.0, machine.travel_x, machine.travel_y), zero=first.zero, zero_name=first.zero_name,
        note="Nothing lies on the bed yet",
    )  # fmt: skip
    made = gcode_files(
        job,
        bed,
        assemble([path], bed.travel_heights),
        profile,
        (lying,),
        called._replace(name=f"{called.name} pins in the bed"),
    )
    # its moves are none of the board's run
    return [replace(file, rows=np.full(len(file.rows), -1), blocks=()) for file in made]
