"""Numbers as people write them: units, fractions and arithmetic in one field.

    18.2    1½    1' 2"    18,2 is refused    3/8in    1 3/4in    3/8"    (44.5-40.1)/2    6mm*3    18.3+0.2

Grammar:  sum = product (('+'|'-') product)*;  product = unary (('*'|'/') unary)*;
          unary = ('+'|'-')* atom;  atom = number [fraction] [unit] | '(' sum ')' [unit]
A number followed by a space and a fraction is a mixed number. A unit belongs to the nearest number or
bracket; a fraction with a unit (3/8in) is one length; inches after feet (1' 2") add to them. A whole number tied to a
fraction by a hyphen (1-3/4) is refused: people mean one and three quarters by it, arithmetic would say a quarter. Bare numbers take the field's unit, but a bare number
multiplied or divided stays a plain factor: 6mm*3 is 18 mm. Each value carries its power of length.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from enum import StrEnum
from math import isfinite
from typing import NamedTuple

from archimetra.base.errors import ArchimetraError
from archimetra.base.findings import Lengths, in_mm

MM_PER_INCH = 25.4


class Unit(StrEnum):
    MM = "mm"
    INCH = "in"

    @property
    def mm(self) -> float:
        return 1.0 if self is Unit.MM else MM_PER_INCH


class QuantityError(ArchimetraError):
    """Text that is not a number of the kind asked for; ``column`` counts from 1."""

    def __init__(self, text: str, column: int, why: str) -> None:
        self.text = text
        self.column = column
        shown = text.strip()
        super().__init__(f"'{shown if len(shown) <= 40 else shown[:39] + '…'}': {why}.")


class _Value(NamedTuple):
    size: float
    power: int | None  # of length; None: a bare number that may still become either


_TOKEN = re.compile(
    r"\s*(?:(?P<mixed>\d+\s+\d+/\d+)|(?P<fraction>\d+/\d+(?=\s*(?:mm|cm|m|in|inch|ft|thou|\"|″)))"
    r"|(?P<number>\d+\.?\d*(?:[eE][+-]?\d+)?|\.\d+(?:[eE][+-]?\d+)?)"
    r"|(?P<unit>mm|cm|inches|inch|in|thou|ft|m|\"|″|'|′)(?![A-Za-z])|(?P<sign>[-+*/()×·]))"
)
_UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "ft": 304.8, "thou": 0.0254}
_UNITS.update(dict.fromkeys(("'", "′"), 304.8))
_UNITS.update(dict.fromkeys(("in", "inch", "inches", '"', "″"), MM_PER_INCH))


def parse_length(text: str, *, default: Unit) -> float:
    """The length in mm that ``text`` spells; ``default`` is the unit of bare numbers.

    Raises QuantityError where anything is left over, not finite, or not a length.
    """
    value = _Parser(text, default).parse()
    if value.power not in (None, 1):
        raise QuantityError(text, 1, "this comes to an area or a ratio, not a length")
    return value.size * default.mm if value.power is None else value.size


def parse_number(text: str) -> float:
    """A plain number (a count, an angle, a speed); arithmetic allowed, units not."""
    value = _Parser(text, Unit.MM).parse()
    if value.power not in (None, 0):
        raise QuantityError(text, 1, "a plain number is wanted here, without a unit")
    return value.size


def format_length(mm: float, unit: Unit, *, decimals: int | None = None) -> str:
    """As short as it can be said: hundredths of a mm, or ten-thousandths of an inch, no needless zeros."""
    digits = decimals if decimals is not None else (2 if unit is Unit.MM else 4)
    text = f"{mm / unit.mm:.{digits}f}"
    if "." in text:
        text = text.rstrip("0").rstrip(".")
    return "0" if text == "-0" else text


def lengths_in(unit: Unit) -> Lengths:
    """How a finding's lengths are said in ``unit`` (``base.findings.Lengths``): as precise in inches as they are in mm."""
    if unit is Unit.MM:
        return in_mm
    decimals = {".0f": 2, ".1f": 3, ".2f": 4}

    def in_inches(values: Sequence[float], form: str, between: str) -> str:
        each = (format_length(value, unit, decimals=decimals.get(form)) for value in values)
        return f"{between.join(each)} {unit}"

    return in_inches


def is_plain(text: str) -> bool:
    """Whether the text is just a number, so that there is nothing to work out beside it."""
    return re.fullmatch(r"\s*-?(\d+\.?\d*|\.\d+)\s*", text) is not None


MOST_LETTERS = 200
_HYPHENED = re.compile(r"\d-\d+/\d+")


def _plain(text: str) -> str:
    """The text with the signs of other keyboards as those of this grammar."""
    out = []
    for letter in text:
        parts = (
            unicodedata.normalize("NFKC", letter) if unicodedata.decomposition(letter).startswith("<fraction>") else ""
        )
        if parts:
            out.append(" " + parts.replace("\u2044", "/") + " ")  # ½ after a whole number is the rest of it
        elif letter in "\u2212\u2013":
            out.append("-")
        else:
            out.append(" " if letter.isspace() else letter)
    return "".join(out)


