"""Recipes: a bit in a material. What it runs at, whether the chip load is sound, what the machine makes of it, and what came out."""

from __future__ import annotations

import msgspec
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from archimetra.app.stations.artwork.panel import Panel
from archimetra.app.stations.page import shown
from archimetra.app.theme import style
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.badge import badge_pixmap
from archimetra.app.widgets.fields import TextField, fill, label, show_kind
from archimetra.edits import basic as edits
from archimetra.edits.edit import Edit
from archimetra.edits.sheets import materials_of
from archimetra.job.bits import Bit, MaterialRecipe, Recipe
from archimetra.job.ids import BitId
from archimetra.job.materials import AnyMaterial, Material
from archimetra.job.recipes import Judgement, first_recipe, judge, limit_to_machine, with_recipe

replace = msgspec.structs.replace


class RecipesPanel(Panel):
    name = "Recipes"
    icon = "recipe"
    tip = "Speeds, feeds and depths of a bit in a material"

    def build(self) -> None:
        form = self.form
        self._id: BitId | None = None
        self._material: AnyMaterial | None = None
        self._bit = self.combo_row(form, "Bit", self._choose_bit)
        self._bit.setIconSize(QSize(16, 16))
        self._wood = self.combo_row(form, "Material", self._choose_material)
        self._own_words = form.add(label("", "note"))
        for text, name, unit in (
            ("Spindle", "spindle_rpm", "rpm"),
            ("Feed", "feed", "mm/min"),
            ("Plunge", "plunge", "mm/min"),
        ):
            self.number_row(
                form,
                text,
                get=lambda n=name: getattr(self.recipe, n),
                edit=lambda v, n=name: self._edit(**{n: v}),
                note=lambda u=unit: u,
            )
        self.length_row(
            form,
            "Depth per pass",
            key=lambda: f"{self.bit.id}.{self.material.value}.depth_per_pass",
            get=lambda: self.recipe.depth_per_pass,
            edit=lambda mm: self._edit(depth_per_pass=mm),
            note=lambda: f"{100 * self.recipe.depth_per_pass / self.bit.diameter:.0f} % of the bit",
        )
        self.number_row(
            form,
            "Stepover",
            get=lambda: self.recipe.stepover * 100,
            edit=lambda v: self._edit(stepover=v / 100),
            note=lambda: f"%, {self.recipe.stepover * self.bit.diameter:.2f} mm",
        )
        self.gauge = ChipGauge(self.tokens)
        form.add(self.gauge)
        self._verdict = form.add(label("", "note"))
        self._held = form.add(label("", "caution"))
        self._buttons = self.buttons(
            form,
            ("Suggest a first one", "A recipe to begin testing from, for this machine", self._suggest),
            ("As in general", "Forget the recipe for this material", self._forget),
        )
        form.line()
        form.heading("What came out")
        self._notes = TextField("Recipe notes")
        form.row("Notes", self._notes)
        self._notes.entered.connect(lambda text: self._set_words(notes=text.strip()[:300]))
        self._result = TextField("Recipe result")
        form.row("Result", self._result)
        self._result.entered.connect(lambda text: self._set_words(result=text.strip()[:300]))
        form.add(
            label(
                "Ranges are what makers and shops commonly give for carbide bits, rounded; they are starting points. A test piece "
                "finds what is right on your machine.",
                "note",
            )
        )

    @property
    def bit(self) -> Bit:
        job = self.session.job
        found = job.bit(self._id) if self._id is not None else None
        if found is None:
            cut = self.session.board.cut(self.session.cut_id) if self.session.cut_id is not None else None
            found = job.bit(cut.bit) if cut is not None else None
        return found or job.bits[0]

    @property
    def material(self) -> AnyMaterial:
        return self._material or self.session.board.sheet.material

    @property
    def offered(self) -> list[AnyMaterial]:
        """The standard ones, and the job's own."""
        return [*Material, *materials_of(self.session.job)]

    @property
    def entry(self) -> MaterialRecipe | None:
        return self.bit.entry_for(self.material)

    @property
    def recipe(self) -> Recipe:
        return self.bit.recipe_for(self.material)

    def opened(self) -> None:
        self._material = None
        self._id = None
        self.refresh()

    def refresh(self) -> None:
        if self.material not in self.offered:  # renamed or gone since
            self._material = None
        super().refresh()
        bits, entry = self.session.job.bits, self.entry
        fill(self._bit, [bit.name for bit in bits], next(i for i, bit in enumerate(bits) if bit.id == self.bit.id))
        for k, bit in enumerate(bits):
            self._bit.setItemIcon(k, badge_pixmap(bit))
        words = [m.label + (" *" if self.bit.entry_for(m) is not None else "") for m in self.offered]
        fill(self._wood, words, self.offered.index(self.material))
        self._own_words.setText(
            f"Its own recipe for {self.material.value}." if entry is not None
            else f"No recipe for {self.material.value} yet: {self._stand_in()} serves. Changing a number makes one."
        )  # fmt: skip
        machine = self.session.job.machine
        changed = limit_to_machine(self.recipe, machine)
        verdict = judge(self.bit, changed.recipe, self.material)
        self.gauge.show_load(verdict)
        self._verdict.setText(verdict.sentence)
        show_kind(self._verdict, "note" if verdict.verdict == 0 else "caution")
        self._held.setText("\n".join(changed.reasons))
        shown(self._held, bool(changed.reasons))
        self._buttons[1].setEnabled(entry is not None)
        self._notes.show_text(entry.notes if entry is not None else "")
        self._result.show_text(entry.result if entry is not None else "")

    def _stand_in(self) -> str:
        like = self.material.like
        return f"that for {like.value}" if self.bit.entry_for(like) is not None else "the bit's general one"

    def _choose_bit(self, index: int) -> None:
        self._id = self.session.job.bits[index].id
        self.refresh()

    def _choose_material(self, index: int) -> None:
        self._material = self.offered[index]
        self.refresh()

    def _edit(self, **fields: float) -> Edit:
        return self._with(replace(self.recipe, **fields))

    def _with(self, recipe: Recipe, **words: str) -> Edit:
        entry = self.entry
        notes = words.get("notes", entry.notes if entry is not None else "")
        result = words.get("result", entry.result if entry is not None else "")
        bit = with_recipe(self.bit, self.material, recipe, notes=notes, result=result)
        return edits.change_bit(self.session.job, self.bit.id, "Recipe", recipes=bit.recipes)

    def _set_words(self, **words: str) -> None:
        self.say_problem(self.session.try_edit(lambda: self._with(self.recipe, **words)))

    def _suggest(self) -> None:
        self.session.apply(self._with(first_recipe(self.bit, self.material, self.session.job.machine)))

    def _forget(self) -> None:
        left = tuple(e for e in self.bit.recipes if e.material != self.material.value)
        self.session.apply(edits.change_bit(self.session.job, self.bit.id, "General recipe", recipes=left))

    def show_theme(self, tokens: Tokens) -> None:
        super().show_theme(tokens)
        self.gauge.tokens = tokens
        self.gauge.update()


