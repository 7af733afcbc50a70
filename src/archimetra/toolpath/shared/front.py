"""What a back finds of its front."""

from __future__ import annotations

import msgspec

from archimetra.job.sheet import Sheet
from archimetra.toolpath.shared.program import Run


class FrontFace(msgspec.Struct, frozen=True, eq=False):
    """The front of a board that is a back: its sheet as seen from there, and what has been cut of it. ``lies`` is its place on the bed
    and by how many quarter turns it is turned there."""

    sheet: Sheet
    run: Run
    lies: tuple[float, float, int] = (0.0, 0.0, 0)
