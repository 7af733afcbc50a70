"""Garbage collection held back where it can only cost time."""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def without_collecting() -> Iterator[None]:
    """No garbage collection for a moment: hundreds of thousands of objects that all stay would be looked through again
    and again, for up to a third of the time."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()
