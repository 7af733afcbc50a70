"""The common line-acknowledged protocol of small controls: a line, ``ok`` or an error by number; single letters that act at once; status reports.

Nothing that comes over the line is taken for more than what is looked for here, and nothing of it is shown as it came.
"""

from __future__ import annotations

import re
from enum import StrEnum

import msgspec

STATUS, HOLD, RESUME, RESET, JOG_CANCEL = b"?", b"!", b"~", b"\x18", b"\x85"
# full, ten more, ten less, one more, one less
_OVERRIDES = {
    "feed": (b"\x90", b"\x91", b"\x92", b"\x93", b"\x94"),
    "spindle": (b"\x99", b"\x9a", b"\x9b", b"\x9c", b"\x9d"),
}
RECEIVES = 128  # bytes a control takes in before it reads them, unless it says otherwise
MOST_LINE = 400  # letters of a line that comes


class Doing(StrEnum):
    """What a control says it is doing."""

    IDLE = "Idle"
    RUN = "Run"
    HOLD = "Hold"
    JOG = "Jog"
    HOME = "Home"
    ALARM = "Alarm"
    DOOR = "Door"
    CHECK = "Check"
    SLEEP = "Sleep"
    TOOL = "Tool"
    UNKNOWN = "?"


class Report(msgspec.Struct, frozen=True):
    """A status report: where the bit is in machine coordinates, mm; how much room there is (segments, bytes; -1 unsaid); feed mm/min, spindle
    1/min; overrides in percent; where X Y Z zero is, mm, None where it is not told this time; ``is_braking`` on its way to a hold; ``pins`` the letters
    of the switches that are on (P the probe plate, X Y Z limits, D door)."""

    doing: Doing
    machine: tuple[float, float, float] | None
    room: tuple[int, int]
    feed: float
    speed: float
    overrides: tuple[int, int, int] | None
    zero: tuple[float, float, float] | None
    is_braking: bool = False
    pins: str = ""

    @property
    def moves(self) -> bool:
        """Whether it is on its way: a reset then loses its position."""
        return self.is_braking or self.feed >= 0.5 or self.doing in (Doing.RUN, Doing.JOG, Doing.HOME)


ERRORS = {
    1: "a word without its letter", 2: "a number it cannot read", 3: "a command it does not know", 4: "a number below zero where there is none",
    5: "homing is not switched on at this control", 8: "a command it takes only when it stands", 9: "it is locked: home it, or unlock it",
    10: "its own travel limits need homing", 11: "a line longer than it takes", 13: "its door is open", 14: "a line longer than it takes",
    15: "a way beyond the machine's travel", 16: "a jog it cannot follow", 20: "a word it does not know", 21: "two words of which one shuts out the other",
    22: "a move without a feed", 23: "a number that has to be whole", 24: "two commands that both want the places of the line", 25: "a word twice",
    26: "no place where one is wanted", 27: "a line number it cannot take", 28: "a word that is missing", 30: "machine coordinates without a plain move",
    31: "places with nothing to use them", 32: "an arc without a place", 33: "an arc that does not close", 34: "an arc whose radius does not fit",
    35: "an arc without a centre", 36: "words with nothing to use them", 38: "a tool number higher than it takes",
}  # fmt: skip
ALARMS = {
    1: "a limit switch was hit", 2: "a move leads beyond the machine's travel", 3: "it was reset while it moved: its position is lost",
    4: "the probe touches already", 5: "the probe touched nothing", 6: "homing was broken off by a reset", 7: "its door was opened while it was homing",
    8: "homing did not get free of a switch", 9: "homing found no switch",
}  # fmt: skip
KEEPS_PLACE = frozenset({2, 4, 5})  # alarms after which a machine still knows where it is
_NUMBER = r"-?\d+(?:\.\d+)?"
_TRIPLE = re.compile(rf"({_NUMBER}),({_NUMBER}),({_NUMBER})(?:,{_NUMBER}){{0,3}}")  # what turns is no matter here
_GREETING = re.compile(r"[A-Za-z][\w .\-]* ?\[[^\[\]]*\]")
_SETTING = re.compile(rf"\$(\d{{1,3}})=({_NUMBER})(?=\s|\(|$)")
_PROBE = re.compile(r"\[PRB:([-\d.,]+):([01])\]")
_OPTIONS = re.compile(r"\[OPT:[A-Za-z0-9+*$#,;-]*?,(\d{1,4}),(\d{1,5})(?:,[\d,A-Za-z]*)?\]")
_CODE = re.compile(r"(error|ALARM):(\d{1,3})")


