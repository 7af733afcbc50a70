"""Comments a control can take: plain ASCII, short lines, and nothing in them that a control acts on.

Some controls act on ``! ~ ? % $ ;`` anywhere in the stream, a closing bracket ends a comment, and full interpreters take a comment that
begins with a certain word for a command. So only letters, digits and a few marks are written, and every line begins with a word of ours.
"""

from __future__ import annotations

import re
import textwrap
import unicodedata

LONGEST = 70  # characters of a comment with its brackets, unless a control says otherwise
NAME_LONGEST = 60
MORE = "more: "

_WORDS = {
    "°": " deg", "×": "x", "–": "-", "—": "-", "‑": "-", "′": "'", "″": "''", "“": "'", "”": "'", "‘": "'", "’": "'", "„": "'",
    "ß": "ss", "ẞ": "SS", "æ": "ae", "Æ": "Ae", "œ": "oe", "Œ": "Oe", "ø": "o", "Ø": "O", "ł": "l", "Ł": "L", "đ": "d", "Đ": "D",
    "ð": "d", "Ð": "D", "þ": "th", "Þ": "Th", "ı": "i", "µ": "u", "μ": "u", "…": "...", "€": "EUR", "£": "GBP", "⌀": "dia ",
    "%": " pct", "&": " and ", "@": " at ", ";": ",", "~": "-", "½": "1/2", "¼": "1/4", "¾": "3/4", "⅛": "1/8", "⁄": "/", "²": "2", "³": "3",
}  # fmt: skip
_PLAIN = re.compile(r"[^A-Za-z0-9 .,:+\-'/_=]")


def plain(text: str) -> str:
    """The text in letters, digits and harmless marks: accents dropped, known signs spelled out, the rest left out."""
    known = "".join(_WORDS.get(c, c) for c in text)
    flat = unicodedata.normalize("NFKD", known)
    flat = "".join(" " if not c.isprintable() else _WORDS.get(c, c) for c in flat if not unicodedata.combining(c))
    return " ".join(_PLAIN.sub("", flat).split())


def shortened(name: str) -> str:
    """A name no longer than a comment has room for."""
    flat = plain(name)
    return flat if len(flat) <= NAME_LONGEST else flat[: NAME_LONGEST - 2].rstrip() + ".."


def folded(text: str, *, width: int) -> list[str]:
    """A comment's text in lines of at most ``width`` characters, each beginning with a word of ours."""
    return textwrap.wrap(
        plain(text), width=max(width, 20), subsequent_indent=MORE, break_long_words=True, break_on_hyphens=False
    )  # fmt: skip
