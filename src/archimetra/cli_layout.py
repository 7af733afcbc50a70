"""Commands about parts: nest them on the sheets of boards, and say how they lie."""

from __future__ import annotations

import argparse
import json
import queue
import sys
import time
from math import inf
from pathlib import Path
from typing import TYPE_CHECKING, Any

from archimetra.base.errors import ArchimetraError

if TYPE_CHECKING:
    from archimetra.geometry.region import Region
    from archimetra.job.job import Board, Job
    from archimetra.job.parts import Part

_LONGEST_S = 24 * 3600.0
_CHORD_MM = 0.01


def add_parsers(commands: Any) -> None:
    nest = commands.add_parser("nest", help="nest the job's parts on the sheets of boards, and save")
    nest.add_argument("job", type=Path)
    nest.add_argument(
        "--board", action="append", metavar="NAME", help="a board to nest on, in this order; all by default"
    )
    nest.add_argument("--seconds", type=float, default=20.0, help="how long to look for better layouts")
    nest.add_argument(
        "--work", type=float, metavar="N", help="how much to look instead: the same work gives the same layout"
    )
    nest.add_argument("--seed", type=int, default=1)
    nest.add_argument("--spacing", metavar="LENGTH", help="between parts; the widest bit and a web by default")
    nest.add_argument(
        "--common-edges", action="store_true", help="parts one bit apart; edges that run along each other are cut once"
    )
    nest.add_argument("--margin", default="10", metavar="LENGTH", help="between parts and the sheet's edge")
    nest.add_argument("--json", action="store_true")
    layout = commands.add_parser("layout", help="say how parts lie on the sheets of a job")
    layout.add_argument("job", type=Path)
    layout.add_argument("--json", action="store_true")


def nest(options: argparse.Namespace) -> int:
    """``archimetra nest``."""
    from archimetra.edits.finishing import finish_edit
    from archimetra.engine.messages import NestSettings
    from archimetra.job.file import JobFile, open_job, save_job
    from archimetra.job.quantities import parse_length
    from archimetra.layout.of_job import laid

    content, on_disk = open_job(options.job)
    job = content.job
    names = options.board or [board.name for board in job.boards]
    boards = [board for name in names for board in job.boards if board.name == name]
    missing = [name for name in names if name not in {board.name for board in job.boards}]
    if missing:
        raise ArchimetraError(
            f"{options.job.name} has no board '{missing[0]}'. It has {', '.join(b.name for b in job.boards)}."
        )
    if not 0 < options.seconds <= _LONGEST_S:
        raise ArchimetraError("--seconds is more than 0 and at most a day.")
    spacing = None if options.spacing is None else parse_length(options.spacing, default=job.unit)
    margin = parse_length(options.margin, default=job.unit)
    settings = NestSettings(
        spacing, margin, options.seed, inf if options.work is None else options.work, options.common_edges
    )
    best = _best(job, tuple(board.id for board in boards), settings, options)
    after = finish_edit(
        job, laid(job, [board.id for board in boards], best.parts, best.nested, shares_edges=options.common_edges).job
    )
    save_job(options.job, JobFile(after, content.sources, content.preview_png), over=on_disk)
    nested = best.nested
    left_out = {job.part(id_).name: n for id_, n in zip(best.parts, nested.left_out, strict=True) if n}  # type: ignore[union-attr]
    if options.json:
        said = {
            "pieces": len(nested.placements), "left_out": left_out, "sheets_used": nested.sheets_used,
            "used_to": round(nested.used_to, 3), "filled": round(nested.filled, 4), "spacing": best.spacing,
            "margin": margin, "work": nested.work,
        }  # fmt: skip
        print(json.dumps(said, indent=2))
    else:
        for name, count in left_out.items():
            print(f"{count} of '{name}' found no room.", file=sys.stderr)
    return 1 if left_out else 0


def _best(job: Any, boards: tuple[Any, ...], settings: Any, options: argparse.Namespace) -> Any:
    """The best layout of a run, told as it goes."""
    from archimetra.engine.messages import NestBetter
    from archimetra.engine.nester import Nester

    events: queue.Queue[Any] = queue.Queue()
    nester = Nester(events.put)
    best = None
    try:
        nester.nest(job, boards, settings)
        until = None if options.work is not None else time.monotonic() + options.seconds
        while True:
            try:
                event = events.get(timeout=None if until is None else max(until - time.monotonic(), 0.01))
            except queue.Empty:
                nester.stop()
                until = None
                continue
            if not isinstance(event, NestBetter):
                break
            best = event
            if not options.json:
                _tell(event.nested)
    finally:
        nester.close()
    if event.problem:
        raise ArchimetraError(event.problem)
    if best is None:
        raise ArchimetraError("Nothing was nested in that time. Give it a few seconds.")
    return best


