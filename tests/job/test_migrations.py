"""Files of every schema open as what they were, numbered on; what a file says and nobody knows is refused."""

from __future__ import annotations

import json
import zipfile
from enum import Enum
from pathlib import Path as FilePath

import msgspec
import pytest

from archimetra.base.errors import JobFileError
from archimetra.edits.finishing import finished
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.file import SCHEMA, decode_job, encode_job, load_job, plain_of
from archimetra.job.gate import whats_loose
from archimetra.job.migrations import STEPS, migrated

replace = msgspec.structs.replace
SAMPLES = FilePath(__file__).parent / "samples"


def written(schema: int) -> dict:
    with zipfile.ZipFile(SAMPLES / f"schema-{schema}.archimetra") as archive:
        return json.loads(archive.read("job.json"))


def said_and_read(said, read, where: str) -> list[str]:
    """Where what a file says is not what was read: every value said, in what was read from it."""
    if isinstance(said, dict):
        missing = [f"{where}.{name}: gone" for name in said if not isinstance(read, dict) or name not in read]
        return missing or [
            w for name, value in said.items() for w in said_and_read(value, read[name], f"{where}.{name}")
        ]
    if isinstance(said, list):
        if not isinstance(read, list) or len(said) != len(read):
            return [f"{where}: another length"]
        return [
            w for k, (a, b) in enumerate(zip(said, read, strict=True)) for w in said_and_read(a, b, f"{where}[{k}]")
        ]
    same = said == read or (isinstance(said, float) and read == pytest.approx(said, abs=1e-12))
    return [] if same else [f"{where}: {said!r} became {read!r}"]


def full(thing):
    """A job as its file would say it, with every default written out."""
    if isinstance(thing, Affine):
        return list(msgspec.structs.astuple(thing))
    if isinstance(thing, msgspec.Struct):
        tag = thing.__struct_config__.tag
        out = {} if tag is None else {thing.__struct_config__.tag_field: tag}
        return out | {name: full(getattr(thing, name)) for name in thing.__struct_fields__}
    if isinstance(thing, Path):
        return json.loads(msgspec.json.encode(thing, enc_hook=plain_of))
    if isinstance(thing, tuple | list):
        return [full(inner) for inner in thing]
    if isinstance(thing, dict):
        return {name: full(value) for name, value in thing.items()}
    return thing.value if isinstance(thing, Enum) else thing


_OLD_WORDS = {
    "heights": {"retract": "hop"},
    "fixtures": {"height": "depth", "rise": "height"},
    "form": {"height": "depth"},
}


def as_said_before(job, said: dict) -> dict:
    """A job as a file of schema 4 would say it: sheets and cuts in their boards, the ids and words of then."""
    read = full(job)
    if "sheets" in said:
        return read | {"boards": [full(board) for board in job.stored]}
    read["boards"] = [full(board) for board in job.boards]
    old: dict[str, str] = {}
    for board, its in zip(read["boards"], said["boards"], strict=True):
        own = {}
        for name in ("shapes", "layers"):
            own |= {new["id"]: was["id"] for new, was in zip(board[name], its.get(name, []), strict=True)}
        assert len(set(own.values())) == len(own)  # none came to be another's
        assert not set(own) & set(old)
        old |= own
        board.update(renamed_back(board, own))
    art = {inlay["id"]: inlay for inlay in read["inlays"]}
    for inlay in art.values():
        inlay.update(renamed_back(inlay, old))
    return read


def renamed_back(thing, old: dict[str, str], within: str = ""):
    if isinstance(thing, dict):
        words = _OLD_WORDS.get(within, {}) if thing.get("type") in (None, "rectangle", "ellipse") else {}
        return {words.get(name, name): renamed_back(value, old, name) for name, value in thing.items()}
    if isinstance(thing, list):
        return [renamed_back(inner, old, within) for inner in thing]
    return old.get(thing, thing) if isinstance(thing, str) else thing


def test_there_is_a_step_to_every_schema_and_a_sample_of_each():
    assert len(STEPS) == SCHEMA - 1
    assert {path.stem for path in SAMPLES.glob("schema-*")} == {f"schema-{n}" for n in range(1, SCHEMA)}
    for schema in range(1, SCHEMA):
        assert written(schema)["schema"] == schema


@pytest.mark.parametrize("schema", range(1, SCHEMA))
def test_nothing_a_file_says_is_lost_or_changed(schema):
    job = load_job(SAMPLES / f"schema-{schema}.archimetra").job
    said = written(schema)["job"]
    assert said_and_read(said, as_said_before(job, said), "job") == []


@pytest.mark.parametrize("schema", range(1, SCHEMA))
def test_what_was_read_hangs_together(schema):
    job = load_job(SAMPLES / f"schema-{schema}.archimetra").job
    assert whats_loose(job) == ""
    assert (
        replace(finished(job), numbers=job.numbers) == job
    )  # nothing names what is not there, plugs are as they follow


