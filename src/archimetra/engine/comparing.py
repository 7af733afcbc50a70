"""One V-carve planned with several bits, side by side: how deep each goes, what it leaves, how long it takes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np

from archimetra.engine.messages import BitTrial
from archimetra.engine.planning import once, plan_groups
from archimetra.job.cuts import Clears
from archimetra.job.ids import BitId, CutId
from archimetra.job.job import Board, Job
from archimetra.output.timing import time_run
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.moves import joined
from archimetra.toolpath.shared.program import assemble

# findings that say what stays uncut
_LEAVES = (
    "carve-too-narrow", "carve-neck", "carve-corners", "carve-too-wide", "carve-floor-alone", "carve-floor-left", "carve-no-room",
    "carve-bit",
)  # fmt: skip


def compare_bits(
    job: Job,
    board: Board,
    cut_id: CutId,
    bits: Sequence[BitId],
    cache: Any,
    report: Any = lambda number, count, share: None,
) -> list[BitTrial]:
    """The trials of a cut, one for each bit that is in the job. Floors that straight bits clear count as they are."""
    cut = board.cut(cut_id)
    if cut is None or cut.leftover is not Clears.FLOOR:
        return []
    out = []
    for number, bit_id in enumerate(bits):
        if job.bit(bit_id) is None:
            continue
        report(number, len(bits), 0.0)
        tried = msgspec.structs.replace(cut, bit=bit_id)
        other = msgspec.structs.replace(board, cuts=tuple(tried if c.id == cut_id else c for c in board.cuts))
        work = resolve(job, other, tried)
        planned = plan_groups(work, cache, lambda share: None)
        paths = [path for path, _ in planned if len(path)]
        seconds = time_run(assemble([joined(paths)], board.travel_heights), job.machine).total if paths else 0.0
        deepest = max((float(-np.min(path.xyz[:, 2])) for path in paths), default=0.0)
        findings = once([finding for _, told in planned for finding in told])
        leaves = tuple(f.words for f in findings if f.code in _LEAVES)
        out.append(BitTrial(bit_id, deepest, seconds, leaves))
    return out
