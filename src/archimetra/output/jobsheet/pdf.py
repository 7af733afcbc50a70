"""A job sheet as PDF, A4 or Letter: a page for a simple board, more where there are more files."""

from __future__ import annotations

import io
from collections.abc import Sequence
from functools import cache
from importlib.resources import files
from math import cos, radians, sin
from typing import Any

import numpy as np
from PIL import Image as Pixels
from reportlab.graphics.shapes import Circle, Drawing, Group, Line, Polygon, PolyLine, Rect, String
from reportlab.lib.colors import Color, HexColor
from reportlab.lib.pagesizes import A4, LETTER
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import (
    Flowable,
    Image,
    KeepTogether,
    PageBreak,
    Paragraph,
    SimpleDocTemplate,
    Spacer,
    Table,
    TableStyle,
)

from archimetra.base.findings import Severity
from archimetra.job.bits import Bit
from archimetra.job.hues import bit_colour
from archimetra.job.quantities import Unit, format_length
from archimetra.job.setups import box_turned, turned
from archimetra.job.sheet import FixtureKind, Sheet
from archimetra.output.jobsheet.content import BoardSheet, FileRow, JobSheet, SectionProfile
from archimetra.stock.bit_profile import silhouette

PAPERS = {"a4": A4, "letter": LETTER}
_MARGIN = 13 * mm
_QUALITY = 88
_PADDING = 6.0  # of a page's frame
_INK, _QUIET, _LINE, _ACCENT = HexColor("#22302F"), HexColor("#6C7672"), HexColor("#D8D1C2"), HexColor("#1F7A6C")
_WOOD, _STOP, _CAUTION = HexColor("#EAD9B6"), HexColor("#C8452D"), HexColor("#A8700F")
_FACES = {"Plex": "Regular", "Plex-Medium": "Medium", "Plex-Bold": "SemiBold"}


def as_pdf(sheet: JobSheet, *, paper: str = "a4") -> bytes:
    """The pages. ``paper`` is "a4" or "letter"."""
    _fonts()
    out = io.BytesIO()
    size = PAPERS[paper]
    document = SimpleDocTemplate(
        out, pagesize=size, leftMargin=_MARGIN, rightMargin=_MARGIN, topMargin=17 * mm, bottomMargin=13 * mm, title=f"{sheet.name}: job sheet",
        author="Archimetra", invariant=1,
    )  # fmt: skip
    width = size[0] - 2 * _MARGIN - 2 * _PADDING
    story: list[Flowable] = []
    for number, board in enumerate(sheet.boards):
        if number:
            story.append(PageBreak())
        story += _board(sheet, board, width)

    def frame(canvas: Any, shown: Any) -> None:
        canvas.saveState()
        canvas.setFont("Plex", 8)
        canvas.setFillColor(_QUIET)
        y = size[1] - 11 * mm
        canvas.drawString(_MARGIN + _PADDING, y, f"{sheet.name}  ·  {sheet.machine}  ·  files for: {sheet.controller}")
        canvas.drawRightString(size[0] - _MARGIN - _PADDING, y, f"page {shown.page}")
        canvas.setStrokeColor(_LINE)
        canvas.line(_MARGIN + _PADDING, y - 3, size[0] - _MARGIN - _PADDING, y - 3)
        canvas.restoreState()

    document.build(story or [Paragraph("Nothing is cut.", _style())], onFirstPage=frame, onLaterPages=frame)
    return out.getvalue()


@cache
def _fonts() -> None:
    folder = files("archimetra") / "app" / "theme" / "fonts"
    for name, face in _FACES.items():
        pdfmetrics.registerFont(TTFont(name, io.BytesIO((folder / f"IBMPlexSans-{face}.ttf").read_bytes())))
    pdfmetrics.registerFontFamily("Plex", normal="Plex", bold="Plex-Bold", italic="Plex", boldItalic="Plex-Bold")


