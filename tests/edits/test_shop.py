"""The shop: what new jobs begin with, kept in a file of its own; a job says where it differs and can be brought in line."""

from __future__ import annotations

import subprocess
import sys

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archimetra.base.errors import JobFileError
from archimetra.edits.history import History
from archimetra.edits.sheets import change_sheet
from archimetra.edits.shop import (
    MOST_BYTES,
    MOST_ROUTERS,
    Router,
    Shop,
    add_router,
    as_router,
    copy_router,
    differences,
    drop_router,
    drop_sheet,
    for_router,
    in_shop,
    keep_router,
    keep_sheet,
    lay_sheet,
    load_shop,
    router_of,
    save_shop,
    shop_at_hand,
    shop_path,
    take_router,
)
from archimetra.job.file import decode_job, encode_job
from archimetra.job.job import new_job
from archimetra.job.materials import Material
from archimetra.job.quantities import Unit
from archimetra.job.sheet import Machine, Sheet
from shapes import replace, star

GARAGE = Router(
    machine=Machine(name="Garage", travel_x=800.0, max_rpm=18000.0), controller="streaming", output_unit=Unit.INCH, folder="/media/stick",
)  # fmt: skip
OURS = Shop(routers=(GARAGE,), unit=Unit.INCH)


class TestKeeping:
    @given(
        st.floats(50, 5000),
        st.sampled_from(["rs274", "mine-2"]),
        st.sampled_from(list(Unit)),
        st.sampled_from(list(Unit)),
    )
    def test_what_is_kept_comes_back(self, tmp_path_factory, travel, controller, unit, output):
        path = tmp_path_factory.mktemp("shop") / "deep" / "shop.json"
        router = Router(machine=Machine(travel_x=travel), controller=controller, output_unit=output, folder="/mnt/é")
        shop = Shop(routers=(Router(machine=Machine(name="Other")), router), at=1, unit=unit)
        save_shop(shop, path)
        assert load_shop(path) == shop

    def test_without_a_file_the_standard_one_serves(self, tmp_path):
        assert load_shop(tmp_path / "none.json") == Shop()
        assert in_shop(new_job(), Shop()) == new_job()

    @pytest.mark.parametrize(
        "data",
        [b"", b"{}", b"[1]", b"\xff", b'{"shop_schema": 1}', b'{"shop_schema": 99, "shop": {}}', b'{"shop_schema": 1, "shop": {"machine": 3}}',
         b'{"shop_schema": 1, "shop": {"machine": {"travel_x": -5}}}', b'{"shop_schema": 1, "shop": {}, "x": 1}', b'{"shop_schema": 2, "shop": {"at": 3}}',
         b'{"shop_schema": 2, "shop": {"routers": []}}', b" " * (MOST_BYTES + 2)],
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

    def test_a_shop_of_the_first_kind_is_one_machine(self, tmp_path):
        path = tmp_path / "shop.json"
        path.write_text(
            '{"shop_schema": 1, "shop": {"machine": {"name": "Old", "travel_x": 300}, "controller": "iso", "unit": "in", "output_unit": "in"}}'
        )
        shop = load_shop(path)
        assert [(one.machine.name, one.machine.travel_x, one.controller, one.output_unit) for one in shop.routers] == [
            ("Old", 300.0, "iso", Unit.INCH)
        ]
        assert (shop.unit, shop.at, shop.sheets) == (Unit.INCH, 0, ())


class TestJobs:
    def test_a_job_says_in_what_it_differs_and_one_undo_takes_it_back(self):
        job = new_job()
        assert differences(job, Shop().router) == ()
        assert differences(job, GARAGE) == ("name", "travel", "spindle", "controller", "units of files")
        history = History(job)
        history.apply(take_router(history.job, GARAGE))
        assert differences(history.job, GARAGE) == ()
        assert as_router(history.job, GARAGE) == GARAGE
        history.undo()
        assert differences(history.job, Shop().router) == ()

    def test_the_job_keeps_its_copy_whatever_becomes_of_the_shop(self):
        job = in_shop(new_job(), OURS)
        assert job.unit is Unit.INCH
        assert decode_job(encode_job(job), name="a") == job
        wider = replace(GARAGE, machine=replace(GARAGE.machine, travel_y=99.0))
        assert differences(job, wider) == ("travel",)

    def test_a_job_belongs_to_the_machine_of_its_name(self):
        shop = Shop(routers=(Router(), GARAGE), at=0)
        assert router_of(for_router(new_job(), GARAGE), shop) is GARAGE
        assert router_of(new_job(), shop) is shop.router
        elsewhere = replace(new_job(), machine=Machine(name="Of somebody else"))
        assert router_of(elsewhere, shop) is shop.router


def names(shop):
    return [one.machine.name for one in shop.routers]


class TestMachines:
    @given(st.lists(st.sampled_from(["add", "copy", "drop", "keep", "first"]), max_size=30), st.randoms())
    def test_whatever_is_done_there_is_one_for_new_jobs_and_no_name_twice(self, steps, rnd):
        shop = Shop()
        for step in steps:
            number = rnd.randrange(len(shop.routers))
            first = shop.router.machine.name
            if step == "add":
                shop = add_router(shop, GARAGE)
            elif step == "copy":
                shop = copy_router(shop, number)
            elif step == "drop" and len(shop.routers) > 1:
                gone = shop.routers[number].machine.name
                shop = drop_router(shop, number)
                assert gone not in names(shop)
                assert shop.router.machine.name == first or gone == first
                continue
            elif step == "keep":
                shop = keep_router(shop, GARAGE)
                first = "Garage"
            elif step == "first":
                shop = replace(shop, at=number)
                first = shop.routers[number].machine.name
            assert shop.router.machine.name == first
        assert len(set(names(shop))) == len(shop.routers)

    def test_a_copy_stands_after_its_own_and_new_jobs_stay_for_the_same(self):
        shop = Shop(routers=(Router(), GARAGE), at=1)
        assert names(copy_router(shop, 0)) == ["Router 610 x 610", "Router 610 x 610 2", "Garage"]
        assert copy_router(shop, 0).router is GARAGE
        assert names(copy_router(copy_router(shop, 1), 2)) == ["Router 610 x 610", "Garage", "Garage 2", "Garage 3"]

    def test_the_last_one_stays_and_there_are_not_endlessly_many(self):
        with pytest.raises(ValueError, match="the last machine stays"):
            drop_router(Shop(), 0)
        shop = Shop()
        for _ in range(MOST_ROUTERS - 1):
            shop = copy_router(shop, 0)
        with pytest.raises(ValueError, match="1 to 40 machines"):
            copy_router(shop, 0)
        with pytest.raises(ValueError, match="names of their own"):
            Shop(routers=(GARAGE, GARAGE))

    def test_what_is_kept_again_takes_its_own_place(self):
        shop = Shop(routers=(GARAGE, Router()), at=1)
        wider = replace(GARAGE, machine=replace(GARAGE.machine, travel_y=99.0))
        kept = keep_router(shop, wider)
        assert kept.routers == (wider, shop.routers[1])
        assert kept.at == 0


class TestShelf:
    def test_a_sheet_with_its_outline_and_readings_comes_back_on_another_board(self, tmp_path):
        outline = star(5, 60, 40, at=(60, 60))
        x0, y0, x1, y1 = outline.bounds()
        from archimetra.geometry.affine import Affine

        own = Sheet(
            width=x1 - x0, height=y1 - y0, readings=(17.9, 18.2), material=Material.OAK, outline=(outline.transform(Affine.shift(-x0, -y0)),),
        )  # fmt: skip
        shop = keep_sheet(Shop(), "  Offcut, oak ", own)
        path = tmp_path / "shop.json"
        save_shop(shop, path)
        (kept,) = load_shop(path).sheets
        assert kept.name == "Offcut, oak"
        job = new_job()
        laid = lay_sheet(job, job.boards[0].id, kept).job.boards[0].sheet
        assert replace(laid, id=own.id) == own
        assert laid.id == job.boards[0].sheet.id

    def test_the_same_name_is_replaced_and_the_shelf_is_in_order(self):
        one, other = Sheet(width=300, height=200, readings=(6.0,)), Sheet(width=400, height=200, readings=(9.0,))
        shop = keep_sheet(keep_sheet(keep_sheet(Shop(), "b", one), "A", one), "b", other)
        assert [(kept.name, kept.sheet.width) for kept in shop.sheets] == [("A", 300), ("b", 400)]
        assert [kept.name for kept in drop_sheet(shop, "A").sheets] == ["b"]
        assert drop_sheet(shop, "nowhere") == shop
        job = new_job()
        job = change_sheet(job, job.boards[0].id, "", count=3).job
        assert lay_sheet(job, job.boards[0].id, shop.sheets[0]).job.boards[0].sheet.count == 1

    @pytest.mark.parametrize("name", ["", "   "])
    def test_a_sheet_without_a_name_is_refused(self, name):
        with pytest.raises(ValueError, match="under a name"):
            keep_sheet(Shop(), name, Sheet(width=300, height=200, readings=(6.0,)))
