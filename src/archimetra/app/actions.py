"""What a person can do from anywhere, as rows: menus, keys, tooltips and tests share them."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QWidget


class Row(NamedTuple):
    """``intent`` names a method of the window."""

    id: str
    text: str
    keys: str
    intent: str


ROWS: tuple[Row, ...] = (
    Row("new", "New job", "Ctrl+N", "new_job"),
    Row("open", "Open …", "Ctrl+O", "ask_open"),
    Row("save", "Save", "Ctrl+S", "save"),
    Row("save-as", "Save as …", "Ctrl+Shift+S", "ask_save_as"),
    Row("demo", "Open the Quay tide clock", "", "open_demo"),
    Row("bring-in", "Bring in artwork …", "Ctrl+I", "bring_in"),
    Row("write", "Write the files …", "Ctrl+E", "write_files"),
    Row("undo", "Undo", "Ctrl+Z", "undo"),
    Row("redo", "Redo", "Ctrl+Shift+Z", "redo"),
    Row("pick-all", "Pick all shapes", "Ctrl+A", "pick_all"),
    Row("copy", "Copy", "Ctrl+C", "copy_picked"),
    Row("paste", "Paste", "Ctrl+V", "paste"),
    Row("duplicate", "Duplicate", "Ctrl+D", "duplicate_picked"),
    Row("group", "Group", "Ctrl+G", "group_picked"),
    Row("ungroup", "Ungroup", "Ctrl+Shift+G", "ungroup_picked"),
    Row("remove", "Remove picked shapes", "Delete", "remove_picked"),
    Row("centre", "Centre on the sheet", "C", "centre_picked"),
    Row("profile", "Add a profile to what is picked", "P", "add_profile"),
    Row("fit", "Show the whole sheet", "F", "fit"),
    Row("snap", "Snapping on or off", "S", "toggle_snapping"),
    Row("play", "Play or pause", "Space", "toggle_play"),
    Row("back", "One move back", ",", "move_back"),
    Row("on", "One move on", ".", "move_on"),
    Row("cut-back", "One cut back", "[", "cut_back"),
    Row("cut-on", "One cut on", "]", "cut_on"),
    Row("theme", "Light, dark or as the system", "", "next_theme"),
    Row("fold", "Fold the page away or back", "Ctrl+B", "toggle_page"),
    Row("station-1", "Board", "Ctrl+1", "station_board"),
    Row("station-2", "Artwork", "Ctrl+2", "station_artwork"),
    Row("station-3", "Cuts", "Ctrl+3", "station_cuts"),
    Row("station-4", "Output", "Ctrl+4", "station_output"),
    Row("help", "Keys and first steps", "F1", "show_help"),
    Row("quit", "Quit", "Ctrl+Q", "close"),
)

FILE_MENU = ("new", "open", "save", "save-as", "", "bring-in", "write", "", "demo", "help", "", "theme", "quit")


def make_actions(window: QWidget) -> dict[str, QAction]:
    """All rows as actions of the window; single letters do nothing while a field is typed into."""
    out = {}
    for row in ROWS:
        action = QAction(row.text, window)
        if row.keys:
            action.setShortcut(QKeySequence(row.keys))
        intent: Callable[[], object] = getattr(window, row.intent)
        action.triggered.connect(lambda _checked=False, run=intent: run())
        window.addAction(action)
        out[row.id] = action
    return out
