"""Which areas a set of outlines fills."""

from __future__ import annotations

from enum import StrEnum


class FillRule(StrEnum):
    NONZERO = "nonzero"
    EVENODD = "evenodd"
