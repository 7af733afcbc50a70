"""Numbers as people write them, edits that undo, a file that survives."""

from __future__ import annotations

import errno
import os
import re
import zipfile
from pathlib import Path as FilePath

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archimetra.base.errors import JobFileError
from archimetra.edits import basic as edits
from archimetra.edits import layering, placing
from archimetra.edits.history import History
from archimetra.geometry.affine import Affine
from archimetra.job.file import SCHEMA, JobFile, decode_job, encode_job, load_job, pack, save_job, unpack
from archimetra.job.job import new_job
from archimetra.job.quantities import QuantityError, Unit, format_length, is_plain, parse_length, parse_number
from archimetra.job.sheet import Heights, Sheet, Zero, ZeroAt, ZeroZ
from plain_clock import plain_clock
from shapes import job_with, mixed_paths, replace, sentence_of, star

WRITTEN = f'"schema":{SCHEMA}'.encode()


class TestQuantities:
    @pytest.mark.parametrize(
        ("text", "mm"),
        [
            ("18.2", 18.2), ("3/8in", 9.525), ("1 3/4in", 44.45), ("(44.5-40.1)/2", 2.2), ("6mm*3", 18), ("18.3+0.2", 18.5),
            ('3/8"', 9.525), ("1in+2", 27.4), ("-2", -2), ("2*3*4mm", 24), (".5", 0.5), ("1cm - 3 mm", 7), ("2ft", 609.6),
            ("(1+2)*(3-1)mm", 6), ("3/8", 0.375), ("10thou", 0.254), ("--3", 3), ("4mm/2mm*5mm", 10),
        ],
    )  # fmt: skip
    def test_what_people_write_comes_to_what_they_mean(self, text, mm):
        assert parse_length(text, default=Unit.MM) == pytest.approx(mm)

    @pytest.mark.parametrize(
        ("text", "column"),
        [("3,2", 2), ("3.2x", 4), ("", 1), ("5 6", 3), ("2in/2mm", 1), ("1/0in", 1), ("nan", 1), ("(3", 3), ("3mm mm", 5),
         ("2mm*3mm", 1), ("1e999", 1), ("((((" * 20 + "1", 51)],
    )  # fmt: skip
    def test_nothing_may_be_left_over(self, text, column):
        with pytest.raises(QuantityError) as caught:
            parse_length(text, default=Unit.MM)
        assert caught.value.column == column

    def test_bare_numbers_take_the_unit_of_the_field(self):
        assert parse_length("1 1/2", default=Unit.INCH) == pytest.approx(38.1)
        assert parse_length("1 + 5mm", default=Unit.INCH) == pytest.approx(30.4)

    def test_a_plain_number_takes_no_unit(self):
        assert parse_number("3*4") == 12
        with pytest.raises(QuantityError, match="without a unit"):
            parse_number("3mm")

    @given(st.floats(-2000, 2000), st.sampled_from(Unit))
    def test_what_is_shown_reads_back_as_shown(self, mm, unit):
        text = format_length(mm, unit)
        assert abs(parse_length(text, default=unit) - mm) <= 0.005 * unit.mm
        assert is_plain(text)

    @given(st.text(alphabet="0123456789./+-*()", max_size=12))
    def test_a_sum_without_units_comes_to_what_arithmetic_says(self, text):
        """Against Python's own arithmetic, where that takes the same text for the same sum."""
        said = sentence_of(QuantityError, lambda: parse_length(text, default=Unit.MM))
        is_same_writing = not re.search(r"\*\*|//|(?<![\d.])0\d|\(\)|\d\(|\)[\d.(]", text)
        try:
            true = eval(text, {"__builtins__": {}}) if is_same_writing else None
        except (SyntaxError, ZeroDivisionError, TypeError):
            true = None
        if not said and true is not None:
            assert parse_length(text, default=Unit.MM) == pytest.approx(true)

    @given(st.text(alphabet='0123456789./+-*() mincft"', max_size=14))
    def test_any_text_gives_a_number_or_a_sentence(self, text):
        said = sentence_of(QuantityError, lambda: parse_length(text, default=Unit.MM))
        assert said.endswith(".") or abs(parse_length(text, default=Unit.MM)) < 1e10


