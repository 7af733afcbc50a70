"""The account of what of a DXF file was left out, changed or stood in for, and where."""

from __future__ import annotations

from collections import Counter

from archimetra.artwork.report import ReportLine, counted, left_out, mended
from archimetra.geometry.affine import Affine

Spot = tuple[float, float]  # in the drawing's units


class Left:
    def __init__(self) -> None:
        self._counts: Counter[str] = Counter()
        self._places: dict[str, list[Spot]] = {}
        self._stood_in: dict[str, list[Spot]] = {}

    def add(self, what: str, spot: Spot | None = None) -> None:
        self._counts[what] += 1
        if spot is not None:
            self._places.setdefault(what, []).append(spot)

    def stood_in(self, wanted: str, font: str, spot: Spot) -> None:
        """A font the machine does not have, and which was taken for it."""
        self._stood_in.setdefault(f"'{wanted}' ({font} stood in)", []).append(spot)

    def why_empty(self) -> str:
        """A sentence saying what there was instead of something to cut."""
        if not self._counts:
            return "Its model space is empty. Draw something in it, or look whether the parts lie in paper space."
        seen = ", ".join(f"{count} {what}" for what, count in self._counts.most_common(4))
        return f"Left out: {seen}."

    def report(self, to_drawing: Affine) -> list[ReportLine]:
        """A line for each kind of thing, with places mapped into the finished drawing."""
        out = []
        for what, count in self._counts.items():
            places = [to_drawing.point(*spot) for spot in self._places.get(what, [])]
            out.append(_entry(what, count, places))
        for words, spots in self._stood_in.items():
            places = [to_drawing.point(*spot) for spot in spots]
            out.append(left_out("dxf-font", f"The font {words} is not on this machine; check the text.", places=places))
        return out


def _entry(what: str, count: int, places: list[Spot]) -> ReportLine:
    table = {
        "text": (True, f"{counted(count, 'text')} turned into outlines."),
        "POINT": (False, f"{counted(count, 'point')} left out: a point has no outline. Draw circles where holes go."),
        "DIMENSION": (True, f"{counted(count, 'dimension')} left out."),
        "line width": (True, f"{counted(count, 'polyline')} drawn with a width came in as their middle lines."),
        "mesh": (False, f"{counted(count, 'mesh', 'meshes')} left out: only flat drawings can be cut."),
        "block that contains itself": (False, "A block that contains itself was left out there."),
        "missing block": (False, f"{counted(count, 'copy', 'copies')} of blocks that are not in the file left out."),
        "ATTDEF": (True, f"{counted(count, 'attribute definition')} left out."),
        "empty polyline": (True, f"{counted(count, 'polyline')} without extent left out."),
        "empty text": (False, f"{counted(count, 'text')} left out: the font has none of its letters."),
    }
    is_harmless, sentence = table.get(what, (what.startswith("invisible"), f"{counted(count, what)} left out."))
    if what == "text":
        return mended("dxf-text", sentence, places)
    return left_out(f"dxf-{what.lower().replace(' ', '-')}", sentence, places=places, is_harmless=is_harmless)
