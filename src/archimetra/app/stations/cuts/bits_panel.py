"""Bits: those of the job as silhouettes to one scale, one of them in detail, and the shop's rack they are copies of."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import Any

import msgspec
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QCheckBox, QFileDialog, QSizePolicy, QWidget

from archimetra.app.stations.artwork.panel import Panel
from archimetra.app.stations.page import shown
from archimetra.app.theme import style
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.badge import badge_pixmap, draw_badge, draw_bit
from archimetra.app.widgets.fields import TextField, fill, label
from archimetra.base.errors import ArchimetraError
from archimetra.base.files import write_safely
from archimetra.edits import basic as edits
from archimetra.edits import rack
from archimetra.edits.edit import Edit
from archimetra.job.bits import UNDERCUTS, Bit, BitKind, Flutes, Spin
from archimetra.job.ids import BitId

replace = msgspec.structs.replace

KINDS = list(BitKind)
# which lengths and numbers matter to which kinds
_ALL = set(BitKind)
LENGTHS: tuple[tuple[str, str, str, set[BitKind]], ...] = (
    ("Diameter", "diameter", "", _ALL),
    ("Cutting length", "cutting_length", "", _ALL),
    ("Shank", "shank", "", _ALL),
    ("Tip flat", "tip_flat", "across", {BitKind.VEE}),
    ("Ball tip", "tip_ball", "across", {BitKind.TAPERED_BALL}),
    ("Neck", "neck", "above the head", set(UNDERCUTS)),
    ("Head height", "head_height", "", set(UNDERCUTS)),
)
ANGLED = {BitKind.VEE, BitKind.TAPERED_BALL, BitKind.DRILL}
TWISTED = {BitKind.STRAIGHT, BitKind.BALL}


class BitsPanel(Panel):
    name = "Bits"
    icon = "bits"
    tip = "The bits of this job and the shop's rack"

    def build(self) -> None:
        form = self.form
        self._id: BitId | None = None
        self.shop = rack.Rack()
        form.heading("In this job")
        self.shelf = BitShelf(self.tokens)
        self.shelf.picked.connect(self.show_bit)
        self.shelf.removed.connect(self._remove)
        form.add(self.shelf)
        self._head = form.heading("Bit")
        self._name = TextField("Bit name")
        form.row("Bit name", self._name)
        self._name.entered.connect(lambda text: self._set("Rename bit", name=text.strip()[:60] or self.bit.name))
        self._kind = self.combo_row(form, "Kind", lambda k: self._set_kind(KINDS[k]))
        self._rows: dict[str, tuple[QWidget, QWidget]] = {}
        for text, name, note, _ in LENGTHS:
            field = self.length_row(
                form,
                text,
                key=lambda n=name: f"{self.bit.id}.{n}",
                get=lambda n=name: getattr(self.bit, n),
                edit=lambda mm, n=name, t=text: self._edit(t, **{n: mm}),
                note=(lambda w=note: w) if note else None,
            )
            self._rows[name] = self._last_row(field)
        angle = self.number_row(
            form,
            "Angle",
            get=lambda: self.bit.angle,
            edit=lambda v: self._edit("Angle", angle=v),
            note=self._angle_note,
        )
        self._rows["angle"] = self._last_row(angle)
        self.number_row(
            form,
            "Flutes",
            get=lambda: self.bit.flutes,
            edit=lambda v: self._edit("Flutes", flutes=_whole(v)),
            note=lambda: "flutes",
        )
        self._twist = self.combo_row(form, "Twist", lambda k: self._set("Twist", twist=list(Flutes)[k]))
        self._rows["twist"] = self._last_row(self._twist)
        self.number_row(
            form,
            "Tool number",
            get=lambda: self.bit.holder,
            edit=lambda v: self._edit("Holder", holder=_whole(v)),
            note=lambda: f"0: its place, {self.bit.place + 1}" if not self.bit.holder else "number a change calls",
        )
        self._plunges = QCheckBox("Cuts at its centre, so it can plunge")
        self._plunges.clicked.connect(lambda on: self._set("Bit plunges", can_plunge=on))
        form.add(self._plunges)
        self._left = QCheckBox("Turns counter-clockwise")
        self._left.clicked.connect(
            lambda on: self._set("Bit turns", spin=Spin.COUNTERCLOCKWISE if on else Spin.CLOCKWISE)
        )
        form.add(self._left)
        self._differs = form.add(label("", "note"))
        self._match = self.buttons(
            form,
            ("Update from the rack", "Make this copy like the rack's bit", self._update),
            ("Put into the rack", "Keep this bit, with its recipes, in the shop's rack", self._put_back),
        )
        self.buttons(
            form,
            ("Add a bit like it", "A copy on the next place, to be changed to what is in hand", self._add),
            ("Remove bit", "Take it out of the job; not while a cut uses it", self._remove),
        )
        form.line()
        self._rack_words = form.heading("The shop's rack")
        self._rack_bits = self.combo_row(form, "Bit of the rack", lambda _k: None)
        self._rack_bits.setIconSize(QSize(16, 16))
        self.buttons(
            form,
            ("Take into the job", "A copy of the rack's bit on the next place", self._take),
            ("Read …", "Bits from a file, JSON or CSV, into the rack", self._read),
            ("Write …", "The rack as a file, JSON or CSV", self._write),
        )

    def _last_row(self, field: QWidget) -> tuple[QWidget, QWidget]:
        """The label and the field of the row made last."""
        left: QWidget = field.property("label")
        return left, field

    @property
    def bit(self) -> Bit:
        job = self.session.job
        found = job.bit(self._id) if self._id is not None else None
        if found is None:
            cut = self.session.board.cut(self.session.cut_id) if self.session.cut_id is not None else None
            found = job.bit(cut.bit) if cut is not None else None
        return found or job.bits[0]

    def show_bit(self, id_: BitId) -> None:
        self._id = id_
        self.say_problem("")
        self.refresh()

    def opened(self) -> None:
        self._load()
        self.refresh()

    def refresh(self) -> None:
        super().refresh()
        bit = self.bit
        used = sum(cut.bit == bit.id for board in self.session.job.boards for cut in board.cuts)
        self._head.setText(f"{bit.letter}, used by {used} cut{'' if used == 1 else 's'}")
        self.shelf.show_bits(self.session.job.bits, bit.id)
        self._name.show_text(bit.name)
        fill(
            self._kind,
            [kind.value.capitalize() if kind is not BitKind.VEE else "V" for kind in KINDS],
            KINDS.index(bit.kind),
        )
        for text, name, _, kinds in LENGTHS:
            del text
            self._show_row(name, bit.kind in kinds)
        self._show_row("angle", bit.kind in ANGLED)
        self._show_row("twist", bit.kind in TWISTED)
        fill(self._twist, [twist.value.capitalize() for twist in Flutes], list(Flutes).index(bit.twist))
        self._plunges.setChecked(bit.can_plunge)
        self._left.setChecked(bit.spin is Spin.COUNTERCLOCKWISE)
        self._show_rack()

    def _show_row(self, name: str, is_shown: bool) -> None:
        for widget in self._rows[name]:
            shown(widget, is_shown)

    def _angle_note(self) -> str:
        return {BitKind.DRILL: "° at the point", BitKind.TAPERED_BALL: "° of taper in all"}.get(
            self.bit.kind, "° in all"
        )

    def _show_rack(self) -> None:
        names = [bit.name for bit in self.shop.bits]
        self._rack_words.setText(f"{len(names)} bits")
        fill(self._rack_bits, names, max(self._rack_bits.currentIndex(), 0) if names else -1)
        for k, bit in enumerate(self.shop.bits):
            self._rack_bits.setItemIcon(k, badge_pixmap(bit))
        origin = rack.origin_of(self.bit, self.shop)
        if origin is None:
            self._differs.setText("Not in the rack.")
            found: tuple[rack.Difference, ...] = ()
        else:
            found = rack.compare(self.bit, origin)
            words = "; ".join(f"{d.field} {d.in_job}, in the rack {d.in_rack}" for d in found[:4])
            more = f" and {len(found) - 4} more" if len(found) > 4 else ""
            self._differs.setText(f"Differs from the rack: {words}{more}." if found else "As in the rack.")
        self._match[0].setEnabled(bool(found))
        self._match[1].setEnabled(origin is None or bool(found))

    # ---- edits

    def _edit(self, words: str, **fields: Any) -> Edit:
        return edits.change_bit(self.session.job, self.bit.id, words, **fields)

    def _set(self, words: str, **fields: Any) -> None:
        self.say_problem(self.session.try_edit(lambda: self._edit(words, **fields)))

    def _set_kind(self, kind: BitKind) -> None:
        """Another kind, with sound sizes where its own do not fit yet."""
        bit = self.bit
        fields: dict[str, Any] = {"kind": kind}
        if kind in UNDERCUTS:
            fields["neck"] = min(bit.neck, round(bit.diameter / 2, 2))
            fields["head_height"] = min(bit.head_height, bit.cutting_length)
            if kind is BitKind.DOVETAIL:
                fields["head_height"] = bit.cutting_length
        elif kind is BitKind.TAPERED_BALL:
            fields["tip_ball"] = min(bit.tip_ball, round(bit.diameter / 4, 2))
        elif kind is BitKind.DRILL and bit.kind is not BitKind.DRILL:
            fields["angle"] = 118.0
        self._set("Kind of bit", **fields)

    def _add(self) -> None:
        edit, new = edits.add_bit(self.session.job)
        self.session.apply(edit)
        self.show_bit(new)

    def _remove(self) -> None:
        self.say_problem(self.session.try_edit(lambda: edits.remove_bit(self.session.job, self.bit.id)))

    # ---- the rack

    def _load(self) -> None:
        self.shop, problem = rack.rack_at_hand()
        if problem:
            self.say_problem(problem)

    def _save(self, changed: rack.Rack) -> bool:
        try:
            rack.save_rack(changed)
        except ArchimetraError as error:
            self.say_problem(str(error))
            return False
        self.shop = changed
        self.refresh()
        return True

    def _take(self) -> None:
        k = self._rack_bits.currentIndex()
        if 0 <= k < len(self.shop.bits):
            edit, new = rack.take(self.session.job, self.shop.bits[k])
            self.session.apply(edit)
            self.show_bit(new)

    def _update(self) -> None:
        origin = rack.origin_of(self.bit, self.shop)
        if origin is not None:
            self.session.apply(rack.updated(self.session.job, self.bit.id, origin))

    def _put_back(self) -> None:
        bit = self.bit
        origin = rack.origin_of(bit, self.shop)
        if origin is not None:
            bit = replace(bit, rack_id=origin.rack_id)
        changed = rack.put_back(self.shop, bit)
        if self._save(changed):
            kept = rack.origin_of(bit, changed) or changed.bits[-1]
            self.session.apply(
                edits.change_bit(self.session.job, self.bit.id, "Put into the rack", rack_id=kept.rack_id)
            )

    def _read(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self.shelf.window(), "Read bits", "", "Bits (*.json *.csv);;All files (*)"
        )
        if path:
            self.read_rack(FilePath(path))

    def read_rack(self, path: FilePath) -> None:
        """Bits of a file in the rack: those of the same name take the place of the old, others come behind."""
        try:
            data = path.read_bytes()
            if path.suffix.lower() == ".csv":
                came = rack.read_csv(data.decode("utf-8", "replace"), name=path.name)
            else:
                came = rack.read_json(data, name=path.name)
        except (OSError, ArchimetraError) as error:
            self.say_problem(str(error))
            return
        changed = self.shop
        for bit in came.bits:
            own = next((b for b in changed.bits if b.name == bit.name), None)
            changed = rack.put_back(changed, replace(bit, rack_id=own.rack_id if own is not None else ""))
        if self._save(changed):
            self.session.said.emit("note", f"{len(came.bits)} bits read into the rack from {path.name}.")

    def _write(self) -> None:
        path, _ = QFileDialog.getSaveFileName(
            self.shelf.window(), "Write the rack", "rack.csv", "Table (*.csv);;With all recipes (*.json)"
        )
        if path:
            self.write_rack(FilePath(path))

    def write_rack(self, path: FilePath) -> None:
        try:
            is_json = path.suffix.lower() == ".json"
            write_safely(path, rack.as_json(self.shop) if is_json else rack.as_csv(self.shop).encode("utf-8"))
        except OSError as error:
            self.say_problem(f"{path} could not be written: {error.strerror or error}.")
            return
        self.session.said.emit("note", f"The rack is written to {path.name}.")

    def show_theme(self, tokens: Tokens) -> None:
        super().show_theme(tokens)
        self.shelf.tokens = tokens
        self.shelf.update()


def _whole(value: float) -> int:
    if value != int(value):
        raise ValueError("that number is whole")
    return int(value)


class BitShelf(QWidget):
    """Bits side by side, to one scale, tips on one line; click one, or walk with the arrow keys."""

    picked = Signal(object)
    removed = Signal()  # the shown one is not wanted
    ROW = 104
    PER_ROW = 6

    def __init__(self, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.tokens = tokens
        self._bits: tuple[Bit, ...] = ()
        self._shown: BitId | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Bits of this job")

    def show_bits(self, bits: tuple[Bit, ...], shown_id: BitId) -> None:
        self._bits, self._shown = bits, shown_id
        rows = max(1, -(-len(bits) // self.PER_ROW))
        self.setFixedHeight(rows * self.ROW)
        self.update()

    def _cell(self, k: int) -> QRectF:
        w = self.width() / self.PER_ROW
        return QRectF((k % self.PER_ROW) * w, (k // self.PER_ROW) * self.ROW, w, self.ROW)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for k, bit in enumerate(self._bits):
            if self._cell(k).contains(event.position()):
                self.picked.emit(bit.id)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Delete:
            self.removed.emit()
            return
        step = {
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: -self.PER_ROW,
            Qt.Key.Key_Down: self.PER_ROW,
        }.get(Qt.Key(event.key()))
        k = next((i for i, bit in enumerate(self._bits) if bit.id == self._shown), 0)
        if step is None or not 0 <= k + step < len(self._bits):
            super().keyPressEvent(event)
            return
        self.picked.emit(self._bits[k + step].id)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self._bits:
            return
        widest = max(max(bit.diameter, bit.shank) for bit in self._bits)
        longest = max(bit.cutting_length for bit in self._bits)
        cell = self._cell(0)
        scale = min((cell.width() - 10) / widest, 56.0 / (longest + 4))
        for k, bit in enumerate(self._bits):
            box = self._cell(k).adjusted(1.5, 1.5, -1.5, -1.5)
            is_shown = bit.id == self._shown
            edge = "accent" if is_shown else "hairline"
            painter.setPen(QPen(self.tokens.color(edge), 2 if is_shown and self.hasFocus() else 1))
            painter.setBrush(self.tokens.color("panel") if is_shown else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box, 4, 4)
            painter.save()
            painter.setClipRect(box)
            draw_bit(painter, bit, QPointF(box.center().x(), box.bottom() - 28), scale, scale)
            painter.restore()
            draw_badge(painter, QPointF(box.left() + 11, box.bottom() - 11), bit, radius=7.5)
            painter.setPen(self.tokens.color("ink" if is_shown else "quiet"))
            painter.setFont(style.font(11))
            painter.drawText(
                QRectF(box.left() + 20, box.bottom() - 20, box.width() - 22, 18),
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignHCenter,
                f"{bit.diameter:g}",
            )
            self.setToolTip("Click a bit to see and change it")
