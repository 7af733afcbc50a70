"""Work on pictures in bands, one for each processor: compiled loops let go of the lock."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache

_FEWEST = 64  # rows or columns that are worth a band of their own


@lru_cache(maxsize=1)
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(max_workers=max(processors() - 1, 1), thread_name_prefix="band")


def processors() -> int:
    """How many may be used by this process, four at the most: more gain little."""
    return min(len(os.sched_getaffinity(0)), 4)


def in_bands(count: int, run: Callable[[int, int], object]) -> None:
    """Call ``run(first, last)`` for stretches that make up 0 to ``count``, at the same time."""
    number = max(1, min(processors(), count // _FEWEST))
    ends = [count * k // number for k in range(number + 1)]
    if number == 1:
        run(0, count)
        return
    waiting = [_pool().submit(run, a, b) for a, b in zip(ends[1:-1], ends[2:], strict=True)]
    run(0, ends[1])
    for one in waiting:
        one.result()


def together(*runs: Callable[[], object]) -> None:
    """Call all of these at the same time."""
    waiting = [_pool().submit(run) for run in runs[1:]] if processors() > 1 else []
    for run in runs[: 1 if waiting else None]:
        run()
    for one in waiting:
        one.result()
