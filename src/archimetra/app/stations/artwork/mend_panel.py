"""Mend: each repair with its tolerance, what it would do said before it is done, each its own step of undo."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from archimetra.app.stations.artwork.panel import Panel
from archimetra.app.stations.bindings import TypedNumber
from archimetra.app.stations.page import shown
from archimetra.app.widgets.fields import label
from archimetra.app.widgets.form import Form
from archimetra.artwork.drawing import DrawnShape
from archimetra.artwork.mend import Repair
from archimetra.edits import shaping
from archimetra.job.ids import ShapeId

MOST_LIVE = 30_000  # segments: with more the repairs are tried only when asked


class MendPanel(Panel):
    name, icon, tip = "Mend", "bandage", "Join, close, drop doubles, simplify"

    def build(self) -> None:
        self._scope = self.form.add(label("", "note"))
        self._rows: list[tuple[Repair, QPushButton, QLabel]] = []
        self._body = body = Form()
        self.form.add(body)
        self._join, self._double = TypedNumber(0.05, 0.0001, 20.0), TypedNumber(0.01, 0.0001, 5.0)
        self._stray, self._simple = TypedNumber(0.5, 0.0, 500.0), TypedNumber(0.02, 0.0005, 5.0)
        self._pen = TypedNumber(0.0, 0.0, 500.0)
        self.typed_row(body, "Join within", self._join)
        self._add("Join ends", "Open lines joined end to end, in whatever order they lie", self._joined)
        self._add("Close", "Every open line closed with a straight one", self._closed)
        self.typed_row(body, "Same within", self._double)
        self._add("Drop doubles", "What is drawn twice, whole or in part, drawn once", self._doubles)
        self._add("Drop doubled nodes", "Nodes on top of each other and lines without length", self._tidied)
        self.typed_row(body, "Smaller than", self._stray)
        self._add("Remove specks", "Bits smaller than that, and what lies wholly off the sheet", self._strays)
        self.typed_row(body, "Stays within", self._simple)
        self._add("Simplify", "As few lines and arcs as the tolerance allows", self._simplified)
        self._add("Resolve crossings", "Outlines that cross themselves redrawn as what they fill", self._uncrossed)
        self.typed_row(body, "Pen width", self._pen, "0: as drawn")
        self._add("Strokes to outlines", "Lines as the areas their pens ink", self._stroked)
        for value in (self._join, self._double, self._stray, self._simple, self._pen):
            value.on_change(self._look)
        self._timer = QTimer(self.form)
        self._timer.setSingleShot(True)
        self._timer.setInterval(120)
        self._timer.timeout.connect(self._look_now)
        self._seen: object = None

    def _add(self, words: str, tip: str, repair: Repair) -> None:
        holder = QWidget()
        line = QHBoxLayout(holder)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(8)
        button = QPushButton(words)
        button.setToolTip(tip)
        told = label("", "note")
        line.addWidget(button)
        line.addWidget(told, 1)
        self._body.add(holder)
        button.clicked.connect(lambda _c=False: self._do(words, repair))
        self._rows.append((repair, button, told))

    def refresh(self) -> None:
        s = self.session
        count, every = len(s.picked), len(s.board.shapes)
        shown(self._body, every > 0)
        self._scope.setText(
            f"Mends the {count} picked shape{'' if count == 1 else 's'}." if count
            else f"Nothing is picked: mends all {every} shapes." if every
            else "There is no artwork yet."
        )  # fmt: skip
        super().refresh()
        self._look()

    def opened(self) -> None:
        self._seen = None
        self._look()

    # ---- trying

    def _ids(self) -> tuple[ShapeId, ...]:
        s = self.session
        return s.picked or tuple(shape.id for shape in s.board.shapes)

    def _look(self) -> None:
        if self.form.isVisible():
            self._timer.start()

    def _look_now(self) -> None:
        """Try each repair on a copy and say what it would do."""
        s = self.session
        ids = self._ids()
        values = tuple(v.value for v in (self._join, self._double, self._stray, self._simple, self._pen))
        key = (id(s.board.shapes), ids, values)
        if key == self._seen or not self.form.isVisible():
            return
        self._seen = key
        drawn = shaping.as_drawn(s.board, ids)
        is_live = sum(len(path) for shape in drawn for path in shape.paths) <= MOST_LIVE
        for repair, button, told in self._rows:
            if not is_live:
                told.setText("press to see")
                button.setEnabled(True)
                continue
            done = repair(drawn)
            words = " ".join(entry.sentence for entry in done.entries if entry.code not in ("forks",))
            told.setText(words or "nothing to do")
            button.setEnabled(bool(done.entries) and any(e.code not in ("forks", "shared-edges") for e in done.entries))

    def _do(self, words: str, repair: Repair) -> None:
        s = self.session
        told: list[str] = []

        def run() -> shaping.Done:
            done, entries = shaping.mend(s.job, s.board.id, self._ids(), repair, words)
            told.extend(entry.sentence for entry in entries)
            return done._replace(pick=done.pick if s.picked else ())

        if self.run(run):
            s.said.emit("note", " ".join(told) or "There was nothing to do.")

    # ---- the repairs with their tolerances

    def _joined(self, shapes: Sequence[DrawnShape]):
        from archimetra.artwork.mend import join_ends

        return join_ends(shapes, tolerance_mm=self._join.value, double_mm=self._double.value, drops=False)

    def _closed(self, shapes: Sequence[DrawnShape]):
        from archimetra.artwork.mend import close_open

        return close_open(shapes)

    def _doubles(self, shapes: Sequence[DrawnShape]):
        from archimetra.artwork.mend import drop_doubles, drop_overlaps, in_turn

        tolerance = self._double.value
        return in_turn(
            shapes,
            (
                lambda s: drop_doubles(s, tolerance_mm=tolerance),
                lambda s: drop_overlaps(s, tolerance_mm=tolerance),
            ),
        )

    def _tidied(self, shapes: Sequence[DrawnShape]):
        from archimetra.artwork.mend import tidy

        return tidy(shapes)

    def _strays(self, shapes: Sequence[DrawnShape]):
        from archimetra.artwork.mend import drop_strays

        sheet = self.session.board.sheet
        return drop_strays(shapes, smaller_than_mm=self._stray.value, page=(0.0, 0.0, sheet.width, sheet.height))

    def _simplified(self, shapes: Sequence[DrawnShape]):
        from archimetra.artwork.mend import simplify

        return simplify(shapes, tolerance_mm=self._simple.value)[0]

    def _uncrossed(self, shapes: Sequence[DrawnShape]):
        from archimetra.artwork.mend import uncross

        return uncross(shapes)

    def _stroked(self, shapes: Sequence[DrawnShape]):
        from archimetra.artwork.mend import outline_strokes

        return outline_strokes(shapes, width_mm=self._pen.value or None)
