"""Times of a run as a value, and how they are said. Light to import: the window uses it before anything is planned."""

from __future__ import annotations

import msgspec

from archimetra.geometry.arrays import FloatArray


class RunTimes(msgspec.Struct, frozen=True, eq=False):
    """``ends`` (n,): seconds after the start at which each row of the run is done. ``pauses`` (n,): seconds spent
    standing before it (bit changes, spindle starts), contained in ``ends``."""

    ends: FloatArray
    pauses: FloatArray

    @property
    def total(self) -> float:
        """Seconds from the first move to the last."""
        return float(self.ends[-1]) if len(self.ends) else 0.0


def clock(seconds: float) -> str:
    """``0:31``, ``14:20``, ``2:03:10``."""
    whole = round(seconds)
    hours, rest = divmod(whole, 3600)
    minutes, left = divmod(rest, 60)
    return f"{hours}:{minutes:02d}:{left:02d}" if hours else f"{minutes}:{left:02d}"
