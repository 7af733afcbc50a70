"""Older job files brought up to date: one step from each schema to the next, on the decoded dictionary.

A step changes what the file says, never what it means; what a newer schema can say and an older one could not comes to hold what
the older program did. Each schema has a kept sample in the tests.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from archimetra.job.ids import last_number

Document = dict[str, Any]


def migrated(job: Document, schema: int) -> Document:
    """The document of a file of this schema (1 or more) as the newest schema writes it."""
    for step in STEPS[schema - 1 :]:
        job = step(job)
    return job


def _only_more(job: Document) -> Document:
    """Schemas 2 to 4 only added fields, which hold their defaults where a file lacks them."""
    return job


def _to_5(job: Document) -> Document:
    """Schema 5 counts the ids it gives, so that none is given twice."""
    boards = _list(job, "boards")
    named: dict[str, list[str]] = {
        "board": _ids(boards),
        "bit": _ids(_list(job, "bits")),
        "inlay": _ids(_list(job, "inlays")),
        "cut": [id_ for board in boards for id_ in _ids(_list(board, "cuts"))],
        "layer": [id_ for board in boards for id_ in _ids(_list(board, "layers"))],
        "shape": [id_ for board in boards for id_ in _ids(_list(board, "shapes"))],
        "group": [str(shape.get("group", "")) for board in boards for shape in _list(board, "shapes")],
    }
    numbers = {kind: last_number(kind, ids) for kind, ids in named.items()}
    return job | {"numbers": {kind: number for kind, number in numbers.items() if number}}


STEPS: tuple[Callable[[Document], Document], ...] = (_only_more, _only_more, _only_more, _to_5)


def _list(thing: Document, name: str) -> list[Document]:
    """The objects in a list of a thing; what is none of them is left for the reader to refuse."""
    items = thing.get(name, [])
    return [item for item in items if isinstance(item, dict)] if isinstance(items, list) else []


def _ids(things: list[Document]) -> list[str]:
    return [str(thing.get("id", "")) for thing in things]
