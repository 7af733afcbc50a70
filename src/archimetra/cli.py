"""The command line: open the window, or plan, check, export, render and inspect without it.

Exit codes: 0 done, 1 the job or file has problems or cannot be written (said on standard error), 2 wrong usage, 130 stopped.
"""

from __future__ import annotations

import argparse
import contextlib
import io
import json
import os
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from archimetra import __version__, cli_layout, cli_machine, cli_output, cli_pictures
from archimetra.base.errors import ArchimetraError
from archimetra.base.files import why
from archimetra.base.findings import Finding
from archimetra.cli_job import UsageError, load, plans


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit code."""
    given = list(sys.argv[1:] if arguments is None else arguments)
    parser = _parser()
    commands = {
        "export": _export,
        "check": _check,
        "render": cli_pictures.render,
        "film": cli_pictures.film,
        "inspect": _inspect,
        "new": _new,
        "artwork": _artwork,
        "mate": _mate,
        "nest": cli_layout.nest,
        "layout": cli_layout.layout,
        "controllers": cli_output.controllers,
        "sheet": cli_output.sheet,
        "zip": cli_output.bundle,
        "read": cli_output.read,
        "compare": cli_output.compare,
        "stand-in": cli_machine.stand_in,
        "go-on": cli_machine.go_on,
    }
    if given and given[0] in commands:
        return _run(commands[given[0]], parser.parse_args(given))
    return _window(_window_parser().parse_args(given))


STOPPED = 130  # as shells name an interrupt


def _run(command: Callable[[argparse.Namespace], int], options: argparse.Namespace) -> int:
    """One command; whatever stops it is a sentence on standard error and an exit code."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")  # a terminal that knows no accents still shows the rest
    try:
        code = command(options)
        sys.stdout.flush()
        return code
    except UsageError as error:
        _say(f"archimetra: {error}")
        return 2
    except ArchimetraError as error:
        _say(f"archimetra: {error}")
        return 1
    except KeyboardInterrupt:
        _say("archimetra: stopped.")
        return STOPPED
    except BrokenPipeError:  # who reads has seen enough
        _forget_output()
        return 1
    except OSError as error:
        _say(f"archimetra: {why(error, Path(error.filename or '.'))}")
        _forget_output()
        return 1


def _say(words: str) -> None:
    with contextlib.suppress(OSError):
        print(words, file=sys.stderr, flush=True)


