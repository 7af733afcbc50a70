"""Where the bit is: its position, leading it by hand, zero, and going to a place."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QMenu, QPushButton, QWidget

from archimetra.app.session.at_machine import Stage
from archimetra.app.session.session import Session
from archimetra.app.stations.bindings import TypedNumber
from archimetra.app.stations.page import Rows, shown
from archimetra.app.theme.style import scaled
from archimetra.app.theme.tokens import Tokens
from archimetra.app.views.plan_surface import PlanSurface
from archimetra.app.views.tools import Tool
from archimetra.app.widgets.fields import Choice, ChoiceRow, QuantityField, fill, label, show_kind
from archimetra.app.widgets.form import Fold, Form
from archimetra.app.widgets.jog_pad import JogPad, Way
from archimetra.base.errors import ArchimetraError
from archimetra.edits.shop import HomeAt
from archimetra.job.job import Board
from archimetra.job.quantities import MM_PER_INCH, Unit, format_length
from archimetra.job.sheet import ZeroAt

STEPS_MM = (0.05, 0.5, 5.0, 50.0)
STEPS_INCH = (0.002, 0.02, 0.2, 2.0)
SLOW_MM_MIN = 400.0
FAST_SHARE = 0.6  # of the rapid
PAPER_MM = 0.1
SHORT = 24  # letters that have room beside the heading
_STILL = (Stage.READY, Stage.CHANGE)


class GoTool(Tool):
    """Click a place on the plan; the bit goes over it."""

    name = "Go there"
    hint = "Click the place the bit is to stand over"

    def __init__(self, go: Callable[[float, float], object]) -> None:
        super().__init__()
        self._go = go

    def press(self, at, *, is_more: bool) -> None:
        self._go(at.x, at.y)

    def words(self, plan: PlanSurface) -> str:
        return self.hint


class WherePanel(Rows):
    def __init__(self, session: Session, tokens: Tokens) -> None:
        super().__init__(session, tokens)
        self.machine = session.machine
        self.leads = True  # whether leading by hand is in front
        self._goes_unseen = False  # the plate was not seen touching, and the person has been told so
        self._position()
        self.below = self.form.add(Form())  # for what stands between the position and the rest
        self._by_hand = self.form.add(Form())
        self._build_jog(self._by_hand)
        self._zero = self.form.add(Form())
        self._build_zero(self._zero)
        self._build_go(self._zero)
        self._build_askew(self._zero)
        self.machine.moved.connect(self._show_position)

    # ---- building

    def _position(self) -> None:
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 2, 0, 2)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(0)
        self._values: list[tuple[QLabel, QLabel]] = []
        for column, words in ((1, "From zero"), (2, "Machine")):
            head = label(words, "note")
            head.setWordWrap(False)
            head.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(head, 0, column)
        for k, letter in enumerate("XYZ"):
            grid.addWidget(label(letter, "heading"), k + 1, 0)
            own, machine = label("–", "reading"), label("", "quiet")
            machine.setWordWrap(False)
            for column, one in ((1, own), (2, machine)):
                one.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                grid.addWidget(one, k + 1, column)
            own.setAccessibleName(f"{letter} from zero")
            self._values.append((own, machine))
        grid.setColumnStretch(1, 3)
        grid.setColumnStretch(2, 2)
        self._where = self.form.add(holder)

    def _build_jog(self, form: Form) -> None:
        (self._home, self._unlock) = self.buttons(
            form, ("Home", "Find the machine's own corner by its switches", self.machine.home),
            ("Unlock", "Go on after an alarm without homing: only where you know that its position is right", self.machine.unlock),
        )  # fmt: skip
        self._home_at = self.combo_row(form, "Home is", lambda k: self.machine.keep(home=list(HomeAt)[k]))
        self._home_at.setToolTip("Where the machine stands when it has found its home, seen from its front")
        self.step = ChoiceRow("Step", [(str(k), "") for k in range(4)] + [("slow", "slow"), ("fast", "fast")])
        self.step.setToolTip("How far a press moves; slow and fast move as long as the button or the key is held")
        self.step.show_value("2")
        self.step.chosen.connect(self.step.show_value)
        form.add(self.step)
        self.pad = form.add(JogPad())
        self.pad.pressed.connect(self._press)
        self.pad.released.connect(self.machine.jog_end)
        self.pad.finer.connect(lambda: self._change_step(-1))
        self.pad.coarser.connect(lambda: self._change_step(1))
        row = QHBoxLayout()
        row.setSpacing(6)
        self._axis = Choice("Axis to move")
        self._axis.addItems(["X", "Y", "Z"])
        self._axis.setFixedWidth(58)
        self._by = TypedNumber(10.0, -5000.0, 5000.0)
        self._by_field = QuantityField("Distance to move", width=84)
        self._by.attach(self._by_field, self.session, "", is_length=True)
        self.bindings.append(self._by)
        self._move = QPushButton("Move")
        self._move.setToolTip("Move by the distance typed: minus is left, forward, down")
        self._move.clicked.connect(lambda _c=False: self._move_by())
        for widget in (label("By"), self._axis, self._by_field, self._move):
            row.addWidget(widget)
        form.column.addLayout(row)

    def _build_zero(self, form: Form) -> None:
        form.line()
        self._zero_words = form.heading("Zero")
        self._zero_note = form.add(label("", "note"))
        self._flat_buttons = self.buttons(
            form, ("X Y zero here", "X and Y are zero where the bit stands", lambda: self.machine.set_zero(x=0.0, y=0.0)),
            ("X", "X alone is zero here", lambda: self.machine.set_zero(x=0.0)), ("Y", "Y alone is zero here", lambda: self.machine.set_zero(y=0.0)),
        )  # fmt: skip
        self._with = ChoiceRow("Z zero with", [("paper", "Paper"), ("plate", "Probe plate")])
        self._with.show_value("paper")
        self._with.chosen.connect(self._choose_with)
        form.row("Z with", self._with)
        self._paper = TypedNumber(PAPER_MM, 0.0, 50.0)
        self._plate = TypedNumber(self.machine.router.plate, 0.01, 100.0)
        self._plate.on_change(lambda: self.machine.keep(plate=self._plate.value))
        self._paper_row, self._paper_field, self._set_z = self._thickness(form, "Paper", self._paper, "Z zero here")
        self._plate_row, self._plate_field, self._touch_plate = self._thickness(
            form, "Plate is", self._plate, "Touch the plate"
        )
        self._set_z.setToolTip("The bit just holds a piece of paper of this thickness")
        self._touch_plate.setToolTip("Lay the plate where Z is zero, clip its wire to the bit, stand a little above it")
        self._plate_words = form.add(label("", "note"))

    def _thickness(
        self, form: Form, words: str, value: TypedNumber, does: str
    ) -> tuple[QWidget, QuantityField, QPushButton]:
        """How thick something is, and the button that finds zero with it, in a row."""
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        name, field, button = label(words), QuantityField(words, width=84), QPushButton(does)
        name.setBuddy(field)
        value.attach(field, self.session, "", is_length=True)
        self.bindings.append(value)
        button.clicked.connect(lambda _c=False: self._find_z())
        for widget in (name, field, button):
            row.addWidget(widget)
        form.add(holder)
        return holder, field, button

    def _build_go(self, form: Form) -> None:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self._to_zero = QPushButton("Zero")
        self._to_zero.setToolTip("Up to the travel height, then over zero")
        self._to_zero.clicked.connect(lambda _c=False: self.machine.go_to(0.0, 0.0, height=self.height))
        self._to_corner = QPushButton("A corner")
        self._to_corner.setAccessibleName("Go to a corner of the sheet")
        self._to_corner.setToolTip("Up to the travel height, then over a corner of the sheet")
        menu = QMenu(self._to_corner)
        for name, place in _corners().items():
            menu.addAction(name[0].upper() + name[1:]).triggered.connect(lambda _c=False, p=place: self._go_corner(p))
        self._to_corner.setMenu(menu)
        self._to_place = QPushButton("A place …")
        self._to_place.setToolTip("Click a place on the plan; the bit goes over it at the travel height")
        self._to_place.clicked.connect(lambda _c=False: self._point_at())
        for widget in (label("Go to"), self._to_zero, self._to_corner, self._to_place):
            row.addWidget(widget)
        row.addStretch(1)
        form.add(holder)

    def _build_askew(self, form: Form) -> None:
        fold = Fold("The board lies askew")
        self._fold = form.add(fold)
        inner = fold.form
        inner.add(
            label(
                "Touch two of its corners with the bit, far apart: programs are turned by what is found. Zero stays where it is.",
                "note",
            )
        )
        names = list(_corners())
        self._touch: list[tuple[Choice, QPushButton]] = []
        for k, words in enumerate(("First", "Second")):
            holder = QWidget()
            row = QHBoxLayout(holder)
            row.setContentsMargins(0, 0, 0, 0)
            row.setSpacing(6)
            corner = Choice(f"{words} corner")
            corner.addItems([name[0].upper() + name[1:] for name in names])
            corner.setCurrentIndex(k)
            here = QPushButton("It is here")
            here.clicked.connect(lambda _c=False, n=k: self._touched(n))
            name = label(words)
            name.setFixedWidth(scaled(52))
            for widget in (name, corner, here):
                row.addWidget(widget)
            row.setStretchFactor(corner, 1)
            inner.add(holder)
            self._touch.append((corner, here))
        self._turn_words = inner.add(label("", "note"))
        (self._straight,) = self.buttons(inner, ("It lies straight", "Programs are not turned", self._straighten))

    # ---- what a person does

    @property
    def height(self) -> float:
        """Up to here above zero before going anywhere, mm."""
        board = self.session.board
        return board.travel_heights.park + board.zero.z_shift(board.sheet)

    def _steps(self) -> tuple[float, ...]:
        return tuple(v * MM_PER_INCH for v in STEPS_INCH) if self.session.job.unit is Unit.INCH else STEPS_MM

    def _feed(self, way: Way, *, is_slow: bool = False) -> float:
        machine = self.session.job.machine
        most = machine.rapid_z if way[2] else machine.rapid_xy
        return min(SLOW_MM_MIN, most) if is_slow else most * FAST_SHARE

    def _press(self, way: Way) -> None:
        kind = self.step.value
        if kind in ("slow", "fast"):
            self.machine.jog_held(way, self._feed(way, is_slow=kind == "slow"))
            return
        step = self._steps()[int(kind)]
        self.machine.jog((way[0] * step, way[1] * step, way[2] * step), self._feed(way))

    def _change_step(self, by: int) -> None:
        values = [str(k) for k in range(4)] + ["slow", "fast"]
        self.step.show_value(values[min(max(values.index(self.step.value) + by, 0), len(values) - 1)])

    def _move_by(self) -> None:
        self._by_field.commit()
        if self._by_field.refusal():
            return
        axis = self._axis.currentIndex()
        by = [0.0, 0.0, 0.0]
        by[axis] = self._by.value
        self.machine.jog((by[0], by[1], by[2]), self._feed((0, 0, 1) if axis == 2 else (1, 0, 0)))

    def _choose_with(self, value: str) -> None:
        self._with.show_value(value)
        self._goes_unseen = False
        self.refresh()

    def _find_z(self) -> None:
        field = self._plate_field if self._with.value == "plate" else self._paper_field
        field.commit()
        if field.refusal():
            self.session.said.emit("caution", field.refusal())
            return
        if self._with.value == "plate":
            if not self.machine.plate_seen and not self._goes_unseen:
                self._goes_unseen = True
                self.refresh()
                return
            self._goes_unseen = False
            self.machine.probe_z(self._plate.value)
        else:
            self.machine.set_zero(z=self._paper.value)

    def _go_corner(self, share: tuple[float, float]) -> None:
        sheet = self.session.board.sheet
        self.machine.go_to_board(share[0] * sheet.width, share[1] * sheet.height, height=self.height)

    def _point_at(self) -> None:
        def go(x: float, y: float) -> None:
            self.session.tool_wanted.emit(None)
            self.machine.go_to_board(x, y, height=self.height)

        self.session.tool_wanted.emit(lambda _plan: GoTool(go))

    def _touched(self, number: int) -> None:
        from archimetra.machine.askew import turn_of

        machine, at = self.machine, self.machine.at
        if at is None:
            return
        name = list(_corners())[self._touch[number][0].currentIndex()]
        machine.touched = {**machine.touched, name: (at[0], at[1])}
        names = [list(_corners())[corner.currentIndex()] for corner, _ in self._touch]
        if names[0] != names[1] and all(one in machine.touched for one in names):
            sheet, setup = self.session.board.sheet, machine.setup
            should = [
                setup.in_file(share[0] * sheet.width, share[1] * sheet.height)
                for share in (_corners()[one] for one in names)
            ]
            try:
                machine.turn = turn_of((should[0], should[1]), (machine.touched[names[0]], machine.touched[names[1]]))
            except ArchimetraError as error:
                machine.touched = {}
                machine.turn = 0.0
                self.session.said.emit("caution", str(error))
        machine.changed.emit()

    def _straighten(self) -> None:
        self.machine.turn, self.machine.touched = 0.0, {}
        self.machine.changed.emit()

    # ---- showing

    def refresh(self) -> None:
        super().refresh()
        machine, job, board = self.machine, self.session.job, self.session.board
        stage = machine.stage
        is_linked = machine.opened is not None
        is_led = self.leads and stage not in (Stage.RUNNING, Stage.HELD)
        shown(self._where, is_linked and (is_led or stage not in (Stage.READY, Stage.MOVING)))
        for part in (self._by_hand, self._zero):
            shown(part, is_linked and is_led)
        if not is_linked:
            return
        unit = job.unit
        for k, step in enumerate(self._steps()):
            self.step.button(str(k)).setText(format_length(step, unit))
        is_still = stage in _STILL
        self._home.setEnabled(stage in (Stage.READY, Stage.LOCKED))
        show_kind(self._home, "" if machine.is_homed else "main")
        for widget in (self._home_at, self._home_at.property("label")):
            shown(widget, not machine.is_homed)
        shown(self._unlock, stage is Stage.LOCKED)
        self.pad.setEnabled(is_still or stage is Stage.MOVING)
        for widget in (
            self._move,
            self._set_z,
            self._touch_plate,
            self._to_zero,
            self._to_corner,
            self._to_place,
            *self._flat_buttons,
        ):
            widget.setEnabled(is_still)
        fill(self._home_at, [one.value for one in HomeAt], list(HomeAt).index(machine.router.home))
        setup = machine.setup
        x_y = setup.zero_name or _called(board)
        whole = f"X Y: {x_y}. Z: {board.zero.z.value}."
        is_short = len(x_y) <= SHORT
        self._zero_words.setText(f"{x_y}, {board.zero.z.value}" if is_short else board.zero.z.value)
        self._zero_words.setToolTip(whole)
        is_between = stage is Stage.CHANGE  # the board and how it lies are those of the parts before
        for widget in (self._flat_buttons[0].parentWidget(), self._fold):
            if widget is not None:
                shown(widget, not is_between)
        notes = ["X and Y stay after a bit change."] if is_between else []
        notes += [] if is_short else [whole]
        self._zero_note.setText(" ".join(notes))
        shown(self._zero_note, bool(notes))
        is_plate = self._with.value == "plate"
        shown(self._paper_row, not is_plate)
        shown(self._plate_row, is_plate)
        self._show_plate(is_plate)
        self._show_turn()
        self._show_position()

    def _show_plate(self, is_plate: bool) -> None:
        """A wire that is not clipped on sends the bit through the plate: it is to be seen touching once first."""
        machine = self.machine
        touches = "P" in machine.now.pins
        if touches:
            words = "The plate touches the bit now."
        elif machine.plate_seen:
            words = "The plate has been seen touching: its wire is on."
        else:
            words = "Hold the plate to the bit once, to be seen here."
        self._plate_words.setText(words)
        self._plate_words.setToolTip("With its wire off the bit would go down through the plate")
        shown(self._plate_words, is_plate)
        show_kind(self._plate_words, "note" if touches or machine.plate_seen else "caution")
        is_asked = self._goes_unseen and not machine.plate_seen
        self._touch_plate.setText("Go down, seen or not" if is_asked else "Touch the plate")

    def _show_turn(self) -> None:
        machine = self.machine
        touched = ", ".join(machine.touched)
        words = (
            f"Programs are turned by {machine.turn:+.3f}° about zero."
            if machine.turn
            else f"Touched: {touched}."
            if touched
            else ""
        )
        self._turn_words.setText(words)
        shown(self._turn_words, bool(words))
        shown(self._straight, bool(machine.turn or machine.touched))
        self._fold.show_words(f"{machine.turn:+.2f}°" if machine.turn else "")
        for _, here in self._touch:
            here.setEnabled(machine.stage in _STILL)

    def _show_position(self) -> None:
        if not self._where.isVisible():
            return
        at, own, unit = self.machine.now.at, self.machine.at, self.session.job.unit
        for k, (value, machine) in enumerate(self._values):
            value.setText(_fixed(own[k], unit) if own is not None else "–")
            machine.setText(_fixed(at[k], unit) if at is not None else "")


def _called(board: Board) -> str:
    """Where X and Y are zero, as short as it goes: a corner is where it is."""
    if board.zero.at is not ZeroAt.TYPED:
        return board.zero.at.value
    return board.zero.sentence_xy(board.sheet).removeprefix("X Y zero: ")


def _corners() -> dict[str, tuple[float, float]]:
    return {"front left": (0.0, 0.0), "front right": (1.0, 0.0), "back right": (1.0, 1.0), "back left": (0.0, 1.0)}


def _fixed(mm: float, unit: Unit) -> str:
    """As many places each time: a reading that jumps about is not read."""
    value, places = (mm / MM_PER_INCH, 4) if unit is Unit.INCH else (mm, 3)
    text = f"{value:.{places}f}"
    return text.replace("-", "−") if float(text) else f"{0:.{places}f}"
