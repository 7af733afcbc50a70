"""What a kind of cut is in the window."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from archimetra.app.stations.cuts.editor import Editor
from archimetra.app.widgets.cut_sketch import Outline, under_bit
from archimetra.job.bits import Bit
from archimetra.job.cuts import Cut


class FormRow(NamedTuple):
    """``editor`` has its rows, ``words`` says what a cut is in a word or two, ``outline`` what it takes away in section for a bit and an end
    depth. ``shows_passes`` where it goes down in several, ``bit_at_wall`` where the bit goes round within its width."""

    kind: type[Cut]
    editor: type[Editor]
    outline: Callable[[Any, Bit, float], Outline]
    words: Callable[[Any], str]
    shows_passes: bool = True
    bit_at_wall: bool = False


def under_bit_at(cut: Any, bit: Bit, end: float) -> Outline:
    """Of a cut whose bit goes along a line."""
    return under_bit(bit, end)
