"""Pictures and drawings of what the window shows, as files."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import TYPE_CHECKING

from PySide6.QtCore import QBuffer, QIODevice, QRectF, QSize
from PySide6.QtGui import QImage, QPainter
from PySide6.QtSvg import QSvgGenerator
from PySide6.QtWidgets import QFileDialog

from archimetra.app.document_window import DocumentWindow
from archimetra.base.files import write_safely
from archimetra.job.sections import section_letter

if TYPE_CHECKING:
    from archimetra.app.window import MainWindow

PX_PER_MM = 4.0  # of the section as a picture
LARGEST_PX = 12_000
_DOTS = 96


class Exporting:
    def __init__(self, window: DocumentWindow) -> None:
        self._window: MainWindow = window  # type: ignore[assignment]

    def ask_section(self) -> None:
        """The section as an SVG drawing to scale, or as a PNG picture, by the ending of the name."""
        session = self._window.session
        letter = section_letter(session.playhead.section)
        name = f"{session.job.name} {session.board.name} section {letter}.svg"
        start = session.path.parent / name if session.path is not None else FilePath.home() / name
        path, _ = QFileDialog.getSaveFileName(
            self._window, "Save the section", str(start), "Drawings to scale (*.svg);;Pictures (*.png)"
        )
        if path:
            self.write_section(FilePath(path))

    def write_section(self, path: FilePath) -> None:
        if path.suffix.lower() not in (".svg", ".png"):
            path = path.with_name(path.name + ".svg")
        try:
            write_safely(path, self.section_svg() if path.suffix.lower() == ".svg" else self.section_png())
        except OSError as error:
            self._window.say("stop", f"{path} could not be written: {error.strerror}. Choose another place.")
        else:
            self._window.say("note", f"The section is in {path}.")

    def section_svg(self) -> bytes:
        """A drawing in which a millimetre of the board is one millimetre."""
        canvas = self._window.section.canvas
        scale = _DOTS / 25.4
        width, height = canvas.paint_to_scale(QPainter(), scale)
        buffer = QBuffer()
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        svg = QSvgGenerator()
        svg.setOutputDevice(buffer)
        svg.setResolution(_DOTS)
        svg.setSize(QSize(round(width), round(height)))
        svg.setViewBox(QRectF(0, 0, width, height))
        svg.setTitle(f"{self._window.session.job.name}, {self._window.session.board.name}")
        painter = QPainter(svg)
        canvas.paint_to_scale(painter, scale)
        painter.end()
        return bytes(buffer.data().data())

    def section_png(self) -> bytes:
        canvas = self._window.section.canvas
        width, height = canvas.paint_to_scale(QPainter(), PX_PER_MM)
        mm = PX_PER_MM * min(1.0, LARGEST_PX / max(width, 1.0))
        width, height = canvas.paint_to_scale(QPainter(), mm)
        image = QImage(max(round(width), 1), max(round(height), 1), QImage.Format.Format_RGB32)
        image.fill(self._window.tokens.color("panel"))
        painter = QPainter(image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.TextAntialiasing)
        canvas.paint_to_scale(painter, mm)
        painter.end()
        buffer = QBuffer()
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        image.save(buffer, "PNG")  # type: ignore[call-overload]  # the stub wants bytes, the method str
        return bytes(buffer.data().data())