def _style(
    size: float = 9, *, font: str = "Plex", colour: Color = _INK, after: float = 0, indent: float = 0
) -> ParagraphStyle:
    return ParagraphStyle(
        f"{font}{size}{colour}{after}{indent}", fontName=font, fontSize=size, leading=size * 1.32, textColor=colour, spaceAfter=after,
        leftIndent=indent,
    )  # fmt: skip


def _text(words: str, style: ParagraphStyle) -> Paragraph:
    return Paragraph(words.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;"), style)


# ---- a board


def _board(sheet: JobSheet, board: BoardSheet, width: float) -> list[Flowable]:
    story: list[Flowable] = [
        _text(board.name, _style(17, font="Plex-Bold", after=1)),
        _text(f"{board.sheet}, {board.thickness}  ·  {board.time}", _style(9.5, colour=_QUIET, after=5)),
        _top(sheet, board, width),
    ]
    if board.findings:
        story += [Spacer(1, 6), *_findings(board)]
    story += [Spacer(1, 7), _text("In order", _style(10.5, font="Plex-Bold", after=2))]
    for number, step in enumerate(board.steps, 1):
        story.append(_text(f"{number}.  {step}", _style(9, after=1.5, indent=0)))
    story.append(Spacer(1, 5))
    for row in board.files:
        story.append(KeepTogether([_file(row, width, sheet.unit), Spacer(1, 4)]))
    for section in board.sections:
        story.append(KeepTogether([Spacer(1, 4), _section(section, board.board.sheet, sheet.unit, width)]))
    if board.parts:
        share = f", {100 * board.yield_share:.0f} % of the sheet" if board.yield_share is not None else ""
        story += [Spacer(1, 4), _text(f"Parts{share}", _style(10.5, font="Plex-Bold", after=1))]
        story += [_text(f"{row.here} of {row.wanted}  {row.name}", _style(9)) for row in board.parts]
    for note in board.notes:
        story.append(_text(f"Note: {note}", _style(9)))
    return story


def _top(sheet: JobSheet, board: BoardSheet, width: float) -> Flowable:
    """The drawing of how it lies, beside pictures of how it comes out."""
    left, right = 0.5 * width, 0.5 * width - 8
    column: list[Flowable] = [_lying(board, sheet.unit, left - 6)]
    pictures: list[Flowable] = []
    for png, high in ((board.plan_png, 0.48), (board.tilted_png, 0.36)):
        if png:
            pictures.append(_picture(png, right, right * high))
            pictures.append(Spacer(1, 4))
    facts = [("X Y zero", board.zero_xy), ("Z zero", board.zero_z), ("Held", board.hold_down)]
    table = Table(
        [[_text(name, _style(8.5, colour=_QUIET)), _text(words, _style(9))] for name, words in facts],
        colWidths=[48, left - 54],
    )
    table.setStyle(_TIGHT)
    column += [Spacer(1, 4), table]
    whole = Table([[column, pictures or [""]]], colWidths=[left, width - left], hAlign="LEFT")
    whole.setStyle(
        TableStyle(
            [
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LEFTPADDING", (0, 0), (-1, -1), 0),
                ("RIGHTPADDING", (0, 0), (-1, -1), 6),
            ]
        )
    )
    return whole


_TIGHT = TableStyle(
    [
        ("VALIGN", (0, 0), (-1, -1), "TOP"),
        ("LEFTPADDING", (0, 0), (-1, -1), 0),
        ("TOPPADDING", (0, 0), (-1, -1), 1),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 1),
    ]
)


def _picture(png: bytes, width: float, height: float) -> Image:
    """A picture within this room, as JPEG: wood does not pack well otherwise."""
    with Pixels.open(io.BytesIO(png)) as pixels:
        wide, high = pixels.size
        packed = io.BytesIO()
        pixels.convert("RGB").save(packed, "JPEG", quality=_QUALITY)
    scale = min(width / wide, height / high)
    packed.seek(0)
    picture = Image(packed, width=wide * scale, height=high * scale)
    picture.hAlign = "LEFT"
    return picture


