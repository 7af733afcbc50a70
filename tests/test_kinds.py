"""Every kind of cut has every row, and is written down; what asks for kinds elsewhere is held by the import contracts."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import get_args

import msgspec
import pytest

from archimetra.app.stations.cuts.kinds import ROWS as FORMS
from archimetra.app.stations.cuts.kinds import form_of
from archimetra.edits import cutting
from archimetra.geometry.path import Path
from archimetra.job.bits import BitKind
from archimetra.job.cuts import KINDS, Cut, kind_of
from archimetra.job.file import decode_job, encode_job
from archimetra.job.starter_rack import starter_rack
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve, resolved
from archimetra.toolpath.rows import ROWS
from shapes import job_with, replace

TYPES = set(get_args(Cut))
DOCS = FilePath(__file__).parents[1] / "docs"


def test_each_kind_has_its_three_rows_once():
    for rows in ([row.type for row in KINDS], [row.kind for row in ROWS], [row.kind for row in FORMS]):
        assert len(rows) == len(set(rows))
        assert set(rows) == TYPES


def test_names_and_tags_tell_kinds_apart():
    tags = [kind.type.__struct_config__.tag for kind in KINDS]
    assert len(set(tags)) == len({kind.name for kind in KINDS}) == len(KINDS)
    text = (DOCS / "job-format.md").read_text()
    assert all(f"| `{tag}`" in text for tag in tags)


def _made(kind):
    """A cut of a kind with its defaults and the first bit of the starter rack that suits it, on a plate with a hole in it."""
    job, board, _ = job_with(Path.rectangle(0, 0, 80, 60), Path.circle((40, 30), 5.0))
    bits = starter_rack()
    bit = next(
        bit
        for bit in bits
        if bit.kind in kind.bits and (bit.kind is BitKind.VEE or kind_of(kind.type).name != "V-carve")
    )
    job = replace(job, bits=(replace(bit, id="bit1"),))
    board = replace(job.boards[0], cuts=())
    cut = cutting.new_cut(job, board.id, kind.type, [s.id for s in board.shapes])
    edit = cutting.add_cut(job, board.id, cut)
    cuts = [c for c in edit.job.boards[0].cuts if c.id == cut.id]
    return edit.job, edit.job.boards[0], cuts[0]


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.name)
def test_with_its_defaults_each_kind_is_written_resolved_planned_and_drawn(kind):
    job, board, cut = _made(kind)
    assert decode_job(encode_job(job), name="t") == job
    about = resolve(job, board, cut)
    assert about == resolved(job, board)[cut.id]
    toolpath, findings = plan_cut(about)
    assert len(toolpath) or findings
    form = form_of(cut)
    assert form.words(cut)
    outline = form.outline(about.cut, about.bit, about.ends_at)
    assert all(len(point) == 2 for point in outline)


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.name)
def test_what_a_cut_answers_keeps_to_itself(kind):
    """Changes asked of a cut come back as the same kind and lose nothing; asked again they change nothing."""
    _, _, cut = _made(kind)
    assert cut.with_marks(lambda marks: marks) == cut
    assert cut.clearing(None, "") == cut
    turned = cut
    for _ in range(2):
        turned = turned.turned_quarter()
    assert type(turned) is type(cut)
    assert turned.turned_quarter().turned_quarter() == cut
    assert cut.with_zone(cut.zone) == cut
    if cut.last_feed is not None:
        assert cut.with_last_feed(cut.last_feed) == cut
    assert msgspec.structs.replace(cut) == cut


def test_cuts_are_resolved_once_for_a_job_and_anew_when_what_they_hang_on_changes():
    job, board, cut = _made(KINDS[0])
    first = resolved(job, board)
    assert resolved(job, board) is first
    assert resolved(replace(job, name="Other"), board) is first
    slower = replace(job, machine=replace(job.machine, max_feed=100.0))
    assert resolved(slower, board)[cut.id].recipe.feed == 100.0
    assert resolved(slower, board)[cut.id].reasons
    longer = replace(job, bits=(replace(job.bits[0], cutting_length=99.0),))
    assert resolved(longer, board)[cut.id].bit.cutting_length == 99.0
    thicker = replace(board, sheet=replace(board.sheet, readings=(33.0,)))
    assert resolved(job, thicker)[cut.id].sheet.thickest == 33.0
