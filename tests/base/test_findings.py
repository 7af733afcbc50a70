"""Findings say their lengths in the unit of whoever reads them; everything else in them stays as it was written."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archimetra.base.findings import Finding, Severity, mm, mm_each, worded
from archimetra.job.quantities import Unit, lengths_in, parse_length

LENGTHS = st.floats(0, 5_000).map(lambda value: round(value, 3))


def test_a_finding_is_one_line_in_either_unit():
    finding = Finding(
        "x", Severity.STOP, f"'Rim' is {mm(19.05)} deep.", mend=f"Make it {mm(12.7, '.2f')} or less.", place="line 3"
    )
    assert finding.sentence == "'Rim' is 19.05 mm deep."
    assert finding.fix == "Make it 12.70 mm or less."
    assert finding.text() == "'Rim' is 19.05 mm deep. (line 3) Make it 12.70 mm or less."
    assert finding.text(lengths_in(Unit.INCH)) == "'Rim' is 0.75 in deep. (line 3) Make it 0.5 in or less."


def test_several_lengths_have_one_unit_behind_them():
    size = f"past the machine's {mm_each((609.6, 914.4))}."
    assert worded(size) == "past the machine's 609.6 x 914.4 mm."
    assert worded(size, lengths_in(Unit.INCH)) == "past the machine's 24 x 36 in."
    assert worded(mm_each((25.4, 50.8, 76.2), between=", "), lengths_in(Unit.INCH)) == "1, 2, 3 in"


@given(LENGTHS, st.sampled_from(["g", ".0f", ".1f", ".2f"]))
def test_what_is_said_in_inches_is_as_true_as_what_is_said_in_mm(value, form):
    said_mm, said_inch = worded(mm(value, form)), worded(mm(value, form), lengths_in(Unit.INCH))
    unsure = {"g": max(0.5e-5 * value, 0.0005), ".0f": 0.5, ".1f": 0.05, ".2f": 0.005}[form]
    assert abs(parse_length(said_mm, default=Unit.MM) - value) <= unsure + 1e-9
    assert abs(parse_length(said_inch, default=Unit.MM) - value) <= max(unsure, 0.00005 * 25.4) + 1e-9


@given(st.text(alphabet=st.sampled_from("⟦⟧mm |.2fg0e+-x'äß"), max_size=30))
def test_a_name_that_looks_like_a_length_neither_fails_nor_takes_the_length_beside_it_along(name):
    told = worded(f"'{name.replace('⟦', '').replace('⟧', '')}' is {mm(3.0)} wide.", lengths_in(Unit.INCH))
    assert told.endswith("is 0.1181 in wide.")
    worded(f"'{name}' is {mm(3.0)} wide.")


@pytest.mark.parametrize("value", [float("inf"), float("nan"), -0.0, 1e-9, 1e22])
def test_odd_numbers_are_put_into_words_too(value):
    for lengths in (lengths_in(Unit.MM), lengths_in(Unit.INCH)):
        assert re.search("[⟦|⟧]", worded(f"{mm(value)}, {mm(-value, '.2f')}", lengths)) is None
