"""Workers that stand back while something must not be late."""

from __future__ import annotations

import multiprocessing
import os
import threading
from pathlib import Path

from archimetra.base.priority import BACK, stand_back


def _wait_in_threads(ready, end):
    for _ in range(3):
        threading.Thread(target=end.wait, daemon=True).start()
    ready.set()
    end.wait()


def niceness_of(pid: int) -> set[int]:
    return {os.getpriority(os.PRIO_PROCESS, int(one.name)) for one in Path(f"/proc/{pid}/task").iterdir()}


def test_every_thread_of_every_worker_stands_back_and_we_do_not():
    context = multiprocessing.get_context("spawn")
    ready, end = context.Event(), context.Event()
    workers = [context.Process(target=_wait_in_threads, args=(ready, end), daemon=True) for _ in range(2)]
    own = os.getpriority(os.PRIO_PROCESS, 0)
    try:
        for worker in workers:
            worker.start()
        assert ready.wait(20)
        stand_back()
        stand_back()  # a second time changes nothing
        assert niceness_of(workers[0].pid) == niceness_of(workers[1].pid) == {BACK}
        assert len(list(Path(f"/proc/{workers[0].pid}/task").iterdir())) >= 1
        assert os.getpriority(os.PRIO_PROCESS, 0) == own
    finally:
        end.set()
        for worker in workers:
            worker.join(5)
    stand_back()  # nobody is there any more
