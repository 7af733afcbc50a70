"""The shop beside the jobs: the machines that are really there, each with its controller, and the sheets that lie on the shelf. New jobs begin with
one of the machines; a job keeps a copy, and says where the two differ. Edits are functions from a shop to the next; raise ValueError."""

from __future__ import annotations

import re
from enum import StrEnum
from pathlib import Path as FilePath

import msgspec

from archimetra.base.errors import JobFileError
from archimetra.base.kept_file import KeptFile
from archimetra.edits.edit import Edit, replace
from archimetra.edits.sheets import change_sheet
from archimetra.job.file import plain_of, record_of
from archimetra.job.ids import BoardId, SheetId
from archimetra.job.job import Job
from archimetra.job.quantities import Unit
from archimetra.job.record import Record
from archimetra.job.require import require
from archimetra.job.sheet import Machine, Sheet

SCHEMA = 3  # 2 knew nothing of how a machine is led
MOST_BYTES = 2_000_000
MOST_ROUTERS, MOST_SHEETS, MOST_TIMED = 40, 300, 30


class HomeAt(StrEnum):
    """Where a machine stands when it has found its home: X and Y count from there."""

    FRONT_LEFT = "front left"
    FRONT_RIGHT = "front right"
    BACK_LEFT = "back left"
    BACK_RIGHT = "back right"


class Router(Record, frozen=True, kw_only=True):
    """A machine with what it is fed: its controller, the unit of its files, and where they go ('' for wherever they went last). It hangs at ``port``
    ('' for not known yet) at ``baud``; its probe plate is ``plate`` mm thick; ``timed`` are pairs (foretold, taken) of its last runs, s."""

    machine: Machine = Machine()
    controller: str = "rs274"
    output_unit: Unit = Unit.MM
    folder: str = ""
    port: str = ""
    baud: int = 115200
    home: HomeAt = HomeAt.FRONT_LEFT
    plate: float = 15.0
    timed: tuple[tuple[float, float], ...] = ()

    def __post_init__(self) -> None:
        require(0 < len(self.controller) <= 60, "a machine names its controller")
        require(len(self.folder) <= 4000, "a folder's name has at most 4000 letters")
        require(len(self.port) <= 400, "a port's name has at most 400 letters")
        require(1200 <= self.baud <= 4_000_000, "a port's speed is 1200 to 4000000")
        require(0 < self.plate <= 100, "a probe plate is up to 100 mm thick")
        require(len(self.timed) <= MOST_TIMED, f"a machine keeps at most {MOST_TIMED} runs")
        require(all(a > 0 and b > 0 for a, b in self.timed), "runs take some time")

    def reach(self) -> tuple[tuple[float, float, float], tuple[float, float, float]]:
        """Where the bit gets to, mm in machine coordinates: from home on, Z down from it."""
        x, y, z = self.machine.travel_x, self.machine.travel_y, self.machine.travel_z
        is_right = self.home in (HomeAt.FRONT_RIGHT, HomeAt.BACK_RIGHT)
        is_back = self.home in (HomeAt.BACK_LEFT, HomeAt.BACK_RIGHT)
        low = (-x if is_right else 0.0, -y if is_back else 0.0, -z)
        return low, (low[0] + x, low[1] + y, 0.0)


class KeptSheet(Record, frozen=True, kw_only=True):
    """A sheet on the shelf; in no job, so without an id."""

    name: str
    sheet: Sheet

    def __post_init__(self) -> None:
        require(0 < len(self.name) <= 60, "a sheet is kept under a name of 1 to 60 letters")


