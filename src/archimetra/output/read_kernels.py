"""Compiled loop of the reader: lines that only move, as nearly all of a program's do. Whatever else stands in a line is left to ``gcode_reader``."""

from __future__ import annotations

from math import hypot

import numpy as np
from numba import njit

X, Y, Z, MOTION, FEED, PER_UNIT, IS_ABSOLUTE = range(
    7
)  # of the state; a motion of -1 and a unit of 0 are not stated yet
_END, _BLANK, _TAB, _OPEN, _CLOSE, _SEMICOLON, _MINUS, _PLUS, _POINT = 10, 32, 9, 40, 41, 59, 45, 43, 46
_UNTOLD = 63  # a question mark: it may stand for what is no ASCII
_LETTERS = np.full(128, -1, dtype=np.int8)
for _k, _letter in enumerate("GXYZIJFN"):
    _LETTERS[ord(_letter)] = _LETTERS[ord(_letter.lower())] = _k
_G, _IN_X, _IN_I, _IN_J, _IN_F = 0, 1, 4, 5, 6
_TENS = 10.0 ** np.arange(16)
_MOST_DIGITS = 15  # so many are exact as a float


@njit(cache=True, nogil=True)
def read_plain(text, at, number, state, agreement, rows):
    """Read lines from byte ``at`` on, the first of them line ``number``, until one that does more than move, or ``rows`` (m, 8) is full; (byte, line,
    rows) reached. A row is x, y, z, kind, centre x and y, feed, line. ``state`` is brought up to the last line read whole."""
    size, filled = len(text), 0
    values, place = np.zeros(8), np.zeros(3)
    while at < size and filled < len(rows):
        seen, k, motion = 0, at, state[MOTION]
        is_plain = True
        while k < size and text[k] != _END:
            c = text[k]
            if c in (_BLANK, _TAB):
                k += 1
                continue
            if c == _SEMICOLON:
                while k < size and text[k] != _END and text[k] != _UNTOLD:
                    k += 1
                is_plain = k == size or text[k] == _END
                break
            if c == _OPEN:
                k += 1
                while k < size and text[k] != _CLOSE and text[k] not in (_OPEN, _END, _UNTOLD):
                    k += 1
                if k == size or text[k] != _CLOSE:
                    is_plain = False
                    break
                k += 1
                continue
            letter = _LETTERS[c] if c < 128 else -1
            if letter < 0:
                is_plain = False
                break
            k += 1
            while k < size and text[k] in (_BLANK, _TAB):
                k += 1
            sign = 1.0
            if k < size and (text[k] == _MINUS or text[k] == _PLUS):
                sign = -1.0 if text[k] == _MINUS else 1.0
                k += 1
            mantissa, digits, behind, is_behind = 0, 0, 0, False
            while k < size:
                d = text[k] - 48
                if 0 <= d <= 9:
                    mantissa = mantissa * 10 + d
                    digits += 1
                    behind += is_behind
                elif text[k] == _POINT and not is_behind:
                    is_behind = True
                else:
                    break
                k += 1
            if digits == 0 or digits > _MOST_DIGITS:
                is_plain = False
                break
            value = sign * mantissa / _TENS[behind]
            if letter == _G:
                if value != 0.0 and value != 1.0 and value != 2.0 and value != 3.0:
                    is_plain = False
                    break
                motion = value
            values[letter] = value
            seen |= 1 << letter
        if not is_plain:
            break
        per = state[PER_UNIT]
        feed = values[_IN_F] * (per if per > 0 else 1.0) if seen & 1 << _IN_F else state[FEED]
        has_place = seen & 14 != 0
        has_centre = seen & (1 << _IN_I | 1 << _IN_J) != 0
        if has_place or (has_centre and motion >= 2):
            if motion < 0 or per <= 0 or (motion > 0 and feed <= 0):
                break
            x, y = state[X], state[Y]
            place[:] = state[X : Z + 1]
            for axis in range(3):
                if seen & 1 << (_IN_X + axis):
                    v = values[_IN_X + axis] * per
                    place[axis] = v if state[IS_ABSOLUTE] > 0 else place[axis] + v
            cx = cy = 0.0
            if motion >= 2:
                cx = x + (values[_IN_I] * per if seen & 1 << _IN_I else 0.0)
                cy = y + (values[_IN_J] * per if seen & 1 << _IN_J else 0.0)
                if not abs(hypot(x - cx, y - cy) - hypot(place[0] - cx, place[1] - cy)) <= agreement:
                    break
            state[X : Z + 1] = place
            row = rows[filled]
            row[0], row[1], row[2], row[3] = place[0], place[1], place[2], motion
            row[4], row[5], row[6], row[7] = cx, cy, feed, number
            filled += 1
        state[MOTION], state[FEED] = motion, feed
        at = k + 1
        number += 1
    return min(at, size), number, filled
