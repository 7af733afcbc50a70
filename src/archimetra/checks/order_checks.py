"""Checks of the running order, and of work that is there twice."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

import shapely
from shapely.geometry import MultiLineString, Polygon
from shapely.geometry.base import BaseGeometry

from archimetra.base.findings import Finding, Severity
from archimetra.checks.check_input import CheckInput
from archimetra.geometry.region import polygons_of
from archimetra.job.cuts import Clears, Cut
from archimetra.job.flat import instance_of
from archimetra.job.shapes import Shape
from archimetra.job.sheet import HoldDown
from archimetra.toolpath.shared.contours import kept_region
from archimetra.toolpath.shared.program import Block


def outline_before_inside(given: CheckInput) -> Iterator[Finding]:
    """A through outline cut before other work within it: the part may move while that is done, unless all of the sheet is held."""
    if given.sheet.hold_down is HoldDown.TAPED:
        return
    blocks = [(block, cut) for block in given.run.blocks if (cut := given.board.cut(block.cut)) is not None]
    told: set[tuple[str, str]] = set()
    last = {(block.cut, block.pieces): number for number, (block, _) in enumerate(blocks)}
    for number, (early_block, early) in enumerate(blocks[:-1]):
        if early.loosens is None or not early.is_through(given.board.sheet):
            continue
        if last[early_block.cut, early_block.pieces] > number and len(given.setups) > 1:
            continue  # parted at a seam, it holds until the rest of it is cut
        own = _shapes_of(given, early_block, early)
        parts = [Polygon(part.exterior) for part in polygons_of(kept_region(own))]
        taken = {shape.id for shape in own}
        for late_block, late in blocks[number + 1 :]:
            if late.takes_whole_sheet or (early.id, late.id) in told:
                continue
            lines = [_lines_of(shape) for shape in _shapes_of(given, late_block, late) if shape.id not in taken]
            if parts and lines and shapely.STRtree(parts).query(lines, predicate="within").size:
                told.add((early.id, late.id))
                yield Finding(
                    "order-inside",
                    Severity.CAUTION,
                    f"'{late.name}' lies inside '{early.name}' but is cut after it, when the part may have moved.",
                    mend=f"Drag '{late.name}' before '{early.name}' in the sequence.",
                    subject=late.id,
                )


def _shapes_of(given: CheckInput, block: Block, cut: Cut) -> tuple[Shape, ...]:
    """What a block cuts: the shapes of its cut on its pieces."""
    return tuple(shape for shape in given.board.shapes_of(cut) if instance_of(shape.id) in block.pieces)


@lru_cache(maxsize=4000)
def _lines_of(shape: Shape) -> BaseGeometry:
    return MultiLineString([path.flatten(0.05) for path in shape.placed() if len(path)])


def drawn_twice(given: CheckInput) -> Iterator[Finding]:
    """The same outline twice in one cut, or cut twice alike by two cuts."""
    seen: dict[bytes, str] = {}
    for cut, _ in given.cuts():
        if cut.clears is not None:
            continue
        for shape in given.board.shapes_of(cut):
            for path in shape.placed():
                key = path.key() + f"{cut.manner} {cut.bit} {cut.depth(given.board.sheet)}".encode()
                if key in seen:
                    x, y = (float(v) for v in path.nodes[0])
                    other = "" if seen[key] == cut.name else f" and in '{seen[key]}'"
                    yield Finding(
                        "drawn-twice",
                        Severity.CAUTION,
                        f"'{shape.name}' lies exactly on another outline in '{cut.name}'{other}.",
                        mend="Remove one of the two.",
                        at=(x, y),
                        subject=cut.id,
                    )
                seen[key] = cut.name


def rest_before_first(given: CheckInput) -> Iterator[Finding]:
    """The rest of a pocket needs the pocket: on, before it, and cut by a larger bit."""
    place = {cut.id: number for number, (cut, _) in enumerate(given.cuts())}
    known = {cut.id: (cut, bit) for cut, bit in given.cuts()}
    for number, (cut, bit) in enumerate(given.cuts()):
        if cut.clears is Clears.FLOOR:
            yield from _floor_order(cut, place.get(cut.parent), number)
        if cut.clears is not Clears.REST:
            continue
        if cut.parent not in place:
            yield Finding(
                "rest-alone", Severity.STOP,
                f"'{cut.name}' clears the rest of a pocket that is switched off or gone; the bit would work in solid wood.",
                mend="Switch the pocket on, or let this one clear the whole area.", subject=cut.id,
            )  # fmt: skip
            continue
        first, larger = known[cut.parent]
        if place[cut.parent] > number:
            yield Finding(
                "rest-order", Severity.STOP,
                f"'{cut.name}' clears the rest of '{first.name}' but runs before it.",
                mend=f"Drag '{first.name}' before '{cut.name}' in the sequence.", subject=cut.id,
            )  # fmt: skip
        if larger.diameter <= bit.diameter:
            yield Finding(
                "rest-larger", Severity.CAUTION,
                f"'{cut.name}' clears the rest of '{first.name}' with a bit that is no smaller.",
                mend="Choose a smaller bit.", subject=cut.id,
            )  # fmt: skip


def _floor_order(cut: Cut, carve: int | None, number: int) -> Iterator[Finding]:
    """The floor of a V-carve is cleared before it: then only the carving bit's walls touch what stays."""
    if carve is None:
        yield Finding(
            "floor-alone", Severity.CAUTION,
            f"'{cut.name}' clears the floor of a V-carve that is switched off or gone; its walls would stay rough steps.",
            mend="Switch the V-carve on, or this one off.", subject=cut.id,
        )  # fmt: skip
    elif carve < number:
        yield Finding(
            "floor-order", Severity.CAUTION,
            f"'{cut.name}' runs after the V-carve whose floor it clears, which then has to clear that floor itself.",
            mend=f"Drag '{cut.name}' before it in the sequence.", subject=cut.id,
        )  # fmt: skip


def facing_late(given: CheckInput) -> Iterator[Finding]:
    """Facing after other work takes that work's depth away."""
    cuts = list(given.cuts())
    for number, (cut, _) in enumerate(cuts):
        if cut.lowers_face and cut.takes_whole_sheet and any(not c.lowers_face for c, _ in cuts[:number]):
            yield Finding(
                "facing-late", Severity.CAUTION,
                f"'{cut.name}' faces the sheet after other cuts; their depths, counted from the old face, become smaller.",
                mend=f"Drag '{cut.name}' to the front of the sequence.", subject=cut.id,
            )  # fmt: skip
