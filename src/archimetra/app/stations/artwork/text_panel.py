"""Text: words that stay words, in shipped and system fonts, straight, on an arc or along a shape."""

from __future__ import annotations

import msgspec
from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QIcon, QPainter, QPixmap
from PySide6.QtWidgets import QListWidget, QListWidgetItem

from archimetra.app.stations.artwork.panel import Panel
from archimetra.app.stations.page import shown
from archimetra.app.views.line_layer import painter_path
from archimetra.app.widgets.fields import Choice, ChoiceRow, TextBox, label
from archimetra.app.widgets.form import Form
from archimetra.artwork.text_form import Align, Fit, TextForm
from archimetra.base.errors import ArtworkError
from archimetra.edits import shaping
from archimetra.edits.edit import Edit
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import bounds_of
from archimetra.job.shapes import Shape

PREVIEW = QSize(258, 26)
_KINDS = ("all", "serif", "sans", "slab", "script", "display", "stencil", "single line", "system")


class TextPanel(Panel):
    name, icon, tip = "Text", "typography", "Words in outline and single-line fonts"

    def build(self) -> None:
        self._template = TextForm()
        self._draft = ""  # typed while no text is picked
        self._told_of: tuple[TextForm, bool] | None = None
        self._words = TextBox("Text", pause_ms=250)
        self._words.setFixedHeight(58)
        self._words.setPlaceholderText("Type the text here")
        self._words.entered.connect(self._take_words)
        self.form.add(self._words)
        self._told = self.form.add(label("", "caution"))
        (self._place,) = self.buttons(self.form, ("Place on sheet", "A new text in the middle of the sheet", self._new))
        self._kind = Choice("Kind of font")
        self._kind.addItems([kind.capitalize() for kind in _KINDS])
        self._kind.activated.connect(lambda _index: self._fill_fonts())
        self.form.row("Fonts", self._kind)
        self._fonts = QListWidget()
        self._fonts.setAccessibleName("Font")
        self._fonts.setIconSize(PREVIEW)
        self._fonts.setFixedHeight(150)
        self._fonts.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self._fonts.currentItemChanged.connect(self._font_chosen)
        self._previews = QTimer(self._fonts)  # one name a turn: the window answers in between
        self._previews.timeout.connect(self._draw_a_preview)
        self._fonts.verticalScrollBar().valueChanged.connect(lambda _v: self._previews.start())
        self.form.add(self._fonts)
        body = Form()
        self.form.add(body)
        for words, field in (("Cap height", "cap_height"), ("Letter spacing", "letter_spacing")):
            self._length(body, words, field)
        self.number_row(
            body, "Line spacing", get=lambda: self._form().line_spacing, edit=lambda v: self._set(line_spacing=v),
            note=lambda: "times the font's",
        )  # fmt: skip
        self._align = ChoiceRow("Alignment", [(a.value, a.value) for a in Align])
        self._align.chosen.connect(lambda v: self._run(align=Align(v)))
        body.row("Alignment", self._align)
        self._fit = ChoiceRow("Fit to width", [("none", "as it is"), ("size", "by size"), ("spacing", "by spacing")])
        self._fit.chosen.connect(lambda v: self._run(fit=Fit(v)))
        body.add(self._fit)
        self._length(body, "Width to fit", "fit_width")
        self._length(body, "Arc radius", "arc_radius", note=lambda: "0: straight")
        self._length(body, "Lift off line", "lift")
        self.buttons(
            body,
            ("Along the last picked", "Set the text along the line picked last", self._along),
            ("Off the line", "Straight again", lambda: self._run(along=None)),
        )
        self.buttons(body, ("Convert to outline", "Letters become plain outlines", self._convert))

    # ---- showing

    def opened(self) -> None:
        if not self._fonts.count():
            self._fill_fonts()
        self._words.setFocus()

    def refresh(self) -> None:
        shape, form = self._shape(), self._form()
        self._words.show_text(form.text if shape is not None else self._draft)
        shown(self._place, shape is None)
        self._align.show_value(form.align.value)
        self._fit.show_value(form.fit.value)
        super().refresh()
        self._mark_font(form)
        self._tell(form)

    def _mark_font(self, form: TextForm) -> None:
        for row in range(self._fonts.count()):
            item = self._fonts.item(row)
            if item.data(Qt.ItemDataRole.UserRole) == form.font and self._fonts.currentItem() is not item:
                self._fonts.blockSignals(True)
                self._fonts.setCurrentItem(item)
                self._fonts.blockSignals(False)

    def show_theme(self, tokens) -> None:
        super().show_theme(tokens)
        self._fill_fonts()

    def _tell(self, form: TextForm) -> None:
        """What the font lacks, and what else the reader should know."""
        from archimetra.artwork.text import set_text

        is_text = bool(form.text.strip()) and (self._shape() is not None or bool(self._words.toPlainText().strip()))
        if self._told_of == (form, is_text):
            return
        self._told_of = (form, is_text)
        words = ""
        if is_text:
            try:
                words = " ".join(set_text(form).notes)
            except ArtworkError as error:
                words = str(error)
        self._told.setText(words)
        shown(self._told, bool(words))

    def _fill_fonts(self) -> None:
        from archimetra.artwork.fonts import all_fonts, shipped_fonts

        kind = _KINDS[max(self._kind.currentIndex(), 0)]
        fonts = all_fonts() if kind in ("all", "system") else shipped_fonts()
        self._fonts.blockSignals(True)
        self._fonts.clear()
        for font in fonts:
            if kind in ("all", font.kind):
                item = QListWidgetItem()
                item.setData(Qt.ItemDataRole.UserRole, font.name)
                item.setToolTip(f"{font.name} ({font.kind})")
                item.setData(Qt.ItemDataRole.AccessibleTextRole, font.name)
                item.setSizeHint(QSize(PREVIEW.width(), PREVIEW.height() + 6))
                self._fonts.addItem(item)
        self._fonts.blockSignals(False)
        self._mark_font(self._form())
        self._previews.start()

    def _draw_a_preview(self) -> None:
        """The name of a font in view in itself; of the others when they are scrolled to."""
        height = self._fonts.viewport().height()
        for row in range(self._fonts.count()):
            item = self._fonts.item(row)
            area = self._fonts.visualItemRect(item)
            if area.bottom() >= 0 and area.top() <= height and item.icon().isNull() and not item.text():
                picture = self._preview(item.data(Qt.ItemDataRole.UserRole))
                if picture is None:
                    item.setText(f"{item.data(Qt.ItemDataRole.UserRole)} (cannot be used)")
                else:
                    item.setIcon(QIcon(picture))
                return
        self._previews.stop()

    def _preview(self, name: str) -> QPixmap | None:
        from archimetra.artwork.text import set_text

        try:
            made = set_text(TextForm(text=name, font=name, cap_height=11.0, align=Align.LEFT))
        except (ArtworkError, ValueError):
            return None
        box = bounds_of(made.paths)
        ratio = self.form.devicePixelRatioF()
        picture = QPixmap(PREVIEW * ratio)
        picture.setDevicePixelRatio(ratio)
        picture.fill(Qt.GlobalColor.transparent)
        if box is None:
            return picture
        scale = min(1.0, (PREVIEW.width() - 6) / (box[2] - box[0]))
        m = Affine(scale, 0.0, 0.0, -scale, 3 - box[0] * scale, 19.0)
        painter = QPainter(picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ink = self.tokens.color("ink")
        import numpy as np

        lines = [m.apply(path.flatten(0.1)) for path in made.paths]
        begins = np.zeros(sum(map(len, lines)), dtype=bool)
        begins[np.cumsum([0, *[len(line) for line in lines[:-1]]])] = True
        shape = painter_path(np.vstack(lines), begins)
        if made.is_single_line:
            painter.setPen(ink)
            painter.drawPath(shape)
        else:
            shape.setFillRule(Qt.FillRule.WindingFill)
            painter.fillPath(shape, ink)
        painter.end()
        return picture

    # ---- changing

    def _length(self, form: Form, words: str, field: str, note=None) -> None:
        self.length_row(
            form, words, key=lambda: f"text.{field}.{self.session.picked[:1]}", get=lambda: getattr(self._form(), field),
            edit=lambda v: self._set(**{field: v}), note=note,
        )  # fmt: skip

    def _shape(self) -> Shape | None:
        picked = self.session.picked
        shape = self.session.board.shape(picked[0]) if picked else None
        return shape if shape is not None and isinstance(shape.form, TextForm) else None

    def _form(self) -> TextForm:
        shape = self._shape()
        if shape is not None and isinstance(shape.form, TextForm):
            return shape.form
        if not self._draft.strip():
            return self._template
        return msgspec.structs.replace(self._template, text=self._draft)

    def _set(self, **fields: object) -> Edit:
        shape, s = self._shape(), self.session
        form = msgspec.structs.replace(self._form(), **fields)
        self._template = form if shape is None else msgspec.structs.replace(form, along=None)
        if shape is None:
            return Edit("", s.job)
        merge = f"text {shape.id}" if list(fields) == ["text"] else ""
        try:
            return shaping.reform(s.job, s.board.id, shape.id, form, merge=merge)
        except ArtworkError as error:
            raise ValueError(str(error)) from error

    def _run(self, **fields: object) -> None:
        self.run(lambda: self._set(**fields))
        self.refresh()

    def _take_words(self, text: str) -> None:
        if self._shape() is None:
            self._draft = text
            self.refresh()
        elif text.strip() and text != self._form().text:
            self._run(text=text)

    def _font_chosen(self, item, _before) -> None:
        if item is not None and item.data(Qt.ItemDataRole.UserRole) != self._form().font:
            self._run(font=item.data(Qt.ItemDataRole.UserRole))

    def _new(self) -> None:
        s = self.session
        self._words.commit()
        if not self._draft.strip():
            self.say_problem("Type the text first.")
            return
        form = self._form()
        at = Affine.shift(s.board.sheet.width / 2, s.board.sheet.height / 2)
        if self.run(lambda: shaping.draw(s.job, s.board.id, form, at)):
            self._draft = ""

    def _along(self) -> None:
        s = self.session
        shape = self._shape()
        line = s.board.shape(s.picked[-1]) if len(s.picked) > 1 else None
        if shape is None or line is None or line.id == shape.id:
            self.say_problem("Pick the text first, then (with Shift) the line it is to follow.")
            return
        path = line.placed()[0].transform(shape.at.inverse())
        self._run(along=path, arc_radius=0.0)

    def _convert(self) -> None:
        s = self.session
        self.run(lambda: shaping.convert(s.job, s.board.id, s.picked))
