"""A stamp in one action: the art mirrored, left standing within a frame, everything around it carved away."""

from __future__ import annotations

from collections.abc import Sequence

from archimetra.edits import cutting, leftovers, placing, shaping
from archimetra.edits.edit import Edit, board_of
from archimetra.edits.layering import free_shapes
from archimetra.geometry.affine import Affine
from archimetra.job.bits import CARVING_KINDS
from archimetra.job.cut_parts import Side
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.profile import ProfileCut, default_tabs
from archimetra.job.forms import RectangleForm
from archimetra.job.ids import BitId, BoardId, CutId, ShapeId
from archimetra.job.job import Job

LEAST_STANDING = 1.0  # what stands thinner than this is marked


def add_stamp(
    job: Job, board_id: BoardId, shapes: Sequence[ShapeId], *, bit: BitId, floor_bit: BitId | None = None,
    out_bit: BitId | None = None, depth: float = 2.0, margin: float = 0.0, is_mirrored: bool = True,
) -> tuple[Edit, CutId]:  # fmt: skip
    """The picked art as a stamp: mirrored where it lies, a frame ``margin`` around it (0: as wide as the widest bit needs), the
    ground carved ``depth`` deep with ``bit`` and cleared with ``floor_bit``, and the block cut out along the frame with ``out_bit``.

    Raises ValueError with a sentence where nothing is picked that may be changed, or the bit cannot carve.
    """
    art = free_shapes(board_of(job, board_id), shapes)
    if not art:
        raise ValueError("a stamp needs art that is not locked")
    carver = job.bit(bit)
    if carver is None or carver.kind not in CARVING_KINDS:
        raise ValueError("a stamp is carved with a V bit or a tapered ball")
    ids = [shape.id for shape in art]
    if is_mirrored:
        job = placing.mirror(job, board_id, ids, is_across=True)[0].job
    wide = [found.diameter for id_ in (floor_bit, out_bit) if id_ is not None and (found := job.bit(id_)) is not None]
    margin = margin or round(1.5 * max(wide, default=4.0) + 2 * (out_bit is not None), 1)
    boxes = [shape.bounds() for shape in free_shapes(board_of(job, board_id), ids)]
    x0, y0 = min(b[0] for b in boxes) - margin, min(b[1] for b in boxes) - margin
    x1, y1 = max(b[2] for b in boxes) + margin, max(b[3] for b in boxes) + margin
    done = shaping.draw(
        job,
        board_id,
        RectangleForm(width=x1 - x0, height=y1 - y0),
        Affine.shift((x0 + x1) / 2, (y0 + y1) / 2),
        name="stamp frame",
    )
    job, frame = done.edit.job, done.pick
    cut = cutting.new_cut(
        job, board_id, CarveCut, (*frame, *ids), bit=bit, name="Stamp", end_depth=depth, least_standing=LEAST_STANDING
    )
    job = cutting.add_cut(job, board_id, cut).job
    if floor_bit is not None:
        job = leftovers.add_floor(job, cut.id, floor_bit)[0].job
    if out_bit is not None:
        out = cutting.new_cut(
            job, board_id, ProfileCut, frame, bit=out_bit, name="Stamp out", side=Side.INSIDE, goes_through=True, end_depth=0.0,
            tabs=default_tabs(board_of(job, board_id).sheet),
        )  # fmt: skip
        job = cutting.add_cut(job, board_id, out).job
    return Edit("Make stamp", job), cut.id
