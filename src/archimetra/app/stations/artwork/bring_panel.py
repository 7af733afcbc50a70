"""Bring in: files read, pictures traced, what happened to them on the way, and files that have changed read again."""

from __future__ import annotations

import contextlib
from math import hypot
from pathlib import Path as FilePath

import msgspec
from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QCheckBox, QFileDialog, QHBoxLayout, QPushButton, QSizePolicy, QWidget

from archimetra.app.stations.artwork.panel import Panel, clear_layout, clear_rows, tool_button
from archimetra.app.stations.import_panel import ImportPanel
from archimetra.app.stations.page import shown
from archimetra.app.widgets.fields import ChoiceRow, Slider, label
from archimetra.app.widgets.form import Form
from archimetra.artwork.drawing import Drawing, DrawnPicture
from archimetra.artwork.offers import repair_of, words_of
from archimetra.artwork.report import ReportLine, Topic
from archimetra.artwork.trace_settings import MOST_TONES, TraceSettings
from archimetra.base.errors import ArchimetraError
from archimetra.edits import placement, shaping
from archimetra.engine.messages import ArtworkRead, ArtworkRequest
from archimetra.geometry.affine import Affine
from archimetra.job.shapes import Backdrop, Source

FILTER = "Artwork (*.svg *.svgz *.dxf *.pdf *.ai *.png *.jpg *.jpeg *.bmp *.webp);;All files (*)"
MOST_ENTRIES = 30