class Shop(Record, frozen=True, kw_only=True):
    """New jobs are for the machine number ``at``; ``unit`` is that of their fields."""

    routers: tuple[Router, ...] = (Router(),)
    at: int = 0
    unit: Unit = Unit.MM
    sheets: tuple[KeptSheet, ...] = ()

    def __post_init__(self) -> None:
        require(1 <= len(self.routers) <= MOST_ROUTERS, f"a shop has 1 to {MOST_ROUTERS} machines")
        require(0 <= self.at < len(self.routers), "new jobs are for one of the machines")
        names = [one.machine.name for one in self.routers]
        require(len(set(names)) == len(names), "two machines of a shop have names of their own")
        require(len(self.sheets) <= MOST_SHEETS, f"a shop keeps at most {MOST_SHEETS} sheets")
        require(len({one.name for one in self.sheets}) == len(self.sheets), "two sheets have names of their own")

    @property
    def router(self) -> Router:
        """The machine new jobs are for."""
        return self.routers[self.at]

    def named(self, name: str) -> Router | None:
        """The machine of this name."""
        return next((one for one in self.routers if one.machine.name == name), None)


class _Written(msgspec.Struct, kw_only=True, forbid_unknown_fields=True):
    shop_schema: int
    shop: Shop


class _First(msgspec.Struct, kw_only=True, forbid_unknown_fields=True):
    """The shop of schema 1: one machine."""

    machine: Machine = Machine()
    controller: str = "rs274"
    unit: Unit = Unit.MM
    output_unit: Unit = Unit.MM


class _FirstWritten(msgspec.Struct, kw_only=True, forbid_unknown_fields=True):
    shop_schema: int
    shop: _First


class _Schema(msgspec.Struct):
    shop_schema: int


def _decoded(data: bytes, name: str) -> Shop:
    try:
        schema = msgspec.json.decode(data, type=_Schema).shop_schema
        if schema > SCHEMA:
            raise JobFileError(f"{name} was saved by a newer Archimetra. Update to read it.")
        if schema == 1:
            first = msgspec.json.decode(data, type=_FirstWritten).shop
            router = Router(machine=first.machine, controller=first.controller, output_unit=first.output_unit)
            return Shop(routers=(router,), unit=first.unit)
        return msgspec.json.decode(data, type=_Written, dec_hook=record_of).shop
    except (msgspec.DecodeError, ValueError) as error:
        raise JobFileError(f"{name} is no shop: {error}.") from error


def _encoded(shop: Shop) -> bytes:
    return msgspec.json.format(
        msgspec.json.encode(_Written(shop_schema=SCHEMA, shop=shop), enc_hook=plain_of), indent=1
    )


SHOP: KeptFile[Shop] = KeptFile(
    "shop.json", standard=Shop, decode=_decoded, encode=_encoded, instead="new jobs begin with the standard machine", most_bytes=MOST_BYTES,
)  # fmt: skip


def shop_path() -> FilePath:
    return SHOP.path


load_shop, shop_at_hand, save_shop = SHOP.load, SHOP.at_hand, SHOP.save


# ---- a job and its machine


def router_of(job: Job, shop: Shop) -> Router:
    """The shop's machine a job is for, by its name; the one of new jobs where none is called so."""
    return shop.named(job.machine.name) or shop.router


def as_router(job: Job, known: Router | None = None) -> Router:
    """The machine of a job as the shop would keep it; what a job does not say (folder, port, plate …) as it is ``known``."""
    return replace(known or Router(), machine=job.machine, controller=job.controller, output_unit=job.output_unit)


def in_shop(job: Job, shop: Shop) -> Job:
    """A new job of a shop."""
    return replace(for_router(job, shop.router), unit=shop.unit)


def for_router(job: Job, router: Router) -> Job:
    """The job for a machine; the units of its fields stay."""
    return replace(job, machine=router.machine, controller=router.controller, output_unit=router.output_unit)


def take_router(job: Job, router: Router) -> Edit:
    """The job brought in line with a machine of the shop."""
    return Edit("Take the shop's machine", for_router(job, router))


_WORDS = {
    "travel_x": "travel", "travel_y": "travel", "travel_z": "travel", "rapid_xy": "rapids", "rapid_z": "rapids", "max_feed": "fastest cut",
    "acceleration": "acceleration", "acceleration_z": "acceleration", "junction_deviation": "corners", "max_rpm": "spindle", "min_rpm": "spindle",
    "spindle_start_s": "spindle", "bit_change_s": "bit change", "name": "name",
}  # fmt: skip