class TestOtherKeyboards:
    @pytest.mark.parametrize(
        ("text", "mm"),
        [
            ("½", 0.5), ("1½in", 38.1), ("1 ½in", 38.1), ("1\t3/4in", 44.45), ("1\u00a03/4in", 44.45), ("\u22125", -5.0),
            ("1' 2\"", 355.6), ("-1' 2\"", -355.6), ("1' 2 1/2\"", 368.3), ("1′2″", 355.6), ("2ft 3in", 685.8), ("3'", 914.4),
            ("1⅜\"", 34.925), ("1 - 3/4", 0.25),
        ],
    )  # fmt: skip
    def test_signs_fractions_and_feet(self, text, mm):
        assert parse_length(text, default=Unit.MM) == pytest.approx(mm)

    @pytest.mark.parametrize("text", ['1-3/4"', "1-3/4", "12-1/2in", "(1-3/4)*2"])
    def test_a_whole_tied_to_a_fraction_is_asked_about_in_every_unit(self, text):
        for unit in Unit:
            with pytest.raises(QuantityError, match="write 1 3/4"):
                parse_length(text, default=unit)

    @pytest.mark.parametrize(
        "text", ["9" * 400, "9" * 190 + "/1", "1/" + "9" * 150, "1e999", "½" * 90, "1 " * 99, "'" * 50]
    )
    def test_endless_numbers_are_a_short_sentence(self, text):
        said = sentence_of(QuantityError, lambda: parse_length(text, default=Unit.MM))
        assert len(said) < 160


class TestSheetAndZero:
    def test_readings_rule_what_they_should(self):
        sheet = Sheet(width=100, height=50, readings=(18.3, 18.1, 18.2))
        assert (sheet.thickest, sheet.thinnest) == (18.3, 18.1)

    @pytest.mark.parametrize(
        ("at", "point"),
        [
            (ZeroAt.FRONT_LEFT, (0, 0)),
            (ZeroAt.BACK_RIGHT, (100, 50)),
            (ZeroAt.CENTRE, (50, 25)),
            (ZeroAt.TYPED, (7, 8)),
        ],
    )
    def test_zero_lies_where_it_says(self, at, point):
        assert Zero(at=at, x=7, y=8).point(Sheet(width=100, height=50, readings=(18,))) == point

    def test_zero_on_the_spoilboard_counts_the_thickest_reading(self):
        assert Zero(z=ZeroZ.SPOILBOARD).z_shift(Sheet(width=1, height=1, readings=(18, 18.4))) == 18.4

    @pytest.mark.parametrize(
        "make",
        [
            lambda: Sheet(width=float("nan"), height=1, readings=(1,)),
            lambda: Sheet(width=1e9, height=10, readings=(1,)),
            lambda: Sheet(width=10, height=10, readings=()),
            lambda: Sheet(width=10, height=10, readings=(-3,)),
            lambda: Heights(retract=20, travel=10, park=30),
        ],
    )
    def test_absurd_sizes_are_refused(self, make):
        with pytest.raises(ValueError, match=r"sheet|height"):
            make()


