"""``Imports``: artwork on its way into the document: read beside the window, shown before it lands, its report kept afterwards."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from archimetra.app.session.document import Document
from archimetra.artwork.drawing import Drawing, moved
from archimetra.artwork.report import ReportLine
from archimetra.edits import placement
from archimetra.engine.messages import ArtworkRead, ArtworkRequest
from archimetra.geometry.affine import Affine
from archimetra.job.ids import ShapeId
from archimetra.job.shapes import Source

if TYPE_CHECKING:
    from archimetra.engine.client import Engine

Picture = tuple[bytes, tuple[float, float]]  # a picture file and its size in mm


class Imports(QObject):
    reading_changed = Signal()
    read = Signal(object)  # ArtworkRead
    placing_wanted = Signal()  # what was brought in is to be placed
    preview_changed = Signal(object, object)  # the drawing about to land and the picture behind it, or None
    places_wanted = Signal(object, object)  # places of a report's entry on the board, and the one to look at

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._document = document
        self.engine: Engine | None = None
        self.preview: tuple[Drawing | None, Picture | None] = (None, None)
        self.landed_ids: tuple[ShapeId, ...] = ()  # the shapes placed last
        self.landed: tuple[str, tuple[ReportLine, ...]] | None = (
            None  # the last drawing's name and its report, on the board
        )
        self._reading = 0  # number of the file being read, 0 for none
        document.replaced.connect(self._forget)

    def _forget(self) -> None:
        self.landed = None

    # ---- reading

    @property
    def is_reading(self) -> bool:
        return self._reading != 0

    def read_artwork(self, request: ArtworkRequest) -> None:
        """Read artwork in the background; ``read`` brings it."""
        if self.engine is not None:
            self._reading = self.engine.read_artwork(request)
            self.reading_changed.emit()

    def stop_reading(self) -> None:
        if self.engine is not None and self._reading:
            self.engine.stop_reading()
            self.stopped()

    def take(self, read: ArtworkRead) -> None:
        """Artwork that was read; what nobody waits for any more is dropped."""
        if read.number == self._reading:
            self.stopped()
            self.read.emit(read)

    def stopped(self) -> None:
        """Nothing is being read any more."""
        if self._reading:
            self._reading = 0
            self.reading_changed.emit()

    # ---- before it lands, and landing

    def show_preview(self, drawing: Drawing | None, picture: Picture | None = None) -> None:
        """What has been brought in and not landed yet, with the picture it was traced from; or nothing any more."""
        self.preview = (drawing, picture)
        self.preview_changed.emit(drawing, picture)

    def place(self, drawing: Drawing, source: tuple[str, bytes] | None = None, *, path: str = "") -> None:
        """Lay a drawing on the shown board and pick it; its report stays at hand, its places on the board."""
        document = self._document
        kept = None
        if source is not None:
            name = self._free_name(*source)
            document.sources = {**document.sources, name: source[1]}
            kept = Source(name=name, path=path)
        at = placement.place_on_sheet(document.board, drawing)
        edit, ids = placement.place_drawing(document.job, document.board.id, drawing, source=kept)
        self.landed, self.landed_ids = (drawing.name, moved(drawing, at).report), tuple(ids)
        document.apply(edit)
        document.pick(ids)

    def _free_name(self, name: str, data: bytes) -> str:
        """A name under which the source can be kept: another file of the same name is not overwritten."""
        sources = self._document.sources
        free, number = name, 2
        while free in sources and sources[free] != data:
            stem, dot, suffix = name.rpartition(".")
            free = f"{stem or suffix} ({number}){dot}{suffix if stem else ''}"
            number += 1
        return free

    def reread(self, name: str, read: ArtworkRead) -> str:
        """Take a changed file's drawing in place of the one before; what came of it in a sentence."""
        assert read.drawing is not None
        document = self._document
        done = placement.reread_drawing(document.job, document.board.id, name, read.drawing)
        document.sources = {**document.sources, name: read.data}
        known = next((s for s in document.board.sources if s.name == name), None)
        self.landed = (read.drawing.name, moved(read.drawing, known.at if known is not None else Affine()).report)
        document.apply(done.edit)
        if done.added:
            document.pick(done.added)
        parts = [f"{done.changed} changed", f"{len(done.added)} new", f"{done.gone} gone"]
        return f"{name} was read again: {', '.join(parts)}. Places and cuts were kept."
