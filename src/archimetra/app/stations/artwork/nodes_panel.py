"""Nodes: the outline itself, edited on the plan."""

from __future__ import annotations

from archimetra.app.stations.artwork.panel import Panel
from archimetra.app.stations.page import shown
from archimetra.app.views.node_tool import NodeTool
from archimetra.app.widgets.fields import label
from archimetra.app.widgets.form import Form
from archimetra.edits import shaping
from archimetra.edits.edit import Edit
from archimetra.edits.layering import free_shapes
from archimetra.geometry.path import Path
from archimetra.job.ids import ShapeId
from archimetra.job.shapes import Shape

MOST_SHAPES = 12


class NodesPanel(Panel):
    name, icon, tip = "Nodes", "vector-bezier", "Move, add and remove nodes, bend and break lines"

    def build(self) -> None:
        self._tool: NodeTool | None = None
        self._hint = self.form.add(label("", "note"))
        self._told = self.form.add(label("", "caution"))
        self._body = body = Form()
        self.form.add(body)
        self._count = body.heading("Picked nodes")
        self.buttons(
            body,
            (
                "Add",
                "A node in the middle of each piece between picked nodes; or double-click a line",
                self._do("add_between"),
            ),
            ("Remove", "Remove the picked nodes (Del)", self._do("delete")),
            ("Break", "Cut the line apart at the picked nodes", self._do("break_apart")),
            ("Join", "Join the two picked ends", self._join),
        )
        self.buttons(
            body,
            ("Straight", "Pieces between picked nodes made straight", self._make("lines")),
            ("Curve", "Pieces between picked nodes made curves", self._make("curves")),
            ("Smooth", "No corner at the picked nodes", self._make("smooth")),
            ("Corner", "A corner at the picked nodes", self._make("sharp")),
        )
        body.add(
            label("Type x, y and Enter to move picked nodes by a distance. Alt keeps a drag from snapping.", "note")
        )

    @property
    def tool(self) -> NodeTool | None:
        return self._tool

    def opened(self) -> None:
        self.session.tool_wanted.emit(self._made)
        self.refresh()

    def closed(self) -> None:
        self._tool = None
        self.session.tool_wanted.emit(None)

    def tool_left(self) -> None:
        self._tool = None

    def _made(self, plan) -> NodeTool:
        self._tool = NodeTool(plan, self._shapes, self._change, self._show_count)
        return self._tool

    def refresh(self) -> None:
        shapes = self._shapes()
        is_many = len(self.session.picked) > MOST_SHAPES
        words = (
            f"Pick up to {MOST_SHAPES} shapes to edit their nodes."
            if is_many
            else "Pick a shape first (Esc gives the mouse back to picking)."
        )
        self._hint.setText(words)
        shown(self._hint, not shapes)
        shown(self._body, bool(shapes))
        drawn = sum(shape.form is not None for shape in shapes)
        self._told.setText(
            "A change of its nodes makes it a plain outline: its measures or its text are no longer kept."
        )
        shown(self._told, drawn > 0)
        if self._tool is not None:
            self._tool.prune()
        elif shapes:
            self.session.tool_wanted.emit(self._made)
        self._show_count()

    def chosen_nodes(self) -> dict[ShapeId, list[tuple[int, int]]] | None:
        return self._tool.chosen_nodes() if self._tool is not None and self._tool.chosen else None

    def delete(self) -> None:
        if self._tool is not None and self._tool.chosen:
            self._tool.delete()

    def _shapes(self) -> list[Shape]:
        if len(self.session.picked) > MOST_SHAPES:
            return []
        return free_shapes(self.session.board, self.session.picked)

    def _show_count(self) -> None:
        count = len(self._tool.chosen) if self._tool is not None else 0
        self._count.setText(str(count) if count else "none yet")

    def _change(self, paths: dict[ShapeId, tuple[Path, ...]], words: str) -> None:
        s = self.session
        job = s.job
        gone = [id_ for id_, left in paths.items() if not left]
        for id_, left in paths.items():
            if left:
                job = shaping.set_paths(job, s.board.id, id_, left, words).job
        if gone:
            from archimetra.edits.placing import remove_shapes

            job = remove_shapes(job, s.board.id, gone).job
        s.apply(Edit(words, job))

    def _do(self, what: str):
        return lambda: getattr(self._tool, what)() if self._tool is not None and self._tool.chosen else None

    def _make(self, what: str):
        return lambda: self._tool.make(what) if self._tool is not None and self._tool.chosen else None

    def _join(self) -> None:
        if self._tool is not None:
            self.say_problem(self._tool.join_two())
