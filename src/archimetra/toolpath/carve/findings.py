"""What a V-carve tells: strokes too narrow or too wide for the bit, corners a tip flat cannot reach, floors left, outlines it
cannot carve."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely
from shapely.geometry import Polygon

from archimetra.base.findings import Finding, Severity, mm
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.clearance import Deepest
from archimetra.geometry.clearances import ClearanceSet, Piece
from archimetra.geometry.region import EMPTY, Region, as_region, polygons_of
from archimetra.geometry.skeleton import Skeleton
from archimetra.job.bits import CARVING_KINDS, Bit, BitKind
from archimetra.job.cut_parts import Half
from archimetra.job.cuts.carve import CarveCut
from archimetra.toolpath.carve.area import CarveArea
from archimetra.toolpath.carve.route import connected
from archimetra.toolpath.carve_depths import CarveDepths
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.contours import no_area, open_finding

_CORNER_SHORT_MM = 0.05  # corners that stay this much short of their point are told
_TIP_MM = 0.001
MOST_THIN = 12  # thin places are marked one by one up to this many
_WORTH_ROWS_MM = 2_000.0  # of rows on a floor from which on a straight bit saves time


def unfit(work: ResolvedCut) -> Iterator[Finding]:
    """Bits with which nothing can be carved."""
    bit, cut = work.bit, work.cut
    if bit.kind not in CARVING_KINDS:
        yield Finding(
            "carve-bit", Severity.STOP,
            f"'{cut.name}' carves, but {bit.name} is the same width all the way down.",
            mend="Choose a V bit or a tapered ball.", subject=cut.id,
        )  # fmt: skip


def bad_outline(cut: CarveCut, sentence: str) -> Finding:
    return Finding("carve-outline", Severity.STOP, sentence, subject=cut.id)


class CarveFindings:
    """Gathers over all pieces of a cut what is then said once, at its worst place."""

    def __init__(self, cut: CarveCut, bit: Bit, carving: CarveDepths) -> None:
        self._cut, self._bit, self._carving = cut, bit, carving
        self._lost: list[tuple[float, float, float]] = []  # pieces the tip enters nowhere: width, x, y
        self._necks: list[tuple[float, float, float, float]] = []  # stretches it cannot pass: width, length, x, y
        self._corners: list[tuple[float, float, float]] = []  # short by, x, y
        self._shallow: list[tuple[float, float, float]] = []  # pieces of an inlay without a floor: width, x, y
        self._widest: tuple[float, float, float] | None = None
        self._floor_area = self._rest_area = self._rest_length = 0.0
        self._floor_at: tuple[float, float] | None = None
        self._cleared: float | None = None
        self._left: list[tuple[float, float, float]] = []  # area, x, y

    def area(self, area: CarveArea) -> list[Finding]:
        """Outlines that are open, hold no area, overlap or leave slivers."""
        cut = self._cut
        out = []
        if cut.line_width <= 0:
            out += [open_finding(shape, path, cut) for shape, path in area.open_lines]
        if area.region.is_empty and not area.open_lines:
            out.append(no_area(cut))
        if area.overlaps:
            count = len(area.overlaps)
            out.append(
                Finding(
                    "carve-united", Severity.NOTE,
                    f"Shapes of '{cut.name}' overlap at {count} place{'s' if count > 1 else ''} and are carved as one.",
                    mend="Move them apart if they are to stay apart.", at=area.overlaps[0], subject=cut.id,
                )
            )  # fmt: skip
        if area.slivers:
            count = len(area.slivers)
            out.append(
                Finding(
                    "carve-slivers", Severity.NOTE,
                    f"{count} outline{'s' if count > 1 else ''} of '{cut.name}' enclose{'' if count > 1 else 's'} next to nothing "
                    "and are left out.",
                    mend="Remove them on the Artwork page.", at=area.slivers[0], subject=cut.id,
                )
            )  # fmt: skip
        return out

    def no_room(self) -> Finding:
        """A cut that begins deeper than its bit or sheet allows."""
        cut, c = self._cut, self._carving
        if c.sink > 0:
            return Finding(
                "carve-no-room", Severity.STOP,
                f"'{cut.name}' begins {mm(c.sink, '.2f')} below its face, deeper than {self._bit.name} or the sheet allows; it cuts nothing.",
                mend="Make the pocket less deep, or choose a longer bit.", subject=cut.id,
            )  # fmt: skip
        return Finding(
            "carve-no-room", Severity.STOP, f"'{cut.name}' starts at or below the bottom of the sheet; it cuts nothing.",
            mend="Make the start depth smaller.", subject=cut.id,
        )  # fmt: skip

    def line_narrow(self, width: float) -> Finding:
        """Lines no wider than the tip."""
        return Finding(
            "carve-line-narrow", Severity.STOP,
            f"'{self._cut.name}' is to carve lines {mm(width)} wide; the tip of {self._bit.name} is as wide itself.",
            mend="Make the lines wider, or choose a finer bit.", subject=self._cut.id,
        )  # fmt: skip

    def standing(self, area: CarveArea) -> list[Finding]:
        """What stands within the area and is thin enough to bend or break, each place with its width."""
        cut, least = self._cut, self._cut.least_standing
        if least <= 0:
            return []
        islands = [Polygon(ring) for polygon in polygons_of(area.region) for ring in polygon.interiors]
        # what lies within an island is carved, or stands in its turn
        standing = as_region(shapely.difference(shapely.union_all(islands), area.region)) if islands else EMPTY
        places: list[tuple[float, float, float]] = []
        for piece in ClearanceSet(standing).pieces:
            c = self._carving
            skeleton = piece.skeleton(
                residual_mm=max(c.residual_mm, 0.02),
                chord_tolerance_mm=0.005,
                low=0.0,
                high=least / 2,
                simplify_mm=0.005,
            )
            places += _thin_places(skeleton.strokes(), least)
            places += [(2 * float(r), float(x), float(y)) for x, y, r in skeleton.spots]
        places.sort()
        return [
            Finding(
                "carve-thin-standing", Severity.CAUTION,
                f"What stands here in '{cut.name}' is only {mm(width, '.2f')} wide and may break.",
                mend=f"Thicken it to {mm(least)}, or carve less deep.", at=(x, y), subject=cut.id,
            )
            for width, x, y in places[:MOST_THIN]
        ]  # fmt: skip

    # ---- gathered

    def stroke_limits(self, piece: Piece, strokes: Skeleton, deepest: Deepest | None) -> None:
        """Takes note of strokes too wide for the depth limit, too shallow to mate or narrower than the tip."""
        c = self._carving
        if deepest is None:
            return
        if deepest.clearance > c.reach and (self._widest is None or deepest.clearance > self._widest[0]):
            self._widest = (deepest.clearance, *deepest.at)
        if self._cut.mating is not None and deepest.clearance < c.foot:
            self._shallow.append((2 * deepest.clearance, *deepest.at))
        narrow = c.narrowest
        if narrow <= 0:
            return
        if deepest.clearance <= narrow:
            self._lost.append((2 * deepest.clearance, *deepest.at))
            return
        for line in strokes.between(0.0, narrow).strokes():
            if len(line) < 2:
                continue
            self._narrow(line, narrow)

    def _narrow(self, line: FloatArray, narrow: float) -> None:
        """A stretch too narrow for the tip: the end of a corner, or a neck."""
        ends = (float(line[0, 2]), float(line[-1, 2]))
        length = float(np.hypot(*np.diff(line[:, :2], axis=0).T).sum())
        tips = [k for k in (0, -1) if line[k, 2] < _TIP_MM]
        if len(tips) == 1 and max(ends) >= narrow - _TIP_MM:
            # from the tip to where the flat fits; the flat itself reaches half its width back
            short = float(np.hypot(*(line[-1, :2] - line[0, :2]))) - narrow
            if short > _CORNER_SHORT_MM:
                x, y = line[tips[0], :2]
                self._corners.append((short, float(x), float(y)))
        elif length > 0.05:
            k = int(np.argmin(line[:, 2]))
            self._necks.append((2 * float(line[k, 2]), length, float(line[k, 0]), float(line[k, 1])))

    def floor(self, piece: Piece, floor: Region, rest: Region, step: float, *, cleared: float | None) -> None:
        """Takes note of a piece's floor and of the rest of it the carving bit clears in rows ``step`` apart (mm)."""
        self._floor_area += float(floor.area)
        self._rest_area += float(rest.area)
        self._rest_length += float(rest.area) / step
        if self._floor_at is None and not floor.is_empty:
            x, y = shapely.get_coordinates(shapely.point_on_surface(floor))[0]
            self._floor_at = (float(x), float(y))
        self._cleared = cleared

    def floor_left(self, piece: Piece, zone: Region, step: float) -> None:
        """Takes note of a zone of the floor that is left."""
        x, y = shapely.get_coordinates(shapely.point_on_surface(zone))[0]
        self._left.append((float(zone.area), float(x), float(y)))

    # ---- said

    def summary(self) -> Iterator[Finding]:
        """Everything that was taken note of, one finding a kind, at its worst place."""
        cut, bit, c = self._cut, self._bit, self._carving
        if self._shallow and cut.mating is not None:
            width, x, y = max(self._shallow)
            count = len(self._shallow)
            if cut.mating.half is Half.POCKET:
                words = f"{count} part{'s' if count > 1 else ''} of '{cut.name}' are too narrow for a flat floor: they mate, but with no room for glue."
                fix = "Make the pocket less deep, or choose a bit with a smaller angle."
            else:
                words = f"{count} gap{'s' if count > 1 else ''} within '{cut.name}' are too narrow to reach as deep as the saw needs."
                fix = "Leave less room for the saw, or choose a bit with a smaller angle."
            yield Finding("inlay-narrow", Severity.NOTE, words, mend=fix, at=(x, y), subject=cut.id)
        if self._lost:
            width, x, y = max(self._lost)
            count = len(self._lost)
            yield Finding(
                "carve-too-narrow", Severity.STOP,
                f"{count} piece{'s' if count > 1 else ''} of '{cut.name}' {'are' if count > 1 else 'is'} narrower than the "
                f"{mm(bit.tip_flat)} tip of {bit.name} (up to {mm(width, '.2f')} wide) and left uncut.",
                mend="Choose a bit with a finer tip, or thicken the shapes.", at=(x, y), subject=cut.id,
            )  # fmt: skip
        if self._necks:
            width, _, x, y = max(self._necks, key=lambda neck: neck[1])
            total = sum(neck[1] for neck in self._necks)
            yield Finding(
                "carve-neck", Severity.CAUTION,
                f"{mm(total, '.1f')} of strokes in '{cut.name}' are narrower than the {mm(bit.tip_flat)} tip of {bit.name} "
                f"(down to {mm(width, '.2f')}) and stay uncut.",
                mend="Choose a bit with a finer tip.", at=(x, y), subject=cut.id,
            )  # fmt: skip
        if self._corners:
            short, x, y = max(self._corners)
            count = len(self._corners)
            yield Finding(
                "carve-corners", Severity.NOTE,
                f"{count} corner{'s' if count > 1 else ''} of '{cut.name}' end up to {mm(short, '.2f')} short of their point: the "
                f"{mm(bit.tip_flat)} tip of {bit.name} goes no farther.",
                mend="A bit with a finer tip goes nearer.", at=(x, y), subject=cut.id,
            )  # fmt: skip
        if self._widest is not None and c.rule != "cut":
            radius, x, y = self._widest
            why = f"{bit.name} cuts no deeper" if c.rule == "bit" else "the sheet is no thicker"
            yield Finding(
                "carve-too-wide", Severity.CAUTION,
                f"Strokes of '{cut.name}' are up to {mm(2 * radius, '.1f')} wide; {why} than {mm(c.limit, '.2f')}, so a flat floor is left there.",
                mend=f"Enter a depth limit of {mm(c.floor_depth, '.1f')} or less and let a straight bit clear the floor.", at=(x, y),
                subject=cut.id,
            )  # fmt: skip
        if self._rest_length > _WORTH_ROWS_MM and self._cleared is None and not self._left:
            minutes = self._rest_length / 1500
            yield Finding(
                "carve-floor-alone", Severity.NOTE,
                f"{bit.name} clears the floor of '{cut.name}' alone, {self._floor_area / 100:.1f} cm² in some "
                f"{self._rest_length / 1000:.1f} m of rows{f', about {minutes:.0f} min' if minutes >= 1 else ''}.",
                mend="Let a straight bit clear the floor before.", at=self._floor_at, subject=cut.id,
            )  # fmt: skip
        if self._left:
            _, x, y = max(self._left)
            yield Finding(
                "carve-floor-left", Severity.STOP,
                f"{sum(left[0] for left in self._left) / 100:.1f} cm² of the floor of '{cut.name}' would take {bit.name} hours; "
                "it is left standing.",
                mend="Let a straight bit clear the floor, or allow higher cusps.", at=(x, y), subject=cut.id,
            )  # fmt: skip
        elif bit.kind is BitKind.BALL and self._widest is not None:
            yield Finding(
                "carve-ball", Severity.NOTE, f"{bit.name} leaves the floor of '{cut.name}' rounded at its edge.",
                mend="A V bit or a straight bit leaves it sharp.", subject=cut.id,
            )  # fmt: skip


