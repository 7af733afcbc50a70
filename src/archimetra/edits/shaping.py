"""Shapes drawn, combined, offset, repaired, and their outlines edited. Results that are new shapes take the place of what they
were made from, in its layer and in its cuts.

What needs heavy geometry is imported where it is used, so that the document stays light to load.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple

from archimetra.artwork.text_form import TextForm
from archimetra.edits.edit import Edit, board_of, next_number, replace, with_board
from archimetra.edits.layering import free_shapes
from archimetra.edits.placement import new_layer
from archimetra.edits.placing import box_of
from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.job.forms import Form, RectangleForm, outlines_of, words_of
from archimetra.job.ids import BoardId, LayerId, ShapeId
from archimetra.job.job import Board, Job
from archimetra.job.shapes import Shape

if TYPE_CHECKING:
    from archimetra.artwork.drawing import DrawnShape
    from archimetra.artwork.mend import Mended
    from archimetra.artwork.report import ReportLine
    from archimetra.geometry.region import Region

Ids = tuple[ShapeId, ...]
DRAWN_LAYER = "Drawn"


class Done(NamedTuple):
    """An edit and what to pick after it; ``words`` say what came of it, '' where that is plain to see."""

    edit: Edit
    pick: Ids
    words: str = ""


# ---- drawing


def draw(job: Job, board_id: BoardId, form: Form, at: Affine, *, layer: LayerId | None = None, name: str = "") -> Done:
    """A new shape of a form, placed by ``at``. Raises ArtworkError where a text cannot be set."""
    shape = _drawn(name or words_of(form), outlines_of(form), at=at, form=form)
    return _add(job, board_id, shape, layer, "Text" if isinstance(form, TextForm) else f"Draw {words_of(form)}")


def draw_path(job: Job, board_id: BoardId, path: Path, *, layer: LayerId | None = None, name: str = "") -> Done:
    """A new plain outline."""
    return _add(job, board_id, _drawn(name or ("outline" if path.closed else "line"), (path,)), layer, "Draw line")


def reform(job: Job, board_id: BoardId, shape_id: ShapeId, form: Form, *, merge: str = "") -> Edit:
    """Another form for a drawn shape: its place stays, its outlines are made anew."""
    paths = outlines_of(form)

    def change(shape: Shape) -> Shape:
        named = shape.form is not None and shape.name == words_of(shape.form)
        return replace(shape, form=form, paths=paths, name=words_of(form) if named else shape.name)

    return _changed(job, board_id, [shape_id], change, "Change measures", merge)


def convert(job: Job, board_id: BoardId, ids: Sequence[ShapeId]) -> Edit:
    """Drawn shapes and texts made plain outlines: from now on their nodes are theirs."""
    return _changed(job, board_id, ids, lambda shape: replace(shape, form=None), "Convert to outline")


def frame(job: Job, board_id: BoardId, ids: Sequence[ShapeId], margin: float, *, corner_radius: float = 0.0) -> Done:
    """A rectangle around the shapes, that far outside them."""
    wanted = set(ids)
    box = box_of([shape for shape in board_of(job, board_id).shapes if shape.id in wanted])
    if box is None:
        raise ValueError("there is nothing to frame: pick something first")
    x0, y0, x1, y1 = box
    form = RectangleForm(width=x1 - x0 + 2 * margin, height=y1 - y0 + 2 * margin, corner_radius=corner_radius)
    done = draw(job, board_id, form, Affine.shift((x0 + x1) / 2, (y0 + y1) / 2), name="frame")
    return Done(done.edit, (*ids, *done.pick))


# ---- combining


def unite(job: Job, board_id: BoardId, ids: Sequence[ShapeId]) -> Done:
    """Areas that touch or overlap as one."""
    from archimetra.geometry.region import unite as united

    return _combined(job, board_id, ids, "Unite", lambda regions: [united(regions)], at_least=2)


def subtract(job: Job, board_id: BoardId, ids: Sequence[ShapeId]) -> Done:
    """The first picked less all the others."""
    from archimetra.geometry.region import subtract as less
    from archimetra.geometry.region import unite as united

    return _combined(
        job, board_id, ids, "Subtract", lambda regions: [less(regions[0], united(regions[1:]))], at_least=2
    )


def intersect(job: Job, board_id: BoardId, ids: Sequence[ShapeId]) -> Done:
    """What all of them cover."""
    from archimetra.geometry.region import intersect as both

    def run(regions: list[Region]) -> list[Region]:
        out = regions[0]
        for region in regions[1:]:
            out = both(out, region)
        return [out]

    return _combined(job, board_id, ids, "Intersect", run, at_least=2)


def split(job: Job, board_id: BoardId, ids: Sequence[ShapeId]) -> Done:
    """The first picked cut apart by the others: by areas into what lies inside and outside, by lines along them."""
    import shapely

    from archimetra.geometry.refit import FINE_MM
    from archimetra.geometry.region import as_region, polygons_of

    board = board_of(job, board_id)
    shapes = _in_order(board, ids)
    if len(shapes) < 2:
        raise ValueError("pick what is to be split first, then what splits it")
    target = _region(shapes[0])
    pieces = polygons_of(target)
    for other in shapes[1:]:
        lines = [shapely.linestrings(path.flatten(FINE_MM)) for path in other.placed()]
        apart: list[Region] = []
        for piece in pieces:
            noded = shapely.union_all([piece.boundary, *lines])
            for face in shapely.get_parts(shapely.polygonize([*shapely.get_parts(noded)])):
                if shapely.contains(piece, shapely.point_on_surface(face)):
                    apart.append(face)
        pieces = [p for region in apart for p in polygons_of(as_region(region))] or pieces
    if len(pieces) < 2:
        raise ValueError("the line does not cross the shape from edge to edge, so it splits nothing")
    made = _from_regions(shapes[0], list(pieces))
    return _replaced(job, board_id, {shapes[0].id: made}, [], "Split", words=f"Split into {len(made)} pieces.")


def offset(
    job: Job, board_id: BoardId, ids: Sequence[ShapeId], by: float, *, corners: str = "round", keeps: bool = True
) -> Done:
    """Areas larger (or smaller, below 0) all round, beside the originals or in their place; open lines get a line on
    either side. Raises ValueError with a sentence where nothing is left."""
    from archimetra.geometry.thicken import grown, thickened

    if not by:
        raise ValueError("an offset is not 0 mm")
    board = board_of(job, board_id)
    made: dict[ShapeId, list[Shape]] = {}
    for shape in free_shapes(board, ids):
        if shape.is_closed:
            region = grown(_region(shape), by, corners=corners)
        elif by > 0:
            region = _together([thickened(p, 2 * by, corners=corners) for p in shape.placed() if len(p)])
        else:
            raise ValueError("an open line has no inside to offset into; give a distance above 0")
        if not region.is_empty:
            made[shape.id] = _from_regions(shape, [region], name=f"{shape.name} {by:+g}")
    if not made:
        raise ValueError("nothing is left at that distance; make it smaller")
    if keeps:
        return _added(job, board_id, [s for shapes in made.values() for s in shapes], "Offset")
    return _replaced(job, board_id, made, [], "Offset")


def thicken(
    job: Job, board_id: BoardId, ids: Sequence[ShapeId], width: float, *, ends: str = "round", corners: str = "round"
) -> Done:
    """Lines (closed ones too) as the area a pen of that width inks along them."""
    from archimetra.geometry.thicken import thickened

    made = {}
    for shape in free_shapes(board_of(job, board_id), ids):
        parts = [thickened(path, width, ends=ends, corners=corners) for path in shape.placed() if len(path)]
        if parts:
            made[shape.id] = _from_regions(shape, [_together(parts)])
    if not made:
        raise ValueError("there is no line to thicken: pick one first")
    return _replaced(job, board_id, made, [], "Thicken")


# ---- corners


def round_corners(
    job: Job,
    board_id: BoardId,
    ids: Sequence[ShapeId],
    radius: float,
    nodes: Mapping[ShapeId, Collection[tuple[int, int]]] | None = None,
) -> Done:
    """Corners rounded: all, or those at the (path, node) numbers given by shape."""
    from archimetra.geometry.corners import cut_back, rounded

    short, smallest = 0, radius

    def run(path: Path, which: Collection[int] | None) -> Path:
        nonlocal short, smallest
        count, fits = cut_back(path, radius, which)
        short, smallest = short + count, min(smallest, fits)
        return rounded(path, radius, which)

    done = _each_path(job, board_id, ids, "Round corners", run, nodes)
    if not short:
        return done
    words = f"{short} corner{'' if short == 1 else 's'} had no room for {radius:g} mm and took less, down to {smallest:.2f} mm."
    return done._replace(words=words)


def cut_corners(
    job: Job,
    board_id: BoardId,
    ids: Sequence[ShapeId],
    length: float,
    nodes: Mapping[ShapeId, Collection[tuple[int, int]]] | None = None,
) -> Done:
    from archimetra.geometry.corners import chamfered

    return _each_path(job, board_id, ids, "Cut corners", lambda path, which: chamfered(path, length, which), nodes)


def relieve_corners(
    job: Job, board_id: BoardId, ids: Sequence[ShapeId], bit_diameter: float, how: str, *, is_hole: bool
) -> Done:
    """Corners a round bit cannot reach cut past, so that a square mate goes in. Raises ValueError where there are none."""
    from archimetra.geometry.corners import Relief, has_equal_sides, relieved

    count, is_even = 0, False

    def run(path: Path, _which: Collection[int] | None) -> Path:
        nonlocal count, is_even
        out, number = relieved(path, bit_diameter / 2, Relief(how), is_hole=is_hole)
        count += number
        is_even = is_even or (number > 0 and how != Relief.CORNER and has_equal_sides(path))
        return out

    done = _each_path(job, board_id, ids, "Relieve corners", run, None)
    if not count:
        raise ValueError("there is no corner between straight lines here that needs relief and has room for it")
    even = " Of sides equally long the level ones count as the longer." if is_even else ""
    return done._replace(words=f"{count} corner{'' if count == 1 else 's'} relieved.{even}")


def _each_path(
    job: Job,
    board_id: BoardId,
    ids: Sequence[ShapeId],
    label: str,
    run: Callable[[Path, Collection[int] | None], Path],
    nodes: Mapping[ShapeId, Collection[tuple[int, int]]] | None,
) -> Done:
    """Every outline of the shapes changed in board coordinates, so that radii are what they say."""

    def change(shape: Shape) -> Shape:
        chosen = None if nodes is None else nodes.get(shape.id)
        if nodes is not None and not chosen:
            return shape
        placed = shape.placed()
        which = [
            None if chosen is None else [node for number, node in chosen if number == k] for k in range(len(placed))
        ]
        paths = tuple(run(path, w) for path, w in zip(placed, which, strict=True))
        if all(a is b for a, b in zip(paths, placed, strict=True)):
            return shape
        return replace(shape, paths=paths, at=IDENTITY, form=None)

    return Done(_changed(job, board_id, ids, change, label), tuple(ids))


# ---- nodes


def set_paths(
    job: Job, board_id: BoardId, shape_id: ShapeId, paths: Sequence[Path], label: str, *, merge: str = ""
) -> Edit:
    """Other outlines for one shape, in its own coordinates; a drawn shape becomes a plain one."""
    return _changed(
        job, board_id, [shape_id], lambda shape: replace(shape, paths=tuple(paths), form=None), label, merge
    )


# ---- mending


def mend(
    job: Job, board_id: BoardId, ids: Sequence[ShapeId], run: Callable[[Sequence[DrawnShape]], Mended], label: str
) -> tuple[Done, list[ReportLine]]:
    """A repair of ``artwork.mend`` run on shapes of the board, in board coordinates. Shapes it does not touch stay as
    they are; one made of several takes the place of the first of them, in all its cuts."""
    board = board_of(job, board_id)
    shapes = free_shapes(board, ids)
    layers = {layer.id: number for number, layer in enumerate(board.layers)}
    drawn = [_as_drawn(shape, layers.get(shape.layer, 0)) for shape in shapes]
    done = run(drawn)
    changed: dict[ShapeId, list[Shape]] = {shape.id: [] for shape in shapes}
    heirs: dict[ShapeId, Ids] = {}
    number = next_number(job, "shape")
    pick: list[ShapeId] = []
    for result, origins in zip(done.shapes, done.origins, strict=True):
        first = shapes[origins[0]]
        if len(origins) == 1 and result is drawn[origins[0]]:
            new = first
        else:
            new = replace(
                first, paths=result.paths, at=IDENTITY, form=None, fill_rule=result.fill_rule,
                is_filled=result.is_filled, stroke_width=result.stroke_width,
                origin=first.origin if len(done.shapes) == len(shapes) else None,
            )  # fmt: skip
        if changed[first.id]:
            new = replace(new, id=ShapeId(f"shape{number}"))
            number += 1
        changed[first.id].append(new)
        pick.append(new.id)
        for k in origins[1:]:
            heirs[shapes[k].id] = (*heirs.get(shapes[k].id, ()), new.id)
    edit = _with_changed(job, board_id, changed, heirs, label)
    return Done(edit, tuple(pick)), done.entries


def _as_drawn(shape: Shape, layer: int) -> DrawnShape:
    from archimetra.artwork.drawing import DrawnShape

    factor = abs(shape.at.determinant) ** 0.5
    width = None if shape.stroke_width is None else shape.stroke_width * factor
    return DrawnShape(shape.name, layer, shape.placed(), shape.fill_rule, shape.is_filled, width, 0, shape.id)


def as_drawn(board: Board, ids: Sequence[ShapeId]) -> list[DrawnShape]:
    """Shapes of a board as the repairs and writers take them: placed, with the numbers of their layers."""
    layers = {layer.id: number for number, layer in enumerate(board.layers)}
    wanted = set(ids)
    return [_as_drawn(shape, layers.get(shape.layer, 0)) for shape in board.shapes if shape.id in wanted]


# ---- inner workings


def _drawn(name: str, paths: tuple[Path, ...], *, at: Affine = IDENTITY, form: Form | None = None) -> Shape:
    is_filled = all(path.closed for path in paths)
    return Shape(
        id=ShapeId(""), name=name, layer=LayerId(""), paths=paths, at=at, form=form, is_filled=is_filled,
        fill_rule=FillRule.NONZERO,
    )  # fmt: skip


def _add(job: Job, board_id: BoardId, shape: Shape, layer: LayerId | None, label: str) -> Done:
    """A shape on a layer: the given one if it is free, else the first free one, else a new one."""
    id_ = ShapeId(f"shape{next_number(job, 'shape')}")

    def change(board: Board) -> Board:
        layers = board.layers
        free = [known for known in layers if not known.is_locked and known.is_shown]
        mine = next((known for known in free if known.id == layer), None)
        mine = mine or next((known for known in free if known.name == DRAWN_LAYER), None)
        if mine is None:
            mine = new_layer(job, layers, DRAWN_LAYER)
            layers = (*layers, mine)
        return replace(board, layers=layers, shapes=(*board.shapes, replace(shape, id=id_, layer=mine.id)))

    return Done(Edit(label, with_board(job, board_id, change)), (id_,))


def _in_order(board: Board, ids: Sequence[ShapeId]) -> list[Shape]:
    """Free shapes in the order they were picked."""
    free = {shape.id: shape for shape in free_shapes(board, ids)}
    return [free[id_] for id_ in dict.fromkeys(ids) if id_ in free]


def _region(shape: Shape) -> Region:
    """The area a shape fills on the board; open lines in it count as closed. Raises ValueError where there is none."""
    from archimetra.geometry.nodes import closed_straight
    from archimetra.geometry.refit import FINE_MM
    from archimetra.geometry.region import region_of

    paths = [path if path.closed else closed_straight(path) for path in shape.placed() if len(path) > 1]
    region = region_of(paths, shape.fill_rule, chord_tolerance_mm=FINE_MM)
    if region.is_empty:
        raise ValueError(f"'{shape.name}' fills no area; close it, or thicken it first")
    return region


def _together(regions: Sequence[Region]) -> Region:
    from archimetra.geometry.region import unite as united

    return united(list(regions))


def _from_regions(like: Shape, regions: Sequence[Region], *, name: str = "") -> list[Shape]:
    """One shape per connected area, on the layer and in the groups of another."""
    from archimetra.geometry.refit import region_paths
    from archimetra.geometry.region import polygons_of

    out = []
    for region in regions:
        for polygon in polygons_of(region):
            paths = region_paths(polygon)
            if paths:
                out.append(
                    replace(
                        like, paths=paths, at=IDENTITY, form=None, fill_rule=FillRule.EVENODD, is_filled=True,
                        stroke_width=None, origin=None, name=name or like.name,
                    )
                )  # fmt: skip
    return out


def _combined(
    job: Job,
    board_id: BoardId,
    ids: Sequence[ShapeId],
    label: str,
    run: Callable[[list[Region]], list[Region]],
    *,
    at_least: int,
) -> Done:
    shapes = _in_order(board_of(job, board_id), ids)
    if len(shapes) < at_least:
        raise ValueError(f"pick {at_least} shapes or more first")
    made = _from_regions(shapes[0], run([_region(shape) for shape in shapes]))
    if not made:
        raise ValueError("nothing would be left; the shapes do not lie on each other that way")
    return _replaced(job, board_id, {shapes[0].id: made}, [shape.id for shape in shapes[1:]], label)


def _added(job: Job, board_id: BoardId, shapes: Sequence[Shape], label: str) -> Done:
    first = next_number(job, "shape")
    fresh = tuple(replace(shape, id=ShapeId(f"shape{first + k}")) for k, shape in enumerate(shapes))
    edit = Edit(label, with_board(job, board_id, lambda board: replace(board, shapes=(*board.shapes, *fresh))))
    return Done(edit, tuple(shape.id for shape in fresh))


def _replaced(
    job: Job,
    board_id: BoardId,
    made: dict[ShapeId, list[Shape]],
    gone: Sequence[ShapeId],
    label: str,
    *,
    words: str = "",
) -> Done:
    """New shapes in the place of old ones; ``gone`` are used up by them."""
    number = next_number(job, "shape")
    changed: dict[ShapeId, list[Shape]] = {id_: [] for id_ in gone}
    pick: list[ShapeId] = []
    for old, shapes in made.items():
        placed = []
        for k, shape in enumerate(shapes):
            if k:
                shape = replace(shape, id=ShapeId(f"shape{number}"))
                number += 1
            placed.append(shape)
            pick.append(shape.id)
        changed[old] = placed
    heirs = {id_: tuple(pick) for id_ in gone}
    return Done(_with_changed(job, board_id, changed, heirs, label), tuple(pick), words)


def _with_changed(
    job: Job, board_id: BoardId, changed: dict[ShapeId, list[Shape]], heirs: dict[ShapeId, Ids], label: str
) -> Edit:
    """Shapes replaced where they stood; a cut that took an old one takes what came of it, once."""

    def change(board: Board) -> Board:
        shapes = tuple(new for shape in board.shapes for new in changed.get(shape.id, [shape]))
        if shapes == board.shapes:
            return board
        left = {shape.id for shape in shapes}
        cuts = []
        for cut in board.cuts:
            ids: list[ShapeId] = []
            for id_ in cut.shapes:
                ids.extend([new.id for new in changed[id_]] if id_ in changed else [id_])
                ids.extend(heirs.get(id_, ()))
            kept = tuple(id_ for id_ in dict.fromkeys(ids) if id_ in left)
            cuts.append(cut if kept == cut.shapes else replace(cut, shapes=kept))
        measures = tuple(m for m in board.measures if left.issuperset(m.shapes))
        return replace(board, shapes=shapes, cuts=tuple(cuts), measures=measures)

    return Edit(label, with_board(job, board_id, change))


def _changed(
    job: Job,
    board_id: BoardId,
    ids: Sequence[ShapeId],
    change: Callable[[Shape], Shape],
    label: str,
    merge: str = "",
) -> Edit:
    wanted = {shape.id for shape in free_shapes(board_of(job, board_id), ids)}

    def run(board: Board) -> Board:
        shapes = tuple(change(shape) if shape.id in wanted else shape for shape in board.shapes)
        return board if shapes == board.shapes else replace(board, shapes=shapes)

    return Edit(label, with_board(job, board_id, run), merge)