class ChipGauge(QWidget):
    """A chip load against its range, on a scale of equal ratios."""

    def __init__(self, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.tokens = tokens
        self._load: Judgement | None = None
        self.setFixedHeight(46)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Chip load")

    def show_load(self, load: Judgement) -> None:
        self._load = load
        self.setToolTip(f"{load.load:.3f} mm per edge and turn; sound from {load.low:.3f} to {load.high:.3f} mm")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        load = self._load
        if load is None:
            return
        from math import log

        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        left, right, y = 6.0, self.width() - 6.0, 18.0
        first, last = log(load.low / 4), log(load.high * 4)

        def at(value: float) -> float:
            share = (log(max(value, 1e-9)) - first) / (last - first)
            return left + (right - left) * min(max(share, 0.0), 1.0)

        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.tokens.color("hairline"))
        painter.drawRoundedRect(QRectF(left, y - 3, right - left, 6), 3, 3)
        painter.setBrush(self.tokens.color("accent"))
        painter.drawRoundedRect(QRectF(at(load.low), y - 3, at(load.high) - at(load.low), 6), 3, 3)
        painter.setFont(style.font(11))
        painter.setPen(self.tokens.color("quiet"))
        for value in (load.low, load.high):
            painter.drawText(QRectF(at(value) - 30, y + 8, 60, 16), Qt.AlignmentFlag.AlignCenter, f"{value:.3f}")
        x = at(load.load)
        painter.setPen(QPen(self.tokens.color("ink" if load.verdict == 0 else "caution"), 2))
        painter.drawLine(QPointF(x, y - 9), QPointF(x, y + 7))
