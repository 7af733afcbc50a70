"""Commands that draw: a view of a job as a picture, the run or a turntable as a film."""

from __future__ import annotations

import argparse
import io
import sys
from math import isfinite
from pathlib import Path
from typing import Any

from archimetra.cli_job import UsageError, boards_named, load, plans

SMALLEST_PICTURE, LARGEST_PICTURE = 100, 8000
LARGEST_FILM = 2000
LONGEST_FILM_S = 120.0


def add_parsers(commands: Any) -> None:
    render = commands.add_parser("render", help="draw one view of a job as a PNG")
    render.add_argument("job", type=Path)
    render.add_argument("--view", choices=["window", "plan", "tilted", "section", "sequence"], default="plan")
    render.add_argument(
        "--at", type=float, default=1.0, metavar="0..1", help="moment of the run, as a share of its time"
    )
    _add_eye(render)
    render.add_argument("--over", action="store_true", help="tilted: the board turned over")
    render.add_argument("--show", choices=["wood", "work", "lines"], help="plan: what it shows")
    render.add_argument("--size", default="1280x800", metavar="WxH")
    render.add_argument("--out", type=Path, required=True, metavar="PNG")
    film = commands.add_parser("film", help="play the run of a board as an animated WebP")
    film.add_argument("job", type=Path)
    film.add_argument("--view", choices=["plan", "tilted"], default="tilted")
    film.add_argument(
        "--turntable", action="store_true", help="the finished board turned round once instead of its run"
    )
    film.add_argument("--seconds", type=float, default=8.0, help="how long it lasts")
    film.add_argument("--fps", type=float, default=12.0, metavar="N", help="pictures a second")
    _add_eye(film)
    film.add_argument("--size", default="640x400", metavar="WxH")
    film.add_argument("--out", type=Path, required=True, metavar="WEBP")


def _add_eye(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--turn", type=float, default=25.0, metavar="DEGREES", help="tilted: how far the board is turned"
    )
    parser.add_argument("--above", type=float, default=40.0, metavar="DEGREES", help="tilted: how high the eye stands")
    parser.add_argument("--board", metavar="NAME")
    parser.add_argument("--theme", choices=["light", "dark"], default="light")


def render(options: argparse.Namespace) -> int:
    """``archimetra render``."""
    size = _size(options.size, LARGEST_PICTURE)
    if size is None or not 0.0 <= options.at <= 1.0:
        print(
            f"archimetra: --size is WIDTHxHEIGHT, as 1280x800, each {SMALLEST_PICTURE} to {LARGEST_PICTURE}; "
            "--at lies between 0 and 1.",
            file=sys.stderr,
        )
        return 2
    if options.view == "tilted":
        return _tilted(options, size)
    from archimetra.app.shots import render_job

    render_job(
        options.job, options.out, view=options.view, at=options.at, size=size, theme=options.theme,
        board=options.board, show=options.show,
    )  # fmt: skip
    print(options.out)
    return 0


def _tilted(options: argparse.Namespace, size: tuple[int, int]) -> int:
    """The stock of a board seen from the side; this needs no window."""
    from PIL import Image

    from archimetra.base.files import write_safely
    from archimetra.engine.tilting import tilted_picture

    _check_eye(options)
    job = load(options.job)
    ((board, plan),) = plans(job, options.board or job.boards[0].name)[:1]
    rgb = tilted_picture(
        job, board, plan, at=options.at, turn=options.turn, above=options.above, size=size, theme=options.theme, is_over=options.over
    )  # fmt: skip
    out = io.BytesIO()
    Image.fromarray(rgb).save(out, "PNG")
    write_safely(options.out, out.getvalue())
    print(options.out)
    return 0


def film(options: argparse.Namespace) -> int:
    """``archimetra film``."""
    from archimetra.base.files import write_safely
    from archimetra.engine.filming import film as filmed
    from archimetra.engine.planning import plan_board

    size = _size(options.size, LARGEST_FILM)
    is_time = isfinite(options.seconds) and 0.2 <= options.seconds <= LONGEST_FILM_S
    if size is None or not is_time or not (isfinite(options.fps) and 1 <= options.fps <= 50):
        raise UsageError(
            f"--size is WIDTHxHEIGHT, as 640x400, each {SMALLEST_PICTURE} to {LARGEST_FILM}; --seconds 0.2 to {LONGEST_FILM_S:g}; --fps 1 to 50."
        )
    _check_eye(options)
    job = load(options.job)
    board = boards_named(job, options.board)[0]
    plan = plan_board(job, board, {})
    data = filmed(
        job, board, plan, view="tilted" if options.turntable else options.view, size=size, seconds=options.seconds, fps=options.fps,
        turn=options.turn, above=options.above, is_turntable=options.turntable, theme=options.theme,
    )  # fmt: skip
    write_safely(options.out, data)
    print(options.out)
    return 0


def _check_eye(options: argparse.Namespace) -> None:
    from archimetra.stock.viewpoint import HIGHEST, LOWEST

    if not (isfinite(options.turn) and LOWEST <= options.above <= HIGHEST):
        raise UsageError(f"--above is {LOWEST:g} to {HIGHEST:g} degrees, and --turn a number.")


def _size(text: str, most: int) -> tuple[int, int] | None:
    width, _, height = text.partition("x")
    is_size = all(side.isdigit() and SMALLEST_PICTURE <= int(side) <= most for side in (width, height))
    return (int(width), int(height)) if is_size else None
