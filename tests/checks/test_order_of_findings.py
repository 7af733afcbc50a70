"""What is told first is what would spoil the most."""

from __future__ import annotations

from itertools import permutations

from archimetra.base.findings import Finding, Severity
from archimetra.checks import board_checks
from archimetra.checks.board_checks import CHECKS, check_board
from archimetra.edits import cutting
from archimetra.engine.planning import plan_board
from plain_clock import plain_clock


def test_the_gravest_come_first_and_of_equal_ones_the_first_in_the_table(monkeypatch):
    job = plain_clock().job
    run = plan_board(job, job.boards[0], {}).run
    for order in permutations(Severity):

        def told(severity, number):
            return lambda _given: iter([Finding(f"{severity}{number}", severity, "words")])

        monkeypatch.setattr(board_checks, "CHECKS", tuple(told(s, n) for n in (1, 2) for s in order))
        assert [f.code for f in check_board(job, job.boards[0], run)] == [
            "stop1",
            "stop2",
            "caution1",
            "caution2",
            "note1",
            "note2",
        ]


def test_a_real_board_is_told_in_that_order():
    job = plain_clock().job
    cuts = [cut.id for cut in job.boards[0].cuts]
    job = cutting.change_cuts(job, cuts, "", goes_through=False, end_depth=60.0).job  # deeper than sheet and bits
    board = job.boards[0]
    found = check_board(job, board, plan_board(job, board, {}).run)
    ranks = [tuple(Severity).index(f.severity) for f in found]
    assert len(set(ranks)) > 1
    assert ranks == sorted(ranks, reverse=True)
    assert len(CHECKS) == len(set(CHECKS))
