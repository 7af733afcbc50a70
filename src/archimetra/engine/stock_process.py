"""The stock worker: keeps the stock of the runs looked at last, seeks to moments, paints them, cuts sections and looks closer.

Of several waiting requests of a kind only the newest counts, and the most urgent is answered first: what a person looks at before what
they may look at next.
"""

from __future__ import annotations

import traceback
from multiprocessing.connection import Connection
from multiprocessing.shared_memory import SharedMemory
from typing import Any

from archimetra.engine.messages import (
    Closer,
    CloserRequest,
    Moment,
    MomentRequest,
    NothingDrawn,
    StockReady,
    StockRequest,
    Thumb,
    ThumbRequest,
    Tilted,
    TiltRequest,
    WorkerFailed,
    picture_levels,
)

_MOST_CHAINS = 3  # boards one goes back and forth between
_MOST_URGENT_FIRST = (StockRequest, MomentRequest, TiltRequest, CloserRequest, ThumbRequest)


def serve(connection: Connection, pixels_name: str, pictures_name: str) -> None:
    """Answer requests until the other side hangs up."""
    pixels, pictures = SharedMemory(pixels_name), SharedMemory(pictures_name)
    worker = _Worker(connection, pixels, pictures)
    inbox = _Inbox(connection)
    try:
        while True:
            try:
                worker.answer(inbox.next())
            except (EOFError, BrokenPipeError, ConnectionResetError):
                return
            except Exception as error:  # noqa: BLE001  a fault of ours must reach the window, not kill the worker
                detail = "".join(traceback.format_exception(error))
                connection.send(WorkerFailed(f"The stock could not be worked out: {error}.", detail))
    finally:
        worker.release()
        pixels.close()
        pictures.close()


class _Inbox:
    """What waits to be answered: the newest of each kind, of small pictures one for each board."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection
        self._waiting: dict[tuple[type, str], Any] = {}

    def next(self) -> Any:
        while not self._waiting or self._connection.poll():
            request = self._connection.recv()
            key = type(request), request.board if isinstance(request, ThumbRequest) else ""
            self._waiting.pop(key, None)
            self._waiting[key] = request
        first = min(self._waiting, key=lambda key: _MOST_URGENT_FIRST.index(key[0]))
        return self._waiting.pop(first)


class _Worker:
    def __init__(self, connection: Connection, pixels: SharedMemory, pictures: SharedMemory) -> None:
        self._connection = connection
        self._pixel_block, self._picture_block = pixels, pictures
        self._chains: dict[str, Any] = {}  # StockChain by key, the shown one last
        self._levels: list[Any] = []  # the plan's picture and coarser ones of it
        self._is_fresh = True  # the shown chain is not what is painted,
        self._painted: Any = None  # but this one, at its moment: of an edited run most stays
        self._kept: Any = None
        self._half = 0  # pictures are drawn in turns into the one half of their memory and the other

    def release(self) -> None:
        """Let go of the shared blocks, so that they can be closed."""
        self._levels = []

    @property
    def _chain(self) -> Any:
        return next(reversed(self._chains.values()), None)

    def answer(self, request: Any) -> None:
        if isinstance(request, StockRequest):
            self._show(request)
        elif isinstance(request, ThumbRequest):
            self._thumb(request)
        elif self._chain is None:
            if isinstance(request, TiltRequest | CloserRequest):
                self._connection.send(NothingDrawn())
        elif isinstance(request, MomentRequest):
            self._moment(request)
        elif isinstance(request, TiltRequest):
            self._tilt(request)
        elif isinstance(request, CloserRequest):
            self._closer(request)

    def _show(self, request: StockRequest) -> None:
        import numpy as np

        from archimetra.engine.stock_chain import StockChain
        from archimetra.stock.stretches import kept_stretches

        if self._kept is None:
            self._kept = kept_stretches()
        if not self._is_fresh:
            self._painted = self._chain
        chain = self._chains.pop(request.key, None)
        if chain is None:
            try:
                plan = request.plan.unpacked()
            except FileNotFoundError:
                return  # given up for a newer one, which is on its way
            while len(self._chains) >= _MOST_CHAINS:
                del self._chains[next(iter(self._chains))]
            chain = StockChain(plan, request.sheet, request.bits, request.about, kept=self._kept)
        self._chains[request.key] = chain
        self._levels = [
            np.ndarray(shape, np.uint32, buffer=self._pixel_block.buf, offset=offset)
            for shape, offset in picture_levels(chain.grid.shape)
        ]
        self._is_fresh = True
        self._connection.send(StockReady(request.key, chain.grid.shape, chain.grid.cell, chain.timeline.duration))

    def _moment(self, request: MomentRequest) -> None:
        chain = self._chain
        box = chain.seek(request.seconds, drops_offcuts=request.drops_offcuts)
        if self._is_fresh and self._painted is not chain:
            box = chain.unlike(self._painted) if self._painted is not None else chain.grid.all
        self._is_fresh = False
        self._painted = None
        if box is not None:
            box = chain.paint(self._levels, box)
        self._connection.send(Moment(chain.key, request.seconds, box, request.line, *chain.section(request)))

    def _tilt(self, request: TiltRequest) -> None:
        import numpy as np

        chain = self._chain
        if self._is_fresh:  # not painted yet: its moment comes first
            chain.paint(self._levels, chain.grid.all)
            self._painted = chain
        drawn = chain.tilted(request, self._levels)
        self._half = 1 - self._half
        offset = self._half * (self._picture_block.size // 2)
        there = np.ndarray(drawn.shape, np.uint32, buffer=self._picture_block.buf, offset=offset)
        there[...] = drawn
        self._connection.send(Tilted(request.number, offset, request.size, request.is_fine))

    def _closer(self, request: CloserRequest) -> None:
        chain = self._chain
        grid, pixels = chain.closer(request)
        self._connection.send(Closer(request.number, chain.key, chain.seconds, grid.extent, pixels))

    def _thumb(self, request: ThumbRequest) -> None:
        from archimetra.engine.stock_chain import thumb

        stock = request.stock
        try:
            plan = stock.plan.unpacked()
        except FileNotFoundError:
            return
        pixels = thumb(plan, stock.sheet, stock.bits, stock.about, request.width)
        self._connection.send(Thumb(request.board, request.stock.key, pixels))
