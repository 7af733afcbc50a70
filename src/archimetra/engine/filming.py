"""The run of a planned board as a film, and the finished board on a turntable: animated WebP files."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator

import numpy as np
from PIL import Image

from archimetra.engine.messages import BoardPlan, TiltRequest
from archimetra.engine.moments import surroundings
from archimetra.engine.stock_chain import StockChain
from archimetra.engine.tilting import BED, TABLE, chain_of, rgb_of
from archimetra.geometry.arrays import AnyArray
from archimetra.job.job import Board, Job
from archimetra.stock.viewpoint import fitting

REST_S = 1.5  # the finished board is looked at so long
QUALITY = 82
MOST_FRAMES = 600
MOST_CELLS = 700_000  # of the stock: a film's frames are small


def film(
    job: Job,
    board: Board,
    plan: BoardPlan,
    *,
    view: str,
    size: tuple[int, int],
    seconds: float,
    fps: float,
    turn: float = -35.0,
    above: float = 42.0,
    is_turntable: bool = False,
    theme: str = "light",
    report: Callable[[float], None] = lambda share: None,
) -> bytes:
    """A WebP that plays the run in so many seconds, seen as ``view`` ("plan" or "tilted"); on a turntable the finished board goes round once
    instead. ``report`` hears the share done and may raise to stop."""
    count = max(2, min(round(seconds * fps), MOST_FRAMES))
    frames = []
    for number, pixels in enumerate(_frames(job, board, plan, view, size, count, turn, above, is_turntable, theme)):
        report(number / count)
        frames.append(Image.fromarray(rgb_of(pixels)))
    each = round(1000 * seconds / count)
    last = each if is_turntable else round(1000 * REST_S)
    out = io.BytesIO()
    frames[0].save(
        out, "WEBP", save_all=True, append_images=frames[1:], duration=[each] * (len(frames) - 1) + [last], loop=0, quality=QUALITY, method=3
    )  # fmt: skip
    return out.getvalue()


def _frames(
    job: Job, board: Board, plan: BoardPlan, view: str, size: tuple[int, int], count: int, turn: float, above: float, is_turntable: bool,
    theme: str,
) -> Iterator[AnyArray]:  # fmt: skip
    from archimetra.stock.grid import cell_for

    chain = chain_of(job, board, plan, cell=cell_for(board.sheet, most_cells=MOST_CELLS))
    painted = np.empty(chain.grid.shape, dtype=np.uint32)
    box = chain.grid.all
    for number in range(count):
        share = 1.0 if is_turntable else number / (count - 1)
        moved = chain.seek(share * chain.timeline.duration)
        if number == 0 or moved is not None:
            chain.paint([painted], box if number == 0 or moved is None else moved)
        if view == "plan":
            yield _fitted(painted, size, TABLE[theme])
            continue
        turned = turn + (360.0 * number / count if is_turntable else 0.0)
        yield _tilted(chain, job, board, plan, share, turned, above, size, theme, painted, is_turntable=is_turntable)


def _tilted(
    chain: StockChain, job: Job, board: Board, plan: BoardPlan, share: float, turn: float, above: float, size: tuple[int, int], theme: str,
    painted: AnyArray, *, is_turntable: bool,
) -> AnyArray:  # fmt: skip
    around = surroundings(
        job, board, plan, share * chain.timeline.duration, bed_colour=BED[theme], has_bit=not is_turntable
    )
    at = fitting(board.sheet, turn, above, size, room=0.12 if is_turntable else 0.06)
    if is_turntable:
        steady = min(fitting(board.sheet, angle, above, size, room=0.12).scale for angle in range(0, 180, 15))
        at = at._replace(scale=steady)
        around = around._replace(bed=None, fixtures=())
    return chain.tilted(TiltRequest(0, at, size, True, around, TABLE[theme]), [painted])


def _fitted(painted: AnyArray, size: tuple[int, int], table: int) -> AnyArray:
    """The plan's picture in the middle of one of this size."""
    width, height = size
    ny, nx = painted.shape
    scale = min(0.96 * width / nx, 0.96 * height / ny)
    small = Image.fromarray(rgb_of(painted)).resize(
        (max(1, round(nx * scale)), max(1, round(ny * scale))), Image.Resampling.BOX
    )
    got = np.asarray(small).astype(np.uint32)
    out = np.full((height, width), table, dtype=np.uint32)
    y, x = (height - got.shape[0]) // 2, (width - got.shape[1]) // 2
    out[y : y + got.shape[0], x : x + got.shape[1]] = (
        0xFF000000 | (got[..., 0] << 16) | (got[..., 1] << 8) | got[..., 2]
    )
    return out
