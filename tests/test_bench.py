"""The benchmarks' own arithmetic: what they compare is what they say, on pieces of the size they name."""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import pytest

from archimetra.artwork.svg import read_svg
from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path as Outline

sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "bench"))

from pieces import job_of, svg_of_size, wavy
from rows import Row, compared, print_table, spell


@pytest.mark.parametrize("count", [300, 5_000])
def test_a_wavy_outline_has_the_segments_it_is_asked_for_and_never_crosses_itself(count):
    ring = wavy(count, at=(10.0, 20.0))
    assert ring.shape == (count + 1, 2)
    assert np.array_equal(ring[0], ring[-1])
    angle = np.unwrap(np.arctan2(ring[:, 1] - 20, ring[:, 0] - 10))
    assert (np.diff(angle) > 0).all()


def test_a_drawing_is_as_large_as_asked_and_reads_without_loss():
    data = svg_of_size(0.2)
    assert 0.2e6 <= len(data) < 0.21e6
    drawing = read_svg(data, name="bench.svg")
    assert len(drawing.shapes) == data.count(b"<path")
    assert {finding.code for finding in drawing.report} == {"unit", "svg-layers"}


def test_a_job_for_the_bench_cuts_all_its_parts():
    parts = [Outline.rectangle(40 + 60 * k, 50, 30, 30) for k in range(5)]
    job = job_of(parts, cuts=2)
    plan = plan_board(job, job.boards[0], {})
    assert len(plan.run.blocks) == 2
    assert not any(finding.code.startswith("profile") for finding in plan.findings)


def test_a_ratio_is_that_of_the_best_times(monkeypatch):
    took = iter([0.02, 0.09, 0.01, 0.03, 0.05, 0.04])  # floor and work in turn
    monkeypatch.setattr("rows.seconds", lambda run: next(took))
    row = compared("x", lambda: None, lambda: None, reach=2.0, runs=3)
    assert row.value == pytest.approx(3.0)
    assert (row.floor, row.work) == ("10.0 ms", "30.0 ms")
    assert not row.is_reached
    assert row._replace(reach=None).is_reached


def test_the_table_marks_what_misses(capsys):
    print_table(
        [Row("slow", "1 s", "2 s", 2.0, 1.5), Row("quick", "1 s", "1 s", 1.0, 1.5), Row("told", "", "", 7.0, None)]
    )
    lines = capsys.readouterr().out.splitlines()
    assert [line.endswith("MISSED") for line in lines] == [False, True, False, False]


@pytest.mark.parametrize(("seconds", "words"), [(0.0123, "12.3 ms"), (1.5, "1.50 s"), (0.9999, "999.9 ms")])
def test_times_are_spelt_for_people(seconds, words):
    assert spell(seconds) == words
