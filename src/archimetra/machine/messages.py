"""What the window and the link tell each other, and how it goes between their processes: small records, never anything that could be carried out.

A message is four bytes of length and a msgpack record that names its kind; what is no such record is refused.
"""

from __future__ import annotations

from typing import Any, Literal

import msgspec

Place = tuple[float, float, float]
MOST_BYTES = 1_000_000  # of a message: programs go by way of files

OverrideOf = Literal["feed", "spindle"]


class Message(msgspec.Struct, frozen=True, tag=True):
    """Base of all."""


# ---- from the window


class Ask(Message, frozen=True):
    """One line with its answer: homing, a zero, a probe. Taken only while nothing runs."""

    number: int
    line: str
    wait_s: float = 30.0


class Unlock(Message, frozen=True):
    """Go on after an alarm, without homing."""

    number: int


class Reach(Message, frozen=True):
    """Where the bit may go, mm in machine coordinates; kept to by jogs that are held. None of it before the machine is homed."""

    low: Place | None
    high: Place | None


class Jog(Message, frozen=True):
    """So far from where it stands, mm, at ``feed`` mm/min."""

    number: int
    by: Place
    feed: float


class JogHeld(Message, frozen=True):
    """Move this way (a direction, -1 to 1 each) at ``feed`` mm/min as long as this is said again at least every ``HELD_S``."""

    way: Place
    feed: float


class JogEnd(Message, frozen=True):
    """Stand."""


class Begin(Message, frozen=True):
    """Run the program in ``folder`` (see ``runs``). ``zero`` is where the window believes zero to be; elsewhere nothing is run."""

    number: int
    folder: str
    zero: Place


class Hold(Message, frozen=True):
    pass


class Resume(Message, frozen=True):
    pass


class Stop(Message, frozen=True):
    """At once, whatever it does."""


class Override(Message, frozen=True):
    """Feed or spindle to so many percent of what the program says."""

    of: OverrideOf
    percent: int


class Leave(Message, frozen=True):
    """The window lets go of the machine; what runs is stopped."""


ToLink = Ask | Unlock | Reach | Jog | JogHeld | JogEnd | Begin | Hold | Resume | Stop | Override | Leave


# ---- from the link


class Opened(Message, frozen=True):
    """A control answers. ``version`` is what it says of itself, safe to be shown; ``settings`` its numbers by number."""

    address: str
    version: str
    settings: dict[int, float]


class Now(Message, frozen=True):
    """How it is, some ten times a second. ``doing`` is the control's own word; ``at`` machine coordinates, mm; ``zero`` where board zero lies in
    them. ``line`` (from 0; -1 for none) and ``share`` tell where on the running program the bit is, ``taken`` how many of its lines were taken,
    ``run`` its state ('' for none), ``run_s`` how long it has run without what it was held, s; ``pins`` the letters of the switches that are on."""

    doing: str
    at: Place | None = None
    zero: Place | None = None
    feed: float = 0.0
    speed: float = 0.0
    overrides: tuple[int, int, int] = (100, 100, 100)
    line: int = -1
    share: float = 0.0
    taken: int = 0
    sent: int = 0
    room: int = -1
    run: str = ""
    run_s: float = 0.0
    pins: str = ""


class Answered(Message, frozen=True):
    """To ``Ask``, ``Unlock``, ``Jog`` and ``Begin``: whether it was done; in words why not; what was said on the way."""

    number: int
    is_done: bool
    words: str = ""
    said: tuple[str, ...] = ()


class Ended(Message, frozen=True):
    """A program has ended: state (see ``streaming.State``), lines taken and certainly done, seconds (without what it was held), in words what
    happened."""

    state: str
    taken: int
    done: int
    words: str
    seconds: float
    was_slowed: bool


class Told(Message, frozen=True):
    """Something a person should know: an alarm while nothing ran. ``is_lost`` where the machine may not be any more where it says ('' then, if nobody
    needs to be told more than what was answered)."""

    words: str
    is_lost: bool = False


class Gone(Message, frozen=True):
    """There is no link any more, or there never was; why, and what to do."""

    words: str


FromLink = Opened | Now | Answered | Ended | Told | Gone

_to_link = msgspec.msgpack.Decoder(ToLink)
_from_link = msgspec.msgpack.Decoder(FromLink)
_encoder = msgspec.msgpack.Encoder()


class Mailbox:
    """Bytes that come, made into messages of one direction. Raises ValueError for what is none."""

    def __init__(self, *, is_link: bool) -> None:
        self._decoder: msgspec.msgpack.Decoder[Any] = _to_link if is_link else _from_link
        self._bytes = bytearray()

    def take(self, data: bytes) -> list[Message]:
        self._bytes += data
        out: list[Message] = []
        while len(self._bytes) >= 4:
            size = int.from_bytes(self._bytes[:4], "big")
            if size > MOST_BYTES:
                raise ValueError("a message longer than any")
            if len(self._bytes) < 4 + size:
                break
            body = bytes(self._bytes[4 : 4 + size])
            del self._bytes[: 4 + size]
            try:
                out.append(self._decoder.decode(body))
            except msgspec.DecodeError as error:
                raise ValueError(str(error)) from error
        return out


def packed(message: Message) -> bytes:
    body = _encoder.encode(message)
    return len(body).to_bytes(4, "big") + body
