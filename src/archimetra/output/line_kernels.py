"""Compiled loop of the writer: plain moves as lines of G-code, only the words that change.

Numbers are whole: places in steps of a file's last decimal, feeds in theirs. A line is ``[G0|G1|G2|G3] [X..] [Y..] [Z..] [I.. J..] [F..]``.
"""

from __future__ import annotations

import numpy as np
from numba import njit

UNKNOWN = np.iinfo(np.int64).min
LONGEST = 160  # bytes one line can take: seven words of at most 22
_G, _I, _J, _F, _BLANK, _MINUS, _POINT, _ZERO = 71, 73, 74, 70, 32, 45, 46, 48


@njit(cache=True, nogil=True)
def put_number(out, at, value, decimals):
    """Write ``value`` / 10^decimals without needless zeros; where it ends."""
    if value < 0:
        out[at] = _MINUS
        at += 1
        value = -value
    while decimals > 0 and value % 10 == 0:
        value //= 10
        decimals -= 1
    digits = 1
    above = value // 10
    while above > 0:
        digits += 1
        above //= 10
    digits = max(digits, decimals + 1)
    end = at + digits + (1 if decimals > 0 else 0)
    k = end - 1
    for place in range(digits):
        if decimals > 0 and place == decimals:
            out[k] = _POINT
            k -= 1
        out[k] = _ZERO + value % 10
        value //= 10
        k -= 1
    return end


@njit(cache=True, nogil=True)
def put_moves(out, ends, of_rows, first, last, codes, places, offsets, feeds, state, decimals, feed_decimals):
    """Write the moves of rows first ... last - 1 as far as ``out`` has room; (row reached, lines, bytes).

    ``codes`` (n,) are the G numbers; ``places`` (n, 3) their ends, ``offsets`` (n, 2) I and J, ``feeds`` (n,). ``state`` is (x, y, z, G, feed) as the
    control has them, ``UNKNOWN`` where it has none. ``ends`` and ``of_rows`` take where each line ends and its row. It stops before an arc that would
    not begin where it was reckoned from."""
    at, lines = 0, 0
    for row in range(first, last):
        if at + LONGEST > len(out) or lines == len(ends):
            return row, lines, at
        code = codes[row]
        if code >= 2 and (state[0] != places[row - 1, 0] or state[1] != places[row - 1, 1]):
            return row, lines, at
        begin = at
        for axis in range(3):
            if state[axis] != places[row, axis]:
                if begin == at and code != state[3]:
                    out[at] = _G
                    at = put_number(out, at + 1, code, 0)
                if at > begin:
                    out[at] = _BLANK
                    at += 1
                out[at] = 88 + axis
                at = put_number(out, at + 1, places[row, axis], decimals)
        if at == begin:  # the rounded place stays the same
            continue
        if code >= 2:
            for k in range(2):
                out[at], out[at + 1] = _BLANK, _I + k
                at = put_number(out, at + 2, offsets[row, k], decimals)
        if code > 0 and feeds[row] != state[4]:
            out[at], out[at + 1] = _BLANK, _F
            at = put_number(out, at + 2, feeds[row], feed_decimals)
            state[4] = feeds[row]
        state[0], state[1], state[2], state[3] = places[row, 0], places[row, 1], places[row, 2], code
        ends[lines], of_rows[lines] = at, row
        lines += 1
    return last, lines, at
