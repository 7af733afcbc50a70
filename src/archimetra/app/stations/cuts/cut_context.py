"""``CutContext``: the cut that is shown and all that follows for it, as the panel, its editors and the sketch read it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from archimetra.app.session import Session
from archimetra.edits import cutting
from archimetra.edits.edit import Edit
from archimetra.job.bits import Bit, Recipe
from archimetra.job.cut_parts import Mark
from archimetra.job.cuts import Cut
from archimetra.job.ids import CutId, ShapeId
from archimetra.job.sheet import Sheet
from archimetra.toolpath.resolve import resolved
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.moves import PathMark
from archimetra.toolpath.shared.passes import pass_depths


class CutContext:
    """``chosen`` gives the cuts that edits concern, ``sketch`` draws the small section with numbers that are being typed, ``tell`` says
    what is wrong with an entry."""

    def __init__(
        self, session: Session, *, chosen: Callable[[], tuple[CutId, ...]], sketch: Callable[..., None],
        tell: Callable[[str], None],
    ) -> None:  # fmt: skip
        self.session = session
        self._chosen = chosen
        self.show_sketch = sketch
        self.tell = tell

    @property
    def chosen_ids(self) -> tuple[CutId, ...]:
        """All picked in the list where the shown one is among them, else that one."""
        picked = self._chosen()
        return picked if self.cut.id in picked else (self.cut.id,)

    @property
    def cut(self) -> Cut:
        session = self.session
        found = session.board.cut(session.cut_id) if session.cut_id is not None else None
        return found if found is not None else session.board.cuts[0]

    @property
    def resolved(self) -> ResolvedCut:
        return resolved(self.session.job, self.session.board)[self.cut.id]

    @property
    def bit(self) -> Bit:
        return self.resolved.bit

    @property
    def sheet(self) -> Sheet:
        """The sheet as thick as it is when the cut starts."""
        return self.resolved.sheet

    @property
    def depth(self) -> float:
        """The end depth that counts: the rest of a pocket goes as deep as the pocket, a V-carve as its bit and the sheet allow."""
        return self.resolved.ends_at

    @property
    def asked(self) -> Recipe:
        """The recipe as set, before the machine's limits."""
        return self.resolved.asked

    @property
    def recipe(self) -> Recipe:
        return self.resolved.recipe

    @property
    def depths(self) -> list[float]:
        start, end = self.resolved.cut.start_depth, self.depth
        return [float(d) for d in pass_depths(start, end, self.recipe.depth_per_pass)] if end > start else []

    def pass_words(self) -> str:
        count = len(self.depths)
        return f"{count} pass{'' if count == 1 else 'es'}"

    def override(self, name: str, value: float) -> Edit:
        """Run the chosen cuts otherwise than their bit's recipe; at its own value they follow it again."""
        general = getattr(self.bit.recipe_for(self.session.board.sheet.material), name)
        own = None if abs(value - general) < 1e-9 else value
        return cutting.override(self.session.job, self.chosen_ids, name, own)

    # ---- what its plan says

    def path_marks(self) -> tuple[PathMark, ...]:
        plan, board = self.session.planning.plan, self.session.board
        if plan is None or plan.board != board.id:
            return ()
        return next((p.toolpath.marks for p in plan.cuts if p.toolpath.cut == self.cut.id), ())

    def start_words(self) -> str:
        """Where its contours begin, and why."""
        reasons = {mark.reason for mark in self.path_marks() if mark.reason}
        if not reasons:
            return ""
        many = f"{len(reasons)} ways: {'; '.join(sorted(reasons)[:3])}"
        return f"Begins {next(iter(reasons)) if len(reasons) == 1 else many}."

    def contour_marks(self, ids: tuple[ShapeId, ...]) -> list[Mark]:
        """One mark on the outline of each shape, in its own coordinates."""
        wanted: set[Any] = set(ids)
        return [
            Mark(shape.id, float(path.nodes[0, 0]), float(path.nodes[0, 1]), 0, 0.0)
            for shape in self.session.board.shapes
            if shape.id in wanted
            for path in shape.paths[:1]
        ]
