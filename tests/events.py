"""The events of an engine, waited for by kind."""

from __future__ import annotations

import queue
import time


class Events:
    def __init__(self) -> None:
        self.queue: queue.Queue[object] = queue.Queue()

    def wait(self, kind: type, seconds: float = 60.0, where=lambda event: True):
        end = time.monotonic() + seconds
        while True:
            event = self.queue.get(timeout=max(end - time.monotonic(), 0.01))
            if isinstance(event, kind) and where(event):
                return event