def _findings(board: BoardSheet) -> list[Flowable]:
    colours = {Severity.STOP: _STOP, Severity.CAUTION: _CAUTION, Severity.NOTE: _QUIET}
    return [
        _text(
            f"{severity.value.capitalize()}: {words}", _style(9, font="Plex-Medium", colour=colours[severity], after=1)
        )
        for severity, words in board.findings
    ]


# ---- a file


def _file(row: FileRow, width: float, unit: Unit) -> Flowable:
    head = Table(
        [
            [
                _badges(row.bits),
                _text(f"{row.number}   {row.name}", _style(10, font="Plex-Bold")),
                _text(row.time, _style(10, font="Plex-Bold")),
            ]
        ],
        colWidths=[16 * max(len(row.bits), 1) + 6, width - 16 * max(len(row.bits), 1) - 62, 56],
    )
    head.setStyle(
        TableStyle(
            [
                ("VALIGN", (0, 0), (-1, -1), "MIDDLE"),
                ("LINEABOVE", (0, 0), (-1, 0), 0.6, _LINE),
                ("LEFTPADDING", (0, 0), (0, 0), 0),
            ]
        )
    )
    parts: list[Flowable] = [head]
    facts = f"{row.reach};  {row.deepest} deep;  {row.lines} lines" if row.reach else row.again
    parts.append(_text(facts, _style(8.5, colour=_QUIET, after=2)))
    if row.cuts:
        u = str(unit)
        data: list[list[Any]] = [
            ["", "Cut", f"Depth {u}", f"A pass {u}", "rpm", f"Feed {u}/min", f"Plunge {u}/min", "Time"]
        ]
        for cut in row.cuts:
            data.append(
                [
                    _bit(cut.bit),
                    _text(cut.name, _style(8.5)),
                    cut.depth,
                    cut.step,
                    cut.speed,
                    cut.feed,
                    cut.plunge,
                    cut.time,
                ]
            )
        wide = [22.0, width - 22 - 6 * 58, *([58.0] * 6)]
        table = Table(data, colWidths=wide, repeatRows=1, hAlign="LEFT")
        table.setStyle(
            TableStyle(
                [
                    ("FONT", (0, 0), (-1, 0), "Plex", 7.5), ("TEXTCOLOR", (0, 0), (-1, 0), _QUIET), ("FONT", (2, 1), (-1, -1), "Plex", 8.5),
                    ("TEXTCOLOR", (2, 1), (-1, -1), _INK), ("ALIGN", (2, 0), (-1, -1), "RIGHT"), ("VALIGN", (0, 0), (-1, -1), "MIDDLE"),
                    ("TOPPADDING", (0, 0), (-1, -1), 1), ("BOTTOMPADDING", (0, 0), (-1, -1), 1), ("LEFTPADDING", (0, 0), (1, -1), 0),
                ]
            )
        )  # fmt: skip
        parts.append(table)
    holder = Table([[parts]], colWidths=[width], hAlign="LEFT")
    holder.setStyle(
        TableStyle(
            [
                ("LEFTPADDING", (0, 0), (-1, -1), 0),
                ("RIGHTPADDING", (0, 0), (-1, -1), 0),
                ("TOPPADDING", (0, 0), (-1, -1), 0),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 0),
            ]
        )
    )
    return holder


def _badges(bits: Sequence[Bit]) -> Drawing:
    """A round badge with the letter of each bit."""
    drawing = Drawing(16 * max(len(bits), 1), 14)
    for k, bit in enumerate(bits):
        x = 16 * k + 7
        drawing.add(Circle(x, 7, 6.5, fillColor=HexColor(bit_colour(bit.place)), strokeColor=None))
        drawing.add(
            String(
                x, 4.2, bit.letter, fontName="Plex-Bold", fontSize=8, fillColor=HexColor("#FFFFFF"), textAnchor="middle"
            )
        )
    return drawing


