"""Edits of a sheet: its outline, its flaws, how many equal ones there are, what it is made of."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, Any

from archimetra.edits.edit import Edit, board_of, replace, with_board
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path, bounds_of
from archimetra.job.flat import MARK
from archimetra.job.ids import BoardId, ShapeId, SheetId
from archimetra.job.job import Board, Job, new_board, with_boards
from archimetra.job.materials import OwnMaterial
from archimetra.job.shapes import Shape
from archimetra.job.sheet import Flaw, Sheet, Zero, ZeroAt

if TYPE_CHECKING:
    from archimetra.geometry.region import Region

NEW_FLAW_MM = 40.0


# ---- outline


def take_outline(job: Job, board_id: BoardId, picked: Iterable[ShapeId]) -> Edit:
    """The picked closed outlines become the sheet's edge, those inside others its openings; they stop being artwork. What else is on the board stays where it
    is to them. Raises ValueError with a sentence where none is closed."""
    board = board_of(job, board_id)
    taken = _closed(board, picked, "the edge of a sheet")
    paths = [path for shape in taken for path in shape.placed()]
    x0, y0, x1, y1 = bounds_of(paths) or (0.0, 0.0, 0.0, 0.0)
    from archimetra.geometry.region import polygons_of
    from archimetra.geometry.sheets import sheet_region

    if len(polygons_of(sheet_region(tuple(paths), x1 - x0, y1 - y0))) != 1:
        raise ValueError("a sheet has one outline, with openings inside it; pick those")
    to_corner = Affine.shift(-x0, -y0)
    gone = {shape.id for shape in taken}

    def change(board: Board) -> Board:
        kept = replace(board, shapes=tuple(shape for shape in board.shapes if shape.id not in gone))
        outline = tuple(path.transform(to_corner) for path in paths)
        moved = moved_board(kept, -x0, -y0)
        return replace(moved, sheet=replace(moved.sheet, outline=outline, width=x1 - x0, height=y1 - y0))

    return Edit("Sheet's outline", with_board(job, board_id, change))


def make_rectangular(job: Job, board_id: BoardId) -> Edit:
    """The sheet a rectangle again, as wide and as high."""
    return change_sheet(job, board_id, "Rectangular sheet", outline=())


def change_sheet(job: Job, board_id: BoardId, label: str, **fields: Any) -> Edit:
    """Fields of the sheet of a board."""
    return Edit(label, with_board(job, board_id, lambda board: replace(board, sheet=replace(board.sheet, **fields))))


def moved_board(board: Board, dx: float, dy: float) -> Board:
    """Everything on a board but its sheet's edge shifted: artwork, guides, clamps, flaws and a typed zero."""
    m = Affine.shift(dx, dy)
    zero = (
        replace(board.zero, x=board.zero.x + dx, y=board.zero.y + dy) if board.zero.at is ZeroAt.TYPED else board.zero
    )
    tiling = board.tiling
    if tiling is not None:
        tiling = replace(
            tiling, seams_x=tuple(x + dx for x in tiling.seams_x), seams_y=tuple(y + dy for y in tiling.seams_y)
        )
    return replace(
        board, zero=zero, tiling=tiling, sheet=replace(board.sheet, flaws=_moved_flaws(board.sheet.flaws, m)),
        shapes=tuple(replace(shape, at=shape.at.then(m)) for shape in board.shapes),
        fixtures=tuple(replace(f, x=f.x + dx, y=f.y + dy) for f in board.fixtures),
        guides=tuple(replace(g, at=g.at + (dx if g.is_upright else dy)) for g in board.guides),
        measures=tuple(replace(e, points=tuple((x + dx, y + dy) for x, y in e.points)) for e in board.measures),
        backdrops=tuple(replace(backdrop, at=backdrop.at.then(m)) for backdrop in board.backdrops),
        sources=tuple(replace(source, at=source.at.then(m)) for source in board.sources),
    )  # fmt: skip


def turned_sheet(sheet: Sheet, m: Affine) -> Sheet:
    """The sheet a quarter further round, by ``m``."""
    return replace(
        sheet, width=sheet.height, height=sheet.width, grain_degrees=(sheet.grain_degrees + 90.0) % 180.0,
        outline=tuple(path.transform(m) for path in sheet.outline), flaws=_moved_flaws(sheet.flaws, m),
    )  # fmt: skip


def _moved_flaws(flaws: tuple[Flaw, ...], m: Affine) -> tuple[Flaw, ...]:
    return tuple(replace(flaw, outline=flaw.outline.transform(m)) for flaw in flaws)


# ---- flaws


def add_flaw(job: Job, board_id: BoardId, at: tuple[float, float] | None = None) -> Edit:
    """A round flaw, in the sheet's middle unless said otherwise, to be moved to where it is."""
    sheet = board_of(job, board_id).sheet
    place = (sheet.width / 2, sheet.height / 2) if at is None else at
    flaw = Flaw(outline=Path.circle(place, min(NEW_FLAW_MM, sheet.width, sheet.height) / 2))
    return change_sheet(job, board_id, "Mark a flaw", flaws=(*sheet.flaws, flaw))