def differences(job: Job, router: Router) -> tuple[str, ...]:
    """In what a job differs from a machine of the shop, each in a word or two; () for nothing."""
    found = [
        _WORDS.get(field, field)
        for field in Machine.__struct_fields__
        if getattr(job.machine, field) != getattr(router.machine, field)
    ]
    found += ["controller"] if job.controller != router.controller else []
    found += ["units of files"] if job.output_unit != router.output_unit else []
    return tuple(dict.fromkeys(found))


# ---- edits of the shop


def with_router(shop: Shop, number: int, router: Router) -> Shop:
    """Another in place of a machine."""
    return replace(shop, routers=tuple(router if k == number else one for k, one in enumerate(shop.routers)))


def keep_router(shop: Shop, router: Router) -> Shop:
    """A machine kept under its name: in place of the one called so, or as another. New jobs are for it."""
    names = [one.machine.name for one in shop.routers]
    if router.machine.name in names:
        number = names.index(router.machine.name)
        return replace(with_router(shop, number, router), at=number)
    return replace(shop, routers=(*shop.routers, router), at=len(shop.routers))


def time_router(shop: Shop, name: str, foretold: float, taken: float) -> Shop:
    """The shop with one more run of a machine; of one it does not know nothing is kept."""
    number = next((k for k, one in enumerate(shop.routers) if one.machine.name == name), None)
    if number is None:
        return shop
    one = shop.routers[number]
    return with_router(shop, number, replace(one, timed=(*one.timed, (foretold, taken))[-MOST_TIMED:]))


def copy_router(shop: Shop, number: int) -> Shop:
    """A machine once more, after it, under a name of its own."""
    one = shop.routers[number]
    new = replace(one, machine=replace(one.machine, name=free_name(shop, one.machine.name)))
    at = shop.at + (1 if shop.at > number else 0)
    return replace(shop, routers=(*shop.routers[: number + 1], new, *shop.routers[number + 1 :]), at=at)


def add_router(shop: Shop, router: Router) -> Shop:
    """Another machine after the others; of one of that name it becomes another."""
    machine = replace(router.machine, name=free_name(shop, router.machine.name))
    return replace(shop, routers=(*shop.routers, replace(router, machine=machine)))


def free_name(shop: Shop, name: str) -> str:
    """The name, or with a number behind it where a machine is called so."""
    known = {one.machine.name for one in shop.routers}
    bare = re.sub(r" [2-9]$", "", name)[:54]
    return (
        name if name not in known else next(n for k in range(2, MOST_ROUTERS + 3) if (n := f"{bare} {k}") not in known)
    )


def drop_router(shop: Shop, number: int) -> Shop:
    """Without a machine; the last one stays."""
    if len(shop.routers) == 1:
        raise ValueError("the last machine stays: change it instead")
    at = shop.at - (1 if shop.at > number or shop.at == len(shop.routers) - 1 == number else 0)
    return replace(shop, routers=tuple(one for k, one in enumerate(shop.routers) if k != number), at=at)


def keep_sheet(shop: Shop, name: str, sheet: Sheet) -> Shop:
    """A sheet on the shelf, in place of the one of that name."""
    kept = KeptSheet(name=name.strip()[:60], sheet=replace(sheet, id=SheetId("")))
    others = tuple(one for one in shop.sheets if one.name != kept.name)
    return replace(shop, sheets=tuple(sorted((*others, kept), key=lambda one: one.name.casefold())))


def drop_sheet(shop: Shop, name: str) -> Shop:
    return replace(shop, sheets=tuple(one for one in shop.sheets if one.name != name))


def lay_sheet(job: Job, board: BoardId, kept: KeptSheet) -> Edit:
    """A sheet of the shelf on a board, in place of what lies there."""
    fields = {name: getattr(kept.sheet, name) for name in Sheet.__struct_fields__ if name != "id"}
    return change_sheet(job, board, "Sheet from the shelf", **fields)