def _bit(bit: Bit) -> Drawing:
    """The silhouette of a bit, its letter beside it."""
    outline, is_cutting = silhouette(bit)
    high, wide = 16.0, 9.0
    scale = min(high / float(outline[:, 1].max()), wide / 2 / max(float(outline[:, 0].max()), 1e-6))
    drawing = Drawing(20, 17)
    for k in range(len(outline) - 1):
        (r0, z0), (r1, z1) = outline[k] * scale, outline[k + 1] * scale
        fill = HexColor(bit_colour(bit.place)) if is_cutting[k] else HexColor("#8B9396")
        drawing.add(Polygon([5 - r0, z0, 5 + r0, z0, 5 + r1, z1, 5 - r1, z1], fillColor=fill, strokeColor=None))
    drawing.add(String(14, 4, bit.letter, fontName="Plex-Bold", fontSize=8, fillColor=_INK, textAnchor="middle"))
    return drawing


# ---- how the board lies


def _lying(board: BoardSheet, unit: Unit, width: float) -> Drawing:
    """The sheet with its sizes, zero, clamps and pins, to scale and turned as it lies, as it is seen from the front of the machine. One that is cut in
    several setups is drawn as a whole."""
    given, sheet = board.board, board.board.sheet
    turns = given.quarter_turns if len(board.setups) < 2 else 0
    x0, y0, x1, y1 = box_turned((0.0, 0.0, sheet.width, sheet.height), turns)
    room = 30.0
    scale = min((width - 2 * room) / (x1 - x0), 0.62 * (width - 2 * room) / (y1 - y0))
    wide, high = (x1 - x0) * scale, (y1 - y0) * scale
    drawing = Drawing(width, high + 2 * room)
    ox, oy = (width - wide) / 2, room
    body = Group(
        Rect(0, 0, sheet.width * scale, sheet.height * scale, fillColor=_WOOD, strokeColor=_INK, strokeWidth=0.8)
    )
    if sheet.outline:
        body = Group(
            *(
                Polygon(
                    (path.flatten(0.2) * scale).ravel().tolist(), fillColor=_WOOD, strokeColor=_INK, strokeWidth=0.8
                )
                for path in sheet.outline
            )
        )
    for shape in given.shapes:
        for path in shape.placed():
            points = path.flatten(0.2) * scale
            if len(points) > 1:
                body.add(PolyLine(points.ravel().tolist(), strokeColor=_QUIET, strokeWidth=0.35))
    for fixture in given.fixtures:
        x, y = fixture.x * scale, fixture.y * scale
        if fixture.kind is FixtureKind.CLAMP:
            c, s = cos(radians(fixture.degrees)), sin(radians(fixture.degrees))
            w, h = fixture.width * scale / 2, fixture.height * scale / 2
            ring = [v for a, b in ((-w, -h), (w, -h), (w, h), (-w, h)) for v in (x + a * c - b * s, y + a * s + b * c)]
            body.add(Polygon(ring, fillColor=HexColor("#687476"), strokeColor=_INK, strokeWidth=0.5))
        else:
            body.add(
                Circle(
                    x,
                    y,
                    max(fixture.width * scale / 2, 1.5),
                    fillColor=HexColor("#687476"),
                    strokeColor=_INK,
                    strokeWidth=0.5,
                )
            )
    for setup in board.setups:
        for x, y in setup.pins:
            body.add(Circle(x * scale, y * scale, 2.2, fillColor=None, strokeColor=_ACCENT, strokeWidth=1.0))
    body.translate(ox - x0 * scale, oy - y0 * scale)
    body.rotate(90 * turns)
    drawing.add(body)
    zero_x, zero_y = turned(*given.zero.point(sheet), turns)
    mark = Group(_zero_mark(0, 0))
    mark.translate(ox + (zero_x - x0) * scale, oy + (zero_y - y0) * scale)
    drawing.add(mark)
    sizes = [f"{format_length(sheet.width, unit)} {unit} (X)", f"{format_length(sheet.height, unit)} {unit} (Y)"]
    if turns % 2:  # the letters are the board's own
        sizes.reverse()
    for words, x, y, is_upright in (
        (sizes[0], ox + wide / 2, oy - 22, False), (sizes[1], ox - 18, oy + high / 2, True),
    ):  # fmt: skip
        label = Group(String(0, 0, words, fontName="Plex", fontSize=8, fillColor=_INK, textAnchor="middle"))
        label.translate(x, y)
        if is_upright:
            label.rotate(90)
        drawing.add(label)
    drawing.add(_size_line(ox, oy - 12, ox + wide, oy - 12))
    drawing.add(_size_line(ox - 12, oy, ox - 12, oy + high))
    drawing.add(String(ox + wide + 5, oy - 1, "front", fontName="Plex", fontSize=7.5, fillColor=_QUIET))
    return drawing


