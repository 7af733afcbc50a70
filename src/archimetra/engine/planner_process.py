"""The planning worker: boards in, plans out, the newest request first, anything older dropped."""

from __future__ import annotations

import os
import traceback
from collections.abc import MutableMapping
from multiprocessing.connection import Connection
from typing import Any, TypeGuard

from cachetools import LRUCache

from archimetra.base.errors import CancelledError
from archimetra.engine.messages import (
    BitsCompared,
    CompareRequest,
    GettingReady,
    MateMade,
    MateRequest,
    PlanMade,
    PlannedCut,
    PlanProgress,
    PlanRequest,
    QuietDropped,
    StandingMade,
    StandingRequest,
    TrialRequest,
    TrialsMade,
    WorkerFailed,
)
from archimetra.engine.sharing import shared
from archimetra.geometry.arrays import AnyArray
from archimetra.job.ids import BitId, CutId, InlayId

MOST_CACHED = 200_000_000  # bytes: plans of a thousand pieces that all lie differently are some 20 MB
Request = PlanRequest | MateRequest | CompareRequest | StandingRequest | TrialRequest
PlanCache = MutableMapping[str, PlannedCut]


def bytes_of(planned: PlannedCut) -> int:
    """About as much as a plan takes; never more than the whole cache may."""
    path = planned.toolpath
    arrays: tuple[AnyArray, ...] = (
        path.xyz,
        path.kind,
        path.centre,
        path.feed,
        path.role,
        path.pass_no,
        *path.outlines,
    )
    return min(2_000 + 100 * len(path.marks) + sum(array.nbytes for array in arrays), MOST_CACHED)


def serve(connection: Connection, newest: Any) -> None:
    """Answer requests until the other side hangs up. ``newest`` is a shared counter: work for an older number stops."""
    cache: PlanCache = LRUCache(MOST_CACHED, getsizeof=bytes_of)
    mates = Mates(cache)
    try:
        _get_ready(connection)
    except (BrokenPipeError, ConnectionResetError):
        return
    while True:
        try:
            request: Request = connection.recv()
        except EOFError:
            return
        if request.number < newest.value:
            if _is_quiet(request):
                connection.send(QuietDropped(request.board.id))
            continue

        def report(cut: int, count: int, share: float, request: Any = request) -> None:
            if request.number < newest.value or (_is_quiet(request) and connection.poll()):
                raise CancelledError
            if isinstance(request, PlanRequest) and not request.is_quiet:
                connection.send(PlanProgress(request.board.id, cut, count, share))

        try:
            connection.send(_answer(request, cache, mates, report))
        except (CancelledError, FileNotFoundError):  # or the plan was given up for a newer one
            if _is_quiet(request):
                connection.send(QuietDropped(request.board.id))
        except (BrokenPipeError, ConnectionResetError):
            return
        except Exception as error:  # noqa: BLE001  a fault of ours must reach the window, not kill the worker
            detail = "".join(traceback.format_exception(error))
            connection.send(WorkerFailed(f"{_what(request)} failed: {error}.", detail))


def _is_quiet(request: Request) -> TypeGuard[PlanRequest | StandingRequest]:
    """Whether it gives way to whatever else waits."""
    return isinstance(request, StandingRequest) or (isinstance(request, PlanRequest) and request.is_quiet)


def _get_ready(connection: Connection) -> None:
    """Compile what a first plan would otherwise compile piece by piece, without a word, while a person waits for it."""
    from archimetra.engine import warm

    try:
        if warm.is_done():
            return
        connection.send(GettingReady(0.0))
        for share in warm.steps():
            connection.send(GettingReady(share))
        warm.note_done()
    except (BrokenPipeError, ConnectionResetError):
        raise
    except Exception as error:  # noqa: BLE001  whatever it is, planning itself may still work, and says so where it does not
        connection.send(WorkerFailed(f"Getting ready failed: {error}.", "".join(traceback.format_exception(error))))
    connection.send(GettingReady(1.0))


class Mates:
    """The last inlay laid together: moving the section line then costs no new measuring."""

    def __init__(self, cache: PlanCache) -> None:
        self._cache = cache
        self._key = ""
        self._known: Any = None
        self._mate: Any = None

    def answer(self, request: MateRequest, report: Any) -> MateMade:
        from archimetra.engine.mating import MateError, mating_of

        def failed(sentence: str) -> MateMade:
            return MateMade(request.key, request.inlay, request.line, None, None, sentence)

        if request.key != self._key:
            self._key = ""
            try:
                self._known = mating_of(request.job, InlayId(request.inlay), self._cache, report)
                self._mate = self._known.measured()
            except MateError as error:
                return failed(str(error))
            except ValueError:
                return failed("The art of this inlay holds no area.")
            self._key = request.key
        section = self._known.section(*request.line, self._mate.seat, samples=request.samples)
        return MateMade(request.key, request.inlay, request.line, self._mate, section)


def _answer(request: Request, cache: PlanCache, mates: Mates, report: Any) -> Any:
    from archimetra.engine.planning import plan_board  # numba and shapely load here, not in the window

    if isinstance(request, MateRequest):
        return mates.answer(request, report)
    if isinstance(request, CompareRequest):
        from archimetra.engine.comparing import compare_bits

        trials = compare_bits(
            request.job, request.board, CutId(request.cut), [BitId(b) for b in request.bits], cache, report
        )
        return BitsCompared(request.board.id, request.cut, tuple(trials))
    if isinstance(request, StandingRequest):
        from archimetra.engine.standing import standing_of

        left = standing_of(request.job, request.board, request.plan.unpacked(), lambda: report(0, 1, 0.0))
        return StandingMade(request.board.id, request.key, left)
    if isinstance(request, TrialRequest):
        from archimetra.engine.trying import tried

        return TrialsMade(request.cut, tried(request, cache, report))
    return PlanMade(
        shared(plan_board(request.job, request.board, cache, report, front=request.front), owner=os.getppid())
    )


def _what(request: Request) -> str:
    if isinstance(request, PlanRequest):
        return f"Planning {request.board.name}"
    if isinstance(request, StandingRequest):
        return "Measuring what is left standing"
    if isinstance(request, TrialRequest):
        return "Trying the cut otherwise"
    return "Laying the inlay together" if isinstance(request, MateRequest) else "Comparing bits"
