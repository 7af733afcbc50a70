"""What every check is given."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import msgspec

from archimetra.base.findings import Finding
from archimetra.job.bits import Bit
from archimetra.job.cuts import Cut
from archimetra.job.job import Board, Job
from archimetra.job.setups import Setup
from archimetra.job.sheet import Sheet
from archimetra.toolpath.resolve import resolved
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.front import FrontFace
from archimetra.toolpath.shared.program import Run


class CheckInput(msgspec.Struct, frozen=True, eq=False):
    """``setups`` are the ways the board lies, which the run's blocks number; ``front`` the
    other face of a board that is a back, as it has been cut."""

    job: Job
    board: Board
    run: Run
    setups: tuple[Setup, ...]
    front: FrontFace | None = None

    @property
    def front_place(self) -> tuple[float, float, int] | None:
        """Where the front lies on the bed, and turned how far."""
        return self.front.lies if self.front is not None else None

    def cuts(self) -> Iterator[tuple[Cut, Bit]]:
        """The cuts that are on, with their bits."""
        for cut in self.board.cuts:
            bit = self.job.bit(cut.bit)
            if cut.is_on and bit is not None:
                yield cut, bit

    def resolved(self) -> Iterator[ResolvedCut]:
        """The same as they will run: as thick as the sheet is by then, the rest of a pocket at its depths."""
        known = resolved(self.job, self.board)
        for cut, _ in self.cuts():
            yield known[cut.id]

    @property
    def sheet(self) -> Sheet:
        return self.board.sheet


Check = Callable[[CheckInput], Iterator[Finding]]
