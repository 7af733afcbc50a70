"""Workers that stand back while something must not be late."""

from __future__ import annotations

import json
import subprocess
import sys

# in a process of its own: the workers of this one go on with other tests
SCRIPT = """
import json, multiprocessing, os, threading
from pathlib import Path
from archimetra.base.priority import stand_back

def wait_in_threads(ready, end):
    for _ in range(3):
        threading.Thread(target=end.wait, daemon=True).start()
    ready.set()
    end.wait()

def niceness(pid):
    return [os.getpriority(os.PRIO_PROCESS, int(one.name)) for one in Path(f"/proc/{pid}/task").iterdir()]

context = multiprocessing.get_context("fork")
end = context.Event()
told = {"own before": os.getpriority(os.PRIO_PROCESS, 0)}
workers = []
for _ in range(2):
    ready = context.Event()
    worker = context.Process(target=wait_in_threads, args=(ready, end), daemon=True)
    worker.start()
    assert ready.wait(20)
    workers.append(worker)
stand_back()
stand_back()
told["workers"] = [niceness(worker.pid) for worker in workers]
told["own"] = os.getpriority(os.PRIO_PROCESS, 0)
end.set()
for worker in workers:
    worker.join(5)
stand_back()
print(json.dumps(told))
"""


def test_every_thread_of_every_worker_stands_back_and_we_do_not():
    done = subprocess.run([sys.executable, "-c", SCRIPT], capture_output=True, text=True, check=False, timeout=60)
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)
    assert [len(threads) for threads in told["workers"]] == [4, 4]
    assert {value for threads in told["workers"] for value in threads} == {10}
    assert told["own"] == told["own before"]