class TestEdits:
    def test_four_quarter_turns_bring_everything_back(self):
        job, board, _ = job_with(star())
        job = edits.set_zero(job, board.id, Zero(at=ZeroAt.FRONT)).job
        turned = job
        for _ in range(4):
            turned = edits.turn_quarter(turned, board.id).job
        assert turned.boards[0].shapes[0].bounds() == pytest.approx(job.boards[0].shapes[0].bounds())
        assert turned.boards[0].zero == job.boards[0].zero
        assert turned.boards[0].sheet == job.boards[0].sheet

    def test_a_quarter_turn_keeps_shapes_and_zero_at_the_same_place_of_the_sheet(self):
        job, board, _ = job_with(star())
        job = edits.set_zero(job, board.id, Zero(at=ZeroAt.TYPED, x=30, y=40)).job
        turned = edits.turn_quarter(job, board.id).job.boards[0]
        assert (turned.sheet.width, turned.sheet.height) == (300, 400)
        assert turned.zero.point(turned.sheet) == (260, 30)

    def test_moving_zero_never_moves_the_artwork(self):
        job, board, _ = job_with(star())
        moved = edits.set_zero(job, board.id, Zero(at=ZeroAt.CENTRE)).job
        assert moved.boards[0].shapes == board.shapes

    def test_shapes_on_a_locked_layer_stay(self):
        job, board, _ = job_with(star())
        job = layering.change_layer(job, board.id, board.layers[0].id, "", is_locked=True).job
        moved = placing.map_shapes(job, board.id, [board.shapes[0].id], Affine.shift(5, 5)).job
        kept = placing.remove_shapes(job, board.id, [board.shapes[0].id]).job
        assert moved.boards[0].shapes == kept.boards[0].shapes == board.shapes

    def test_removing_a_shape_takes_it_out_of_its_cuts(self):
        job, board, _ = job_with(star())
        left = placing.remove_shapes(job, board.id, [board.shapes[0].id]).job.boards[0]
        assert left.shapes == ()
        assert left.cuts[0].shapes == ()

    def test_ids_are_never_given_twice(self):
        job, board, cut = job_with(star())
        edit, copy = edits.copy_cut(job, cut.id)
        assert copy != cut.id
        assert len({c.id for c in edit.job.boards[0].cuts}) == 2
        assert edits.reorder_cut(edit.job, board.id, copy, 0).job.boards[0].cuts[0].id == copy

    def test_a_bit_in_use_stays_on_the_rack(self):
        job, _, cut = job_with(star())
        with pytest.raises(ValueError, match="cuts with this bit"):
            edits.remove_bit(job, cut.bit)
        assert len(edits.remove_bit(job, job.bits[-1].id).job.bits) == len(job.bits) - 1

    @pytest.mark.parametrize(
        "fields", [{"end_depth": float("nan")}, {"end_depth": -1}, {"ramp_degrees": 0}, {"allowance": 99}]
    )
    def test_settings_out_of_their_limits_are_refused(self, fields):
        job, _, cut = job_with(star())
        with pytest.raises(ValueError, match=r"is|goes"):
            edits.change_cut(job, cut.id, "", **fields)

    def test_a_drawing_made_for_the_sheet_lands_on_its_corner(self):
        shape = next(s for s in plain_clock().job.boards[0].shapes if s.name == "dial")
        assert shape.bounds() == pytest.approx((18, 18, 302, 302))


class TestHistory:
    def test_undo_and_redo_walk_the_same_line(self):
        job, board, cut = job_with(star())
        history = History(job)
        steps = [edits.change_cut(job, cut.id, "Depth", end_depth=d, goes_through=False) for d in (1.0, 2.0, 3.0)]
        for step in steps:
            assert history.apply(step)
        assert history.undo_label == "Depth"
        assert history.undo()
        assert history.undo()
        assert history.job == steps[0].job
        assert history.redo()
        assert history.job == steps[1].job
        history.apply(edits.turn_quarter(history.job, board.id))
        assert history.redo_label is None

    def test_a_drag_is_one_step_and_nothing_is_none(self):
        job, board, _ = job_with(star())
        history = History(job)
        for _ in range(5):
            ids = [board.shapes[0].id]
            history.apply(placing.map_shapes(history.job, board.id, ids, Affine.shift(1, 0), merge="nudge"))
        assert history.job.boards[0].shapes[0].at.e == pytest.approx(job.boards[0].shapes[0].at.e + 5)
        history.undo()
        assert history.job == job
        assert not history.undo()
        assert not history.apply(edits.change_job(job, "same", name=job.name))


