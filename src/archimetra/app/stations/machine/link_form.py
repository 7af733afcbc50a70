"""How the machine is reached: a port, an address, the stand-in, or a stick."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from archimetra.app.session.machine_link import STAND_IN, STICK
from archimetra.app.session.session import Session
from archimetra.app.stations.page import Rows, shown
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import Choice, TextField, fill, label, show_kind

_ANOTHER = "another"


class LinkForm(Rows):
    def __init__(self, session: Session, tokens: Tokens) -> None:
        super().__init__(session, tokens)
        self.machine = session.machine
        self._linked = QWidget()
        row = QHBoxLayout(self._linked)
        row.setContentsMargins(0, 0, 0, 0)
        self._to = label("", "note")
        row.addWidget(self._to, 1)
        self._close = QPushButton("Disconnect")
        self._close.setProperty("kind", "link")
        self._close.clicked.connect(self._press)
        row.addWidget(self._close)
        self.form.add(self._linked)
        self._kind = self.combo_row(self.form, "Machine at", self._choose)
        self._typed = TextField("Address of the machine")
        self._typed.setToolTip("A port such as /dev/ttyUSB0, or an address such as 192.168.4.1:23")
        self._typed_label = self.form.row("Address", self._typed)
        self._baud = Choice("Speed of the port")
        self._baud_label = self.form.row("Speed", self._baud)
        self._open = QPushButton("Connect")
        self._open.setProperty("kind", "main")
        self._open.clicked.connect(self._press)
        self.form.add(self._open)
        self._told = self.form.add(label("", "note"))
        self._take = QPushButton("Take its figures")
        self._take.setToolTip(
            "For this job's machine, and for the shop's of that name. The board is planned anew; undo takes it back"
        )
        self._take.clicked.connect(lambda _c=False: self.machine.take_figures())
        self.form.add(self._take)
        self._items: list[tuple[str, str]] = []
        self._chosen = ""
        self.look()

    @property
    def is_stick(self) -> bool:
        return self._chosen == STICK

    def look(self) -> None:
        """Which ports there are now."""
        from archimetra.machine.ports import SPEEDS, find_ports

        router = self.machine.router
        ports = find_ports()
        self._items = [(port.path, f"{port.path}  {port.words}".strip()) for port in ports]
        known = router.port
        if known and known not in (STICK, STAND_IN) and known not in [path for path, _ in self._items]:
            self._items.append((known, known))
        self._items += [
            (_ANOTHER, "Another address …"),
            (STICK, "No link: files on a stick"),
            (STAND_IN, "None, to try: a stand-in"),
        ]
        if self._chosen not in [key for key, _ in self._items]:
            self._chosen = known or (ports[0].path if ports else STAND_IN)
        fill(
            self._baud,
            [f"{speed}" for speed in SPEEDS],
            SPEEDS.index(router.baud) if router.baud in SPEEDS else SPEEDS.index(115200),
        )

    def _choose(self, index: int) -> None:
        self._chosen = self._items[index][0]
        if self._chosen in (STICK,):
            self.machine.keep(port=STICK)
        self.refresh()

    @property
    def address(self) -> str:
        return self._typed.text().strip() if self._chosen == _ANOTHER else self._chosen

    def _press(self) -> None:
        from archimetra.machine.ports import SPEEDS

        if self.machine.is_linked or self.machine.is_starting:
            self.machine.disconnect_from()
        elif self.address:
            baud = SPEEDS[max(self._baud.currentIndex(), 0)]
            self.machine.connect_to(self.address, baud=baud)
            if self.address != STAND_IN:
                self.machine.keep(port=self.address, baud=baud)
        else:
            self._typed.setFocus()
        self.refresh()

    def refresh(self) -> None:
        machine = self.machine
        is_linked = machine.is_linked or machine.is_starting
        if not is_linked and not self._kind.view().isVisible():
            self.look()
        keys = [key for key, _ in self._items]
        fill(self._kind, [words for _, words in self._items], keys.index(self._chosen) if self._chosen in keys else 0)
        for widget in (self._kind, self._kind.property("label")):
            shown(widget, not is_linked)
        shown(self._linked, is_linked)
        is_typed = self._chosen == _ANOTHER
        for widget in (self._typed, self._typed_label):
            shown(widget, is_typed and not is_linked)
        is_serial = self._chosen.startswith("/dev") or is_typed
        for widget in (self._baud, self._baud_label):
            shown(widget, is_serial and not is_linked)
        shown(self._open, not self.is_stick and not is_linked)
        self._close.setEnabled(machine.running is None)
        self._close.setToolTip("" if self._close.isEnabled() else "Stop the program first, or wait for its end")
        opened = machine.opened
        self._to.setText(
            f"{opened.version or 'A control'} at {opened.address}"
            if opened is not None
            else "Waiting for it to speak …"
        )
        if self.is_stick and not is_linked:
            words = "Write the files on the Output page, carry them over, and mark here what was cut."
        elif machine.problem:
            words = machine.problem
        elif is_linked:
            words = machine.control_words
        elif self._chosen == STAND_IN:
            words = "A machine of this program's own: it homes, moves and cuts as a real one would, and ruins nothing."
        else:
            words = ""
        self._told.setText(words)
        is_spoiling = is_linked and machine.is_control_spoiling
        show_kind(self._told, "stop" if machine.problem else "caution" if is_spoiling else "note")
        shown(self._told, bool(words))
        shown(self._take, bool(is_linked and machine.differing))
        self._take.setEnabled(machine.running is None)
