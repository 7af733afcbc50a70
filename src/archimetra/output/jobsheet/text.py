"""A job sheet as plain text, for a screen or a printer that knows nothing else."""

from __future__ import annotations

import textwrap

from archimetra.output.jobsheet.content import BoardSheet, FileRow, JobSheet

WIDTH = 100


def as_text(sheet: JobSheet) -> str:
    """The whole sheet, lines of at most ``WIDTH`` letters."""
    lines = [
        sheet.name,
        "=" * min(len(sheet.name), WIDTH),
        "",
        f"Machine: {sheet.machine}",
        f"Files for: {sheet.controller}",
        f"Time: {sheet.time}",
    ]
    for board in sheet.boards:
        lines += ["", "", board.name, "-" * min(len(board.name), WIDTH), *_board(board, str(sheet.unit))]
    return (
        "\n".join(part for line in lines for part in (textwrap.wrap(line, WIDTH, subsequent_indent="    ") or [""]))
        + "\n"
    )


def _board(board: BoardSheet, unit: str) -> list[str]:
    lines = [
        f"Sheet: {board.sheet}, {board.thickness}", f"Held: {board.hold_down}", f"X Y zero: {board.zero_xy}", f"Z zero: {board.zero_z}",
        f"Time: {board.time}",
    ]  # fmt: skip
    if board.findings:
        lines += ["", "Before you cut:", *(f"  {severity.value}: {words}" for severity, words in board.findings)]
    lines += ["", "In order:", *(f"  {number}. {step}" for number, step in enumerate(board.steps, 1))]
    for row in board.files:
        lines += ["", *_file(row, unit)]
    if board.parts:
        share = f", {100 * board.yield_share:.0f} % of the sheet" if board.yield_share is not None else ""
        lines += ["", f"Parts{share}:", *(f"  {row.here} of {row.wanted} {row.name}" for row in board.parts)]
    lines += ["", *(f"Note: {note}" for note in board.notes)] if board.notes else []
    return lines


def _file(row: FileRow, unit: str) -> list[str]:
    lines = [f"File {row.number}: {row.name}", f"  Bits: {', '.join(f'{bit.letter} {bit.name}' for bit in row.bits)}"]
    if row.reach:
        lines.append(f"  Reaches: {row.reach}; {row.deepest} deep; {row.time}; {row.lines} lines")
    for cut in row.cuts:
        lines.append(
            f"  {cut.bit.letter} {cut.name}: {cut.depth} {unit} deep, {cut.step} a pass; {cut.speed} rpm, feed {cut.feed}, "
            f"plunge {cut.plunge} {unit}/min; {cut.time}"
        )
    return lines
