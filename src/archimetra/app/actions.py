"""What a person can do from anywhere, as rows: menus, keys, tooltips and tests share them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from operator import attrgetter
from typing import NamedTuple

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu, QWidget

from archimetra.app.widgets.unfinished import unfinished


class Row(NamedTuple):
    """``intent`` names a method of the window, or of a part of it. The keys of a row ``of_views`` act while the plan, the section or the
    sequence has the focus; elsewhere they belong to what has it: a letter to a list, Space to a button."""

    id: str
    text: str
    keys: str
    intent: str
    of_views: bool = False


ROWS: tuple[Row, ...] = (
    Row("new", "New job", "Ctrl+N", "documents.new_job"),
    Row("open", "Open …", "Ctrl+O", "documents.ask_open"),
    Row("save", "Save", "Ctrl+S", "documents.save"),
    Row("save-as", "Save as …", "Ctrl+Shift+S", "documents.ask_save_as"),
    Row("demo", "Open the Quay tide clock", "", "documents.open_demo"),
    Row("bring-in", "Bring in artwork …", "Ctrl+I", "bring_in"),
    Row("write", "Write the files …", "Ctrl+E", "write_files"),
    Row("read-program", "Read a program …", "", "read_program"),
    Row("picture", "Save a picture or a film …", "Ctrl+Shift+P", "exporting.show_pictures"),
    Row("undo", "Undo", "Ctrl+Z", "undo"),
    Row("redo", "Redo", "Ctrl+Shift+Z", "redo"),
    Row("pick-all", "Pick all shapes", "Ctrl+A", "shapes.pick_all"),
    Row("copy", "Copy", "Ctrl+C", "shapes.copy_picked"),
    Row("paste", "Paste", "Ctrl+V", "shapes.paste"),
    Row("duplicate", "Duplicate", "Ctrl+D", "shapes.duplicate_picked"),
    Row("group", "Group", "Ctrl+G", "shapes.group_picked"),
    Row("ungroup", "Ungroup", "Ctrl+Shift+G", "shapes.ungroup_picked"),
    Row("remove", "Remove picked shapes", "Delete", "shapes.remove_picked", True),
    Row("centre", "Centre on the sheet", "C", "shapes.centre_picked", True),
    Row("profile", "Add a profile to what is picked", "P", "shapes.add_profile", True),
    Row("next", "Pick the next shape", "N", "shapes.pick_next", True),
    Row("previous", "Pick the shape before", "Shift+N", "shapes.pick_previous", True),
    Row("fit", "Show the whole sheet", "F", "fit", True),
    Row("tilt", "Tilt the plan, and back", "T", "tilting.toggle", True),
    Row("show-wood", "Show the wood alone", "1", "shows.wood", True),
    Row("show-work", "Show the stock with the picked cut's paths", "2", "shows.work", True),
    Row("show-lines", "Show the artwork without stock", "3", "shows.lines", True),
    Row("show-stock", "Stock", "K", "shows.stock", True),
    Row("show-artwork", "Artwork", "A", "shows.artwork", True),
    Row("show-picked", "Paths of the picked cut", "O", "shows.picked", True),
    Row("show-all", "Paths of all cuts", "L", "shows.all", True),
    Row("show-travel", "Travel", "V", "shows.travel", True),
    Row("show-marks", "Entries and tabs", "E", "shows.marks", True),
    Row("show-findings", "Findings", "W", "shows.findings", True),
    Row("show-clamps", "Clamps", "M", "shows.clamps", True),
    Row("show-offcuts", "Offcuts, once all is cut", "D", "shows.offcuts", True),
    Row("show-guides", "Guides, zero and section line", "G", "shows.guides", True),
    Row("snap", "Snapping on or off", "S", "toggle_snapping", True),
    Row("line-up", "Section line up by 1 mm", "PgUp", "views.line_up", True),
    Row("line-down", "Section line down by 1 mm", "PgDown", "views.line_down", True),
    Row("line-far-up", "Section line up by 10 mm", "Shift+PgUp", "views.line_far_up", True),
    Row("line-far-down", "Section line down by 10 mm", "Shift+PgDown", "views.line_far_down", True),
    Row("play", "Play or pause", "Space", "toggle_play", True),
    Row("back", "One move back", ",", "views.move_back", True),
    Row("on", "One move on", ".", "views.move_on", True),
    Row("pass-back", "One pass back", "Ctrl+,", "views.pass_back", True),
    Row("pass-on", "One pass on", "Ctrl+.", "views.pass_on", True),
    Row("loop", "Loop the shown cut, or no more", "R", "sequence.toggle_loop", True),
    Row("cut-back", "One cut back", "[", "views.cut_back", True),
    Row("cut-on", "One cut on", "]", "views.cut_on", True),
    Row("copy-cut", "Copy this cut", "", "cuts.copy_cut"),
    Row("switch-cut", "Switch this cut on or off", "", "cuts.switch_cut"),
    Row("pick-of-cut", "Pick what it cuts", "", "cuts.pick_of_cut"),
    Row("remove-cut", "Remove this cut", "", "cuts.remove_cut"),
    Row("rename-board", "Rename the board …", "", "boards.rename_board"),
    Row("duplicate-board", "Duplicate the board", "", "boards.duplicate_board"),
    Row("board-left", "Board further left", "", "boards.board_left"),
    Row("board-right", "Board further right", "", "boards.board_right"),
    Row("remove-board", "Remove the board", "", "boards.remove_board"),
    Row("earlier", "The shown cut earlier in the order", "Ctrl+Up", "cuts.cut_earlier"),
    Row("later", "The shown cut later in the order", "Ctrl+Down", "cuts.cut_later"),
    Row("new-file", "A new file begins with the shown cut, or no longer", "", "cuts.toggle_file"),
    Row("area", "On to the next part of the window", "F6", "next_area"),
    Row("area-back", "Back to the part of the window before", "Shift+F6", "area_before"),
    Row("shop", "The shop, and how it looks …", "", "show_shop"),
    Row("theme", "Light, dark or as the system", "", "next_theme"),
    Row("fold", "Fold the page away or back", "Ctrl+B", "toggle_page"),
    Row("station-board", "Board", "Ctrl+1", "station_board"),
    Row("station-artwork", "Artwork", "Ctrl+2", "station_artwork"),
    Row("station-cuts", "Cuts", "Ctrl+3", "station_cuts"),
    Row("station-layout", "Layout", "Ctrl+4", "station_layout"),
    Row("station-check", "Check", "Ctrl+5", "station_check"),
    Row("station-output", "Output", "Ctrl+6", "station_output"),
    Row("station-machine", "Machine", "Ctrl+7", "station_machine"),
    Row("halt", "Stop the machine", "F9", "halt"),
    Row("help", "Keys and first steps", "F1", "show_help"),
    Row("quit", "Quit", "Ctrl+Q", "close"),
)

FILE_MENU = (
    "new",
    "open",
    "save",
    "save-as",
    "",
    "bring-in",
    "write",
    "read-program",
    "picture",
    "",
    "demo",
    "help",
    "",
    "shop",
    "theme",
    "quit",
)


# what a press of the right button offers, by what it is pressed on; '' draws a line
SHAPE_MENU = (
    "profile", "centre", "", "duplicate", "copy", "paste", "group", "ungroup", "", "next", "pick-all", "", "remove",
)  # fmt: skip
PLAN_MENU = ("paste", "pick-all", "bring-in", "", "fit", "snap")
CUT_MENU = ("pick-of-cut", "copy-cut", "switch-cut", "earlier", "later", "new-file", "", "remove-cut")
BOARD_MENU = ("rename-board", "duplicate-board", "board-left", "board-right", "", "remove-board")

_LEAVE_TYPING = ("undo", "redo")  # while something is typed these are the field's


def make_actions(window: QWidget) -> dict[str, QAction]:
    """All rows as actions of the window. What is being typed is taken before anything is done."""
    out = {}
    for row in ROWS:
        action = QAction(row.text, window)
        if row.keys:
            action.setShortcut(QKeySequence(row.keys))
        if row.of_views:
            action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
        intent: Callable[[], object] = attrgetter(row.intent)(window)
        action.triggered.connect(lambda _checked=False, run=intent, id_=row.id: _run(run, id_))
        window.addAction(action)
        out[row.id] = action
    return out


def menu_of(parent: QWidget, ids: Sequence[str], actions: dict[str, QAction]) -> QMenu:
    """A menu of some rows, with their keys."""
    menu = QMenu(parent)
    for id_ in ids:
        if id_:
            menu.addAction(actions[id_])
        else:
            menu.addSeparator()
    return menu


def pop_up(menu: QMenu, at: QPoint) -> None:
    """Show a menu at a place of the screen until something is chosen or it is left."""
    menu.exec(at)


def add_view_keys(view: QWidget, actions: dict[str, QAction]) -> None:
    """Let the keys of the views act while this one has the focus."""
    for row in ROWS:
        if row.of_views:
            view.addAction(actions[row.id])


def _run(intent: Callable[[], object], id_: str) -> None:
    if id_ not in _LEAVE_TYPING:
        unfinished.settle()
    intent()
