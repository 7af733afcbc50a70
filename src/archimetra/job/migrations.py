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
    """Schemas 2 to 4, and 6 to 8, only added fields, which hold their defaults where a file lacks them."""
    return job


def _to_5(job: Document) -> Document:
    """Schema 5 gives sheets and cuts to the job, which boards name; no id stands twice, and those given are counted so that none is
    given again. A size along Y is a height, the height between nearby cuts that of the retract."""
    boards = [board | {"sheet": _of_board(board, k)} for k, board in enumerate(_list(job, "boards"))]
    boards, renamed = _named_once(boards, _list(job, "inlays"))
    inlays = [
        _under_new_names(inlay, renamed.get(str(inlay.get("pocket_board")), {})) for inlay in _list(job, "inlays")
    ]
    sheets = [board["sheet"] for board in boards]
    cuts = [cut for board in boards for cut in _list(board, "cuts")]
    named: dict[str, list[str]] = {
        "board": _ids(boards),
        "sheet": _ids(sheets),
        "bit": _ids(_list(job, "bits")),
        "inlay": _ids(inlays),
        "cut": _ids(cuts),
        "layer": [id_ for board in boards for id_ in _ids(_list(board, "layers"))],
        "shape": [id_ for board in boards for id_ in _ids(_list(board, "shapes"))],
        "group": [str(shape.get("group", "")) for board in boards for shape in _list(board, "shapes")],
    }
    numbers = {kind: last_number(kind, ids) for kind, ids in named.items()}
    changed: Document = {"numbers": {kind: number for kind, number in numbers.items() if number}}
    if "boards" in job:
        changed |= {"sheets": sheets, "cuts": cuts, "boards": [_that_names(board) for board in boards]}
    if "inlays" in job:
        changed["inlays"] = inlays
    if isinstance(job.get("typed"), dict):
        changed["typed"] = {_renamed_field(key): text for key, text in job["typed"].items()}
    return job | changed


def _of_board(board: Document, number: int) -> Document:
    sheet = board.get("sheet")
    return (sheet if isinstance(sheet, dict) else {}) | {"id": f"sheet{number + 1}"}


def _that_names(board: Document) -> Document:
    """A board that names its sheet and cuts instead of holding them, with heights along Y."""
    out = {name: value for name, value in board.items() if name != "cuts"}
    out["sheet"] = board["sheet"]["id"]
    out["order"] = _ids(_list(board, "cuts"))
    if isinstance(board.get("heights"), dict):
        out["heights"] = _renamed(board["heights"], {"hop": "retract"})
    if "fixtures" in board:
        out["fixtures"] = [_renamed(each, {"depth": "height", "height": "rise"}) for each in _list(board, "fixtures")]
    return out | {"shapes": [_with_height(shape) for shape in _list(board, "shapes")]} if "shapes" in board else out


def _with_height(shape: Document) -> Document:
    form = shape.get("form")
    if not isinstance(form, dict) or form.get("type") not in ("rectangle", "ellipse"):
        return shape
    return shape | {"form": _renamed(form, {"depth": "height"})}


def _renamed(thing: Document, names: dict[str, str]) -> Document:
    return {names.get(name, name): value for name, value in thing.items()}


def _renamed_field(key: str) -> str:
    """What was typed for a clamp's size or a height, under its new name."""
    owner, _, name = key.rpartition(".")
    if owner.endswith(".heights") and name == "hop":
        return f"{owner}.retract"
    return f"{owner}.{ {'depth': 'height', 'height': 'rise'}.get(name, name) }" if ".fixture" in owner else key


# ---- ids that stood on several boards


def _named_once(boards: list[Document], inlays: list[Document]) -> tuple[list[Document], dict[str, dict[str, str]]]:
    """The boards with ids of shapes and layers that no board before them has, and what was renamed on each by its id; a plug's outlines
    are named after the art's."""
    renames: list[dict[str, str]] = [{} for _ in boards]
    for kind, name in (("shape", "shapes"), ("layer", "layers")):
        last = last_number(kind, [id_ for board in boards for id_ in _ids(_list(board, name))])
        seen: set[str] = set()
        for board, new in zip(boards, renames, strict=True):
            for id_ in _ids(_list(board, name)):
                if id_ in seen:
                    last += 1
                    new[id_] = f"{kind}{last}"
                seen.add(id_)
    number = {board.get("id"): k for k, board in enumerate(boards)}
    for inlay in inlays:
        art, plug = number.get(inlay.get("pocket_board")), number.get(inlay.get("plug_board"))
        if art is None or plug is None or not renames[art]:
            continue
        for shape in _list(boards[plug], "shapes"):
            start, _, tail = str(shape.get("id", "")).rpartition(".")
            if shape.get("follows") == inlay.get("id") and tail in renames[art]:
                renames[plug][f"{start}.{tail}"] = f"{start}.{renames[art][tail]}"
    return [_under_new_names(board, new) if new else board for board, new in zip(boards, renames, strict=True)], {
        str(id_): renames[k] for id_, k in number.items()
    }


_NAMES_ONE = (
    "id",
    "layer",
    "shape",
    "avoid",
)  # fields of a board and what is in it that hold an id of a shape or a layer


def _under_new_names(thing: Document, new: dict[str, str]) -> Document:
    """A board, or a part of one, with the ids it says under their new names."""
    out = dict(thing)
    for key, value in thing.items():
        if isinstance(value, str) and key in _NAMES_ONE:
            out[key] = new.get(value, value)
        elif isinstance(value, dict):
            out[key] = _under_new_names(value, new)
        elif isinstance(value, list) and key != "paths":
            out[key] = [
                _under_new_names(inner, new) if isinstance(inner, dict)
                else new.get(inner, inner) if key == "shapes" and isinstance(inner, str)
                else inner
                for inner in value
            ]  # fmt: skip
    return out


STEPS: tuple[Callable[[Document], Document], ...] = (
    _only_more,
    _only_more,
    _only_more,
    _to_5,
    _only_more,
    _only_more,
    _only_more,
    _only_more,
    _only_more,
    _only_more,
)


def _list(thing: Document, name: str) -> list[Document]:
    """The objects in a list of a thing; what is none of them is left for the reader to refuse."""
    items = thing.get(name, [])
    return [item for item in items if isinstance(item, dict)] if isinstance(items, list) else []


def _ids(things: list[Document]) -> list[str]:
    return [str(thing.get("id", "")) for thing in things]
