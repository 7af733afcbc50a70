"""Ids that stay the same through every edit, and order by age within their kind."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NewType

BoardId = NewType("BoardId", str)
LayerId = NewType("LayerId", str)
ShapeId = NewType("ShapeId", str)
BitId = NewType("BitId", str)
CutId = NewType("CutId", str)
InlayId = NewType("InlayId", str)


def next_id(prefix: str, taken: Iterable[str]) -> str:
    """``prefix`` with the first number above all those taken: never given twice while its owner exists."""
    numbers = [int(id_[len(prefix) :]) for id_ in taken if id_.startswith(prefix) and id_[len(prefix) :].isdigit()]
    return f"{prefix}{max(numbers, default=0) + 1}"