def _forget_output() -> None:
    """Keep the interpreter from flushing what can no longer be written, and complaining of it, as it ends."""
    with contextlib.suppress(OSError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def _window_parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="archimetra",
        description="Plan, see and check what a CNC router cuts. Commands: export, check, mate, render, inspect, new, artwork "
        "(each with --help).",
    )
    parser.add_argument("job", nargs="?", type=Path, help="a job file to open")
    parser.add_argument("--demo", action="store_true", help="open the sample job, the Quay tide clock")
    parser.add_argument("--version", action="version", version=f"archimetra {__version__}")
    return parser


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="archimetra")
    commands = parser.add_subparsers(dest="command", required=True)
    export = commands.add_parser("export", help="write a job's G-code files")
    export.add_argument("job", type=Path)
    export.add_argument("--out", type=Path, required=True, metavar="DIR")
    export.add_argument("--controller", metavar="NAME", help="controller profile; the job's own by default")
    export.add_argument("--board", metavar="NAME", help="one board only")
    export.add_argument("--unit", choices=["mm", "in"], help="unit of the files; the job's own by default")
    export.add_argument("--force", action="store_true", help="write even where a finding says stop")
    export.add_argument(
        "--replace", action="store_true", help="write over files that were changed by hand or are of another job"
    )
    check = commands.add_parser("check", help="tell what would spoil work")
    check.add_argument("job", type=Path)
    check.add_argument("--json", action="store_true")
    mate = commands.add_parser(
        "mate", help="lay an inlay's plug into its pocket, as both boards are cut, and measure it"
    )
    mate.add_argument("job", type=Path)
    mate.add_argument("--inlay", metavar="NAME", help="one inlay only")
    mate.add_argument("--json", action="store_true")
    cli_layout.add_parsers(commands)
    cli_pictures.add_parsers(commands)
    cli_output.add_parsers(commands)
    cli_machine.add_parsers(commands)
    inspect = commands.add_parser("inspect", help="tell what an artwork file holds")
    inspect.add_argument("art", type=Path)
    inspect.add_argument("--page", type=int, default=1, metavar="N", help="page of a PDF, from 1")
    inspect.add_argument("--json", action="store_true")
    drawn = commands.add_parser("artwork", help="write a board's artwork as SVG or DXF, true to size")
    drawn.add_argument("job", type=Path)
    drawn.add_argument("--board", metavar="NAME", help="the first board by default")
    drawn.add_argument("--out", type=Path, required=True, metavar="FILE", help="a name ending in .svg or .dxf")
    new = commands.add_parser("new", help="make a job file from artwork")
    new.add_argument("job", type=Path)
    new.add_argument("--art", type=Path, required=True, metavar="FILE")
    new.add_argument("--sheet", default="400x300x18", metavar="WxDxT", help="sheet in mm, e.g. 400x300x18.2")
    new.add_argument("--page", type=int, default=1, metavar="N", help="page of a PDF, from 1")
    new.add_argument("--unit", metavar="UNIT", help="what one unit of the artwork is: mm, cm, in, pt")
    new.add_argument("--width", metavar="LENGTH", help="true width of the artwork, e.g. 120 or 4 3/4in")
    new.add_argument("--profile", choices=["outside", "inside", "on"], help="add a profile around everything")
    return parser


# ---- commands


def _window(options: argparse.Namespace) -> int:
    from archimetra.app.run import run_window

    return run_window(options.job, with_demo=options.demo)


def _export(options: argparse.Namespace) -> int:
    import msgspec

    from archimetra.base.findings import Severity
    from archimetra.checks.among_boards import all_found
    from archimetra.checks.quieting import at_the_gate
    from archimetra.engine.writing import files_of
    from archimetra.job.quantities import Unit, lengths_in
    from archimetra.output.controllers import controller
    from archimetra.output.controllers.of_job import controller_of
    from archimetra.output.files import write_files
    from archimetra.output.folder import LOSES, in_words, look_into

    job = load(options.job)
    if options.unit:
        job = msgspec.structs.replace(job, output_unit=Unit(options.unit))
    profile = controller(options.controller) if options.controller else controller_of(job)
    files = []
    lost = []
    is_stopped = False
    for board, plan in plans(job, options.board):
        for finding in at_the_gate(all_found(job, board, plan.findings), board.dismissed):
            print(f"{board.name}: {finding.severity}: {finding.text(lengths_in(job.unit))}", file=sys.stderr)
            is_stopped |= finding.severity is Severity.STOP
        made = files_of(job, board, plan.run, plan.setups, profile)
        files.extend(made)
        lost += [one for one in look_into(options.out, made, job.name, board.written) if one.state in LOSES]
    if is_stopped and not options.force:
        print(
            "archimetra: nothing was written, as this would spoil work; --force writes all the same.", file=sys.stderr
        )
        return 1
    if not files:
        print("archimetra: the job cuts nothing, so there is nothing to write.", file=sys.stderr)
        return 1
    if lost and not options.replace:
        print(
            f"archimetra: nothing was written: in {options.out} {in_words(lost)}. --replace writes all the same.",
            file=sys.stderr,
        )
        return 1
    for path in write_files(files, options.out):
        print(path)
    return 0