class Lines:
    """Bytes that come, as lines without their ends; what never ends is forgotten."""

    def __init__(self) -> None:
        self._bytes = bytearray()

    def take(self, data: bytes) -> list[bytes]:
        self._bytes += data
        *whole, rest = bytes(self._bytes).split(b"\n")
        self._bytes = bytearray(rest if len(rest) <= MOST_LINE else b"")
        return [line.strip(b"\r") for line in whole]


def override(of: str, percent: int) -> bytes:
    """The bytes that bring feed or spindle to so many percent, 10 to 200: full first, then in steps of ten and of one."""
    full, more, less, bit_more, bit_less = _OVERRIDES[of]
    wanted = min(max(percent, 10), 200)
    tens, ones = divmod(abs(wanted - 100), 10)
    return full + (more * tens + bit_more * ones if wanted >= 100 else less * tens + bit_less * ones)


def is_greeting(text: str) -> bool:
    """Whether a line is what a control says when it begins anew: its name, and help in brackets."""
    return bool(_GREETING.fullmatch(text)) and len(text) <= MOST_LINE


def read_setting(text: str) -> tuple[int, float] | None:
    """One of a control's numbered settings: ($number, value)."""
    found = _SETTING.match(text)
    return (int(found.group(1)), float(found.group(2))) if found else None


def read_receives(text: str) -> int | None:
    """How many bytes a control says that it takes in before it reads them; None where the line is not about that."""
    found = _OPTIONS.fullmatch(text)
    return int(found.group(2)) if found else None


def read_probe(text: str) -> tuple[tuple[float, float, float], bool] | None:
    """Where a probe touched, machine coordinates, mm, and whether it did."""
    found = _PROBE.fullmatch(text)
    place = _triple(found.group(1)) if found else None
    return (place, found.group(2) == "1") if found and place is not None else None


def read_report(line: str, known: tuple[float, float, float] | None = None) -> Report | None:
    """A status report; None for anything else, however like one it looks. A control that tells places from zero alone has its machine coordinates worked
    out with ``known``, where zero lay last."""
    if not (line.startswith("<") and line.endswith(">")) or len(line) > MOST_LINE:
        return None
    parts = line[1:-1].split("|")
    doing = next((one for one in Doing if one.value == parts[0].split(":")[0]), Doing.UNKNOWN)
    fields = dict(part.split(":", 1) for part in parts[1:] if ":" in part)
    machine = _triple(fields.get("MPos", ""))
    zero = _triple(fields.get("WCO", ""))
    lies = zero or known
    if machine is None and lies is not None and (work := _triple(fields.get("WPos", ""))) is not None:
        machine = (work[0] + lies[0], work[1] + lies[1], work[2] + lies[2])
    room = _whole(fields.get("Bf", ""), 2) or [-1, -1]
    feed = [float(v) for v in fields.get("FS", fields.get("F", "")).split(",") if re.fullmatch(_NUMBER, v)] + [0.0, 0.0]
    shares = _whole(fields.get("Ov", ""), 3)
    return Report(
        doing,
        machine,
        (room[0], room[1]),
        feed[0],
        feed[1],
        (shares[0], shares[1], shares[2]) if shares else None,
        zero,
        _is_braking(doing, parts[0]),
        "".join(c for c in fields.get("Pn", "") if c.isupper() and c.isascii()),
    )


def _is_braking(doing: Doing, said: str) -> bool:
    """``Hold:1`` is on its way to a stand, ``Hold:0`` stands; a door is at rest once it says 0 or 1."""
    _, _, part = said.partition(":")
    return part == "1" if doing is Doing.HOLD else part in ("2", "3") if doing is Doing.DOOR else False


def read_code(line: str) -> tuple[str, int] | None:
    """("error" or "ALARM", its number); None for anything else."""
    found = _CODE.fullmatch(line)
    return (found.group(1), int(found.group(2))) if found else None


def said(kind: str, number: int) -> str:
    """An error or an alarm in words."""
    known = (ERRORS if kind == "error" else ALARMS).get(number)
    what = "error" if kind == "error" else "alarm"
    return f"{known} ({what} {number})" if known else f"{what} {number}, which is not known here"


def shown(data: bytes) -> str:
    """What came, safe to be shown: plain letters, the rest by number."""
    return "".join(chr(b) if 32 <= b < 127 else f"\\x{b:02x}" for b in data[:MOST_LINE])


def _triple(text: str) -> tuple[float, float, float] | None:
    found = _TRIPLE.fullmatch(text)
    return (float(found.group(1)), float(found.group(2)), float(found.group(3))) if found else None


def _whole(text: str, count: int) -> list[int] | None:
    parts = text.split(",")
    return (
        [int(part) for part in parts]
        if len(parts) == count and all(re.fullmatch(r"\d{1,6}", p) for p in parts)
        else None
    )
