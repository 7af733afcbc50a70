"""Files of every schema open as what they were, numbered on; what a file says and nobody knows is refused."""

from __future__ import annotations

import json
import zipfile
from enum import Enum
from pathlib import Path as FilePath

import msgspec
import pytest

from archimetra.base.errors import JobFileError
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.file import SCHEMA, _encode, decode_job, encode_job, load_job
from archimetra.job.migrations import STEPS, migrated

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
        return json.loads(msgspec.json.encode(thing, enc_hook=_encode))
    if isinstance(thing, tuple | list):
        return [full(inner) for inner in thing]
    if isinstance(thing, dict):
        return {name: full(value) for name, value in thing.items()}
    return thing.value if isinstance(thing, Enum) else thing


def test_there_is_a_step_to_every_schema_and_a_sample_of_each():
    assert len(STEPS) == SCHEMA - 1
    assert {path.stem for path in SAMPLES.glob("schema-*")} == {f"schema-{n}" for n in range(1, SCHEMA)}
    for schema in range(1, SCHEMA):
        assert written(schema)["schema"] == schema


@pytest.mark.parametrize("schema", range(1, SCHEMA))
def test_nothing_a_file_says_is_lost_or_changed(schema):
    job = load_job(SAMPLES / f"schema-{schema}.archimetra").job
    assert said_and_read(written(schema)["job"], full(job), "job") == []


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
        "job": said["job"], "board": board, "cut": board["cuts"][0], "shape": board["shapes"][0], "bit": said["job"]["bits"][0],
        "sheet": board["sheet"],
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