def _check(options: argparse.Namespace) -> int:
    from archimetra.base.findings import Severity
    from archimetra.checks.among_boards import all_found
    from archimetra.checks.quieting import at_the_gate
    from archimetra.job.quantities import lengths_in
    from archimetra.output.times import clock

    job = load(options.job)
    report: list[dict[str, Any]] = []
    worst = 0
    for board, plan in plans(job, None):
        everything = all_found(job, board, plan.findings)
        found = at_the_gate(everything, board.dismissed)
        worst |= any(finding.severity is Severity.STOP for finding in found)
        report.append(
            {
                "board": board.name,
                "seconds": round(plan.times.total, 1),
                "cuts": len(board.cuts),
                "moves": len(plan.run),
                "findings": [_told(finding) for finding in found],
                "dismissed": len(everything) - len(found),
            }
        )
        if not options.json:
            print(f"{board.name}: {counted(len(board.cuts), 'cut')}, {clock(plan.times.total)}")
            for finding in found:
                print(f"  {finding.severity}: {finding.text(lengths_in(job.unit))}", file=sys.stderr)
    if options.json:
        print(json.dumps({"job": job.name, "boards": report}, indent=2))
    return 1 if worst else 0


def _told(finding: Finding) -> dict[str, Any]:
    """A finding for scripts: lengths in mm, whatever the job is shown in."""
    said: dict[str, Any] = {
        "code": finding.code,
        "severity": str(finding.severity),
        "sentence": finding.sentence,
        "fix": finding.fix,
    }
    said |= {"at": finding.at, "place": finding.place, "subject": finding.subject}
    return {key: value for key, value in said.items() if value not in ("", None)}


def _mate(options: argparse.Namespace) -> int:
    from archimetra.edits.inlaying import derive_inlays
    from archimetra.engine.mating import mating_of
    from archimetra.stock.mate_results import MEETS_MM

    job = derive_inlays(load(options.job))
    inlays = [i for i in job.inlays if options.inlay in (None, i.name)]
    if not inlays:
        named = f" named '{options.inlay}'" if options.inlay else ""
        raise ArchimetraError(f"This job has no inlay{named}.")
    report, meets = [], False
    for inlay in inlays:
        mate = mating_of(job, inlay.id, {}).measured()
        gaps = {"glue": mate.glue, "saw": mate.saw, "side": mate.side}
        told = {
            n: None if g is None else dict(zip(("least", "median", "greatest"), g, strict=True))
            for n, g in gaps.items()
        }
        meets |= mate.side is not None and mate.side[0] < MEETS_MM
        report.append({"inlay": inlay.name, "seat": mate.seat, "meant": mate.meant, "proud": mate.proud, **told})
        if not options.json:
            words = ", ".join(f"{n} gap {g[0]:.3f} to {g[2]:.3f} mm" for n, g in gaps.items() if g is not None)
            print(f"{inlay.name}: seats {mate.seat:.3f} mm deep (meant {mate.meant:.3f}), {words}")
    if options.json:
        print(json.dumps({"job": job.name, "inlays": report}, indent=2))
    if meets:
        print("archimetra: wood meets wood; the plug does not go in as meant.", file=sys.stderr)
    return 1 if meets else 0


def _inspect(options: argparse.Namespace) -> int:
    import msgspec

    from archimetra.artwork.read import read_artwork_file

    drawing = read_artwork_file(options.art, page=options.page)
    x0, y0, x1, y1 = drawing.bounds() or (0.0, 0.0, 0.0, 0.0)
    if options.json:
        report = {
            "name": drawing.name,
            "width_mm": round(x1 - x0, 4),
            "height_mm": round(y1 - y0, 4),
            "page_mm": drawing.page_mm,
            "unit": msgspec.to_builtins(drawing.scale),
            "layers": [layer.name for layer in drawing.layers],
            "shapes": len(drawing.shapes),
            "segments": sum(len(path) for shape in drawing.shapes for path in shape.paths),
            "open_paths": sum(not path.closed for shape in drawing.shapes for path in shape.paths),
            "pictures": len(drawing.pictures),
            "page": drawing.page,
            "pages": drawing.pages,
            "report": [msgspec.to_builtins(entry) for entry in drawing.report],
        }
        print(json.dumps(report, indent=2))
        return 0
    _tell(drawing)
    return 0