def _zero_mark(x: float, y: float) -> Group:
    """Where X and Y are zero: a plumb bob with its arrows."""
    mark = Group(
        Line(0, 0, 22, 0, strokeColor=_STOP, strokeWidth=1.1), Line(0, 0, 0, 22, strokeColor=_STOP, strokeWidth=1.1),
        Polygon([22, -2.5, 27, 0, 22, 2.5], fillColor=_STOP, strokeColor=None), Polygon([-2.5, 22, 0, 27, 2.5, 22], fillColor=_STOP, strokeColor=None),
        Circle(0, 0, 3.2, fillColor=HexColor("#FFFFFF"), strokeColor=_STOP, strokeWidth=1.1),
        String(30, -2.5, "X", fontName="Plex-Bold", fontSize=7.5, fillColor=_STOP), String(4, 22, "Y", fontName="Plex-Bold", fontSize=7.5, fillColor=_STOP),
    )  # fmt: skip
    mark.translate(x, y)
    return mark


def _size_line(x0: float, y0: float, x1: float, y1: float) -> Group:
    across = (0.0, 3.0) if y0 == y1 else (3.0, 0.0)
    return Group(
        Line(x0, y0, x1, y1, strokeColor=_INK, strokeWidth=0.5),
        *(
            Line(x - across[0], y - across[1], x + across[0], y + across[1], strokeColor=_INK, strokeWidth=0.5)
            for x, y in ((x0, y0), (x1, y1))
        ),
    )


def _section(section: SectionProfile, sheet: Sheet, unit: Unit, width: float) -> Drawing:
    """The finished board cut along a section line, depths drawn up to three times as large as widths."""
    left = 26.0
    across = (width - left - 10) / section.length
    down = min(3 * across, 60.0 / sheet.thickest)
    high = sheet.thickest * down
    drawing = Drawing(width, high + 26)
    base = 10.0
    n = len(section.heights)
    s = np.linspace(0.0, section.length, n)
    z = np.clip(section.heights, -sheet.thickest, 0.0) + sheet.thickest
    keep = np.ones(n, dtype=bool)
    keep[1:-1] = (np.abs(np.diff(z)[:-1]) > 1e-3) | (np.abs(np.diff(z)[1:]) > 1e-3)
    top = np.column_stack((left + s[keep] * across, base + z[keep] * down))
    ring = [left + section.length * across, base, left, base]
    drawing.add(Polygon([*top.ravel().tolist(), *ring], fillColor=_WOOD, strokeColor=_INK, strokeWidth=0.6))
    words = f"Section {section.letter}-{section.letter}′"
    if down > 1.02 * across:
        words += f", depth x{down / across:.1f}"
    drawing.add(String(0, base + high + 6, words, fontName="Plex-Medium", fontSize=8.5, fillColor=_INK))
    for depth in (0.0, sheet.thickest):
        drawing.add(
            String(left - 4, base + (sheet.thickest - depth) * down - 2.5, format_length(depth, unit), fontName="Plex", fontSize=7, fillColor=_QUIET, textAnchor="end")
        )  # fmt: skip
    return drawing
