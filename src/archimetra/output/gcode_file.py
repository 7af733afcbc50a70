"""A G-code file as a value. Light to import: the window shows files that a worker wrote."""

from __future__ import annotations

import msgspec

from archimetra.geometry.arrays import IntArray
from archimetra.job.bits import Bit
from archimetra.toolpath.shared.program import Block


class GcodeFile(msgspec.Struct, frozen=True, eq=False):
    """One file. ``rows`` (lines,) names the row of the run that a line carries out, -1 for none."""

    name: str
    text: str
    rows: IntArray
    bits: tuple[Bit, ...]
    blocks: tuple[Block, ...]
