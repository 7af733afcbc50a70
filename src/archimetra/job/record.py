"""What every part of the document is."""

from __future__ import annotations

import msgspec


class Record(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A frozen part of the document. A field it does not know is refused: passed over, a renamed one would become its default
    without a word, and board after board be cut by it. Older files are brought up to date first (``migrations``)."""