def _tell(drawing: Any) -> None:
    """What a drawing holds, and what happened to it on its way in."""
    x0, y0, x1, y1 = drawing.bounds() or (0.0, 0.0, 0.0, 0.0)
    print(
        f"{drawing.name}: {counted(len(drawing.shapes), 'shape')} on {counted(len(drawing.layers), 'layer')}, "
        f"{x1 - x0:.2f} x {y1 - y0:.2f} mm"
    )
    for entry in drawing.report:
        print(f"  {entry.topic}: {entry.text()}")


def _new(options: argparse.Namespace) -> int:
    import msgspec

    from archimetra.artwork.read import read_artwork_file
    from archimetra.artwork.svg import artwork_bytes
    from archimetra.edits import basic as edits
    from archimetra.edits import placement
    from archimetra.edits.finishing import finished
    from archimetra.edits.shop import in_shop, load_shop
    from archimetra.job.cut_parts import Side
    from archimetra.job.file import JobFile, save_job
    from archimetra.job.job import new_job
    from archimetra.job.quantities import QuantityError, parse_number
    from archimetra.job.sheet import Sheet

    try:
        width, depth, thick = (parse_number(part) for part in options.sheet.split("x"))
    except (QuantityError, ValueError) as error:
        raise UsageError(
            f"--sheet {options.sheet} is no sheet; write width, depth and thickness: 400x300x18.2."
        ) from error
    try:
        sheet = Sheet(width=width, height=depth, readings=(thick,))
    except ValueError as error:
        raise UsageError(f"--sheet {options.sheet} cannot be: {error}.") from error
    drawing = _at_true_size(read_artwork_file(options.art, page=options.page), options)
    job = msgspec.structs.replace(in_shop(new_job(), load_shop()), name=options.job.stem)
    job = edits.change_board(job, job.boards[0].id, "Sheet", sheet=sheet).job
    edit, shapes = placement.place_drawing(job, job.boards[0].id, drawing)
    if options.profile:
        edit, cut = edits.add_profile(edit.job, job.boards[0].id, shapes)
        side = {"outside": Side.OUTSIDE, "inside": Side.INSIDE, "on": Side.ON}[options.profile]
        edit = edits.change_cut(edit.job, cut, "Side", side=side)
    save_job(options.job, JobFile(finished(edit.job), {options.art.name: artwork_bytes(options.art)}))
    print(options.job)
    _tell(drawing)
    return 0


def _artwork(options: argparse.Namespace) -> int:
    from archimetra.base.errors import JobFileError
    from archimetra.output.artwork_file import write_artwork

    job = load(options.job)
    board = next((b for b in job.boards if options.board in (None, b.name)), None)
    if board is None:
        names = ", ".join(b.name for b in job.boards)
        raise JobFileError(f"There is no board '{options.board}' in this job. It has: {names}.")
    count = write_artwork(options.out, board, [shape.id for shape in board.shapes], title=job.name)
    print(f"{options.out}: {counted(count, 'shape')}")
    return 0


# ---- shared


def counted(count: int, what: str) -> str:
    return f"{count} {what}{'' if count == 1 else 's'}"


def _at_true_size(drawing: Any, options: argparse.Namespace) -> Any:
    """The drawing with the unit or the width that was stated."""
    from archimetra.artwork.drawing import UNITS_MM, with_true_size, with_unit
    from archimetra.base.errors import ArtworkError
    from archimetra.job.quantities import QuantityError, Unit, parse_length

    if options.unit:
        if options.unit not in UNITS_MM:
            raise ArtworkError(f"--unit {options.unit} is none of {', '.join(UNITS_MM)}.")
        drawing = with_unit(drawing, options.unit)
    if options.width:
        try:
            drawing = with_true_size(drawing, is_width=True, true_mm=parse_length(options.width, default=Unit.MM))
        except (QuantityError, ValueError) as error:
            raise ArtworkError(f"--width {options.width} cannot be: {error}.".replace("..", ".")) from error
    return drawing
