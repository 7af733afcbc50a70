"""What dialogs of this program have in common."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QPushButton


def no_button_by_return(dialog: QDialog) -> None:
    """Keep Return, which takes what was typed into a field, from pressing a button as well."""
    for button in dialog.findChildren(QPushButton):
        button.setAutoDefault(False)
        button.setDefault(False)