class TestFile:
    def test_the_sample_comes_back_equal_and_the_same_bytes(self, tmp_path):
        content = plain_clock()
        path = tmp_path / "clock.archimetra"
        save_job(path, content)
        loaded = load_job(path)
        assert loaded.job == content.job
        assert loaded.sources == content.sources
        assert pack(loaded) == pack(content)

    @given(mixed_paths())
    def test_any_path_survives_to_the_last_bit(self, path):
        job, _, _ = job_with(path)
        assert decode_job(encode_job(job), name="t") == job

    def test_the_last_good_file_is_kept_beside_it(self, tmp_path):
        path = tmp_path / "a.archimetra"
        save_job(path, JobFile(new_job()))
        save_job(path, plain_clock())
        assert load_job(tmp_path / "a.archimetra.before").job == new_job()
        assert [p.name for p in tmp_path.iterdir() if p.name.endswith(".new")] == []

    @given(st.data())
    def test_a_damaged_file_is_a_sentence_or_still_a_job(self, data):
        good = pack(JobFile(job_with(star())[0]))
        where = data.draw(st.integers(0, len(good) - 1))
        bad = bytearray(good)
        bad[where] ^= data.draw(st.integers(1, 255))
        for damaged in (bytes(bad), good[:where]):
            said = sentence_of(JobFileError, lambda damaged=damaged: unpack(damaged, name="a.archimetra"))
            assert said == "" or "a.archimetra" in said

    @pytest.mark.parametrize(
        ("change", "words"),
        [
            ((WRITTEN, b'"schema":99'), "newer Archimetra"),
            ((WRITTEN, b'"schema":0'), "does not exist"),
            ((b'"diameter":6.0', b'"diameter":-6.0'), "a bit is 0.05 to 200 mm wide"),
            ((b'"bit":"bit1"', b'"bit":"bit77"'), "names a bit that is not in the job"),
            ((b'"kinds":"LLL', b'"kinds":"XLL'), "kinds are L, A and C"),
            ((b'"width":400.0', b'"width":"wide"'), "damaged"),
            ((b'"width":400.0', b'"width":400.0,"widht":3.0'), "unknown field `widht`"),
            ((b'"end_depth"', b'"depth_end"'), "unknown field `depth_end`"),
            ((b'{"schema"', b'{"scheme":1,"schema"'), "unknown field `scheme`"),
            ((b'{"schema"', b'["schema"'), "cannot be read"),
        ],
    )
    def test_each_kind_of_damage_is_named(self, change, words):
        data = encode_job(job_with(star())[0]).replace(*change, 1)
        with pytest.raises(JobFileError, match=words):
            decode_job(data, name="a.archimetra")

    def test_foreign_files_are_refused(self, tmp_path):
        other = tmp_path / "a.zip"
        with zipfile.ZipFile(other, "w") as archive:
            archive.writestr("hello.txt", "hi")
        with pytest.raises(JobFileError, match=r"holds no job\.json"):
            load_job(other)
        other.write_bytes(b"")
        with pytest.raises(JobFileError, match="is empty"):
            load_job(other)
        with pytest.raises(JobFileError, match="could not be opened"):
            load_job(tmp_path / "missing.archimetra")

    def test_a_zip_bomb_is_not_unpacked(self, tmp_path, monkeypatch):
        monkeypatch.setattr("archimetra.job.file.MAX_JSON_BYTES", 1_000_000)
        path = tmp_path / "bomb.archimetra"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("job.json", b" " * 50_000_000)
        with pytest.raises(JobFileError, match="unpacks to more"):
            load_job(path)

    @pytest.mark.parametrize(("code", "words"), [(errno.ENOSPC, "disk is full"), (errno.EROFS, "no permission")])
    def test_a_full_or_read_only_disk_leaves_the_old_file_whole(self, tmp_path, monkeypatch, code, words):
        path = tmp_path / "a.archimetra"
        save_job(path, JobFile(new_job()))
        before = path.read_bytes()

        def fail(_handle: int) -> None:
            raise OSError(code, os.strerror(code))

        monkeypatch.setattr("archimetra.base.files.os.fsync", fail)
        with pytest.raises(JobFileError, match=words) as caught:
            save_job(path, plain_clock())
        assert "unchanged" in str(caught.value)
        assert path.read_bytes() == before
        assert [p.name for p in tmp_path.iterdir() if "new" in p.name] == []

    def test_saving_into_a_missing_folder_is_a_sentence(self, tmp_path):
        with pytest.raises(JobFileError, match="not there"):
            save_job(FilePath(tmp_path / "no" / "a.archimetra"), JobFile(new_job()))

    def test_what_was_typed_is_kept_with_the_job(self):
        job = edits.remember_typed(new_job(), "cut1.end_depth", "18.3+0.2")
        assert decode_job(encode_job(job), name="t").typed == {"cut1.end_depth": "18.3+0.2"}
        assert edits.remember_typed(job, "cut1.end_depth", None).typed == {}
        assert replace(job, typed={}) == new_job()
