"""The one way a value of the document is refused."""

from __future__ import annotations


def require(condition: bool, sentence: str) -> None:
    """Raise ValueError with the sentence unless the condition holds (msgspec reports it with its place)."""
    if not condition:
        raise ValueError(sentence)
