"""What another running order would cost and risk, told before anything is planned for it."""

from __future__ import annotations

from typing import NamedTuple

import msgspec

from archimetra.base.findings import Finding
from archimetra.checks.check_input import CheckInput
from archimetra.checks.order_checks import outline_before_inside, rest_before_first
from archimetra.engine.messages import BoardPlan
from archimetra.job.ids import CutId
from archimetra.job.job import Board, Job
from archimetra.toolpath.shared.program import Block

replace = msgspec.structs.replace


class OrderCost(NamedTuple):
    """``changes`` more (or fewer) bit changes, which take ``seconds``; and what would be told of the order that is not told now."""

    changes: int
    seconds: float
    risks: tuple[Finding, ...]


def cost_of_order(job: Job, board: Board, plan: BoardPlan, cut: CutId, position: int) -> OrderCost:
    """Of a cut dragged to a place among the others that cut something."""
    blocks = plan.run.blocks
    order = [c for c in dict.fromkeys(block.cut for block in blocks) if c != cut]
    order.insert(min(max(position, 0), len(order)), cut)
    rank = {c: k for k, c in enumerate(order)}
    moved = tuple(sorted(blocks, key=lambda block: (block.setup, rank[block.cut])))
    more = _changes(moved) - _changes(blocks)
    cuts = tuple(sorted(board.cuts, key=lambda c: rank.get(c.id, len(order))))
    before = _told(job, board, plan, blocks)
    after = _told(job, replace(board, cuts=cuts), plan, moved)
    known = {(f.code, f.subject) for f in before}
    risks = tuple(f for f in after if (f.code, f.subject) not in known)
    return OrderCost(more, more * job.machine.bit_change_s, risks)


def _changes(blocks: tuple[Block, ...]) -> int:
    return sum(a.bit != b.bit for a, b in zip(blocks, blocks[1:], strict=False))


def _told(job: Job, board: Board, plan: BoardPlan, blocks: tuple[Block, ...]) -> list[Finding]:
    given = CheckInput(job, board, replace(plan.run, blocks=blocks), plan.setups, plan.front)
    return [*outline_before_inside(given), *rest_before_first(given)]
