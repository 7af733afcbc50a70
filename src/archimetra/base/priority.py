"""Who goes first where processors are few."""

from __future__ import annotations

import contextlib
import os
from pathlib import Path

BACK, USUAL = 10, 0


def stand_back(niceness: int = BACK) -> None:
    """Have this process's workers, those there are now with all their threads, wait for the others: ``BACK`` while something must not be late, ``USUAL``
    again after it (which only some accounts may). On Linux niceness belongs to a thread, and a process's own covers its first alone (setpriority(2))."""
    import multiprocessing  # the first window does without it

    for worker in multiprocessing.active_children():
        with contextlib.suppress(OSError):  # it has ended meanwhile, or may not be raised again
            for thread in Path(f"/proc/{worker.pid}/task").iterdir():
                if os.getpriority(os.PRIO_PROCESS, int(thread.name)) != niceness:
                    os.setpriority(os.PRIO_PROCESS, int(thread.name), niceness)
