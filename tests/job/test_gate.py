"""Whatever a file holds, opening it gives a job that can be shown or one sentence: bytes and numbers mutated at random."""

from __future__ import annotations

import contextlib
import io
import json
import random
import zipfile

import pytest

from archimetra.base.errors import JobFileError
from archimetra.demo import quay_tide_clock
from archimetra.job.file import JobFile, decode_job, encode_job, pack, unpack
from archimetra.job.job import new_job

GOOD = pack(quay_tide_clock())


def mutated(seed: int) -> bytes:
    chance = random.Random(seed)
    data, at = bytearray(GOOD), chance.randrange(len(GOOD))
    how = chance.choice(["flip", "cut", "drop", "zero", "insert", "tail"])
    if how == "flip":
        for _ in range(chance.choice([1, 3, 20])):
            data[chance.randrange(len(data))] ^= 1 << chance.randrange(8)
    elif how == "cut":
        del data[at:]
    elif how == "drop":
        del data[at : at + chance.choice([1, 4, 100, 5000])]
    elif how == "zero":
        data[at : at + 64] = bytes(64)
    elif how == "insert":
        data[at:at] = chance.randbytes(8)
    else:  # the directory at the end says where everything is
        data[-chance.randrange(1, 400)] = chance.randrange(256)
    return bytes(data)


def test_from_any_damaged_byte_a_sentence_or_a_job():
    said = []
    for seed in range(400):
        try:
            found = unpack(mutated(seed), name="hurt.archimetra")
        except JobFileError as error:
            said.append(str(error))
        else:
            assert found.job.boards
    assert len(said) > 300
    assert all(words.startswith("hurt.archimetra") and "\n" not in words for words in said)


def test_any_number_of_a_job_out_of_all_measure_is_a_sentence_or_harmless():
    tree = json.loads(zipfile.ZipFile(io.BytesIO(GOOD)).read("job.json"))
    for board in tree["job"]["boards"]:
        # the smallest shape of each make stands for all: every number of theirs is read anew each time
        makes: dict[tuple[str, ...], dict[str, object]] = {}
        for shape in sorted(board["shapes"], key=lambda one: len(json.dumps(one))):
            makes.setdefault(tuple(key for key, value in shape.items() if value), shape)
        board["shapes"] = list(makes.values())

    def places(thing, way=()):
        if isinstance(thing, dict | list):
            for key, inner in thing.items() if isinstance(thing, dict) else enumerate(thing):
                yield from places(inner, (*way, key))
        elif isinstance(thing, int | float) and not isinstance(thing, bool):
            yield way

    kinds = {}
    for way in places(tree):
        kinds.setdefault(tuple(key for key in way if isinstance(key, str)), way)
    assert len(kinds) > 80
    passed: list[object] = []
    for way in kinds.values():
        holder = tree
        for key in way[:-1]:
            holder = holder[key]
        before = holder[way[-1]]
        for value in (1e308, -1e18, 10**400):
            holder[way[-1]] = value
            with contextlib.suppress(JobFileError):
                decode_job(json.dumps(tree).encode(), name="far.archimetra")
                passed.append((way, value))
        for value in (-1.0, 0.0, 1e9):
            holder[way[-1]] = value
            with contextlib.suppress(JobFileError):  # and nothing else
                decode_job(json.dumps(tree).encode(), name="far.archimetra")
        holder[way[-1]] = before
    assert passed == []
    decode_job(json.dumps(tree).encode(), name="far.archimetra")


def test_sources_are_bounded_in_sum(monkeypatch):
    monkeypatch.setattr("archimetra.job.file.MAX_SOURCES_BYTES", 10_000)
    data = pack(JobFile(new_job(), {f"{k}.svg": bytes(4_000) for k in range(3)}))
    with pytest.raises(JobFileError, match="unpacks to more"):
        unpack(data, name="fat.archimetra")


def test_what_is_new_passes_the_gate():
    assert decode_job(encode_job(new_job()), name="x").boards == new_job().boards
