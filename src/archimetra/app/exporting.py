"""Pictures and drawings of what the window shows, as files."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import NamedTuple

from PySide6.QtCore import QBuffer, QIODevice, QRectF, QSize, Qt
from PySide6.QtGui import QImage, QPainter
from PySide6.QtSvg import QSvgGenerator
from PySide6.QtWidgets import QFileDialog

from archimetra.app.document_window import DocumentWindow
from archimetra.app.views.plan_view import PlanView
from archimetra.app.views.section_view import SectionView
from archimetra.app.views.tilted_view import TiltedView
from archimetra.base.files import write_safely
from archimetra.job.sections import section_letter

PX_PER_MM = 4.0  # of the section as a picture
LARGEST_PX = 12_000
_DOTS = 96


class PictureViews(NamedTuple):
    """What pictures are taken of."""

    plan: PlanView
    tilted: TiltedView


class Exporting:
    def __init__(self, window: DocumentWindow, section: SectionView, views: PictureViews) -> None:
        self._window, self._section, self._views = window, section, views
        section.export_wanted.connect(self.ask_section)

    def _start(self, name: str) -> str:
        session = self._window.session
        folder = session.path.parent if session.path is not None else FilePath.home()
        return str(folder / f"{session.job.name} {session.board.name} {name}")

    def show_pictures(self) -> None:
        """A page on which a person chooses what of the board is saved as a picture or a film."""
        from archimetra.app.pictures import PicturesPage

        page = PicturesPage(self._views.tilted, self.write_plan, self._window)
        page.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        page.open()

    def write_plan(self, path: FilePath, width: int) -> str:
        """The plan as it is shown, as a PNG so many pixels wide; what went wrong, or ''."""
        view = self._views.plan
        ratio = width / view.width()
        image = QImage(width, round(view.height() * ratio), QImage.Format.Format_RGB32)
        image.setDevicePixelRatio(ratio)
        view.render(image)
        try:
            write_safely(path, _png(image))
        except OSError as error:
            return f"{path} could not be written: {error.strerror}. Choose another place."
        return ""

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
