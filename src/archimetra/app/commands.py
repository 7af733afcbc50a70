"""What menus and keys do with the shapes, the cut, the board and the views: one object for each, named by the rows of ``actions``."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QBuffer, QIODevice
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QInputDialog

from archimetra.app.document_window import DocumentWindow
from archimetra.app.playback import Playback
from archimetra.app.session import Session
from archimetra.edits import basic as edits
from archimetra.edits import cutting, repeating
from archimetra.edits.writing import begin_file

if TYPE_CHECKING:
    from archimetra.app.stations.artwork_page import ArtworkPage


class CommandWindow(DocumentWindow):
    """The window as commands see it."""

    @property
    def artwork_page(self) -> ArtworkPage:
        raise NotImplementedError


class ShapeCommands:
    """Picking, copying, pasting, grouping, and a profile for what is picked."""

    def __init__(self, window: CommandWindow) -> None:
        self._window, self._session = window, window.session
        self._copied = ""  # what this window put on the clipboard

    def pick_all(self) -> None:
        locked = {layer.id for layer in self._session.board.layers if layer.is_locked or not layer.is_shown}
        self._session.pick([shape.id for shape in self._session.board.shapes if shape.layer not in locked])

    def copy_picked(self) -> None:
        text = self._session.copy_picked()
        if text:
            QGuiApplication.clipboard().setText(text)
            self._copied = text
            self._window.say("note", "Copied; paste it on this board or another, or in a drawing program.")

    def paste(self) -> None:
        """What is on the clipboard: shapes copied here, a drawing as SVG text, or a picture."""
        board = QGuiApplication.clipboard()
        text = board.text()
        if text and text == self._copied:
            self._session.paste_copied()
        elif "<svg" in text[:2000]:
            self._read_pasted(text.encode("utf-8"), "pasted.svg")
        elif not board.image().isNull():
            buffer = QBuffer()
            buffer.open(QIODevice.OpenModeFlag.WriteOnly)
            board.image().save(buffer, "PNG")  # type: ignore[call-overload]  # the stub wants bytes, the method str
            self._read_pasted(bytes(buffer.data().data()), "pasted.png")
        else:
            self._window.say("caution", "There is nothing to paste: copy shapes, an SVG drawing or a picture first.")

    def _read_pasted(self, data: bytes, name: str) -> None:
        self._window.show_station("artwork")
        self._window.artwork_page.show_panel("Bring in")
        self._window.artwork_page.bring.read_data(data, name)

    def group_picked(self) -> None:
        self._window.artwork_page.place.group()

    def ungroup_picked(self) -> None:
        self._window.artwork_page.place.ungroup()

    def duplicate_picked(self) -> None:
        if self._session.picked:
            s = self._session
            edit, ids = repeating.duplicate(s.job, s.board.id, s.picked, 10.0, -10.0)
            s.apply(edit)
            s.pick(ids)

    def remove_picked(self) -> None:
        self._window.artwork_page.remove()

    def pick_next(self) -> None:
        self._pick_beside(1)

    def pick_previous(self) -> None:
        self._pick_beside(-1)

    def _pick_beside(self, step: int) -> None:
        """The shape after the one picked last, in the order they are drawn; locked and hidden ones are passed over."""
        board = self._session.board
        shut = {layer.id for layer in board.layers if layer.is_locked or not layer.is_shown}
        ids = [shape.id for shape in board.shapes if shape.layer not in shut]
        if not ids:
            return
        now = next((ids.index(id_) for id_ in reversed(self._session.picked) if id_ in ids), None)
        self._session.pick([ids[0 if step > 0 else -1] if now is None else ids[(now + step) % len(ids)]])

    def centre_picked(self) -> None:
        self._window.artwork_page.centre()

    def add_profile(self) -> None:
        if self._session.picked:
            self._window.show_station("cuts")
            self._session.add_profile()


class CutCommands:
    """The cut that is shown in detail."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def copy_cut(self) -> None:
        s = self._session
        if s.cut_id is not None:
            edit, new = cutting.copy_cut(s.job, s.cut_id)
            s.apply(edit)
            s.show_cut(new)

    def switch_cut(self) -> None:
        s = self._session
        cut = s.board.cut(s.cut_id) if s.cut_id is not None else None
        if cut is not None:
            s.apply(cutting.change_cut(s.job, cut.id, "Switch cut", is_on=not cut.is_on))

    def pick_of_cut(self) -> None:
        s = self._session
        cut = s.board.cut(s.cut_id) if s.cut_id is not None else None
        if cut is not None:
            s.pick([shape.id for shape in s.board.shapes_of(cut)])

    def remove_cut(self) -> None:
        if self._session.cut_id is not None:
            self._session.apply(cutting.remove_cuts(self._session.job, (self._session.cut_id,)))

    def cut_earlier(self) -> None:
        self._shift_cut(-1)

    def cut_later(self) -> None:
        self._shift_cut(1)

    def toggle_file(self) -> None:
        """A new file with the shown cut, or none."""
        s = self._session
        cut = s.board.cut(s.cut_id) if s.cut_id is not None else None
        if cut is not None:
            s.apply(begin_file(s.job, cut.id, begins=not cut.begins_file))

    def _shift_cut(self, step: int) -> None:
        s = self._session
        order = [cut.id for cut in s.board.cuts]
        if s.cut_id in order:
            to = order.index(s.cut_id) + step
            if 0 <= to < len(order):
                s.apply(edits.reorder_cut(s.job, s.board.id, s.cut_id, to))


class BoardCommands:
    """The board that is shown."""

    def __init__(self, window: CommandWindow) -> None:
        self._window, self._session = window, window.session

    def rename_board(self) -> None:
        s = self._session
        name, is_given = QInputDialog.getText(self._window, "Archimetra", "Name of the board", text=s.board.name)
        if is_given and name.strip():
            s.apply(edits.change_board(s.job, s.board.id, "Rename board", name=name.strip()[:60]))

    def duplicate_board(self) -> None:
        edit, new = edits.duplicate_board(self._session.job, self._session.board.id)
        self._session.apply(edit)
        self._session.show_board(new)

    def board_left(self) -> None:
        self._session.apply(edits.move_board(self._session.job, self._session.board.id, -1))

    def board_right(self) -> None:
        self._session.apply(edits.move_board(self._session.job, self._session.board.id, 1))

    def remove_board(self) -> None:
        if len(self._session.job.boards) > 1:
            self._session.apply(edits.remove_board(self._session.job, self._session.board.id))

    def add_board(self) -> None:
        edit, board_id = edits.add_board(self._session.job)
        self._session.apply(edit)
        self._session.show_board(board_id)
        self._window.show_station("board")


class ViewCommands:
    """Steps through the run, and the section line by keys."""

    def __init__(self, session: Session, playback: Playback) -> None:
        self._session, self._playback = session, playback

    def move_back(self) -> None:
        self._playback.step_moves(-1)

    def move_on(self) -> None:
        self._playback.step_moves(1)

    def pass_back(self) -> None:
        self._playback.step_passes(-1)

    def pass_on(self) -> None:
        self._playback.step_passes(1)

    def cut_back(self) -> None:
        self._playback.step_cuts(-1)

    def cut_on(self) -> None:
        self._playback.step_cuts(1)

    def line_up(self) -> None:
        self._session.playhead.shift_line(1.0)

    def line_down(self) -> None:
        self._session.playhead.shift_line(-1.0)

    def line_far_up(self) -> None:
        self._session.playhead.shift_line(10.0)

    def line_far_down(self) -> None:
        self._session.playhead.shift_line(-10.0)
