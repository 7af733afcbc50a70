"""The planning worker: boards in, plans out, the newest request first, anything older dropped."""

from __future__ import annotations

import traceback
from collections import OrderedDict
from multiprocessing.connection import Connection
from typing import Any

from archimetra.base.errors import CancelledError
from archimetra.engine.messages import PlannedCut, PlanProgress, PlanRequest, WorkerFailed

MOST_CACHED = 400


class PlanCache(OrderedDict[str, PlannedCut]):
    """The most recently used plans."""

    def get(self, key: str, default: Any = None) -> Any:
        if key in self:
            self.move_to_end(key)
            return self[key]
        return default

    def __setitem__(self, key: str, value: PlannedCut) -> None:
        super().__setitem__(key, value)
        while len(self) > MOST_CACHED:
            self.popitem(last=False)


def serve(connection: Connection, newest: Any) -> None:
    """Answer requests until the other side hangs up. ``newest`` is a shared counter: work for an older number stops."""
    from archimetra.engine.planning import plan_board  # numba and shapely load here, not in the window

    cache = PlanCache()
    while True:
        try:
            request: PlanRequest = connection.recv()
        except EOFError:
            return
        if request.number < newest.value:
            continue

        def report(cut: int, count: int, share: float, request: PlanRequest = request) -> None:
            if request.number < newest.value:
                raise CancelledError
            connection.send(PlanProgress(request.board.id, cut, count, share))

        try:
            connection.send(plan_board(request.job, request.board, cache, report))
        except CancelledError:
            continue
        except (BrokenPipeError, ConnectionResetError):
            return
        except Exception as error:  # noqa: BLE001  a fault of ours must reach the window, not kill the worker
            detail = "".join(traceback.format_exception(error))
            connection.send(WorkerFailed(f"Planning {request.board.name} failed: {error}.", detail))