class BringPanel(Panel):
    name, icon, tip = "Bring in", "file-import", "SVG, DXF, PDF and pictures; what was mended on the way"

    def build(self) -> None:
        form, session = self.form, self.session
        self._bring, self._export = self.buttons(
            form,
            ("Bring in a file", "Ctrl+I, drop a file on the plan, or paste (Ctrl+V)", self.ask_for_file),
            ("Export artwork", "What is picked, or everything, as SVG or DXF", self.ask_export),
        )
        self._bring.setProperty("kind", "add")
        self._hint = form.add(label("", "note"))
        self._trouble = form.add(label("", "stop"))
        self._reading_row = QWidget()
        line = QHBoxLayout(self._reading_row)
        line.setContentsMargins(0, 0, 0, 0)
        self._reading = label("", "quiet")
        stop = QPushButton("Stop")
        stop.clicked.connect(session.imports.stop_reading)
        line.addWidget(self._reading, 1)
        line.addWidget(stop)
        form.add(self._reading_row)
        session.imports.read.connect(self._show_read)
        session.imports.reading_changed.connect(self.refresh)
        session.opened.connect(self._give_up)
        session.imports.placing_wanted.connect(self._land_it)
        self.panel = ImportPanel(self.tokens)
        self.panel.landed.connect(self._land)
        self.panel.given_up.connect(self._give_up)
        self.panel.page_chosen.connect(self._read_page)
        self.panel.changed.connect(self._show_preview)
        form.add(self.panel)
        self.trace = TraceForm()
        self.trace.changed.connect(self._trace_again)
        self.panel.add_form(self.trace)
        self.report = ReportList(self)
        form.add(self.report)
        self._sources = Form()
        form.add(self._sources)
        self._sources_shown: object = None
        self._request = ArtworkRequest(0)
        self._read: ArtworkRead | None = None
        self._again = ""  # the source that is being read again
        self._inner: list[DrawnPicture] = []  # pictures inside the drawing that landed last
        self._seen: dict[str, int] = {}  # when each source file was last written, as far as known

    @property
    def is_busy(self) -> bool:
        return self.panel.isVisibleTo(self.form) or self.session.imports.is_reading

    def refresh(self) -> None:
        board = self.session.board
        shown(self._trouble, bool(self._trouble.text()))
        shown(self._reading_row, self.session.imports.is_reading)
        self._bring.setEnabled(not self.session.imports.is_reading)
        self._export.setEnabled(bool(board.shapes))
        self._hint.setText(
            "Nothing here yet. Bring in a drawing or a picture, or drop a file on the plan." if not board.shapes
            else "Click a shape on the plan, or drag a frame around several; then Place, Combine or Mend."
        )  # fmt: skip
        shown(self._hint, not self.is_busy)
        self.report.show_landed(self.session.imports.landed if not self.is_busy else None)
        self._show_sources()

    # ---- reading

    def ask_for_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.form, "Bring in artwork", "", FILTER)
        if name:
            self.read_file(FilePath(name))

    def read_file(self, path: FilePath) -> None:
        """Show what a file holds, before it lands; a sentence where it cannot be read."""
        self._start(ArtworkRequest(0, path=str(path)), path.name)

    def read_data(self, data: bytes, name: str) -> None:
        """As ``read_file``, from bytes that were pasted or lie inside another drawing."""
        self._start(ArtworkRequest(0, data=data, name=name), name)

    def _start(self, request: ArtworkRequest, name: str) -> None:
        self._trouble.setText("")
        self._again = ""
        self.panel.clear()
        self.trace.hide()
        self.session.imports.show_preview(None)
        self._reading.setText(f"Reading {name} …")
        self._request = request
        self.session.imports.read_artwork(request)
        self.refresh()

    def _show_read(self, read: ArtworkRead) -> None:
        if self._again:
            self._take_again(read)
            return
        session = self.session
        self._trouble.setText(read.problem)
        is_picture = bool(read.tones)
        if read.drawing is None and not is_picture:
            session.said.emit("stop", read.problem)
        else:
            self._read = read
            if is_picture:
                self.trace.show_tones(read.tones, self._request.trace)
            if read.drawing is not None:
                is_new = not self.panel.isVisibleTo(self.form)
                self.panel.show_drawing(
                    read.drawing, (read.name, read.data), session.job.unit, session.board.sheet, keeps_focus=not is_new
                )
                self._show_preview(read.drawing)
            else:
                self.panel.show_nothing(read.name)
        self.refresh()

    def _read_page(self, page: int) -> None:
        if self._read is not None:
            self._request = ArtworkRequest(
                0, data=self._read.data, name=self._read.name, path=self._read.path, page=page
            )
            self.session.imports.read_artwork(self._request)

    def _trace_again(self, settings: TraceSettings) -> None:
        if self._read is None:
            return
        known = self.panel.drawing
        scale = known.scale.mm_per_unit if known is not None and known.scale.is_certain else 0.0
        self._request = ArtworkRequest(
            0, data=self._read.data, name=self._read.name, path=self._read.path, trace=settings, mm_per_unit=scale
        )
        self.session.imports.read_artwork(self._request)

    def _show_preview(self, drawing: Drawing | None) -> None:
        """The drawing where it would land, over the picture it is traced from."""
        picture = None
        if drawing is not None and self._read is not None and self._read.tones and drawing.page_mm is not None:
            picture = (self._read.data, drawing.page_mm)
        self.session.imports.show_preview(drawing, picture)

    # ---- landing

    def _land_it(self) -> None:
        self.panel.land()

    def _land(self, drawing: Drawing, source: tuple[str, bytes]) -> None:
        read, session = self._read, self.session
        self.panel.clear()
        session.imports.show_preview(None)
        session.imports.place(drawing, source, path=read.path if read is not None else "")
        if read is not None and read.tones and self.trace.keeps_picture and drawing.page_mm is not None:
            known = session.board.sources[-1]
            at = Affine.scale(*drawing.page_mm).then(known.at)
            session.apply(placement.add_backdrop(session.job, session.board.id, Backdrop(source=known.name, at=at)))
        self._note_time(read.path if read is not None else "", source[0])
        words = f"{drawing.name} was placed with {len(drawing.shapes)} shapes; they are picked."
        self._inner = list(drawing.pictures)
        if self._inner:
            words += " Pictures inside it can be traced: see Files."
        session.said.emit("note", words)
        self.refresh()

    def trace_inner(self, picture: DrawnPicture) -> None:
        """A picture that came inside a drawing, as wide as it stands there."""
        width = hypot(picture.at.a, picture.at.b)
        self._start(ArtworkRequest(0, data=picture.data, name=f"{picture.name}.png", width_mm=width), picture.name)

    def take_offer(self, entry: ReportLine) -> None:
        """Do what an entry offers, to the shapes that landed and are still there."""
        s = self.session
        ids = tuple(id_ for id_ in s.imports.landed_ids if s.board.shape(id_) is not None)
        told: list[str] = []

        def run() -> shaping.Done:
            done, entries = shaping.mend(s.job, s.board.id, ids, repair_of(entry), words_of(entry))
            told.extend(e.sentence for e in entries if e.topic is Topic.MENDED)
            s.imports.landed_ids = (*ids, *done.pick)
            return done

        if self.run(run):
            s.said.emit("note", " ".join(told) or "There was nothing to do.")
            if s.imports.landed is not None:
                s.imports.landed = (s.imports.landed[0], tuple(e for e in s.imports.landed[1] if e is not entry))
            self.refresh()

    def _give_up(self) -> None:
        self.panel.clear()
        self.trace.hide()
        self._trouble.setText("")
        self.session.imports.show_preview(None)
        self.refresh()

    def closed(self) -> None:
        self.session.imports.places_wanted.emit((), None)

    # ---- files that have changed

    def _note_time(self, path: str, name: str) -> None:
        with contextlib.suppress(OSError):
            self._seen[name] = FilePath(path).stat().st_mtime_ns

    def has_changed(self, source: Source) -> bool:
        """Whether the file on disk is a newer one than what was read."""
        if not source.path:
            return False
        with contextlib.suppress(OSError):
            path = FilePath(source.path)
            when = path.stat().st_mtime_ns
            if self._seen.get(source.name) == when:
                return False
            kept = self.session.sources.get(source.name)
            if kept is not None and path.stat().st_size == len(kept) and path.read_bytes() == kept:
                self._seen[source.name] = when
                return False
            return True
        return False

    def _show_sources(self) -> None:
        """One line for each file on the board, with what can be done with it."""
        board = self.session.board
        rows = tuple((source, self.has_changed(source)) for source in board.sources)
        state = (rows, board.backdrops, self.is_busy, tuple(inner.name for inner in self._inner))
        if state == self._sources_shown:
            return
        self._sources_shown = state
        clear_rows(self._sources)
        if not rows or self.is_busy:
            return
        self._sources.add(label("Files", "heading"))
        backdrops = {b.source: b for b in board.backdrops}
        for source, is_changed in rows:
            holder = QWidget()
            line = QHBoxLayout(holder)
            line.setContentsMargins(0, 0, 0, 0)
            words = f"{source.name}, changed on disk" if is_changed else source.name
            told = label(words, "caution" if is_changed else "")
            told.setToolTip(source.path or "inside the job")
            line.addWidget(told, 1)
            if source.path:
                again = QPushButton("Read again")
                again.setProperty("kind", "link")
                again.setToolTip("Bring the changed file in; places and cuts are kept")
                again.clicked.connect(lambda _c=False, s=source: self.read_again(s))
                line.addWidget(again)
            picture = backdrops.get(source.name)
            if picture is not None:
                for text, value in (("Hide" if picture.is_shown else "Show", not picture.is_shown), ("Discard", None)):
                    button = QPushButton(text)
                    button.setProperty("kind", "link")
                    button.setToolTip("The picture behind the artwork")
                    button.clicked.connect(lambda _c=False, n=source.name, v=value: self._backdrop(n, v))
                    line.addWidget(button)
            self._sources.add(holder)
        for inner in self._inner:
            holder = QWidget()
            line = QHBoxLayout(holder)
            line.setContentsMargins(8, 0, 0, 0)
            line.addWidget(label(f"{inner.name}, inside the drawing", "note"), 1)
            button = QPushButton("Trace")
            button.setProperty("kind", "link")
            button.clicked.connect(lambda _c=False, p=inner: self.trace_inner(p))
            line.addWidget(button)
            self._sources.add(holder)

    def read_again(self, source: Source) -> None:
        """Bring a changed file in once more."""
        self._trouble.setText("")
        self._again = source.name
        self._reading.setText(f"Reading {source.name} again …")
        self.session.imports.read_artwork(
            ArtworkRequest(0, path=source.path, page=source.page, mm_per_unit=source.mm_per_unit)
        )
        self.refresh()

    def _take_again(self, read: ArtworkRead) -> None:
        name, self._again = self._again, ""
        if read.drawing is None:
            self._trouble.setText(read.problem)
            self.session.said.emit("stop", read.problem)
        else:
            self.session.said.emit("note", self.session.imports.reread(name, read))
            self._note_time(read.path, name)
        self.refresh()

    def _backdrop(self, source: str, value: bool | None) -> None:
        s = self.session
        self.run(lambda: placement.change_backdrop(s.job, s.board.id, source, is_shown=value))

    # ---- writing

    def ask_export(self) -> None:
        start = f"{self.session.board.name}.svg"
        name, _ = QFileDialog.getSaveFileName(self.form, "Export artwork", start, "SVG (*.svg);;DXF (*.dxf)")
        if name:
            self.export(FilePath(name))

    def export(self, path: FilePath) -> None:
        try:
            count = self.session.export_artwork(path)
        except ArchimetraError as error:
            self.say_problem(str(error))
            return
        self.session.said.emit("note", f"{count} shape{'' if count == 1 else 's'} written to {path}.")