def test_ids_that_stood_on_several_boards_are_told_apart_with_all_that_names_them():
    mark = {"shape": "shape1", "x": 1.0, "y": 2.0, "contour": 0, "along": 0.25}
    square = {"closed": True, "kinds": "LLLL", "nodes": [0, 0, 9, 0, 9, 9, 0, 9, 0, 0], "params": []}

    def board(number: int) -> dict:
        return {
            "id": f"board{number}", "name": "B", "sheet": {"width": 200, "height": 100, "readings": [12.0]},
            "layers": [{"id": "layer1", "name": "L"}, {"id": "layer3", "name": "M"}],
            "shapes": [
                {"id": id_, "name": f"{id_} of {number}", "layer": "layer1", "paths": [square], "form": form}
                for id_, form in (("shape1", {"type": "rectangle", "width": 9, "depth": 7}), ("shape4", {"type": "star"}))
            ],
            "cuts": [
                {
                    "type": "profile", "id": f"cut{number}", "name": "C", "bit": "bit1", "shapes": ["shape4", "shape1"],
                    "layer": "layer3", "starts": [mark], "turned": [mark], "tabs_of": [{"shape": "shape4", "count": 2}],
                    "tabs": {"by_hand": [mark], "avoid": "layer1"},
                }
            ],
            "measures": [{"kind": "gap", "points": [[0, 0]], "shapes": ["shape1", "shape4"]}],
            "fixtures": [{"x": 1, "y": 2, "width": 30, "depth": 20, "height": 10}],
        }  # fmt: skip

    old = {
        "name": "J", "boards": [board(1), board(2), board(3)],
        "typed": {"board1.fixture0.depth": "20", "board1.fixture0.height": "10", "cut1.end_depth": "3", "board1.heights.hop": "4"},
    }  # fmt: skip
    job = decode_job(json.dumps({"schema": 4, "job": old}).encode(), name="a.archimetra")
    assert [b.sheet for b in job.stored] == ["sheet1", "sheet2", "sheet3"]
    seen: set[str] = set()
    for b in job.boards:
        one, four = b.shapes
        low, high = b.layers
        assert not {one.id, four.id, low.id, high.id} & seen
        seen |= {one.id, four.id, low.id, high.id}
        assert [s.name.split()[0] for s in b.shapes] == ["shape1", "shape4"]
        (cut,) = b.cuts
        assert cut.shapes == (four.id, one.id)
        assert cut.layer == high.id
        assert {m.shape for m in (*cut.starts, *cut.turned, *cut.tabs.by_hand)} == {one.id}
        assert cut.tabs_of[0].shape == four.id
        assert cut.tabs.avoid == low.id
        assert b.measures[0].shapes == (one.id, four.id)
        assert (b.fixtures[0].height, b.fixtures[0].rise) == (20, 10)
        assert one.form.height == 7
    assert job.boards[0].shapes[0].id == "shape1"
    assert job.typed == {
        "board1.fixture0.height": "20", "board1.fixture0.rise": "10", "cut1.end_depth": "3", "board1.heights.retract": "4",
    }  # fmt: skip
    assert job.numbers["shape"] == 8


@pytest.mark.parametrize("schema", range(1, SCHEMA))
def test_ids_go_on_after_the_greatest_of_the_file(schema):
    job = load_job(SAMPLES / f"schema-{schema}.archimetra").job
    for board in job.boards:
        for kind, things in (("shape", board.shapes), ("cut", board.cuts), ("layer", board.layers)):
            for thing in things:
                tail = thing.id.removeprefix(kind)
                assert not tail.isdecimal() or int(tail) <= job.numbers[kind]
    assert job.numbers["board"] >= len(job.boards)


@pytest.mark.parametrize("schema", range(1, SCHEMA))
def test_what_was_read_is_written_in_the_newest_schema_and_read_again(schema):
    job = load_job(SAMPLES / f"schema-{schema}.archimetra").job
    data = encode_job(job)
    assert json.loads(data)["schema"] == SCHEMA
    again = decode_job(data, name="a.archimetra")
    assert again == job
    assert again.numbers == job.numbers


@pytest.mark.parametrize("schema", range(1, SCHEMA))
@pytest.mark.parametrize("where", ["job", "board", "cut", "shape", "bit", "sheet"])
def test_a_field_nobody_knows_is_refused_not_passed_over(schema, where):
    said = written(schema)
    board = said["job"]["boards"][0]
    thing = {
        "job": said["job"], "board": board, "cut": (board.get("cuts") or said["job"]["cuts"])[0], "shape": (board["shapes"] or said["job"]["parts"][0]["shapes"])[0], "bit": said["job"]["bits"][0],
        "sheet": board["sheet"] if isinstance(board["sheet"], dict) else said["job"]["sheets"][0],
    }[where]  # fmt: skip
    thing["of_tomorrow"] = 1
    with pytest.raises(JobFileError, match="unknown field `of_tomorrow`"):
        decode_job(json.dumps(said).encode(), name="a.archimetra")


@pytest.mark.parametrize("job", [{}, {"boards": 3}, {"boards": [1, {}]}, {"bits": None}, {"boards": [{"cuts": {}}]}])
def test_steps_leave_what_is_no_job_to_the_reader(job):
    for schema in range(1, SCHEMA):
        migrated(dict(job), schema)
        with pytest.raises(JobFileError, match="damaged"):
            decode_job(msgspec.json.encode({"schema": schema, "job": job | {"name": 3}}), name="a.archimetra")
