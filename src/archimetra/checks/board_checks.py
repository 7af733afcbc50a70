"""The table of checks on a board and its planned run. Each looks at one thing and returns what it found."""

from __future__ import annotations

from archimetra.base.findings import Finding, gravest_first
from archimetra.checks.check_input import Check, CheckInput
from archimetra.checks.depth_checks import (
    cannot_plunge,
    deeper_than_bit,
    pass_too_deep,
    speed_out_of_reach,
    too_deep,
    wrong_kind_of_bit,
)
from archimetra.checks.face_checks import faces_meet, loose_from_both, pins_of_faces
from archimetra.checks.holding_checks import loose_pieces, tabs_too_thick
from archimetra.checks.inlay_checks import frame_too_tight, glue_used_up, half_missing, mating_depths
from archimetra.checks.load_checks import carve_heavy, slot_heavy, start_closed
from archimetra.checks.order_checks import drawn_twice, facing_late, outline_before_inside, rest_before_first
from archimetra.checks.piece_checks import pieces_cut_into
from archimetra.checks.place_checks import out_of_travel, rapid_in_stock, strays, touch_off_gone
from archimetra.checks.sheet_checks import off_sheet, over_flaw
from archimetra.checks.start_checks import start_on_thin
from archimetra.checks.web_checks import thin_webs
from archimetra.job.job import Board, Job
from archimetra.job.lying import only_setup
from archimetra.job.setups import Setup
from archimetra.toolpath.shared.front import FrontFace
from archimetra.toolpath.shared.program import Run


def check_board(
    job: Job, board: Board, run: Run, setups: tuple[Setup, ...] = (), front: FrontFace | None = None
) -> list[Finding]:
    """All findings of all checks: the gravest first, and of equal ones those of the check that stands first in the table."""
    given = CheckInput(job, board, run, setups or (only_setup(board, job.machine),), front)
    found = [finding for check in CHECKS for finding in check(given)]
    return gravest_first(found)


CHECKS: tuple[Check, ...] = (
    too_deep,
    deeper_than_bit,
    off_sheet,
    over_flaw,
    pieces_cut_into,
    out_of_travel,
    cannot_plunge,
    wrong_kind_of_bit,
    rapid_in_stock,
    strays,
    start_closed,
    touch_off_gone,
    rest_before_first,
    mating_depths,
    glue_used_up,
    half_missing,
    frame_too_tight,
    loose_pieces,
    tabs_too_thick,
    thin_webs,
    start_on_thin,
    faces_meet,
    loose_from_both,
    pins_of_faces,
    outline_before_inside,
    facing_late,
    drawn_twice,
    pass_too_deep,
    carve_heavy,
    slot_heavy,
    speed_out_of_reach,
)
