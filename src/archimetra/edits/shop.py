"""The shop beside the jobs: the machine that is really there, its controller and the units. New jobs begin with them; a job keeps a copy, and says where
the two differ."""

from __future__ import annotations

import os
from pathlib import Path as FilePath

import msgspec
from platformdirs import user_config_path

from archimetra.base.errors import JobFileError
from archimetra.base.files import write_safely
from archimetra.edits.edit import Edit, replace
from archimetra.job.job import Job
from archimetra.job.quantities import Unit
from archimetra.job.record import Record
from archimetra.job.require import require
from archimetra.job.sheet import Machine

SCHEMA = 1
MOST_BYTES = 100_000


class Shop(Record, frozen=True, kw_only=True):
    """``unit`` is of number fields, ``output_unit`` of files."""

    machine: Machine = Machine()
    controller: str = "rs274"
    unit: Unit = Unit.MM
    output_unit: Unit = Unit.MM

    def __post_init__(self) -> None:
        require(0 < len(self.controller) <= 60, "a shop names its controller")


class _Written(msgspec.Struct, kw_only=True, forbid_unknown_fields=True):
    shop_schema: int
    shop: Shop


def shop_path() -> FilePath:
    return user_config_path("archimetra") / "shop.json"


def load_shop(path: FilePath | None = None) -> Shop:
    """The shop as saved; the standard one where none was. Raises JobFileError for a damaged file."""
    path = shop_path() if path is None else path
    try:
        with path.open("rb") as file:
            data = file.read(MOST_BYTES + 1)
    except FileNotFoundError:
        return Shop()
    except OSError as error:
        raise JobFileError(f"{path} could not be read: {error.strerror or error}.") from error
    try:
        if len(data) > MOST_BYTES:
            raise ValueError("it is too large")
        written = msgspec.json.decode(data, type=_Written)
    except (msgspec.DecodeError, ValueError) as error:
        raise JobFileError(f"{path.name} is no shop: {error}.") from error
    if written.shop_schema > SCHEMA:
        raise JobFileError(f"{path.name} was saved by a newer Archimetra. Update to read it.")
    return written.shop


def shop_at_hand(path: FilePath | None = None) -> tuple[Shop, str]:
    """The shop, and what was wrong with it. A damaged one is put aside, so that saving cannot take away what is still in it; the standard
    one serves in its place."""
    path = shop_path() if path is None else path
    try:
        return load_shop(path), ""
    except JobFileError as error:
        aside = path.with_name(f"{path.name}.damaged")
        try:
            os.replace(path, aside)
            return Shop(), f"{error} It is kept as {aside.name} beside it; new jobs begin with the standard machine."
        except OSError:
            return Shop(), f"{error} New jobs begin with the standard machine."


def save_shop(shop: Shop, path: FilePath | None = None) -> None:
    """Write-new and rename. Raises JobFileError with what went wrong."""
    path = shop_path() if path is None else path
    data = msgspec.json.format(msgspec.json.encode(_Written(shop_schema=SCHEMA, shop=shop)), indent=1)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_safely(path, data)
    except OSError as error:
        raise JobFileError(f"{path} could not be written: {error.strerror or error}. The shop is as it was.") from error


def shop_of(job: Job) -> Shop:
    """The shop a job was made for."""
    return Shop(machine=job.machine, controller=job.controller, unit=job.unit, output_unit=job.output_unit)


def in_shop(job: Job, shop: Shop) -> Job:
    """The job for the machine of a shop."""
    return replace(job, machine=shop.machine, controller=shop.controller, unit=shop.unit, output_unit=shop.output_unit)


def take_shop(job: Job, shop: Shop) -> Edit:
    """The job brought in line with the shop."""
    return Edit("Take the shop's machine", in_shop(job, shop))


_WORDS = {
    "travel_x": "travel", "travel_y": "travel", "travel_z": "travel", "rapid_xy": "rapids", "rapid_z": "rapids", "max_feed": "fastest cut",
    "acceleration": "acceleration", "acceleration_z": "acceleration", "junction_deviation": "corners", "max_rpm": "spindle", "min_rpm": "spindle",
    "spindle_start_s": "spindle", "bit_change_s": "bit change", "name": "name",
}  # fmt: skip


def differences(job: Job, shop: Shop) -> tuple[str, ...]:
    """In what a job differs from the shop, each in a word or two; () for nothing."""
    found = [
        _WORDS.get(field, field)
        for field in Machine.__struct_fields__
        if getattr(job.machine, field) != getattr(shop.machine, field)
    ]
    found += [
        words
        for words, ours, theirs in (
            ("controller", job.controller, shop.controller), ("units", job.unit, shop.unit), ("units of files", job.output_unit, shop.output_unit),
        )
        if ours != theirs
    ]  # fmt: skip
    return tuple(dict.fromkeys(found))
