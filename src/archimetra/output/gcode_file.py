"""A G-code file as a value. Light to import: the window shows files that a worker wrote."""

from __future__ import annotations

from functools import cached_property
from hashlib import blake2b

import msgspec

from archimetra.geometry.arrays import IntArray
from archimetra.job.bits import Bit
from archimetra.toolpath.shared.program import Block


def digest_of(content: bytes) -> str:
    """What a file is known by again."""
    return blake2b(content, digest_size=16).hexdigest()


class GcodeFile(msgspec.Struct, frozen=True, eq=False, dict=True):
    """One file. ``rows`` (lines,) names the row of the run that a line carries out, -1 for none."""

    name: str
    text: str
    rows: IntArray
    bits: tuple[Bit, ...]
    blocks: tuple[Block, ...]

    @cached_property
    def digest(self) -> str:
        """What it is known by again; worked out once, for a file may have millions of lines."""
        return digest_of(self.text.encode("ascii"))
