"""The shop's own rack: bits kept outside any job, in a file of their own, as JSON or as a table (CSV).

Bits in a job are copies. ``compare`` says in what a copy differs from the rack's bit, ``updated`` brings it back in line.
"""

from __future__ import annotations

import csv
import io
from enum import StrEnum
from typing import Any

import msgspec

from archimetra.base.errors import JobFileError
from archimetra.base.kept_file import KeptFile
from archimetra.edits.edit import Edit, next_number, replace
from archimetra.job.bits import Bit, BitKind, Flutes, MaterialRecipe, Recipe, Spin
from archimetra.job.ids import BitId, next_id
from archimetra.job.job import Job
from archimetra.job.materials import Material
from archimetra.job.recipes import first_recipe
from archimetra.job.starter_rack import starter_rack

SCHEMA = 1
MOST_BITS = 500
COLUMNS = (
    "name", "kind", "diameter", "cutting_length", "shank", "flutes", "twist", "angle", "tip_flat", "tip_ball", "neck",
    "head_height", "can_plunge", "spin", "holder", "spindle_rpm", "feed", "plunge", "depth_per_pass", "stepover", "notes",
)  # fmt: skip
_RECIPE = ("spindle_rpm", "feed", "plunge", "depth_per_pass", "stepover")
# what a copy may differ in without being another bit: its place in the job and where it came from
_OWN = ("id", "place", "rack_id")


class Rack(msgspec.Struct, frozen=True, kw_only=True):
    bits: tuple[Bit, ...] = ()


class _Written(msgspec.Struct, kw_only=True):
    rack_schema: int
    bits: tuple[Bit, ...]


class Difference(msgspec.Struct, frozen=True):
    """One field in which a job's bit and the rack's differ, in words."""

    field: str
    in_job: str
    in_rack: str


def as_json(rack: Rack) -> bytes:
    return msgspec.json.format(msgspec.json.encode(_Written(rack_schema=SCHEMA, bits=rack.bits)), indent=1)


def read_json(data: bytes, *, name: str) -> Rack:
    try:
        written = msgspec.json.decode(data, type=_Written)
    except (msgspec.DecodeError, ValueError) as error:
        raise JobFileError(f"{name} is no rack of bits: {error}.") from error
    if written.rack_schema > SCHEMA:
        raise JobFileError(
            f"{name} was saved by a newer Archimetra (rack schema {written.rack_schema}). Update to read it."
        )
    return _sound(written.bits, name)


RACK: KeptFile[Rack] = KeptFile(
    "rack.json", standard=lambda: Rack(bits=starter_rack()), decode=lambda data, name: read_json(data, name=name),
    encode=lambda rack: as_json(rack), instead="the shipped rack is used", most_bytes=20_000_000,
)  # fmt: skip
load_rack, rack_at_hand, save_rack = RACK.load, RACK.at_hand, RACK.save


def as_csv(rack: Rack) -> str:
    """A table with a head line; recipes per material stay in the JSON only."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(COLUMNS)
    for bit in rack.bits:
        table.writerow([_cell(getattr(bit.recipe if column in _RECIPE else bit, column)) for column in COLUMNS])
    return out.getvalue()


def read_csv(text: str, *, name: str) -> Rack:
    """Bits from a table. Columns may come in any order and most may be missing; each problem names its line."""
    try:
        rows = list(csv.reader(io.StringIO(text.removeprefix("\ufeff"))))
    except csv.Error as error:
        raise JobFileError(f"{name} is no table: {error}.") from error
    rows = [row for row in rows if any(cell.strip() for cell in row)]
    if not rows:
        raise JobFileError(f"{name} is empty.")
    head = [cell.strip().lower() for cell in rows[0]]
    unknown = [cell for cell in head if cell and cell not in COLUMNS]
    if unknown or not {"name", "diameter"} <= set(head):
        what = f"its column '{unknown[0]}' is unknown" if unknown else "it needs at least the columns name and diameter"
        raise JobFileError(f"{name} was not read: {what}. Columns are {', '.join(COLUMNS)}.")
    bits = []
    for number, row in enumerate(rows[1:], 2):
        cells = {column: cell.strip() for column, cell in zip(head, row, strict=False) if column and cell.strip()}
        try:
            bits.append(_bit_of(cells, number))
        except ValueError as error:
            raise JobFileError(f"{name}, line {number}: {error}.") from error
    return _sound(tuple(bits), name)


def _bit_of(cells: dict[str, str], number: int) -> Bit:
    values: dict[str, Any] = {}
    for column, text in cells.items():
        if column in ("name", "notes"):
            values[column] = text[:200]
        elif column in ("kind", "twist", "spin"):
            kind: type[StrEnum] = {"kind": BitKind, "twist": Flutes, "spin": Spin}[column]
            try:
                values[column] = kind(text)
            except ValueError as error:
                raise ValueError(f"'{text}' is no {column}; known are {', '.join(kind)}") from error
        elif column == "can_plunge":
            if text.lower() not in ("yes", "no", "true", "false", "1", "0"):
                raise ValueError(f"can_plunge is yes or no, not '{text}'")
            values[column] = text.lower() in ("yes", "true", "1")
        else:
            try:
                values[column] = float(text)
            except ValueError as error:
                raise ValueError(f"{column} is a number, not '{text}'") from error
    for column in ("flutes", "holder"):
        if column in values:
            if values[column] != int(values[column]):
                raise ValueError(f"{column} is a whole number")
            values[column] = int(values[column])
    if "diameter" not in values or "name" not in values:
        raise ValueError("a bit needs a name and a diameter")
    recipe = Recipe(**{column: values.pop(column) for column in _RECIPE if column in values})
    id_ = BitId(f"bit{number - 1}")
    return Bit(id=id_, rack_id=str(id_), place=min(number - 2, 99), recipe=recipe, **values)


def _cell(value: object) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:g}"
    return str(value)


def _sound(bits: tuple[Bit, ...], name: str) -> Rack:
    if len(bits) > MOST_BITS:
        raise JobFileError(f"{name} holds {len(bits)} bits; a rack holds at most {MOST_BITS}.")
    if len({bit.id for bit in bits}) != len(bits):
        raise JobFileError(f"{name}: two bits carry the same id.")
    return Rack(bits=tuple(replace(bit, rack_id=str(bit.id)) for bit in bits))


# ---- a job's copies


def take(job: Job, bit: Bit) -> tuple[Edit, BitId]:
    """A copy of a rack's bit on the next free place of the job; one that is there already is used again."""
    known = next(
        (own for own in job.bits if own.rack_id == bit.rack_id and bit.rack_id and not compare(own, bit)), None
    )
    if known is not None:
        return Edit("Take bit", job), known.id
    new = BitId(f"bit{next_number(job, 'bit')}")
    place = min(max((own.place for own in job.bits), default=-1) + 1, 99)
    copy = replace(bit, id=new, place=place)
    return Edit("Take bit from the rack", replace(job, bits=(*job.bits, copy))), new


