"""Nesting on sheets of which some are several cut alike: what a stack of equal sheets takes is settled before what comes after it."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
import numpy as np

from archimetra.geometry.arrays import AnyArray
from archimetra.layout.nest.answer import Nested, Placement
from archimetra.layout.nest.nesting import is_better, nest_at_once, summed
from archimetra.layout.nest.request import NestError, NestRequest, check_request

_STACK_WORK = 4e9  # for a stack of equal sheets that others come after, where there is no limit to all
replace = msgspec.structs.replace


def nest(
    request: NestRequest, *, work: float = np.inf, stop: AnyArray | None = None, tell: Callable[[Nested], None] | None = None,
) -> Nested:  # fmt: skip
    """The best layout found until ``work`` (cells looked at; a second of a core is about 1e9) is done or ``stop[0]`` is set.

    A stack of c equal sheets gets of each part the c-th part of what is still wanted, rounded down, on every sheet; the rest goes on. ``tell`` gets every
    better layout on the way, each checked. The same request and work give the same answer. Raises NestError where nothing can be nested.
    """
    check_request(request)
    stages = _stages(request)
    if len(stages) == 1 and request.sheets[0].count == 1:
        return nest_at_once(request, work=work, stop=stop, tell=tell)
    laid: list[Placement] = []
    done, best, problem = 0.0, None, ""
    for number, sheets in enumerate(stages):
        count = request.sheets[sheets[0]].count
        wanted = [left // count for left in summed(request, laid, 0.0).left_out]
        if not any(wanted):
            continue
        is_last = number == len(stages) - 1
        share = (work - done) if is_last else min(work / len(stages), _STACK_WORK)
        part = replace(
            request, parts=tuple(replace(p, quantity=n) for p, n in zip(request.parts, wanted, strict=True)),
            sheets=tuple(replace(request.sheets[k], count=1) for k in sheets),
        )  # fmt: skip

        def told(nested: Nested, sheets: list[int] = sheets, laid: list[Placement] = laid, done: float = done) -> None:
            nonlocal best
            whole = summed(request, [*laid, *_on(sheets, nested)], done + nested.work)
            if best is None or is_better(request, whole, best):
                best = whole
                if tell is not None:
                    tell(whole)

        try:
            found = nest_at_once(part, work=share, stop=stop, tell=told)
        except NestError as error:  # nothing fits on these; others may do
            problem = str(error)
            continue
        laid = [*laid, *_on(sheets, found)]
        done += found.work
    if best is None:
        raise NestError(problem or "Of no part are as many wanted as there are equal sheets. Use fewer sheets.")
    return msgspec.structs.replace(best, work=done)


def _on(sheets: list[int], nested: Nested) -> list[Placement]:
    return [replace(p, sheet=sheets[p.sheet]) for p in nested.placements]


def _stages(request: NestRequest) -> list[list[int]]:
    """The sheets that are nested at once: each stack by itself, single ones that follow each other together."""
    out: list[list[int]] = []
    for k, sheet in enumerate(request.sheets):
        before = request.sheets[k - 1].count if k else 0
        if sheet.count == 1 == before:
            out[-1].append(k)
        else:
            out.append([k])
    return out
