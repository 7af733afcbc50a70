"""What a reader of SVG notes on its way, and the report it comes to."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from archimetra.artwork.drawing import Scale
from archimetra.artwork.report import ReportLine, Topic, counted, decide, left_out, mended, read, unit_entry
from archimetra.artwork.svg_tree import Node
from archimetra.base.findings import Severity

Place = tuple[float, float]  # mm


class Notes:
    """Sentences about single elements, and counts of what is told once for all of a kind."""

    def __init__(self) -> None:
        self.clipped: list[Place] = []
        self.texts: list[Place] = []
        self.half_open: list[Place] = []  # lines that are filled as well as stroked
        self.stood_in: dict[str, list[Place]] = {}  # texts by the font that was not there
        self._lines: list[ReportLine] = []
        self._left_out: Counter[str] = Counter()
        self._first_line: dict[str, int] = {}

    def note(self, code: str, sentence: str, node: Node) -> None:
        self._lines.append(ReportLine(Topic.READ, code, Severity.NOTE, sentence, place=f"line {node.line}"))

    def caution(self, code: str, sentence: str, node: Node) -> None:
        self._lines.append(ReportLine(Topic.LEFT_OUT, code, Severity.CAUTION, sentence, place=f"line {node.line}"))

    def leave_out(self, what: str, node: Node) -> None:
        self._left_out[what] += 1
        self._first_line.setdefault(what, node.line)

    def report(self, scale: Scale, pictures: int, not_understood: Iterable[str]) -> list[ReportLine]:
        """The report: how the size was read, what is told of many at once, then single elements. ``not_understood`` are rules of
        the style sheet."""
        out = [unit_entry(scale.reason, is_certain=scale.is_certain)]
        for what, count in self._left_out.items():
            out.append(_loss(what, count, f"first at line {self._first_line[what]}"))
        if self.clipped:
            words = f"{counted(len(self.clipped), 'shape')} cut back to the clip around {_it(self.clipped)}."
            out.append(mended("svg-clipped", words, self.clipped))
        if self.texts:
            words = f"{counted(len(self.texts), 'text')} turned into outlines."
            out.append(mended("svg-text-outlines", words, self.texts))
        if self.half_open:
            count = len(self.half_open)
            words = (
                f"{counted(count, 'open line')} {'is' if count == 1 else 'are'} filled as well as stroked, and came in as "
                f"{'a line' if count == 1 else 'lines'}. Where the filled area is meant, close {_it(self.half_open)} (Mend)."
            )
            out.append(decide("svg-open-filled", words, self.half_open))
        for words, places in self.stood_in.items():
            sentence = f"The font {words} is not on this machine; check the text."
            out.append(left_out("svg-font", sentence, places=places))
        if pictures:
            words = f"{counted(pictures, 'picture')} inside the drawing can be traced once the rest has landed."
            out.append(read("svg-picture", words))
        for selector in dict.fromkeys(not_understood):
            out.append(left_out("svg-style", f"The style rule '{selector}' was not understood and not applied."))
        return out + self._lines

    def nothing_to_cut(self, name: str) -> str:
        """Why a file of this name gives nothing."""
        if self._left_out:
            seen = ", ".join(f"{count} {what}" for what, count in self._left_out.most_common(4))
            return f"{name} holds nothing that can be cut ({seen}). Look at the drawing, then export it again."
        if self._lines:
            return f"{name} holds nothing that can be cut. {self._lines[0].text()}"
        return f"{name} holds no shapes. Draw something in it and export it again."


def _it(places: list[Place]) -> str:
    return "it" if len(places) == 1 else "them"


def _loss(what: str, count: int, place: str) -> ReportLine:
    is_one = count == 1
    was = "was" if is_one else "were"
    table: dict[str, tuple[str, bool, str]] = {
        "text": ("svg-text", False, f"{counted(count, 'flowing text')} of an old kind not brought in. Turn it into outlines in the drawing."),
        "linked picture": ("svg-picture", False, f"{counted(count, 'picture')} not brought in: the file only points at {'it' if is_one else 'them'}. Embed pictures to trace them."),
        "hidden": ("svg-hidden", True, f"{counted(count, 'hidden element')} left out."),
        "unpainted": ("svg-unpainted", True, f"{counted(count, 'shape')} without fill and stroke left out."),
        "straight close": ("svg-closed", True, f"{counted(count, 'filled outline')} {was} open and closed with a straight line, as SVG fills it."),
        "empty": ("svg-empty", True, f"{counted(count, 'shape')} without extent left out."),
        "clip-path": ("svg-clip", False, f"{counted(count, 'clip')} not applied: what it clips came in whole."),
        "mask": ("svg-mask", False, f"{counted(count, 'mask')} not applied."),
    }  # fmt: skip
    if what in table:
        code, is_harmless, sentence = table[what]
        return left_out(code, sentence, place=place, is_harmless=is_harmless)
    return left_out("svg-unknown", f"{counted(count, f'{what} element')} not brought in.", place=place)