def origin_of(bit: Bit, rack: Rack) -> Bit | None:
    """The rack's bit a job's bit is a copy of; by name where it was never taken from a rack."""
    by_id = next((own for own in rack.bits if bit.rack_id and own.rack_id == bit.rack_id), None)
    return by_id or next((own for own in rack.bits if own.name == bit.name and own.kind is bit.kind), None)


def compare(bit: Bit, rack_bit: Bit) -> tuple[Difference, ...]:
    """In what a job's bit differs from the rack's."""
    out: list[Difference] = []
    for name in Bit.__struct_fields__:
        mine, theirs = getattr(bit, name), getattr(rack_bit, name)
        if name in _OWN or mine == theirs:
            continue
        if name == "recipe":
            out.extend(
                Difference(
                    f"general {part}".replace("_", " "), _cell(getattr(mine, part)), _cell(getattr(theirs, part))
                )
                for part in _RECIPE
                if getattr(mine, part) != getattr(theirs, part)
            )
        elif name == "recipes":
            ours = {entry.material: entry for entry in mine}
            racks = {entry.material: entry for entry in theirs}
            for material in sorted({*ours, *racks}):
                if ours.get(material) != racks.get(material) and not _is_suggested(rack_bit, ours, racks, material):
                    out.append(Difference(f"recipe for {material}", _brief(ours, material), _brief(racks, material)))
        else:
            out.append(Difference(name.replace("_", " "), _cell(mine), _cell(theirs)))
    return tuple(out)


def _is_suggested(bit: Bit, ours: dict[str, MaterialRecipe], racks: dict[str, MaterialRecipe], material: str) -> bool:
    """Whether a job's bit only lacks what is suggested for a material anyhow."""
    return (
        material not in ours
        and material in list(Material)
        and racks[material] == MaterialRecipe(material=material, recipe=first_recipe(bit, Material(material)))
    )


def _brief(entries: dict[str, MaterialRecipe], material: str) -> str:
    entry = entries.get(material)
    if entry is None:
        return "none"
    r = entry.recipe
    return f"{r.spindle_rpm:g} rpm, {r.feed:g} mm/min, {r.depth_per_pass:g} mm a pass"


def updated(job: Job, bit_id: BitId, rack_bit: Bit) -> Edit:
    """The job's bit made like the rack's, in its place."""
    bits = tuple(replace(rack_bit, id=bit.id, place=bit.place) if bit.id == bit_id else bit for bit in job.bits)
    return Edit("Update bit from the rack", replace(job, bits=bits))


def put_back(rack: Rack, bit: Bit) -> Rack:
    """The rack with a job's bit in it: in place of the one it is a copy of, or as a new one."""
    if any(own.rack_id == bit.rack_id for own in rack.bits if bit.rack_id):
        return Rack(
            bits=tuple(
                replace(bit, id=own.id, place=own.place) if own.rack_id == bit.rack_id else own for own in rack.bits
            )
        )
    new = BitId(next_id("bit", [own.id for own in rack.bits], {}))
    place = min(max((own.place for own in rack.bits), default=-1) + 1, 99)
    return Rack(bits=(*rack.bits, replace(bit, id=new, rack_id=str(new), place=place)))
