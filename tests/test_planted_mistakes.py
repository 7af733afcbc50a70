"""Ten mistakes in the sample: every one told, at its place, and mended from its remedy; after that nothing is told that was not before."""

from __future__ import annotations

import pytest

from archimetra.base.findings import Severity
from archimetra.demo import quay_tide_clock
from archimetra.edits.finishing import finish_edit
from archimetra.edits.remedies import remedy_for
from archimetra.engine.keys import plan_key
from archimetra.engine.planning import plan_board
from planted import MISTAKES, planted

_CACHE: dict = {}
_KNOWN: dict = {}


def findings(job, board):
    key = plan_key(job, board)
    if key not in _KNOWN:
        _KNOWN[key] = plan_board(job, board, _CACHE)
    return _KNOWN[key].findings


def pins(job, board):
    return [place for shift in _KNOWN[plan_key(job, board)].shifts for place in shift.places]


def board_of(job, name):
    return next(board for board in job.boards if board.name == name)


@pytest.fixture(scope="module")
def spoiled():
    return finish_edit(quay_tide_clock().job, planted())


@pytest.mark.parametrize("mistake", MISTAKES, ids=lambda m: m.name)
def test_it_is_told_where_it_is_and_not_in_the_sample_itself(spoiled, mistake):
    clean = quay_tide_clock().job
    assert mistake.code not in [f.code for f in findings(clean, board_of(clean, mistake.board))]
    board = board_of(spoiled, mistake.board)
    (finding, *_) = [f for f in findings(spoiled, board) if f.code == mistake.code]
    assert finding.severity in (Severity.STOP, Severity.CAUTION)
    assert finding.mend
    assert finding.at is not None or finding.subject == board.id or board.cut(finding.subject) is not None
    if finding.at is not None:
        assert -300 < finding.at[0] < board.sheet.width + 300


def test_pressed_one_after_the_other_the_remedies_mend_all(spoiled):
    job = spoiled
    clean = quay_tide_clock().job
    codes = {mistake.code for mistake in MISTAKES}
    pressed = 0
    for name in dict.fromkeys(mistake.board for mistake in MISTAKES):
        for _ in range(8):
            board = board_of(job, name)
            told = [f for f in findings(job, board) if f.code in {*codes, "pins-missing"}]
            if not told:
                break
            made = remedy_for(job, board, told[0], pins(job, board))
            assert made is not None, told[0].sentence
            job = finish_edit(job, made[1].job)
            pressed += 1
        board = board_of(job, name)
        before = {f.code for f in findings(clean, board_of(clean, name))}
        worse = [f for f in findings(job, board) if f.severity is Severity.STOP or f.code in codes - before]
        assert worse == [], [f.sentence for f in worse]
    assert pressed >= len(MISTAKES) - 1  # two of them may go with one press