class TraceForm(Form):
    """How a picture is traced; every change is traced at once, beside the window."""

    changed = Signal(object)  # TraceSettings

    def __init__(self) -> None:
        super().__init__()
        self._settings = TraceSettings()
        self._tones = ChoiceRow("Tones", [(str(n), str(n)) for n in range(2, MOST_TONES + 1)])
        self._tones.chosen.connect(self._set_tones)
        self.row("Tones", self._tones)
        self._ink_row = QWidget()
        self._ink = QHBoxLayout(self._ink_row)
        self._ink.setContentsMargins(0, 0, 0, 0)
        self._ink.setSpacing(2)
        self.row("Ink is", self._ink_row)
        self._sliders: dict[str, Slider] = {}
        for words, field, low, high, scale in (
            ("Smoothness", "smoothness", 0, 100, 10), ("Remove specks", "speck_px", 0, 60, 1),
            ("Corners from", "corner_degrees", 0, 180, 1),
        ):  # fmt: skip
            slider = Slider(Qt.Orientation.Horizontal)
            slider.setRange(low, high)
            slider.setAccessibleName(words)
            slider.valueChanged.connect(lambda v, f=field, s=scale: self._set(f, v / s if s > 1 else v))
            self.row(words, slider)
            self._sliders[field] = slider
        self._keep = QCheckBox("Keep the picture as a faint backdrop")
        self.add(self._keep)
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(120)
        self._pause.timeout.connect(lambda: self.changed.emit(self._settings))
        self.hide()

    @property
    def keeps_picture(self) -> bool:
        return self._keep.isChecked()

    def show_tones(self, tones: tuple[tuple[str, float], ...], settings: TraceSettings) -> None:
        """The tones the picture has, as buttons that say which are ink."""
        self._settings = settings
        self._tones.show_value(str(settings.tones))
        for field, slider in self._sliders.items():
            slider.blockSignals(True)
            slider.setValue(round(getattr(settings, field) * (10 if field == "smoothness" else 1)))
            slider.setToolTip(f"{getattr(settings, field):g}")
            slider.blockSignals(False)
        clear_layout(self._ink)
        for number, (colour, share) in enumerate(tones):
            button = tool_button(
                "✓" if number in settings.ink else "", f"{share:.0%} of the picture", lambda n=number: self._toggle(n)
            )
            button.setAccessibleName(f"Tone {number + 1} is ink")
            light = sum(int(colour[k : k + 2], 16) for k in (1, 3, 5)) > 380
            button.setStyleSheet(
                f"background: {colour}; color: {'#22302F' if light else '#FBF9F4'}; border: 1px solid #6C7672;"
            )
            button.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
            button.setFixedWidth(30)
            self._ink.addWidget(button)
        self._ink.addStretch(1)
        self.show()

    def _set_tones(self, text: str) -> None:
        tones = int(text)
        ink = tuple(n for n in self._settings.ink if n < tones) or (0,)
        self._change(tones=tones, ink=ink if len(ink) < tones else (0,))

    def _toggle(self, number: int) -> None:
        ink = set(self._settings.ink) ^ {number}
        self._change(ink=tuple(sorted(ink)))

    def _set(self, field: str, value: float) -> None:
        self._change(**{field: int(value) if field == "speck_px" else float(value)})

    def _change(self, **fields: object) -> None:
        self._settings = msgspec.structs.replace(self._settings, **fields)
        self._pause.start()


