"""``Leading``: the machine led by hand: where the bit is, homing, jogs, zero, the probe plate, how the board lies on it."""

from __future__ import annotations

from collections.abc import Callable
from math import cos, radians, sin
from typing import TYPE_CHECKING

import msgspec
from PySide6.QtCore import QTimer

from archimetra.app.session.document import Document
from archimetra.app.session.machine_link import MachineLink
from archimetra.app.session.planning import Planning
from archimetra.base.errors import JobFileError
from archimetra.edits.basic import change_job
from archimetra.edits.shop import SHOP, Router, as_router, router_of, with_router
from archimetra.job.lying import only_setup
from archimetra.job.quantities import format_length
from archimetra.job.setups import Setup
from archimetra.machine.messages import Answered, Ask, Jog, JogEnd, JogHeld, Now, Place, Reach, Unlock
from archimetra.output.gcode_file import GcodeFile

if TYPE_CHECKING:
    from archimetra.machine.control_settings import Figure

AGREES_MM = 0.01  # what a control tells after a zero was set, against what it was set to
_IS_ZERO_MM = 0.01
_SHOWS_MM, _NEAR_MM = 0.02, 5.0  # less is how well a zero is found by hand; more is another zero
HELD_MS = 50  # a held jog is said again so often
_TRAVEL_UP = 5.0  # what a plate is left by after it was touched, mm
PROBE_FAST, PROBE_SLOW, PROBE_DOWN_MM = 100.0, 25.0, 40.0


