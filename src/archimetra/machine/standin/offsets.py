"""Where a control counts from: six zeros of which one is in force, a shift on top (G92) and a length of the bit (G43.1). A reset keeps the six alone.

Zero as reports tell it is the sum (NIST RS-274/NGC, 3.2.2 and 3.5.18; the length is that of common small controls).
"""

from __future__ import annotations

import re

from archimetra.machine.standin.motion import Place

NOWHERE: Place = (0.0, 0.0, 0.0)
_SYSTEM = re.compile(r"G5([4-9])(?![\d.])")
_ANY = re.compile(r"G(5[4-9]|92\.1|49|43\.1|53)(?![\d.])")


class Offsets:
    def __init__(self) -> None:
        self.systems: list[Place] = [NOWHERE] * 6
        self.begin_anew()

    def begin_anew(self) -> None:
        """As after a reset."""
        self.number = 0  # which of the six is in force
        self.shift: Place = NOWHERE
        self.length = 0.0

    @property
    def zero(self) -> Place:
        x, y, z = (a + b for a, b in zip(self.systems[self.number], self.shift, strict=True))
        return x, y, z + self.length

    def take(self, bare: str) -> str:
        """What a line says of them is done; the line without it."""
        for found in _SYSTEM.finditer(bare):
            self.number = int(found.group(1)) - 4
        if re.search(r"G92\.1", bare):
            self.shift = NOWHERE
        if re.search(r"G49(?![\d.])", bare):
            self.length = 0.0
        return _ANY.sub("", bare)

    def set_zero(self, words: dict[str, float], at: Place) -> bool:
        """G10 L2 P.. and L20 P..: one of the six (P0 the one in force), by a place in machine coordinates or by what the place it stands ``at`` is to
        be called; whether it could be done. ``words`` are mm."""
        number = int(words.get("P", -1.0))
        if words.get("L") not in (2.0, 20.0) or not 0 <= number <= 6 or not words.keys() & {"X", "Y", "Z"}:
            return False
        number = self.number if number == 0 else number - 1
        on_top = (self.shift[0], self.shift[1], self.shift[2] + self.length)
        new = list(self.systems[number])
        for k, letter in enumerate("XYZ"):
            if letter in words:
                new[k] = words[letter] if words["L"] == 2.0 else at[k] - on_top[k] - words[letter]
        self.systems[number] = (new[0], new[1], new[2])
        return True

    def move_zero(self, words: dict[str, float], at: Place) -> bool:
        """G92: the place it stands ``at`` is to be called so."""
        if not words.keys() & {"X", "Y", "Z"}:
            return False
        own, shift = self.systems[self.number], list(self.shift)
        for k, letter in enumerate("XYZ"):
            if letter in words:
                shift[k] = at[k] - own[k] - (self.length if k == 2 else 0.0) - words[letter]
        self.shift = (shift[0], shift[1], shift[2])
        return True

    def told(self) -> list[str]:
        """As a control lists them."""
        named = [f"G5{k + 4}" for k in range(6)]
        out = ["[{}:{:.3f},{:.3f},{:.3f}]".format(name, *at) for name, at in zip(named, self.systems, strict=True)]
        return [*out, "[G92:{:.3f},{:.3f},{:.3f}]".format(*self.shift), f"[TLO:{self.length:.3f}]"]
