"""What would go wrong, the worst first: each with where it is, why, and what mends it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from archimetra.app.stations.artwork.panel import Panel, clear_rows
from archimetra.app.theme import icons
from archimetra.app.widgets.fields import ChoiceRow, label
from archimetra.app.widgets.form import Form
from archimetra.base.findings import Finding, Severity, worded
from archimetra.checks.quieting import key_of
from archimetra.edits import looking
from archimetra.edits.edit import Edit
from archimetra.edits.remedies import remedy_for
from archimetra.job.ids import BoardId
from archimetra.job.job import Board
from archimetra.job.quantities import lengths_in

MOST_SHOWN = 60
_GRAVEST_FIRST = tuple(reversed(Severity))
_ICONS = {Severity.STOP: "alert-triangle", Severity.CAUTION: "alert-triangle", Severity.NOTE: "info-circle"}
_HUES = {Severity.STOP: "picked", Severity.CAUTION: "caution", Severity.NOTE: "accent"}
_WORDS = {Severity.STOP: "spoils work", Severity.CAUTION: "to look at before cutting", Severity.NOTE: "worth knowing"}


class FindingsPanel(Panel):
    name, icon, tip = "Findings", "alert-triangle", "What would spoil work, the worst first"

    def build(self) -> None:
        form = self.form
        self._scope = ChoiceRow("Of which boards", [("one", "This board"), ("all", "All boards")])
        self._scope.show_value("one")
        self._scope.chosen.connect(self._choose_scope)
        form.add(self._scope)
        self._count = form.add(label("", "note"))
        self._cards = Form()
        form.add(self._cards)
        self._recall = QPushButton()
        self._recall.setProperty("kind", "link")
        self._recall.clicked.connect(self._recall_all)
        form.add(self._recall)
        self._shown: object = None
        self._is_all = False
        self._opened: set[str] = set()  # kinds of findings of which all are shown
        self.session.planning.known.connect(lambda _plan: self.refresh() if self.form.isVisible() else None)

    # ---- what is told

    def told(self) -> list[tuple[Board, Finding]]:
        """All that is told, the worst first, with the board it is told of."""
        s = self.session
        boards = s.job.boards if self._is_all else (s.board,)
        found = [(board, f) for board in boards for f in self._told_of(board) or ()]
        return sorted(found, key=lambda one: _GRAVEST_FIRST.index(one[1].severity))

    def _told_of(self, board: Board) -> tuple[Finding, ...] | None:
        """Of the shown board by the plan that is shown, so that the list does not go and come while it is planned anew."""
        s = self.session
        return s.findings if board.id == s.board_id and s.planning.plan is not None else s.findings_of(board.id)

    def refresh(self) -> None:
        super().refresh()
        s = self.session
        found = self.told()
        boards = s.job.boards if self._is_all else (s.board,)
        waiting = sum(self._told_of(board) is None for board in boards)
        state = (
            [(board.id, id(f)) for board, f in found],
            waiting,
            s.job.unit,
            self._is_all,
            self.tokens.is_dark,
            s.job.cuts,
        )
        if state == self._shown:
            return
        self._shown = state
        clear_rows(self._cards)
        for same in _alike(found)[:MOST_SHOWN]:
            is_open = same[0][1].code in self._opened
            for board, finding in same if is_open else same[:1]:
                self._cards.add(self._card(board, finding))
            if len(same) > 1 and not is_open:
                self._cards.add(self._more(same))
        self._count.setText(self._counted(found, waiting))
        quiet = sum(len(board.dismissed) for board in boards)
        self._recall.setText(f"Tell what was dismissed again ({quiet})")
        self._recall.setVisible(quiet > 0)

    def _counted(self, found: list[tuple[Board, Finding]], waiting: int) -> str:
        parts = []
        for severity in _GRAVEST_FIRST:
            count = sum(f.severity is severity for _, f in found)
            if count:
                parts.append(
                    f"{count} {_WORDS[severity]}" if severity is not Severity.STOP else f"{count} would spoil work"
                )
        words = ", ".join(parts) if parts else "Nothing would go wrong that can be foreseen here."
        words += "." if parts else ""
        return words + (f" {waiting} board{'s' if waiting > 1 else ''} still being planned." if waiting else "")

    def _more(self, same: list[tuple[Board, Finding]]) -> QPushButton:
        code = same[0][1].code
        more = QPushButton(f"{len(same) - 1} more like this")
        more.setProperty("kind", "link")
        more.setStyleSheet("text-align: left;")
        more.setToolTip("Show each of them")

        def show_all() -> None:
            self._opened.add(code)
            self._shown = None
            self.refresh()

        more.clicked.connect(lambda _c=False: show_all())
        return more

    # ---- a card

    def _card(self, board: Board, finding: Finding) -> QFrame:
        s = self.session
        lengths = lengths_in(s.job.unit)
        card = QFrame()
        card.setProperty("kind", "card")
        column = QVBoxLayout(card)
        column.setContentsMargins(8, 7, 8, 6)
        column.setSpacing(3)
        top = QHBoxLayout()
        top.setSpacing(7)
        sign = QLabel()
        sign.setPixmap(icons.pixmap(_ICONS[finding.severity], getattr(self.tokens, _HUES[finding.severity]), 16))
        sign.setToolTip(_WORDS[finding.severity])
        sign.setAlignment(Qt.AlignmentFlag.AlignTop)
        top.addWidget(sign)
        words = worded(finding.words, lengths)
        if self._is_all and board.id != s.board_id:
            words = f"{board.name}: {words}"
        said = QLabel(words)
        said.setWordWrap(True)
        top.addWidget(said, 1)
        column.addLayout(top)
        if finding.mend:
            column.addWidget(label(worded(finding.mend, lengths), "note"))
        column.addWidget(self._buttons_of(board, finding))
        return card

    def _buttons_of(self, board: Board, finding: Finding) -> QWidget:
        holder = QWidget()
        line = QHBoxLayout(holder)
        line.setContentsMargins(0, 1, 0, 0)
        line.setSpacing(4)

        def add(words: str, tip: str, kind: str, run: Callable[[], object]) -> None:
            button = QPushButton(words)
            button.setProperty("kind", kind)
            button.setToolTip(tip)
            button.clicked.connect(lambda _c=False: run())
            line.addWidget(button)

        remedy = self._remedy(board, finding)
        if remedy is not None:
            words, _ = remedy
            add(words, "Do this now; Undo takes it back", "add", lambda: self.mend(board.id, finding))
        if finding.at is not None or board.cut(finding.subject) is not None:  # type: ignore[arg-type]
            add(
                "Show",
                "Show the place on the plan, in the section and in the sequence",
                "link",
                lambda: self.show_place(board.id, finding),
            )
        line.addStretch(1)
        add("Dismiss", "Keep quiet about this until it changes", "link", lambda: self.dismiss(board.id, finding))
        return holder

    # ---- what is done

    def mend(self, board_id: BoardId, finding: Finding) -> None:
        board = self.session.job.board(board_id)
        made = self._remedy(board, finding) if board is not None else None
        if made is not None:
            self.session.apply(made[1])

    def _remedy(self, board: Board, finding: Finding) -> tuple[str, Edit] | None:
        plan = self.session.planning.plan_of(board.id)
        pins = [place for shift in plan.shifts for place in shift.places] if plan is not None else []
        return remedy_for(self.session.job, board, finding, pins)

    def show_place(self, board_id: BoardId, finding: Finding) -> None:
        if board_id != self.session.board_id:
            self.session.show_board(board_id)
        self.session.place_wanted.emit(finding)

    def dismiss(self, board_id: BoardId, finding: Finding) -> None:
        self.session.apply(looking.dismiss(self.session.job, board_id, key_of(finding)))

    def _recall_all(self) -> None:
        for board in self.session.job.boards if self._is_all else (self.session.board,):
            if board.dismissed:
                self.session.apply(looking.recall(self.session.job, board.id))

    def _choose_scope(self, value: str) -> None:
        self._is_all = value == "all"
        self._scope.show_value(value)
        self.refresh()


def _alike(found: list[tuple[Board, Finding]]) -> list[list[tuple[Board, Finding]]]:
    """Findings of one kind and weight together, where there are more than two, in the order of the first of each."""
    by_kind: dict[tuple[str, Severity], list[tuple[Board, Finding]]] = {}
    for board, finding in found:
        by_kind.setdefault((finding.code, finding.severity), []).append((board, finding))
    return [part for same in by_kind.values() for part in ([same] if len(same) > 2 else [[one] for one in same])]