def _tell(nested: Any) -> None:
    sheets = f"{nested.sheets_used} sheet{'' if nested.sheets_used == 1 else 's'}"
    out = f", {sum(nested.left_out)} left out" if sum(nested.left_out) else ""
    print(
        f"{len(nested.placements)} pieces on {sheets}, the last used to {nested.used_to:.1f} mm, {nested.filled:.1%} filled{out}"
    )


def layout(options: argparse.Namespace) -> int:
    """``archimetra layout``: enough for anybody to check every distance."""
    from archimetra.job.file import load_job

    job = load_job(options.job).job
    if options.json:
        parts = [_part(job, part) for part in job.parts]
        boards = [_board(board) | _setups(job, board) for board in job.boards]
        said = {"job": job.name, "boards": boards, "parts": parts}
        print(json.dumps(said, indent=1))
        return 0
    for board in job.boards:
        print(f"{board.name}: {len(board.instances)} pieces")
        for part in job.parts:
            count = sum(piece.part == part.id for piece in board.instances)
            if count:
                print(f"  {count} of '{part.name}'")
    return 0


def _board(board: Board) -> dict[str, Any]:
    from archimetra.toolpath.shared.fixtures import outline_of

    sheet = board.sheet
    (outline, *openings), *_ = _rings(sheet.region)
    return {
        "board": board.name,
        "sheet": {
            "outline": outline,
            "openings": openings,
            "flaws": [{"outline": flaw.outline.flatten(_CHORD_MM).tolist(), "is_hard": flaw.is_hard} for flaw in sheet.flaws],
            "fixtures": [list(map(list, outline_of(f).exterior.coords)) for f in board.fixtures],
            "count": sheet.count,
        },
        "instances": [
            {"id": p.id, "part": p.part, "x": p.x, "y": p.y, "degrees": p.degrees, "mirrored": p.mirrored}
            for p in board.instances
        ],
    }  # fmt: skip


def _setups(job: Job, board: Board) -> dict[str, Any]:
    """How a board is laid on the machine, each way with its place, window, pins and files; and of what it is the back."""
    from math import isfinite

    from archimetra.engine.planning import plan_board
    from archimetra.engine.writing import bed_files, bed_places
    from archimetra.job.setups import turned
    from archimetra.output.controllers.of_job import controller_of
    from archimetra.output.files import gcode_files
    from archimetra.output.names import board_called

    plan = plan_board(job, board, {})
    profile = controller_of(job)
    files = gcode_files(job, board, plan.run, profile, plan.setups)
    out = []
    for number, setup in enumerate(plan.setups):
        (a, b), (c, d) = turned(1.0, 0.0, -setup.quarter_turns), turned(0.0, 1.0, -setup.quarter_turns)
        x, y = setup.on_board(*setup.zero)
        out.append(
            {
                "setup": setup.name or "whole",
                "quarter_turns": setup.quarter_turns,
                # board = (a x + c y + e, b x + d y + f) of a file's x and y
                "file_to_board": {"a": a, "b": b, "c": c, "d": d, "e": x, "f": y},
                "file_z_to_board": -board.zero.z_shift(board.sheet),
                "window": [v if isfinite(v) else None for v in setup.cell],
                "reach": list(setup.reach),
                "zero": setup.zero_name or board.zero.sentence_xy(board.sheet),
                "zero_on_bed": list(setup.zero),
                "pins": [list(pin) for pin in setup.pins],
                "pins_on_bed": [list(setup.on_bed(*pin)) for pin in setup.pins],
                "holes": [list(hole) for hole in setup.holes],
                "files": [file.name for file in files if file.blocks[0].setup == number],
            }
        )
    bed = bed_files(job, board, plan.setups, profile, board_called(job, board))
    said: dict[str, Any] = {
        "setups": out,
        "seams": [{"axis": "xy"[seam.axis], "at": seam.at, "by_hand": seam.by_hand} for seam in plan.seams],
        "bed": {"pins": [list(p) for p in bed_places(plan.setups)], "files": [file.name for file in bed]},
    }
    if board.back_of is not None:
        front = job.board(board.back_of.front)
        over = board.back_of
        said["back_of"] = {
            "board": front.name if front is not None else "", "turned_over": over.about.value, "held_by": over.held_by.value,
        }  # fmt: skip
    return said


def _part(job: Job, part: Part) -> dict[str, Any]:
    """With its kept wood, in whose openings others may lie."""
    from archimetra.job.sheet import Sheet
    from archimetra.layout.of_job import kept_wood

    like = job.boards[0].sheet if job.boards else Sheet(width=100.0, height=100.0, readings=(10.0,))
    return {
        "id": part.id, "name": part.name, "quantity": part.quantity, "priority": part.priority,
        "outlines": _rings(kept_wood(job, part, like)),
    }  # fmt: skip


def _rings(region: Region) -> list[list[list[list[float]]]]:
    """For each polygon its edge and then its openings."""
    from archimetra.geometry.region import polygons_of

    return [
        [list(map(list, ring.coords)) for ring in (polygon.exterior, *polygon.interiors)]
        for polygon in polygons_of(region)
    ]
