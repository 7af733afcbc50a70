"""The shop: what new jobs begin with, kept in a file of its own; a job says where it differs and can be brought in line."""

from __future__ import annotations

import subprocess
import sys

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archimetra.base.errors import JobFileError
from archimetra.edits.history import History
from archimetra.edits.shop import (
    MOST_BYTES,
    Shop,
    differences,
    in_shop,
    load_shop,
    save_shop,
    shop_at_hand,
    shop_of,
    shop_path,
    take_shop,
)
from archimetra.job.file import decode_job, encode_job
from archimetra.job.job import new_job
from archimetra.job.quantities import Unit
from archimetra.job.sheet import Machine
from shapes import replace

OURS = Shop(
    machine=Machine(name="Garage", travel_x=800.0, max_rpm=18000.0),
    controller="streaming",
    unit=Unit.INCH,
    output_unit=Unit.INCH,
)


class TestKeeping:
    @given(
        st.floats(50, 5000),
        st.sampled_from(["rs274", "mine-2"]),
        st.sampled_from(list(Unit)),
        st.sampled_from(list(Unit)),
    )
    def test_what_is_kept_comes_back(self, tmp_path_factory, travel, controller, unit, output):
        path = tmp_path_factory.mktemp("shop") / "deep" / "shop.json"
        shop = Shop(machine=Machine(travel_x=travel), controller=controller, unit=unit, output_unit=output)
        save_shop(shop, path)
        assert load_shop(path) == shop

    def test_without_a_file_the_standard_one_serves(self, tmp_path):
        assert load_shop(tmp_path / "none.json") == Shop()
        assert in_shop(new_job(), Shop()) == new_job()

    @pytest.mark.parametrize(
        "data",
        [b"", b"{}", b"[1]", b"\xff", b'{"shop_schema": 1}', b'{"shop_schema": 99, "shop": {}}', b'{"shop_schema": 1, "shop": {"machine": 3}}',
         b'{"shop_schema": 1, "shop": {"machine": {"travel_x": -5}}}', b'{"shop_schema": 1, "shop": {}, "x": 1}', b" " * (MOST_BYTES + 2)],
    )  # fmt: skip
    def test_a_damaged_one_is_told_put_aside_and_loses_nothing(self, tmp_path, data):
        path = tmp_path / "shop.json"
        path.write_bytes(data)
        with pytest.raises(JobFileError):
            load_shop(path)
        shop, words = shop_at_hand(path)
        assert shop == Shop()
        assert "shop.json.damaged" in words
        assert (tmp_path / "shop.json.damaged").read_bytes() == data
        save_shop(OURS, path)
        assert shop_at_hand(path) == (OURS, "")

    def test_a_place_that_cannot_be_written_is_told(self, tmp_path):
        (tmp_path / "file").write_text("")
        with pytest.raises(JobFileError, match="could not be written"):
            save_shop(OURS, tmp_path / "file" / "shop.json")

    def test_another_process_begins_with_it(self):
        save_shop(OURS)
        assert shop_path().exists()
        code = "from archimetra.edits.shop import *; from archimetra.job.job import new_job; print(in_shop(new_job(), load_shop()).machine.name)"
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        assert done.stdout.strip() == "Garage"


class TestJobs:
    def test_a_job_says_in_what_it_differs_and_one_undo_takes_it_back(self):
        job = new_job()
        assert differences(job, Shop()) == ()
        assert differences(job, OURS) == ("name", "travel", "spindle", "controller", "units", "units of files")
        history = History(job)
        history.apply(take_shop(history.job, OURS))
        assert differences(history.job, OURS) == ()
        assert shop_of(history.job) == OURS
        history.undo()
        assert differences(history.job, Shop()) == ()

    def test_the_job_keeps_its_copy_whatever_becomes_of_the_shop(self):
        job = in_shop(new_job(), OURS)
        assert decode_job(encode_job(job), name="a") == job
        assert differences(job, replace(OURS, machine=replace(OURS.machine, travel_y=99.0))) == ("travel",)