class ReportList(Form):
    """What happened to a drawing on its way in, under its heads; each entry steps through its places on the plan."""

    def __init__(self, panel: BringPanel) -> None:
        super().__init__()
        self._panel = panel
        self._shown: object = None
        self._at: dict[int, int] = {}

    def show_landed(self, landed: tuple[str, tuple[ReportLine, ...]] | None) -> None:
        if landed is self._shown:
            return
        self._shown = landed
        self._at = {}
        clear_rows(self)
        if landed is None:
            return
        name, entries = landed
        self.add(label(f"How {name} came in", "heading"))
        number = 0
        for topic in (Topic.DECIDE, Topic.LEFT_OUT, Topic.MENDED, Topic.UNIT, Topic.READ):
            mine = [entry for entry in entries if entry.topic is topic]
            if not mine:
                continue
            self.add(label(topic.value.capitalize(), "quiet"))
            for entry in mine:
                if number >= MOST_ENTRIES:
                    break
                self.add(self._row(number, entry))
                if words_of(entry):
                    self.add(self._offer(entry))
                number += 1

    def _offer(self, entry: ReportLine) -> QPushButton:
        """What would settle it, one press away."""
        button = QPushButton(words_of(entry))
        button.setProperty("kind", "link")
        button.setStyleSheet("text-align: left;")
        button.clicked.connect(lambda _c=False: self._panel.take_offer(entry))
        return button

    def _row(self, number: int, entry: ReportLine) -> QWidget:
        holder = QWidget()
        line = QHBoxLayout(holder)
        line.setContentsMargins(8, 0, 0, 0)
        line.setSpacing(4)
        is_serious = entry.topic in (Topic.DECIDE, Topic.LEFT_OUT) and entry.severity != "note"
        line.addWidget(label(entry.text(), "caution" if is_serious else "note"), 1)
        if entry.places:
            for words, step, tip in (("◀", -1, "The place before"), ("▶", 1, "The next place on the plan")):
                button = tool_button(words, tip, lambda e=entry, n=number, s=step: self._step(n, e, s))
                button.setAccessibleName(f"{tip}: {entry.code}")
                button.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
                button.setFixedWidth(22)
                line.addWidget(button)
        return holder

    def _step(self, number: int, entry: ReportLine, step: int) -> None:
        at = self._at.get(number, -1 if step > 0 else 0)
        at = (at + step) % len(entry.places)
        self._at = {number: at}
        session = self._panel.session
        session.imports.places_wanted.emit(entry.places, entry.places[at])
        session.said.emit("note", f"{at + 1} of {len(entry.places)}: {entry.sentence}")
