"""Kits: the cuts of a board saved under a name, to be laid on other artwork layer by layer."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import NamedTuple

import msgspec
from platformdirs import user_config_path

from archimetra.base.errors import JobFileError
from archimetra.base.files import write_safely
from archimetra.edits.cutting import new_cut_id
from archimetra.edits.edit import Edit, board_of, replace, with_board
from archimetra.job.bits import Bit
from archimetra.job.cuts import Clears, Cut
from archimetra.job.ids import BitId, BoardId, CutId, LayerId, next_id
from archimetra.job.job import Board, Job

# what two bits of one name must have in common to be one bit: all that shapes what they cut
_CUTS_ALIKE = (
    "kind", "diameter", "angle", "tip_flat", "tip_ball", "neck", "head_height", "cutting_length", "spin", "can_plunge", "flutes",
)  # fmt: skip
SCHEMA = 1
SUFFIX = ".kit.json"
MOST_CUTS = 500


class KitCut(msgspec.Struct, frozen=True, kw_only=True):
    """One cut of a kit and the names of the layers it was used on; with none and ``is_whole`` it faces the whole sheet. ``avoid`` is the
    name of the layer its tabs keep out of: ids mean other layers on another board."""

    cut: Cut
    layers: tuple[str, ...] = ()
    is_whole: bool = True
    avoid: str = ""


class Kit(msgspec.Struct, frozen=True, kw_only=True):
    name: str
    cuts: tuple[KitCut, ...] = ()
    bits: tuple[Bit, ...] = ()


class _Written(msgspec.Struct, kw_only=True):
    kit_schema: int
    kit: Kit


class Laid(NamedTuple):
    """The edit, the cuts it adds, and the layers that were looked for in vain."""

    edit: Edit
    cuts: tuple[CutId, ...]
    missing: tuple[str, ...]


def kit_of(job: Job, board_id: BoardId, name: str) -> Kit:
    """The board's cuts as a kit; each knows the layers of the shapes it takes."""
    board = board_of(job, board_id)
    names = {layer.id: layer.name for layer in board.layers}
    cuts = []
    for cut in board.cuts:
        layers = {names[shape.layer] for shape in board.shapes_of(cut) if shape.layer in names}
        if cut.layer in names:  # one it follows counts although it is empty now
            layers.add(names[cut.layer])
        avoid = names.get(cut.zone, "")
        bare = cut.with_marks(lambda marks: ()).with_zone(LayerId(""))  # marks belong to shapes this board has
        bare = replace(bare, shapes=(), layer=LayerId(""), mating=None)
        is_whole = cut.takes_whole_sheet
        cuts.append(KitCut(cut=bare, layers=tuple(sorted(layers)), is_whole=is_whole, avoid=avoid))
    used = {cut.bit for cut in board.cuts}
    return Kit(name=name, cuts=tuple(cuts), bits=tuple(bit for bit in job.bits if bit.id in used))


