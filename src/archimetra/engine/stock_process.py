"""The stock worker: sweeps runs into shared memory, seeks to moments, paints them and cuts sections."""

from __future__ import annotations

import traceback
from multiprocessing.connection import Connection
from multiprocessing.shared_memory import SharedMemory
from typing import Any

from archimetra.engine.messages import Moment, MomentRequest, StockReady, StockRequest, WorkerFailed

_MARGIN_CELLS = 12  # light and shadow reach this far beyond what changed


def serve(connection: Connection, field_name: str, pixels_name: str) -> None:
    """Answer requests until the other side hangs up; of several waiting requests of a kind only the last counts."""
    field, pixels = SharedMemory(field_name), SharedMemory(pixels_name)
    try:
        worker = _Worker(connection, field, pixels)
        while True:
            try:
                worker.answer(_newest(connection))
            except (EOFError, BrokenPipeError, ConnectionResetError):
                return
            except Exception as error:  # noqa: BLE001  a fault of ours must reach the window, not kill the worker
                detail = "".join(traceback.format_exception(error))
                connection.send(WorkerFailed(f"The stock could not be worked out: {error}.", detail))
    finally:
        worker.release()
        field.close()
        pixels.close()


def _newest(connection: Connection) -> list[Any]:
    """The waiting requests, each kind once and only its newest; waits for one."""
    stock, moment = None, None
    while True:
        request = connection.recv()
        if isinstance(request, StockRequest):
            stock = request
        else:
            moment = request
        if not connection.poll():
            return [r for r in (stock, moment) if r is not None]


class _Worker:
    def __init__(self, connection: Connection, field: SharedMemory, pixels: SharedMemory) -> None:
        self._connection = connection
        self._field_block = field
        self._pixel_block = pixels
        self._key = ""
        self._timeline: Any = None
        self._behind: Any = None  # the front, where the board is a back
        self._wood: Any = None
        self._pixels: Any = None
        self._is_fresh = True
        self._face_key: Any = None

    def release(self) -> None:
        """Let go of the shared blocks, so that they can be closed."""
        self._timeline = self._pixels = self._behind = None

    def answer(self, requests: list[Any]) -> None:
        for request in requests:
            if isinstance(request, StockRequest):
                self._build(request)
            elif self._timeline is not None:
                self._moment(request)

    def _build(self, request: StockRequest) -> None:
        import numpy as np

        from archimetra.stock.shade import face
        from archimetra.stock.timeline import StockTimeline, cell_for, grid_shape

        try:
            plan = request.plan.unpacked()
        except FileNotFoundError:
            return  # given up for a newer one, which is on its way
        cell = cell_for(request.sheet)
        self.release()
        shape = grid_shape(request.sheet, cell)
        field = np.ndarray(shape, np.float32, buffer=self._field_block.buf)
        self._pixels = np.ndarray(shape, np.uint32, buffer=self._pixel_block.buf)
        self._timeline = StockTimeline(
            request.sheet, plan.run, request.bits, cell=cell, times=plan.times.ends, field=field
        )
        self._behind = None
        if request.about is not None and plan.front is not None:
            from archimetra.stock.faces import Behind

            self._behind = Behind(plan.front, request.about, request.sheet, request.bits, cell=cell)
        if self._face_key != (request.sheet, shape):
            self._wood, self._face_key = face(request.sheet, shape, cell), (request.sheet, shape)
        self._key = request.key
        self._is_fresh = True
        self._connection.send(StockReady(request.key, shape, cell, self._timeline.duration))

    def _moment(self, request: MomentRequest) -> None:
        from archimetra.stock.shade import paint, touched_box
        from archimetra.stock.sweep_kernels import TILE

        timeline = self._timeline
        touched = timeline.seek(request.seconds)
        ny, nx = timeline.shape
        box = (0, 0, nx, ny) if self._is_fresh else touched_box(touched, timeline.shape, TILE, _MARGIN_CELLS)
        self._is_fresh = False
        if box is not None:
            field = timeline.field if self._behind is None else self._behind.through(timeline.field)
            paint(field, self._wood, timeline.sheet, timeline.cell, self._pixels, box)
        heights, hollow = timeline.hollow_section(*request.line, request.seconds, samples=request.samples)
        under = self._behind.section(*request.line, samples=request.samples) if self._behind is not None else None
        self._connection.send(Moment(self._key, request.seconds, box, request.line, heights, hollow, under))
