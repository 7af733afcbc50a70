"""An inlay's two boards planned, and the plug laid into the pocket: what the mate view and the command line show."""

from __future__ import annotations

from math import radians, tan

from archimetra.base.errors import ArchimetraError
from archimetra.edits import inlaying
from archimetra.engine.planning import Cache, Report, plan_board
from archimetra.job.bits import BitKind
from archimetra.job.ids import InlayId
from archimetra.job.inlays import Inlay, InlayKind
from archimetra.job.job import Board, Job
from archimetra.stock.depth_sampler import DepthSampler
from archimetra.stock.mating import PlugInPocket
from archimetra.toolpath.shared.contours import kept_region
from archimetra.toolpath.shared.mates import pair_of


class MateError(ArchimetraError):
    """The halves of an inlay cannot be laid together."""


def mating_of(
    job: Job, inlay_id: InlayId, cache: Cache, report: Report = lambda number, count, share: None
) -> PlugInPocket:
    """The first plug of an inlay over its pocket, both boards planned and cut. Raises MateError where a half is missing."""
    inlay = job.inlay(inlay_id)
    if inlay is None:
        raise MateError("That inlay is not in the job any more.")
    pocket_board, plug_board = job.board(inlay.pocket_board), job.board(inlay.plug_board)
    pocket, plug = inlaying.halves(job, inlay)
    if pocket_board is None or plug_board is None or pocket is None or plug is None:
        raise MateError(f"'{inlay.name}' has lost one of its halves. Undo, or remove the inlay and make it again.")
    taken = set(inlay.shapes)
    art = [s for s in pocket_board.shapes if s.id in taken or (inlay.layer and s.layer == inlay.layer)]
    maps = inlaying.placements(inlay, art, plug_board)
    if not maps:
        raise MateError(f"'{inlay.name}' has no art. Give it shapes.")
    bit = job.bit(pocket.bit)
    assert bit is not None, "the job file and every edit keep bits that are in use"
    is_vee = inlay.kind is InlayKind.VEE and bit.kind is BitKind.VEE
    meant = inlaying.seat_of(inlay, bit) if is_vee else pocket.end_depth
    area = kept_region(art)
    if not is_vee and pocket.mating is not None:
        area = pair_of(tuple(art), pocket.mating).pocket
    return PlugInPocket(
        pocket=_probe(job, pocket_board, inlay, cache, report), plug=_probe(job, plug_board, inlay, cache, report),
        onto=maps[0], art=area, around=0.4 * inlay.margin, depth=pocket.end_depth, meant=meant,
        slope=tan(radians(bit.angle / 2)) if is_vee else 0.0, plug_thickness=plug_board.sheet.thickest,
    )  # fmt: skip


def _probe(job: Job, board: Board, inlay: Inlay, cache: Cache, report: Report) -> DepthSampler:
    plan = plan_board(job, board, cache, report)
    return DepthSampler(plan.run, job.bits, width=board.sheet.width, height=board.sheet.height)