def take_flaws(job: Job, board_id: BoardId, picked: Iterable[ShapeId]) -> Edit:
    """The picked closed outlines become flaws and stop being artwork. Raises ValueError with a sentence where none is closed."""
    taken = _closed(board_of(job, board_id), picked, "a flaw")
    gone = {shape.id for shape in taken}
    flaws = tuple(Flaw(outline=path) for shape in taken for path in shape.placed())

    def change(board: Board) -> Board:
        return replace(
            board, shapes=tuple(shape for shape in board.shapes if shape.id not in gone),
            sheet=replace(board.sheet, flaws=(*board.sheet.flaws, *flaws)),
        )  # fmt: skip

    return Edit("Mark flaws", with_board(job, board_id, change))


def change_flaw(
    job: Job, board_id: BoardId, index: int, *, x: float | None = None, y: float | None = None, width: float | None = None,
    height: float | None = None, is_hard: bool | None = None,
) -> Edit:  # fmt: skip
    """A flaw with its middle elsewhere, another size, or hard or not. Raises ValueError for a size that is none."""
    sheet = board_of(job, board_id).sheet
    flaw = sheet.flaws[index]
    x0, y0, x1, y1 = flaw.outline.bounds()
    sizes = (width or x1 - x0, height or y1 - y0)
    if min(sizes) < 0.1 or any(given is not None and given <= 0 for given in (width, height)):
        raise ValueError("a flaw is at least 0.1 mm a side")
    cx, cy = (x0 + x1) / 2, (y0 + y1) / 2
    m = (
        Affine.shift(-cx, -cy)
        .then(Affine.scale(sizes[0] / (x1 - x0), sizes[1] / (y1 - y0)))
        .then(Affine.shift(cx if x is None else x, cy if y is None else y))
    )
    changed = Flaw(outline=flaw.outline.transform(m), is_hard=flaw.is_hard if is_hard is None else is_hard)
    return change_sheet(job, board_id, "Flaw", flaws=(*sheet.flaws[:index], changed, *sheet.flaws[index + 1 :]))


def remove_flaw(job: Job, board_id: BoardId, index: int) -> Edit:
    """One flaw less."""
    flaws = board_of(job, board_id).sheet.flaws
    return change_sheet(job, board_id, "Remove flaw", flaws=(*flaws[:index], *flaws[index + 1 :]))


# ---- what is left


def keep_offcut(
    job: Job, board_id: BoardId, left: Region, outline: Sequence[Path], *, thinner: float = 0.0
) -> tuple[Edit, BoardId]:
    """A new board on a sheet with the outline of what is ``left`` of a board's sheet, behind it, with the flaws that lie in it, ``thinner`` by what was
    faced off; and its id. The board it comes from stays as it is."""
    board = board_of(job, board_id)
    x0, y0, x1, y1 = bounds_of(outline) or (0.0, 0.0, 0.0, 0.0)
    to_corner = Affine.shift(-x0, -y0)
    flaws = tuple(flaw for flaw in board.sheet.flaws if _touches(left, flaw))
    sheet = replace(
        board.sheet, id=SheetId(""), width=x1 - x0, height=y1 - y0, outline=tuple(path.transform(to_corner) for path in outline),
        flaws=_moved_flaws(flaws, to_corner), readings=tuple(max(reading - thinner, 0.1) for reading in board.sheet.readings),
    )  # fmt: skip
    new = replace(
        new_board(job, name=f"Offcut of {board.name}"[:60]),
        sheet=sheet,
        zero=Zero(z=board.zero.z),
        heights=board.heights,
    )
    at = job.boards.index(board) + 1
    return Edit("Keep the offcut", with_boards(job, (*job.boards[:at], new, *job.boards[at:]))), new.id


def _touches(region: Region, flaw: Flaw) -> bool:
    import shapely
    from shapely.geometry import Polygon

    return bool(shapely.intersects(region, Polygon(flaw.outline.flatten(0.05))))


# ---- materials


def materials_of(job: Job) -> tuple[OwnMaterial, ...]:
    """The job's own ones, each once, in the order of its sheets."""
    own = {sheet.material.name: sheet.material for sheet in job.sheets if isinstance(sheet.material, OwnMaterial)}
    return tuple(own.values())


def change_material(job: Job, was: OwnMaterial, now: OwnMaterial) -> Edit:
    """A material of one's own with another name or look, on every sheet and in every recipe. Raises ValueError where another has the name."""
    if now.name.casefold() != was.name.casefold() and any(
        own.name.casefold() == now.name.casefold() for own in materials_of(job)
    ):
        raise ValueError(f"there is a material {now.name} already")

    def renamed(sheet: Sheet) -> Sheet:
        is_it = isinstance(sheet.material, OwnMaterial) and sheet.material.name == was.name
        return replace(sheet, material=now) if is_it else sheet

    bits = tuple(
        replace(
            bit,
            recipes=tuple(replace(e, material=now.name) if e.material == was.name else e for e in bit.recipes),
        )
        if any(e.material == was.name for e in bit.recipes)
        else bit
        for bit in job.bits
    )
    return Edit("Material", replace(job, sheets=tuple(renamed(sheet) for sheet in job.sheets), bits=bits))


def _closed(board: Board, picked: Iterable[ShapeId], what: str) -> list[Shape]:
    wanted = set(picked)
    shapes = [shape for shape in board.shapes if shape.id in wanted and shape.is_closed and shape.paths]
    if not shapes:
        raise ValueError(f"{what} needs a closed outline; pick one on the plan")
    if any(MARK in shape.id for shape in shapes):
        raise ValueError("one of these is a piece of a part; pick an outline that is none")
    return shapes
