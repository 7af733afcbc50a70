"""Tiles: a board larger than the machine in several setups: which way, seams and why they lie there, pins, and each as it lies on the machine."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QCheckBox

from archimetra.app.stations.artwork.panel import Panel, clear_rows
from archimetra.app.stations.page import shown
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import QuantityField, label
from archimetra.app.widgets.form import Form
from archimetra.app.widgets.tile_strip import TileStrip
from archimetra.base.findings import Severity, worded
from archimetra.edits import setups as edits
from archimetra.edits.edit import Edit
from archimetra.job.quantities import QuantityError, format_length, lengths_in, parse_length
from archimetra.job.setups import TileBy, Tiling
from archimetra.layout.tiles.answer import Seam

_WAYS: tuple[tuple[str, TileBy | None], ...] = (
    ("One setup", None),
    ("A grid of tiles", TileBy.GRID),
    ("Fed along, step by step", TileBy.ALONG),
    ("Two halves, turned round", TileBy.HALF_TURN),
)
_WAY_WORDS = {
    None: "The whole board lies on the machine once.",
    TileBy.GRID: "As many tiles along both sides as the machine's travel asks for.",
    TileBy.ALONG: "The board is shifted along its longer side, each time by the same step.",
    TileBy.HALF_TURN: "One half, then the board is turned half round about its pins, and the other.",
}


class TilesPanel(Panel):
    name, icon, tip = "Tiles", "tiles", "A board larger than the machine, cut in several setups"

    def build(self) -> None:
        form, s = self.form, self.session
        form.gap(4)
        self._way = self.combo_row(form, "Cut in", self._choose_way)
        self._way.addItems([words for words, _ in _WAYS])
        self._way_words = form.add(label("", "note"))
        self._offer = form.add(label("", "caution"))
        self._body = body = Form()
        form.add(body)
        self._lying = lying = Form()
        body.add(lying)
        lying.heading("As they lie on the machine")
        self._strip = TileStrip(self.tokens)
        self._strip.chosen.connect(self._choose_tile)
        lying.add(self._strip)
        self._zero = lying.add(label("", "note"))
        lying.line()
        self.length_row(
            body, "Overcut", key=lambda: f"{s.board.id}.tiling.overcut", get=lambda: self._tiling.overcut,
            edit=lambda mm: self._change("Overcut", overcut=mm), note=lambda: "past each seam",
        )  # fmt: skip
        body.line()
        self._seams_title = body.heading("Seams")
        self._seams = Form()
        body.add(self._seams)
        (self._find,) = self.buttons(body, ("Find the seams", "Leave all of them to be found again", self._find_seams))
        body.line()
        body.heading("Pins")
        self._has_pins = QCheckBox("Held in place by pins in the bed")
        self._has_pins.setToolTip("X Y zero is set once; without pins each tile has a zero point of its own")
        self._has_pins.clicked.connect(self._toggle_pins)
        body.add(self._has_pins)
        self._pins = pins = Form()
        body.add(pins)
        for words, field, note in (
            ("Pin", "pin_diameter", "thick"), ("Into the bed", "pin_depth", "deep"), ("Slack", "pin_slack", "in its hole"),
        ):  # fmt: skip
            self.length_row(
                pins, words, key=lambda f=field: f"{s.board.id}.tiling.{f}", get=lambda f=field: getattr(self._tiling, f),
                edit=lambda mm, f=field: self._change_pins(**{f: mm}), note=lambda n=note: n,
            )  # fmt: skip
        self._pin_words = pins.add(label("", "note"))
        (self._place,) = self.buttons(
            pins, ("Place the pins", "Two for each shift, in waste where there is some", self._place_pins)
        )
        self._told = body.add(label("", "stop"))
        self._shown_seams: object = None
        self._seam_fields: list[QuantityField] = []
        self._wants_pins = False  # they were taken away to be placed again, as soon as it is known where
        s.planning.planned.connect(self._plan_came)
        s.setup_changed.connect(self.refresh)

    def show_theme(self, tokens: Tokens) -> None:
        super().show_theme(tokens)
        self._strip.tokens = tokens
        self._strip.update()

    @property
    def _tiling(self) -> Tiling:
        return self.session.board.tiling or Tiling()

    def refresh(self) -> None:
        super().refresh()
        s = self.session
        board, tiling = s.board, s.board.tiling
        by = tiling.by if tiling is not None else None
        self._way.blockSignals(True)
        self._way.setCurrentIndex([way for _, way in _WAYS].index(by))
        self._way.blockSignals(False)
        self._way_words.setText(_WAY_WORDS[by])
        plan = s.planning.plan
        self._offer.setText(self._offered())
        shown(self._offer, bool(self._offer.text()))
        shown(self._body, tiling is not None)
        if tiling is None:
            return
        is_ready = plan is not None and len(plan.setups) > 0
        setups = plan.setups if plan is not None and is_ready else ()
        self._has_pins.setChecked(tiling.has_pins)
        shown(self._pins, tiling.has_pins)
        self._show_seams(plan.seams if plan is not None else ())
        self._seams_title.setText(f"{len(setups)} tiles" if len(setups) > 1 else "one tile" if setups else "")
        shown(self._find, bool(tiling.seams_x or tiling.seams_y))
        self._show_pins()
        at = s.setup_shown
        self._strip.show_setups(board, s.job.machine, setups, at)
        shown(self._lying, len(setups) > 1)
        if setups:
            one = setups[at if at is not None and at < len(setups) else 0]
            self._zero.setText(f"X Y zero of {one.name}: {one.zero_name}.")
        codes = ("no-tiles", "tile", "seam", "tiles")
        told = [f for f in plan.findings if f.code.startswith(codes)] if plan is not None else []
        self._told.setText("\n".join(s.words_of(f) for f in told))
        shown(self._told, bool(told))

    def _plan_came(self) -> None:
        wanted, self._wants_pins = self._wants_pins, False
        if wanted and self._places() and self.session.board.cut(self._tiling.pins) is None:
            self._place_pins()
        self.refresh()

    def _offered(self) -> str:
        """What would bring a board under the machine that does not fit as it lies."""
        s = self.session
        plan = s.planning.plan
        if s.board.tiling is not None or plan is None:
            return ""
        out = next((f for f in plan.findings if f.code == "out-of-travel"), None)
        return s.words_of(out) if out is not None else ""

    # ---- seams

    def _show_seams(self, seams: tuple[Seam, ...]) -> None:
        unit = self.session.job.unit
        if (seams, unit) == self._shown_seams or any(f.is_typing for f in self._seam_fields):
            return  # what is half typed stays
        self._seam_fields.clear()
        self._shown_seams = (seams, unit)
        clear_rows(self._seams)
        if not seams:
            self._seams.add(label("No seam: everything is reached at once.", "note"))
        for axis in (0, 1):
            for k, seam in enumerate([each for each in seams if each.axis == axis]):
                field = QuantityField(f"Seam {k + 1} across {'XY'[axis]}")
                field.show_quantity(format_length(seam.at, unit), f"{unit}{', by hand' if seam.by_hand else ''}")
                self._seam_fields.append(field)
                field.entered.connect(lambda text, a=axis, n=k, f=field: self._typed_seam(a, n, text, f))
                self._seams.row(f"{'XY'[axis]} of seam {k + 1}", field)
                self._seams.add(label(worded(seam.words, lengths_in(unit)), "note"))

    def _typed_seam(self, axis: int, number: int, text: str, field: QuantityField) -> None:
        s = self.session
        plan = s.planning.plan
        seams = [seam for seam in plan.seams if seam.axis == axis] if plan is not None else []
        try:
            mm = parse_length(text, default=s.job.unit)
        except QuantityError as error:
            field.show_quantity(text, str(error), is_wrong=True)
            return
        if number >= len(seams) or abs(mm - seams[number].at) < 1e-9:
            return
        low, high = seams[number].room
        if not low - 1e-6 <= mm <= high + 1e-6:
            least, most = (format_length(v, s.job.unit, decimals=1) for v in (low, high))
            field.show_quantity(text, f"{least} to {most} {s.job.unit}", is_wrong=True)
            return
        s.apply(edits.move_seam(s.job, s.board.id, axis, [seam.at for seam in seams], number, mm))

    def _find_seams(self) -> None:
        self.session.apply(edits.find_seams(self.session.job, self.session.board.id))

    # ---- pins

    def _show_pins(self) -> None:
        s, tiling = self.session, self._tiling
        plan = s.planning.plan
        is_placed = s.board.cut(tiling.pins) is not None
        places = self._places()
        self._place.setText("Place the pins again" if is_placed else "Place the pins")
        self._place.setEnabled(is_placed or bool(places))
        if plan is None or not tiling.has_pins:
            self._pin_words.setText("")
        elif is_placed:
            pairs = [setup.pins for setup in plan.setups if len(setup.pins) > 1]
            words = "Pins: none where the board is shifted." if not pairs else ""
            if pairs:
                from archimetra.layout.tiles.turning import angle_error

                worst = max(angle_error(pair, tiling.pin_slack) for pair in pairs)
                words = f"{len(pairs)} shift{'s' if len(pairs) > 1 else ''}, two pins each. The slack lets the board turn by {worst:.3f}° at the most."
            bad = [f for f in plan.findings if f.code.startswith("pin") and f.severity is Severity.STOP]
            self._pin_words.setText("\n".join([words, *[s.words_of(f) for f in bad]]).strip())
        elif places:
            waste = all(shift.in_waste for shift in plan.shifts)
            where = "in waste" if waste else "in the part itself: there is no waste for them"
            self._pin_words.setText(f"There is room for {len(places)} holes, {where}.")
        else:
            told = next((f for f in plan.findings if f.code == "pins-missing"), None)
            self._pin_words.setText(s.words_of(told) if told is not None else "")
        shown(self._pin_words, bool(self._pin_words.text()))

    def _places(self) -> list[tuple[float, float]]:
        plan = self.session.planning.plan
        return [place for shift in plan.shifts for place in shift.places] if plan is not None else []

    def _place_pins(self) -> None:
        s = self.session
        if s.board.cut(self._tiling.pins) is not None and not self._places():
            # where they stand hides where others could: without them the plan looks anew, and they are put there when it comes
            self._wants_pins = True
            s.apply(edits.remove_pins(s.job, s.board.id))
            return
        places = self._places()
        if places:
            s.apply(edits.place_pins(s.job, s.board.id, places))

    # ---- edits

    def _choose_way(self, k: int) -> None:
        s = self.session
        s.show_setup(None)
        self.run(lambda: edits.tile(s.job, s.board.id, _WAYS[k][1]))

    def _change(self, words: str, **fields: Any) -> Edit:
        return edits.change_tiling(self.session.job, self.session.board.id, words, **fields)

    def _change_pins(self, **fields: Any) -> Edit:
        """Other pins: the holes that were made for the old ones become as wide."""
        s = self.session
        edit = self._change("Pins", **fields)
        return edits.refit_pins(edit.job, s.board.id) if set(fields) - {"pin_depth"} else edit

    def _toggle_pins(self, is_on: bool) -> None:
        s = self.session
        job = s.job if is_on else edits.remove_pins(s.job, s.board.id).job
        s.apply(edits.change_tiling(job, s.board.id, "Pins", has_pins=is_on))

    def _choose_tile(self, number: int) -> None:
        self.session.show_setup(None if number < 0 else number)
