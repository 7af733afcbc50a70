"""Commands about what goes to the machine: controllers."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any


def add_parsers(commands: Any) -> None:
    controllers = commands.add_parser(
        "controllers", help="list the controllers there are; check, add, show or remove one"
    )
    what = controllers.add_mutually_exclusive_group()
    what.add_argument("--check", type=Path, metavar="TOML", help="tell what is wrong in a controller's file")
    what.add_argument("--add", type=Path, metavar="TOML", help="keep a controller, for every job")
    what.add_argument("--show", metavar="NAME", help="print the file of a controller, to be changed and added")
    what.add_argument("--remove", metavar="NAME", help="forget one that was added")
    bundle = commands.add_parser("zip", help="pack the files of all boards, the job sheet and pictures into a ZIP")
    bundle.add_argument("job", type=Path)
    bundle.add_argument("--out", type=Path, required=True, metavar="ZIP")
    bundle.add_argument("--paper", choices=["a4", "letter"], default="a4")
    bundle.add_argument("--controller", metavar="NAME", help="the job's own by default")
    read = commands.add_parser("read", help="tell what a G-code file does, whoever wrote it, and what would spoil work")
    read.add_argument("file", type=Path)
    read.add_argument(
        "--top", type=float, default=0.0, metavar="Z", help="height of the wood's top in the file's zero, mm"
    )
    read.add_argument("--job", type=Path, help="a job whose machine it is for")
    compare = commands.add_parser("compare", help="tell in what the moves of two G-code files differ")
    compare.add_argument("first", type=Path)
    compare.add_argument("second", type=Path)
    sheet = commands.add_parser(
        "sheet", help="write the job sheet as PDF or text: what lies where, files in order, bits, what to watch"
    )
    sheet.add_argument("job", type=Path)
    sheet.add_argument(
        "--out", type=Path, metavar="FILE", help="a name ending in .pdf or .txt; printed as text without"
    )
    sheet.add_argument("--paper", choices=["a4", "letter"], default="a4")
    sheet.add_argument("--board", metavar="NAME", help="one board only")
    sheet.add_argument("--controller", metavar="NAME", help="the job's own by default")


def controllers(options: argparse.Namespace) -> int:
    """``archimetra controllers``."""
    from archimetra.output.controllers import controller
    from archimetra.output.controllers import controllers as known
    from archimetra.output.controllers.profile import as_toml
    from archimetra.output.controllers.shelf import drop, keep, own, read

    if options.check or options.add:
        profile = read(options.check or options.add)
        if options.add:
            keep(profile)
        print(f"{profile.name}: {profile.title}")
        return 0
    if options.show:
        print(as_toml(controller(options.show)), end="")
        return 0
    mine, problems = own()
    if options.remove:
        if options.remove not in mine:
            print(f"archimetra: no controller of your own is named '{options.remove}'.", file=sys.stderr)
            return 1
        drop(options.remove)
        return 0
    for name, profile in known().items():
        print(f"{name:20} {profile.title}{', your own' if name in mine else ''}")
    for problem in problems:
        print(f"archimetra: {problem}", file=sys.stderr)
    return 1 if problems else 0


def sheet(options: argparse.Namespace) -> int:
    """``archimetra sheet``."""
    from archimetra.base.files import write_safely
    from archimetra.cli_job import boards_named, load
    from archimetra.engine.jobsheet import sheet_of
    from archimetra.output.jobsheet.pdf import as_pdf
    from archimetra.output.jobsheet.text import as_text

    job = _for_controller(load(options.job), options.controller)
    made = sheet_of(job, [board for board in boards_named(job, options.board) if any(cut.is_on for cut in board.cuts)])
    if options.out is None:
        print(as_text(made), end="")
        return 0
    is_text = options.out.suffix.lower() == ".txt"
    write_safely(options.out, as_text(made).encode() if is_text else as_pdf(made, paper=options.paper))
    print(options.out)
    return 0


def bundle(options: argparse.Namespace) -> int:
    """``archimetra zip``."""
    from archimetra.base.files import write_safely
    from archimetra.cli_job import load
    from archimetra.engine.bundle import zipped

    write_safely(options.out, zipped(_for_controller(load(options.job), options.controller), paper=options.paper))
    print(options.out)
    return 0


def _for_controller(job: Any, name: str | None) -> Any:
    import msgspec

    return msgspec.structs.replace(job, controller=name, controller_text="") if name else job


MOST_SAID = 60


def read(options: argparse.Namespace) -> int:
    """``archimetra read``."""
    from math import isfinite

    from archimetra.base.findings import Severity, worded
    from archimetra.cli_job import UsageError, load
    from archimetra.engine.programs import program_text
    from archimetra.output.gcode_reader import read_gcode
    from archimetra.output.program_checks import Given, check_program, summary

    if not isfinite(options.top):
        raise UsageError("--top is a height in mm.")
    machine = load(options.job).machine if options.job else None
    travel = (machine.travel_x, machine.travel_y, machine.travel_z) if machine is not None else None
    moves = read_gcode(program_text(options.file))
    for line in summary(moves):
        print(worded(line))
    found = check_program(moves, Given(options.top, travel))
    for finding in found[:MOST_SAID]:
        print(f"  {finding.severity}: {finding.text()}", file=sys.stderr)
    if len(found) > MOST_SAID:
        print(f"  and {len(found) - MOST_SAID} more.", file=sys.stderr)
    return 1 if any(finding.severity is not Severity.NOTE for finding in found) else 0


def compare(options: argparse.Namespace) -> int:
    """``archimetra compare``."""
    from archimetra.engine.programs import program_text
    from archimetra.output.gcode_reader import read_gcode
    from archimetra.output.program_checks import differences

    found = differences(*(read_gcode(program_text(path)) for path in (options.first, options.second)))
    for one in found[:MOST_SAID]:
        where = f"line {one.line}" if one.line else "-"
        other = f"line {one.other}" if one.other else "-"
        print(f"{where} | {other}: {one.words}")
    if len(found) > MOST_SAID:
        print(f"and {len(found) - MOST_SAID} more.")
    if not found:
        print("The same moves.")
    return 1 if found else 0
