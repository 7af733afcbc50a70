"""Cuts kept for other artwork, and applied to it layer by layer."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path as FilePath

from PySide6.QtWidgets import QHBoxLayout, QInputDialog, QMenu, QPushButton

from archimetra.app.session import Session
from archimetra.app.stations.page import shown
from archimetra.app.widgets.form import Form
from archimetra.base.errors import ArchimetraError
from archimetra.edits import kits


class SavedCuts(Form):
    """``tell`` says what went wrong."""

    def __init__(self, session: Session, tell: Callable[[str], None]) -> None:
        super().__init__()
        self._session, self._tell = session, tell
        self._save = QPushButton("Save these cuts …")
        self._save.setToolTip("Keep them for other artwork, layer by layer")
        self._save.clicked.connect(self._ask_name)
        self._apply = QPushButton("Apply saved cuts …")
        self._apply.setToolTip("Cuts saved before, on the layers of this board that bear the same names")
        self._apply.clicked.connect(self._ask_which)
        row = QHBoxLayout()
        row.setContentsMargins(0, 2, 0, 0)
        row.setSpacing(6)
        row.addWidget(self._save)
        row.addWidget(self._apply)
        row.addStretch(1)
        self.column.addLayout(row)

    def refresh(self) -> None:
        board = self._session.board
        shown(self, bool(board.cuts) or (bool(board.layers) and bool(kits.saved_kits())))
        self._save.setEnabled(bool(board.cuts))

    def _ask_name(self) -> None:
        board = self._session.board
        name, is_ok = QInputDialog.getText(self.window(), "Save these cuts", "Name to find them by", text=board.name)
        name = name.strip()[:60]
        if is_ok and name:
            try:
                kits.save_kit(kits.kit_of(self._session.job, board.id, name))
            except ArchimetraError as error:
                self._tell(str(error))
                return
            words = f"The cuts are saved as {name}. Apply them on any board whose layers bear the same names."
            self._session.said.emit("note", words)

    def _ask_which(self) -> None:
        saved = kits.saved_kits()
        menu = QMenu(self._apply)
        for name in saved:
            menu.addAction(name)
        if not saved:
            menu.addAction("No cuts are saved yet").setEnabled(False)
        chosen = menu.exec(self._apply.mapToGlobal(self._apply.rect().bottomLeft()))
        if chosen is not None and chosen.text() in saved:
            self.apply_file(saved[chosen.text()])

    def apply_file(self, path: FilePath) -> None:
        """Put the cuts of a file on the shown board."""
        s = self._session
        try:
            laid = kits.lay_kit(s.job, s.board.id, kits.load_kit(path))
        except ArchimetraError as error:
            self._tell(str(error))
            return
        s.apply(laid.edit)
        words = f"{len(laid.cuts)} cut{'' if len(laid.cuts) == 1 else 's'} applied."
        if laid.missing:
            words += f" This board has no layer named {', '.join(laid.missing)}."
        s.said.emit("note" if laid.cuts else "caution", words)
