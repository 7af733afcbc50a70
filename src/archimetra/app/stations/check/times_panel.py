"""How long it takes: every cut, every bit, every board, and what waiting and travel have of it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from archimetra.app.stations.artwork.panel import Panel, clear_rows
from archimetra.app.theme.style import scaled
from archimetra.app.widgets.badge import badge_pixmap
from archimetra.app.widgets.fields import label
from archimetra.app.widgets.form import Form
from archimetra.engine.messages import BoardPlan
from archimetra.job.bits import Bit
from archimetra.job.ids import CutId
from archimetra.machine.runs import pace_of
from archimetra.output.times import clock


class TimesPanel(Panel):
    name, icon, tip = "Times", "player-play", "How long each cut, bit and board takes"

    def build(self) -> None:
        self._rows = Form()
        self.form.add(self._rows)
        self._shown: object = None
        self.session.planning.known.connect(lambda _plan: self.refresh() if self.form.isVisible() else None)

    def refresh(self) -> None:
        super().refresh()
        s, plan = self.session, self.session.planning.plan
        known = [(board.id, s.planning.plan_of(board.id)) for board in s.job.boards]
        state = (
            None if plan is None else id(plan),
            [(i, None if p is None else p.run_key) for i, p in known],
            s.board_id,
            s.job.cuts,
            s.machine.router.timed,
        )
        if state == self._shown:
            return
        self._shown = state
        clear_rows(self._rows)
        if plan is None:
            self._rows.add(label("Being planned.", "note"))
            return
        self._of_board(plan)
        self._of_all([(board.name, p) for board, (_, p) in zip(s.job.boards, known, strict=True)])

    def _of_board(self, plan: BoardPlan) -> None:
        s, ends = self.session, plan.times.ends
        self._rows.heading("This board", clock(plan.times.total))
        timed = s.machine.router.timed
        if timed:
            pace = pace_of(timed)
            runs = "its last run" if len(timed) == 1 else f"its last {len(timed)} runs"
            words = f"{s.job.machine.name} takes {pace:.2f} times as long, by {runs}: {clock(plan.times.total * pace)}."
            self._rows.add(label(words, "note"))
        per_cut: dict[str, float] = {}
        per_bit: dict[str, float] = {}
        for block in plan.run.blocks:
            span = float(ends[block.last - 1]) - float(ends[max(block.first - 1, 0)])
            per_cut[block.cut] = per_cut.get(block.cut, 0.0) + span
            per_bit[block.bit] = per_bit.get(block.bit, 0.0) + span
        for cut_id, seconds in per_cut.items():
            cut = s.board.cut(CutId(cut_id))
            if cut is not None:
                self._row(cut.name, seconds, plan.times.total, s.job.bit(cut.bit), cut_id)
        self._rows.line()
        for bit in s.job.bits:
            if bit.id in per_bit:
                self._row(bit.name, per_bit[bit.id], plan.times.total, bit)
        pauses = float(plan.times.pauses.sum())
        changes = sum(block.changes_bit for block in plan.run.blocks)
        self._row(f"{changes} bit change{'' if changes == 1 else 's'}, spindle", pauses, plan.times.total)
        air = self._in_air(plan)
        self._row("Travel through the air", air, plan.times.total)

    def _in_air(self, plan: BoardPlan) -> float:
        import numpy as np

        run, ends = plan.run, plan.times.ends
        if len(run) < 2:
            return 0.0
        spans = np.diff(ends, prepend=0.0) - plan.times.pauses
        above = (run.xyz[:, 2] >= 0) & (np.concatenate(([0.0], run.xyz[:-1, 2])) >= 0)
        return float(spans[above].sum())

    def _of_all(self, boards: list[tuple[str, BoardPlan | None]]) -> None:
        if len(boards) < 2:
            return
        self._rows.line()
        known = [p.times.total for _, p in boards if p is not None]
        words = clock(sum(known)) + ("" if len(known) == len(boards) else ", some still being planned")
        self._rows.heading("All boards", words)
        for name, plan in boards:
            self._row(name, plan.times.total if plan is not None else None, sum(known))

    def _row(self, words: str, seconds: float | None, total: float, bit: Bit | None = None, cut: str = "") -> None:
        holder = QWidget()
        line = QHBoxLayout(holder)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(7)
        if bit is not None:
            badge = QLabel()
            badge.setPixmap(badge_pixmap(bit))
            line.addWidget(badge)
        if cut:
            name = QPushButton(name_of(words))
            name.setProperty("kind", "link")
            name.setStyleSheet("text-align: left;")
            name.setToolTip(f"{words}: show this cut")
            name.clicked.connect(lambda _c=False: self.session.show_cut(CutId(cut)))
            line.addWidget(name, 1)
        else:
            text = label(name_of(words), "")
            text.setWordWrap(False)
            text.setToolTip(words)
            line.addWidget(text, 1)
        share = label("" if seconds is None or total <= 0 else f"{seconds / total:.0%}", "note")
        time = label("…" if seconds is None else clock(seconds), "")
        for one, width in ((share, 38), (time, 60)):
            one.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            one.setFixedWidth(scaled(width))
            one.setWordWrap(False)
            line.addWidget(one)
        self._rows.add(holder)


def name_of(words: str, most: int = 26) -> str:
    """Short enough for its column."""
    return words if len(words) <= most else words[: most - 1].rstrip() + "…"
