"""The job sheet on screen: its pages as they will be printed, saved as PDF or text, or sent to a printer."""

from __future__ import annotations

import tempfile
from pathlib import Path as FilePath

from PySide6.QtCore import QRect, QSize, Qt, Signal
from PySide6.QtGui import QCloseEvent, QImage, QPainter, QPixmap
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from archimetra.app.session import Session
from archimetra.app.theme import style
from archimetra.app.widgets.dialogs import no_button_by_return
from archimetra.app.widgets.fields import ChoiceRow, label, show_kind
from archimetra.base.files import write_safely
from archimetra.engine.picture_process import PictureEvent, PictureMaker, PictureRequest, What

PAGE_PX = 720
PRINT_DPI = 200
_PDF_DPI = 72


class JobSheetPage(QDialog):
    """The sheet is made beside the window; what is saved or printed is what is shown."""

    _event = Signal(object)

    def __init__(self, session: Session, window: QWidget) -> None:
        super().__init__(window)
        self.setWindowTitle("Job sheet")
        self.setObjectName("pageBody")
        self._session = session
        self._folder = tempfile.TemporaryDirectory(prefix="archimetra-sheet-")
        self._maker = PictureMaker(self._event.emit)
        self._event.connect(self._take, Qt.ConnectionType.QueuedConnection)
        self._which, self._paper, self._pdf = "board", "a4", b""
        self._text_to: FilePath | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 14)
        head = QHBoxLayout()
        self._boards = ChoiceRow("Boards", (("board", "This board"), ("all", "All boards")))
        self._papers = ChoiceRow("Paper", (("a4", "A4"), ("letter", "Letter")))
        for row, width, chosen in ((self._boards, 220, self._choose_boards), (self._papers, 130, self._choose_paper)):
            row.setFixedWidth(style.scaled(width))
            row.chosen.connect(chosen)
            head.addWidget(row)
            head.addSpacing(10)
        head.addStretch(1)
        self._count = label("", "note")
        self._count.setWordWrap(False)
        head.addWidget(self._count)
        column.addLayout(head)
        self._progress = QProgressBar()
        self._progress.setRange(0, 1000)
        self._progress.setTextVisible(False)
        self._progress.setFixedHeight(style.scaled(6))
        column.addWidget(self._progress)
        self._pages = QWidget()
        self._pages_column = QVBoxLayout(self._pages)
        self._pages_column.setSpacing(14)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self._pages)
        scroll.setAccessibleName("Pages of the job sheet")
        column.addWidget(scroll, 1)
        self._told = label("", "note")
        column.addWidget(self._told)
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        self._buttons = []
        for words, does in (
            ("Close", self.close),
            ("Save as text …", self._ask_text),
            ("Print …", self._print),
            ("Save as PDF …", self._ask_pdf),
        ):
            button = QPushButton(words)
            button.clicked.connect(does)
            buttons.addWidget(button)
            self._buttons.append(button)
        self._buttons[-1].setProperty("kind", "main")
        column.addLayout(buttons)
        self.resize(style.scaled(PAGE_PX + 90), min(style.scaled(820), window.height() - 40))
        no_button_by_return(self)
        self._make()

    # ---- making it

    def _choose_boards(self, which: str) -> None:
        self._which = which
        self._make()

    def _choose_paper(self, paper: str) -> None:
        self._paper = paper
        self._make()

    def _make(self) -> None:
        self._boards.show_value(self._which)
        self._papers.show_value(self._paper)
        self._pdf = b""
        self._start(FilePath(self._folder.name) / "sheet.pdf")

    def _start(self, path: FilePath) -> None:
        self._say("")
        self._progress.setValue(0)
        self._progress.setVisible(True)
        for button in self._buttons[1:]:
            button.setEnabled(False)
        session = self._session
        self._maker.start(
            PictureRequest(
                What.SHEET, session.job, session.board_id, str(path), (0, 0), all_boards=self._which == "all", paper=self._paper
            )
        )  # fmt: skip

    def _take(self, event: PictureEvent) -> None:
        self._progress.setValue(round(1000 * event.share))
        if not event.is_last:
            return
        self._progress.setVisible(False)
        if event.problem:
            self._say(event.problem, is_wrong=True)
        elif self._text_to is not None:
            self._say(f"It is in {self._text_to}.")
        else:
            self._pdf = (FilePath(self._folder.name) / "sheet.pdf").read_bytes()
            self._show_pages()
        self._text_to = None
        for button in self._buttons[1:]:
            button.setEnabled(bool(self._pdf))

    def pages(self, dpi: float) -> list[QImage]:
        """The pages as pictures."""
        import pypdfium2

        out = []
        document = pypdfium2.PdfDocument(self._pdf)
        try:
            for page in document:
                pixels = page.render(scale=dpi / _PDF_DPI).to_pil().convert("RGB")
                data = pixels.tobytes()
                image = QImage(data, pixels.width, pixels.height, 3 * pixels.width, QImage.Format.Format_RGB888)
                out.append(image.copy())
        finally:
            document.close()
        return out

    def _show_pages(self) -> None:
        while self._pages_column.count():
            item = self._pages_column.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        ratio = self.devicePixelRatioF()
        images = self.pages(PAGE_PX * ratio / 8.27)
        for number, image in enumerate(images, 1):
            image.setDevicePixelRatio(ratio)
            page = QLabel()
            page.setPixmap(QPixmap.fromImage(image))
            page.setAccessibleName(f"Page {number}")
            self._pages_column.addWidget(page, 0, Qt.AlignmentFlag.AlignHCenter)
        self._pages_column.addStretch(1)
        self._count.setText(f"{len(images)} page{'' if len(images) == 1 else 's'}")

    # ---- taking it along

    def _start_at(self, ending: str) -> str:
        session = self._session
        folder = session.path.parent if session.path is not None else FilePath.home()
        what = session.board.name if self._which == "board" else "all boards"
        return str(folder / f"{session.job.name} {what} job sheet.{ending}".replace("/", "-").lstrip("-"))

    def _ask_pdf(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Save the job sheet", self._start_at("pdf"), "PDF (*.pdf)")
        if path:
            self.save_pdf(FilePath(path))

    def save_pdf(self, path: FilePath) -> None:
        """Write what is shown."""
        path = path if path.suffix.lower() == ".pdf" else path.with_name(path.name + ".pdf")
        try:
            write_safely(path, self._pdf)
        except OSError as error:
            self._say(f"{path} could not be written: {error.strerror or error}. Choose another place.", is_wrong=True)
        else:
            self._say(f"It is in {path}.")

    def _ask_text(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Save the job sheet", self._start_at("txt"), "Text (*.txt)")
        if path:
            self.save_text(FilePath(path))

    def save_text(self, path: FilePath) -> None:
        path = path if path.suffix.lower() == ".txt" else path.with_name(path.name + ".txt")
        self._text_to = path
        self._start(path)

    def _print(self) -> None:
        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        dialog = QPrintDialog(printer, self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.print_on(printer)

    def print_on(self, printer: QPrinter) -> None:
        """Each page as large as the paper."""
        printer.setFullPage(True)
        painter = QPainter()
        if not painter.begin(printer):
            self._say(
                "The printer did not take the pages. Look whether it is ready, or save the sheet as PDF.", is_wrong=True
            )
            return
        for number, image in enumerate(self.pages(PRINT_DPI)):
            if number:
                printer.newPage()
            room = QSize(painter.viewport().size())
            size = image.size().scaled(room, Qt.AspectRatioMode.KeepAspectRatio)
            painter.drawImage(QRect((room.width() - size.width()) // 2, 0, size.width(), size.height()), image)
        painter.end()

    def _say(self, words: str, *, is_wrong: bool = False) -> None:
        self._told.setText(words)
        show_kind(self._told, "stop" if is_wrong else "note")
        self._told.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)

    def closeEvent(self, event: QCloseEvent) -> None:
        self._end()
        super().closeEvent(event)

    def reject(self) -> None:
        self._end()
        super().reject()

    def _end(self) -> None:
        self._maker.stop()
        self._folder.cleanup()