def lay_kit(job: Job, board_id: BoardId, kit: Kit) -> Laid:
    """The kit's cuts on the layers of this board that bear the same names. A cut none of whose layers is there is left out
    and its layers told."""
    board = board_of(job, board_id)
    by_name = {layer.name.casefold(): layer for layer in board.layers}
    bits, known = list(job.bits), dict[BitId, BitId]()
    added: list[Cut] = []
    ids: dict[CutId, CutId] = {}
    missing: list[str] = []
    counting = job
    for entry in kit.cuts:
        cut = entry.cut
        found = [by_name[name.casefold()] for name in entry.layers if name.casefold() in by_name]
        is_whole = cut.lowers_face and not entry.layers and entry.is_whole
        is_rest = cut.clears is Clears.REST
        carve = cut.parent if cut.clears is Clears.FLOOR else ""
        if carve and any(other.cut.id == carve for other in kit.cuts):
            # its V-carve, laid after it, brings the shapes
            found = [
                by_name[n.casefold()]
                for e in kit.cuts
                if e.cut.id == carve
                for n in e.layers
                if n.casefold() in by_name
            ]
        if not found and not is_whole and not (is_rest and cut.parent in ids):
            missing += [name for name in entry.layers if name not in missing]
            continue
        if cut.bit not in known:
            known[cut.bit] = _bit_for(kit, cut.bit, bits, job.numbers)
        new = new_cut_id(counting)
        ids[cut.id] = new
        made = replace(cut, id=new, bit=known[cut.bit])
        zone = by_name.get(entry.avoid.casefold()) if entry.avoid else None
        if entry.avoid and zone is None and entry.avoid not in missing:
            missing.append(entry.avoid)
        made = made.with_zone(zone.id if zone is not None else LayerId(""))
        if is_rest:
            made = made.with_parent(ids.get(made.parent, CutId("")))
        elif carve and found:
            pass
        elif len(found) == 1:
            made = replace(made, layer=found[0].id)
        elif found:
            on = {layer.id for layer in found}
            taken = tuple(shape.id for shape in board.shapes if shape.layer in on)
            # without a shape it would stand for the whole sheet: then it waits for the first of its layers to get some
            made = replace(made, shapes=taken) if taken else replace(made, layer=found[0].id)
        added.append(made)
        counting = with_board(counting, board_id, lambda b, cut=made: replace(b, cuts=(*b.cuts, cut)))  # type: ignore[misc]

    added = [cut.with_parent(ids.get(cut.parent, CutId(""))) if cut.clears is Clears.FLOOR else cut for cut in added]

    def change(b: Board) -> Board:
        return replace(b, cuts=(*b.cuts, *added))

    edit = Edit(f"Apply {kit.name}", with_board(replace(job, bits=tuple(bits)), board_id, change))
    return Laid(edit, tuple(cut.id for cut in added), tuple(missing))


def _bit_for(kit: Kit, bit_id: BitId, bits: list[Bit], given: dict[str, int]) -> BitId:
    """The job's bit like the kit's, or a copy of the kit's put on the next place."""
    wanted = next((bit for bit in kit.bits if bit.id == bit_id), None)
    if wanted is None:
        return bits[0].id
    for bit in bits:
        if bit.name == wanted.name and all(getattr(bit, name) == getattr(wanted, name) for name in _CUTS_ALIKE):
            return bit.id
    new = BitId(next_id("bit", [bit.id for bit in bits], given))
    bits.append(replace(wanted, id=new, place=min(max(bit.place for bit in bits) + 1, 99)))
    return new


# ---- on disk


def kits_folder() -> FilePath:
    return user_config_path("archimetra") / "kits"


def saved_kits(folder: FilePath | None = None) -> dict[str, FilePath]:
    """Names of saved kits and where they lie."""
    folder = kits_folder() if folder is None else folder
    if not folder.is_dir():
        return {}
    return {path.name.removesuffix(SUFFIX): path for path in sorted(folder.glob(f"*{SUFFIX}"))}


def save_kit(kit: Kit, folder: FilePath | None = None) -> FilePath:
    """Write-new and rename. Raises JobFileError with what went wrong."""
    folder = kits_folder() if folder is None else folder
    stem = "".join(c if c.isalnum() or c in " -_" else "-" for c in kit.name).strip()[:80] or "kit"
    path = folder / f"{stem}{SUFFIX}"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        write_safely(path, msgspec.json.format(msgspec.json.encode(_Written(kit_schema=SCHEMA, kit=kit)), indent=1))
    except OSError as error:
        raise JobFileError(f"{path} could not be written: {error.strerror or error}.") from error
    return path


def load_kit(path: FilePath) -> Kit:
    """Raises JobFileError for a missing, damaged or newer file."""
    try:
        written = msgspec.json.decode(path.read_bytes(), type=_Written)
    except OSError as error:
        raise JobFileError(f"{path.name} could not be read: {error.strerror or error}.") from error
    except (msgspec.DecodeError, ValueError) as error:
        raise JobFileError(f"{path.name} holds no saved cuts: {error}.") from error
    if written.kit_schema > SCHEMA:
        raise JobFileError(
            f"{path.name} was saved by a newer Archimetra (kit schema {written.kit_schema}). Update to read it."
        )
    if len(written.kit.cuts) > MOST_CUTS:
        raise JobFileError(f"{path.name} holds {len(written.kit.cuts)} cuts; saved together are at most {MOST_CUTS}.")
    return written.kit
