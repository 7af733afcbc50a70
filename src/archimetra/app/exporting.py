"""Pictures and drawings of what the window shows, as files."""

from __future__ import annotations

from pathlib import Path as FilePath

from PySide6.QtCore import QBuffer, QIODevice, QRectF, QSize
from PySide6.QtGui import QImage, QPainter
from PySide6.QtSvg import QSvgGenerator
from PySide6.QtWidgets import QFileDialog, QStackedWidget

from archimetra.app.document_window import DocumentWindow
from archimetra.app.views.section_view import SectionView
from archimetra.base.files import write_safely
from archimetra.job.sections import section_letter

PX_PER_MM = 4.0  # of the section as a picture
LARGEST_PX = 12_000
PICTURE_RATIO = 2
_DOTS = 96


class Exporting:
    def __init__(self, window: DocumentWindow, section: SectionView, plans: QStackedWidget) -> None:
        """``plans`` shows the plan or the tilted view."""
        self._window, self._section, self._plans = window, section, plans
        section.export_wanted.connect(self.ask_section)

    def _start(self, name: str) -> str:
        session = self._window.session
        folder = session.path.parent if session.path is not None else FilePath.home()
        return str(folder / f"{session.job.name} {session.board.name} {name}")

    def ask_picture(self) -> None:
        """The plan or the tilted view as it is shown, twice as fine."""
        path, _ = QFileDialog.getSaveFileName(
            self._window, "Save the picture", self._start("plan.png"), "Pictures (*.png)"
        )
        if path:
            self.write_picture(FilePath(path))

    def write_picture(self, path: FilePath) -> None:
        view = self._plans.currentWidget()
        if view is None:
            return
        image = QImage(view.size() * PICTURE_RATIO, QImage.Format.Format_RGB32)
        image.setDevicePixelRatio(PICTURE_RATIO)
        view.render(image)
        self._write(
            path if path.suffix.lower() == ".png" else path.with_name(path.name + ".png"), _png(image), "picture"
        )

    def _write(self, path: FilePath, data: bytes, what: str) -> None:
        try:
            write_safely(path, data)
        except OSError as error:
            self._window.say("stop", f"{path} could not be written: {error.strerror}. Choose another place.")
        else:
            self._window.say("note", f"The {what} is in {path}.")

    def ask_section(self) -> None:
        """The section as an SVG drawing to scale, or as a PNG picture, by the ending of the name."""
        letter = section_letter(self._window.session.playhead.section)
        path, _ = QFileDialog.getSaveFileName(
            self._window,
            "Save the section",
            self._start(f"section {letter}.svg"),
            "Drawings to scale (*.svg);;Pictures (*.png)",
        )
        if path:
            self.write_section(FilePath(path))

    def write_section(self, path: FilePath) -> None:
        if path.suffix.lower() not in (".svg", ".png"):
            path = path.with_name(path.name + ".svg")
        self._write(path, self.section_svg() if path.suffix.lower() == ".svg" else self.section_png(), "section")

    def section_svg(self) -> bytes:
        """A drawing in which a millimetre of the board is one millimetre."""
        canvas = self._section.canvas
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
        canvas = self._section.canvas
        width, height = canvas.paint_to_scale(QPainter(), PX_PER_MM)
        mm = PX_PER_MM * min(1.0, LARGEST_PX / max(width, 1.0))
        width, height = canvas.paint_to_scale(QPainter(), mm)
        image = QImage(max(round(width), 1), max(round(height), 1), QImage.Format.Format_RGB32)
        image.fill(canvas.tokens.color("panel"))
        painter = QPainter(image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.TextAntialiasing)
        canvas.paint_to_scale(painter, mm)
        painter.end()
        return _png(image)


def _png(image: QImage) -> bytes:
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")  # type: ignore[call-overload]  # the stub wants bytes, the method str
    return bytes(buffer.data().data())
