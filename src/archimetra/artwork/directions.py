"""Lines that mix words written to the right with words written to the left: their stretches in the order they are seen.

The Unicode bidirectional algorithm (UAX 9), by python-bidi; each stretch is then shaped in its own direction.
"""

from __future__ import annotations

import unicodedata
from typing import NamedTuple


class Stretch(NamedTuple):
    """Characters ``first`` to before ``last`` of a line, all written one way."""

    first: int
    last: int
    is_leftward: bool


def stretches(line: str) -> list[Stretch]:
    """The stretches of a line from left to right as seen. Marks that only steer direction are in none of them."""
    if not any(unicodedata.bidirectional(letter) in ("R", "AL", "AN", "RLE", "RLO", "RLI") for letter in line):
        return [Stretch(0, len(line), False)] if line else []
    from bidi import algorithm as uax9

    base = uax9.get_base_level(line)
    storage = uax9.get_empty_storage()
    storage["base_level"], storage["base_dir"] = base, "LR"[base]
    uax9.get_embedding_levels(line, storage)
    for place, character in enumerate(storage["chars"]):
        character["place"] = place
    uax9.explicit_embed_and_overrides(storage)
    uax9.resolve_weak_types(storage)
    uax9.resolve_neutral_types(storage, False)
    uax9.resolve_implicit_levels(storage, False)
    uax9.reorder_resolved_levels(storage, False)
    out: list[Stretch] = []
    level = -1
    for character in storage["chars"]:
        place, before = character["place"], out[-1] if out else None
        is_leftward = bool(character["level"] % 2)
        if (
            before is not None
            and character["level"] == level
            and place == (before.first - 1 if is_leftward else before.last)
        ):
            out[-1] = Stretch(min(place, before.first), max(place + 1, before.last), is_leftward)
        else:
            out.append(Stretch(place, place + 1, is_leftward))
        level = character["level"]
    return out
