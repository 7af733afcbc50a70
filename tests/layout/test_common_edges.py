"""Edges side by side cut once: parts one bit apart, nothing kept touched, every edge cut, and less way than round every part."""

from __future__ import annotations

import json

import numpy as np
import shapely
from shapely import affinity

from archimetra.cli import main
from archimetra.edits import parting
from archimetra.edits.finishing import finish_edit, finished
from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Side, Tabs
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.file import JobFile, load_job, save_job
from archimetra.job.job import with_boards
from archimetra.job.sheet import HoldDown, Sheet
from archimetra.layout.nest.checking import faults
from archimetra.layout.nest.stages import nest
from archimetra.layout.of_job import kept_wood, laid, nest_request
from archimetra.toolpath.shared.moves import Move
from cutting_board import board_with, swept


def plates(quantity: int):
    sheet = Sheet(width=400.0, height=300.0, readings=(6.0,), hold_down=HoldDown.TAPED)
    job, board, _ = board_with(
        Path.rectangle(0, 0, 70, 40),
        kind=ProfileCut,
        sheet=sheet,
        side=Side.OUTSIDE,
        goes_through=True,
        tabs=Tabs(count=0),
    )
    job = finished(with_boards(job, (board,)))
    edit, (part,) = parting.make_parts(job, board.id, [board.shapes[0].id])
    return finish_edit(job, parting.change_part(edit.job, part, quantity=quantity).job)


def nested(job, *, shares_edges: bool):
    request, parts = nest_request(job, job.boards, shares_edges=shares_edges)
    found = nest(request, work=2e8)
    assert faults(request, found) == []
    return finish_edit(job, laid(job, [job.boards[0].id], parts, found, shares_edges=shares_edges).job), request


def way_in_wood(plan) -> float:
    path = plan.cuts[0].toolpath
    step = np.hypot(*np.diff(path.xyz[:, :2], axis=0).T)
    deep = (path.xyz[1:, 2] < -5.9) & (path.xyz[:-1, 2] < -5.9) & (path.kind[1:] != Move.RAPID)
    return float(step[deep].sum())


def test_rectangles_side_by_side_share_their_cuts():
    job = plates(12)
    shared, request = nested(job, shares_edges=True)
    apart, wide = nested(job, shares_edges=False)
    assert (request.spacing, wide.spacing) == (6.0, 8.0)
    board = shared.boards[0]
    plan, other = plan_board(shared, board, {}), plan_board(apart, apart.boards[0], {})
    assert not [f for f in plan.findings if f.code in ("pieces-touch", "parts-near")]
    ground = swept(plan.cuts[0].toolpath, 3.0, deeper_than=5.5)
    for piece in board.instances:
        at = piece.at
        wood = affinity.affine_transform(
            kept_wood(shared, shared.parts[0], board.sheet), [at.a, at.c, at.b, at.d, at.e, at.f]
        )
        assert wood.buffer(-0.02).intersection(ground).area < 0.01
        assert shapely.boundary(wood.buffer(0.05, join_style="mitre")).difference(ground.buffer(0.02)).length < 1.0
    assert way_in_wood(plan) < 0.85 * way_in_wood(other)


def test_from_the_command_line(tmp_path, capsys):
    file = tmp_path / "plates.archimetra"
    save_job(file, JobFile(plates(6), {}))
    assert main(["nest", str(file), "--work", "3e6", "--common-edges", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["spacing"] == 6.0
    after = load_job(file).job
    assert [cut.shares_edges for cut in after.cuts] == [True]