class _Parser:
    def __init__(self, text: str, default: Unit) -> None:
        self._text = text
        self._default = default
        self._tokens: list[tuple[str, str, int]] = []
        if len(text) > MOST_LETTERS:
            raise QuantityError(text[:20] + "…", 1, f"more than {MOST_LETTERS} letters are no number")
        text = _plain(text)
        if _HYPHENED.search(text):
            raise QuantityError(
                self._text, 1, "is that a whole and a fraction (write 1 3/4), or is something taken off (write 1 - 3/4)"
            )
        at = 0
        while text[at:].strip():
            found = _TOKEN.match(text, at)
            if found is None:
                at += len(text[at:]) - len(text[at:].lstrip())
                if text[at] == ",":
                    raise QuantityError(text, at + 1, "write a decimal point, not a comma")
                raise QuantityError(text, at + 1, f"'{text[at]}' at place {at + 1} is not understood")
            kind = found.lastgroup or ""
            self._tokens.append((kind, found.group(kind), found.start(kind) + 1))
            at = found.end()
        self._next = 0
        self._depth = 0

    def parse(self) -> _Value:
        if not self._tokens:
            raise QuantityError(self._text, 1, "a number is wanted here")
        value = self._sum()
        if self._next < len(self._tokens):
            _, token, column = self._tokens[self._next]
            raise QuantityError(self._text, column, f"'{token}' at place {column} does not belong there")
        if not isfinite(value.size) or abs(value.size) > 1e7:
            raise QuantityError(self._text, 1, "this number is too large to mean anything here")
        return value

    def _peek(self) -> tuple[str, str, int]:
        return self._tokens[self._next] if self._next < len(self._tokens) else ("end", "", len(self._text) + 1)

    def _sum(self) -> _Value:
        value = self._product()
        while self._peek()[1] in ("+", "-"):
            _, sign, column = self._tokens[self._next]
            self._next += 1
            value = self._added(value, self._product(), -1.0 if sign == "-" else 1.0, column)
        return value

    def _added(self, a: _Value, b: _Value, sign: float, column: int) -> _Value:
        if a.power == b.power:
            return _Value(a.size + sign * b.size, a.power)
        if {a.power, b.power} == {None, 1}:  # a bare number beside a length is one too
            left = a.size * self._default.mm if a.power is None else a.size
            right = b.size * self._default.mm if b.power is None else b.size
            return _Value(left + sign * right, 1)
        raise QuantityError(self._text, column, "a length and a ratio cannot be added")

    def _product(self) -> _Value:
        value = self._unary()
        while self._peek()[1] in ("*", "/", "×", "·"):
            _, sign, column = self._tokens[self._next]
            self._next += 1
            other = self._unary()
            if sign == "/":
                if other.size == 0:
                    raise QuantityError(self._text, column, "it divides by zero")
                power = None if value.power is None and other.power is None else (value.power or 0) - (other.power or 0)
                value = _Value(value.size / other.size, power)
            else:
                power = None if value.power is None and other.power is None else (value.power or 0) + (other.power or 0)
                value = _Value(value.size * other.size, power)
        return value

    def _unary(self) -> _Value:
        sign = 1.0
        while self._peek()[1] in ("+", "-"):
            if self._tokens[self._next][1] == "-":
                sign = -sign
            self._next += 1
        value = self._atom()
        return _Value(sign * value.size, value.power)

    def _atom(self) -> _Value:
        kind, token, column = self._peek()
        self._next += 1
        if kind == "number":
            value = _Value(float(token), None)
        elif kind in ("mixed", "fraction"):
            whole, fraction = token.split() if kind == "mixed" else ("0", token)
            top, _, bottom = fraction.partition("/")
            if int(bottom) == 0:
                raise QuantityError(self._text, column, "it divides by zero")
            value = _Value(int(whole) + int(top) / int(bottom), None)
        elif token == "(":
            self._depth += 1
            if self._depth > 50:
                raise QuantityError(self._text, column, "too many brackets")
            value = self._sum()
            if self._peek()[1] != ")":
                raise QuantityError(self._text, self._peek()[2], "a closing bracket is missing")
            self._next += 1
            self._depth -= 1
        elif kind == "end":
            raise QuantityError(self._text, column, "it breaks off")
        else:
            raise QuantityError(self._text, column, f"'{token}' at place {column} does not belong there")
        if self._peek()[0] == "unit":
            _, unit, unit_column = self._tokens[self._next]
            if value.power is not None:
                raise QuantityError(self._text, unit_column, "it names two units")
            self._next += 1
            value = _Value(value.size * _UNITS[unit], 1)
            if unit in ("'", "′", "ft") and self._is_inches_next():
                value = _Value(value.size + self._atom().size, 1)
        return value

    def _is_inches_next(self) -> bool:
        """Whether what follows feet is so many inches: 1' 2", 1' 2 1/2"."""
        here, after = self._peek(), self._tokens[self._next + 1 : self._next + 2]
        return here[0] in ("number", "mixed", "fraction") and bool(after) and _UNITS.get(after[0][1]) == MM_PER_INCH