class Leading(MachineLink):
    def __init__(self, document: Document, planning: Planning) -> None:
        super().__init__(document)
        self._planning = planning
        self.ticked: set[str] = set()
        self.is_homed = False
        self._homed_at: Place | None = None  # where it said that it stands once it had found its home
        self.found: dict[int, str] = {}  # the axes whose zero was found since it was connected, and of which board
        self._zero_known: Place | None = None  # where it was last told to lie
        self.plate_seen = False  # whether the plate has been seen touching since it was connected
        self.turn = 0.0  # degrees by which programs are turned
        self.touched: dict[str, tuple[float, float]] = {}  # where a board that lies askew was touched, from zero
        self._setup_number = 0
        self._is_probing = False
        self._held: tuple[Place, float] | None = None
        self._again = QTimer(self)
        self._again.setInterval(HELD_MS)
        self._again.timeout.connect(self._say_held)
        document.board_changed.connect(self._lies_straight)
        document.replaced.connect(self._lies_straight)

    def _let_go(self) -> None:
        super()._let_go()
        self._let_go_of_jog()
        self.is_homed, self._homed_at = False, None
        self.plate_seen = False
        self.found.clear()
        self._zero_known = None

    def _take_now(self, now: Now) -> None:
        pins = self.now.pins
        super()._take_now(now)
        self._zero_known = now.zero or self._zero_known
        self.plate_seen = self.plate_seen or "P" in now.pins
        if now.pins != pins:
            self.changed.emit()

    def _take_lost(self) -> None:
        self.is_homed = False
        self.changed.emit()

    def _let_go_of_jog(self) -> None:
        self._again.stop()
        self._held = None
        self._is_probing = False

    # ---- what is known

    @property
    def router(self) -> Router:
        """The shop's machine of the job, with the job's own figures where the shop has none of that name."""
        shop = SHOP.at_hand()[0]
        job = self._document.job
        return shop.named(job.machine.name) or as_router(job, router_of(job, shop))

    @property
    def reach(self) -> tuple[Place, Place]:
        """Where the bit gets to, mm in machine coordinates: by the shop, and no further than the control says of its own travel. A machine that has
        homed counts X and Y up or down from there as it said itself, whatever the shop has."""
        low, high = (list(one) for one in self.router.reach())
        for k in range(2):
            travel, at = high[k] - low[k], self._homed_at[k] if self._homed_at is not None else 0.0
            if abs(at) > _IS_ZERO_MM and (at < 0) != (low[k] < 0):
                low[k], high[k] = (-travel, 0.0) if at < 0 else (0.0, travel)
        settings = self.opened.settings if self.opened is not None else {}
        for k in range(3):
            own = settings.get(130 + k, 0.0)
            if 0 < own < high[k] - low[k]:
                if low[k] < 0:
                    low[k] = high[k] - own
                else:
                    high[k] = low[k] + own
        return (low[0], low[1], low[2]), (high[0], high[1], high[2])

    @property
    def differing(self) -> tuple[Figure, ...]:
        """The figures the control has otherwise than the job's machine."""
        from archimetra.machine.control_settings import differing

        if self.opened is None or self._stand_in is not None:
            return ()
        return differing(self.opened.settings, self._document.job.machine)

    @property
    def control_words(self) -> str:
        """What the control says of itself that a person should know, a line each."""
        from archimetra.machine.control_settings import concerns

        if self.opened is None:
            return ""
        out = list(concerns(self.opened.settings))
        if pressed := [letter for letter in "XYZ" if letter in self.now.pins]:
            out.insert(0, f"A limit switch is pressed: {' and '.join(pressed)}. Unlock it and lead it away from there.")
        if figures := self.differing:
            told = "; ".join(one.sentence for one in figures)
            out.append(f"Its control says: {told} as in this job.")
        return "\n".join(out)

    @property
    def is_control_spoiling(self) -> bool:
        """Whether one of the control's settings spoils work, not merely differs."""
        from archimetra.machine.control_settings import concerns

        return self.opened is not None and bool(concerns(self.opened.settings) or set("XYZ") & set(self.now.pins))

    def take_figures(self) -> None:
        """The control's own figures for the job's machine, and for the shop's of that name."""
        from archimetra.machine.control_settings import taken

        machine = taken(self._document.job.machine, self.differing)
        self._document.apply(change_job(self._document.job, "Figures of the control", machine=machine))
        self.keep(machine=machine)

    @property
    def at(self) -> Place | None:
        """Where the bit is from board zero, mm, as files count."""
        at, zero = self.now.at, self.now.zero
        return (at[0] - zero[0], at[1] - zero[1], at[2] - zero[2]) if at is not None and zero is not None else None

    @property
    def setup(self) -> Setup:
        """How the shown board lies: the setup of the next file."""
        plan, number = self._planning.plan, self._setup_number
        if plan is not None and number < len(plan.setups):
            return plan.setups[number]
        return only_setup(self._document.board, self._document.job.machine)

    def show_setup_of(self, file: GcodeFile | None) -> None:
        number = file.blocks[0].setup if file is not None and file.blocks else 0
        if number != self._setup_number:
            self._setup_number = number
            self._lies_straight()

    def _lies_straight(self) -> None:
        """Another board, or the same laid anew: what was touched says nothing about it."""
        self.turn, self.touched = 0.0, {}

    def on_board(self) -> tuple[float, float] | None:
        """The place of the shown board the bit is over, by its zero."""
        at = self.at
        return self.place_on_board(at[0], at[1], self.turn) if at is not None else None

    def place_on_board(self, x: float, y: float, turn: float) -> tuple[float, float]:
        """Which place of the shown board lies at one counted from zero, the board lying ``turn`` degrees askew."""
        setup = self.setup
        x, y = turned_by(x, y, -turn)
        return setup.on_board(x + setup.zero[0], y + setup.zero[1])

    # ---- what a person does

    def home(self) -> None:
        def done(answer: Answered) -> None:
            self._say_refusal(answer)
            self.is_homed = answer.is_done
            if answer.is_done:
                self._homed_at = self.now.at
                self._send(Reach(*self.reach))
            self.changed.emit()

        self._ask(lambda n: Ask(n, "$H", 120.0), done)

    def unlock(self) -> None:
        self._ask(Unlock)

    def jog(self, by: Place, feed: float) -> None:
        self._ask(lambda n: Jog(n, by, feed))

    def jog_held(self, way: Place, feed: float) -> None:
        """Move this way until ``jog_end``."""
        self._held = way, feed
        self._say_held()
        self._again.start()

    def _say_held(self) -> None:
        if self._held is not None:
            self._send(JogHeld(*self._held))

    def jog_end(self) -> None:
        if self._held is not None:
            self._held = None
            self._again.stop()
            self._send(JogEnd())

    def set_zero(self, *, x: float | None = None, y: float | None = None, z: float | None = None) -> None:
        """Where it stands is so many mm from zero."""
        at, before = self.now.at, self._zero_known
        should = (
            tuple(a - v if v is not None else None for a, v in zip(at, (x, y, z), strict=True))
            if at is not None
            else ()
        )
        words = " ".join(f"{letter}{v:.4f}" for letter, v in (("X", x), ("Y", y), ("Z", z)) if v is not None)

        def done(answer: Answered) -> None:
            self._say_refusal(answer)
            if answer.is_done and self._is_zero_at(should):
                self._tell_moved(before, [k for k, v in enumerate((x, y, z)) if v is not None])
                self._zero_found(is_flat=x is not None or y is not None, is_z=z is not None)

        self._ask(lambda n: Ask(n, f"G21 G10 L20 P1 {words}", 5.0), done)

    def _is_zero_at(self, should: tuple[float | None, ...]) -> bool:
        """Whether the control tells its zero where it was set, machine coordinates; said where it does not."""
        zero = self.now.zero
        told = [
            f"{letter} {zero[k]:.3f}" for k, letter in enumerate("XYZ"[: len(should)]) if zero is not None and (v := should[k]) is not None and abs(zero[k] - v) > AGREES_MM
        ]  # fmt: skip
        if told:
            self.said.emit(
                "stop", f"Zero was set, and the control has it at {', '.join(told)} on the machine all the same. Something else moves its zero: connect anew, and set it again."
            )  # fmt: skip
        return not told

    def _tell_moved(self, before: Place | None, axes: list[int]) -> None:
        """A zero that was found before on the same board, and is found a little beside it now: what was between them is told, for no report shows it."""
        now, board = self.now.zero, self._document.board_id
        known = [k for k in axes if self.found.get(k) == board]
        self.found |= dict.fromkeys(axes, board)
        if before is None or now is None:
            return
        moved = [
            f"{'XYZ'[k]} {format_length(now[k] - before[k], self._document.job.unit)}" for k in known if _SHOWS_MM < abs(now[k] - before[k]) < _NEAR_MM
        ]  # fmt: skip
        if moved and len(known) == len(axes):
            unit = self._document.job.unit.value
            self.said.emit(
                "note", f"Zero lies {', '.join(moved)} {unit} from where it was: the board has moved since, or the machine lost steps, unless it was touched elsewhere."
            )  # fmt: skip

    def _zero_found(self, *, is_flat: bool, is_z: bool) -> None:
        """Ticks of the list that were about the zero before are taken away: what is to be looked at is another now."""
        if is_flat:
            self.turn, self.touched = 0.0, {}
        self.ticked = {
            one for one in self.ticked if not ((is_flat and one.startswith("xy ")) or (is_z and one.startswith("z ")))
        }
        self.changed.emit()

    def probe_z(self, plate: float) -> None:
        """Down onto the plate, quickly and then slowly; zero is so much below where it touched."""

        goal, before = 0.0, self._zero_known

        def down_by(mm: float, feed: float, then: Callable[[Answered], None]) -> None:
            at = self.at
            if at is None:
                self._is_probing = False
                self.said.emit("caution", "The machine has not said where it is yet.")
                return
            self._ask(lambda n: Ask(n, f"G21 G90 G38.2 Z{at[2] - mm:.4f} F{feed:.0f}", 60.0), then)

        def is_on(answer: Answered) -> bool:
            """Whether the next step is taken; a step that was refused, or a stop, ends it."""
            self._say_refusal(answer)
            if not answer.is_done:
                self._is_probing = False
                self.changed.emit()
            return answer.is_done and self._is_probing

        def again(answer: Answered) -> None:
            if is_on(answer):
                self._ask(lambda n: Jog(n, (0.0, 0.0, 2.0), 600.0), slowly)

        def slowly(answer: Answered) -> None:
            if is_on(answer):
                self._when_still(lambda: down_by(4.0, PROBE_SLOW, touched))

        def touched(answer: Answered) -> None:
            from archimetra.machine.protocol import read_probe

            found = next((one for line in answer.said if (one := read_probe(line)) is not None), None)
            if not is_on(answer):
                return
            if found is None or not found[1]:
                self._is_probing = False
                self.said.emit("caution", "The control did not say where it touched. Z zero is as it was.")
                self.changed.emit()
                return
            nonlocal goal
            goal = found[0][2] - plate
            self._ask(lambda n: Ask(n, f"G21 G10 L2 P1 Z{goal:.4f}", 5.0), kept)

        def kept(answer: Answered) -> None:
            if is_on(answer):
                self._is_probing = False
                if not self._is_zero_at((None, None, goal)):
                    self.changed.emit()
                    return
                self._tell_moved(before, [2])
                self._zero_found(is_flat=False, is_z=True)
                self._ask(lambda n: Jog(n, (0.0, 0.0, _TRAVEL_UP), 600.0))
                self.said.emit("note", "Z zero is found. Take the plate and its clip away.")

        self._is_probing = True
        self.changed.emit()
        down = PROBE_DOWN_MM
        at = self.now.at
        if at is not None and self.is_homed:
            down = min(down, at[2] - self.reach[0][2] - 0.01)
        down_by(down, PROBE_FAST, again)

    def _when_still(self, then: Callable[[], None]) -> None:
        """Once it stands again."""
        count = 0

        def look() -> None:
            nonlocal count
            count += 1
            if not self._is_probing:
                return
            if self.now.doing == "Idle" and count > 2:
                then()
            elif self._client is not None and count < 200:
                QTimer.singleShot(60, look)
            else:
                self._is_probing = False
                self.said.emit("caution", "The machine keeps moving. Z zero is as it was.")
                self.changed.emit()

        QTimer.singleShot(60, look)

    def keep(self, **fields: object) -> None:
        """Something about the job's machine kept in the shop: port, home, plate."""
        try:
            shop = SHOP.load()
            name = self._document.job.machine.name
            number = next((k for k, one in enumerate(shop.routers) if one.machine.name == name), None)
            if number is None:
                from archimetra.edits.shop import add_router

                shop = add_router(shop, as_router(self._document.job))
                number = len(shop.routers) - 1
            SHOP.save(with_router(shop, number, msgspec.structs.replace(shop.routers[number], **fields)))
        except (JobFileError, ValueError) as error:
            self.said.emit("stop", str(error))
        self.changed.emit()


def turned_by(x: float, y: float, degrees: float) -> tuple[float, float]:
    c, s = cos(radians(degrees)), sin(radians(degrees))
    return x * c - y * s, x * s + y * c
