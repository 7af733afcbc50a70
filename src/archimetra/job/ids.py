"""Ids that stay the same through every edit, and order by age within their kind."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import NewType

BoardId = NewType("BoardId", str)
SheetId = NewType("SheetId", str)
LayerId = NewType("LayerId", str)
ShapeId = NewType("ShapeId", str)
BitId = NewType("BitId", str)
CutId = NewType("CutId", str)
InlayId = NewType("InlayId", str)
PartId = NewType("PartId", str)
InstanceId = NewType("InstanceId", str)

_MOST_DIGITS = 12


def next_id(prefix: str, taken: Iterable[str], given: Mapping[str, int]) -> str:
    """``prefix`` with the first number above all those taken and above the last ever ``given`` (``Job.numbers``): what names a
    thing that is gone never comes to name another."""
    return f"{prefix}{max(last_number(prefix, taken), given.get(prefix, 0)) + 1}"


def last_number(prefix: str, ids: Iterable[str]) -> int:
    """The greatest number among ids of a kind; 0 where there is none. Numbers beyond all counting, which only a damaged file
    has, are names like any other."""
    n = len(prefix)
    most = n + _MOST_DIGITS
    return max(
        (int(id_[n:]) for id_ in ids if id_.startswith(prefix) and n < len(id_) <= most and id_[n:].isdecimal()),
        default=0,
    )
