"""What a benchmark row is, and how times are taken: the best of several runs, floor and work in turn.

The machine is shared and noisy: floor and work alternate within one run and the best of each counts, so that a
slow spell hits both. A row says what it compares, the ratio, and what it must reach.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import NamedTuple


class Row(NamedTuple):
    """``value`` is what must not exceed ``reach``: a ratio of work to floor, or a figure with its ``unit``."""

    name: str
    floor: str
    work: str
    value: float
    reach: float | None
    unit: str = "x"

    @property
    def is_reached(self) -> bool:
        return self.reach is None or self.value <= self.reach


def compared(
    name: str, floor: Callable[[], object], work: Callable[[], object], *, reach: float | None, runs: int = 5
) -> Row:
    """Time both in turn and compare the best runs."""
    best_floor = best_work = float("inf")
    for _ in range(runs):
        best_floor = min(best_floor, seconds(floor))
        best_work = min(best_work, seconds(work))
    return Row(name, spell(best_floor), spell(best_work), best_work / best_floor, reach)


def seconds(run: Callable[[], object]) -> float:
    begin = time.perf_counter()
    run()
    return time.perf_counter() - begin


def spell(s: float) -> str:
    return f"{s:.2f} s" if s >= 1 else f"{s * 1000:.1f} ms"


def print_table(rows: list[Row]) -> None:
    head = ("work", "floor", "measured", "ratio", "reach", "")
    lines = [head]
    for row in rows:
        value = f"{row.value:.2f} {row.unit}" if row.unit == "x" else f"{row.value:.1f} {row.unit}"
        reach = "" if row.reach is None else f"<= {row.reach:g} {row.unit}"
        lines.append((row.name, row.floor, row.work, value, reach, "" if row.is_reached else "MISSED"))
    widths = [max(len(line[k]) for line in lines) for k in range(len(head))]
    for line in lines:
        print("  ".join(cell.ljust(width) for cell, width in zip(line, widths, strict=True)).rstrip())