def _thin_places(strokes: list[FloatArray], least: float) -> list[tuple[float, float, float]]:
    """Places (width, x, y) among the strokes of what is thinner than ``least``, one for each part that hangs together.

    A part that is wide enough at one end only is a point: points that narrow quickly are no harm, long ones are. One that
    is wide enough at two ends is a neck, one at none is thin all over.
    """
    lines = [line for line in strokes if len(line) > 1]
    if not lines:
        return []
    ends = np.rint(np.array([(line[0, :2], line[-1, :2]) for line in lines]).reshape(-1, 2) / 1e-4).astype(np.int64)
    _, number = np.unique(ends, axis=0, return_inverse=True)
    nodes = number.reshape(-1, 2)
    out = []
    for part in connected(nodes, int(nodes.max()) + 1):
        mine = [lines[k] for k in part]
        length = sum(float(np.hypot(*np.diff(line[:, :2], axis=0).T).sum()) for line in mine)
        wide_ends = sum(line[end, 2] > least / 2 - 1e-6 for line in mine for end in (0, -1))
        if wide_ends == 1 and length < 5 * least:
            continue
        points = np.vstack(mine)
        inner = points[points[:, 2] > 0.05 * least] if wide_ends < 2 else points
        if not len(inner):
            continue
        # of a point the middle of its thin length, of a neck its narrowest place
        k = (
            int(np.argmin(np.abs(inner[:, 2] - np.median(inner[:, 2]))))
            if wide_ends < 2
            else int(np.argmin(inner[:, 2]))
        )
        out.append((2 * float(inner[k, 2]), float(inner[k, 0]), float(inner[k, 1])))
    return out
