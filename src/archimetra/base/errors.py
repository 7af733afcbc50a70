"""The errors a caller cannot go on from. Each message says what, where and what to do about it.

What a person can mend while the rest goes on is not an error but a ``Finding``.
"""

from __future__ import annotations


class ArchimetraError(Exception):
    """Base of every error meant for a person; ``str()`` is one or two plain sentences."""


class CancelledError(ArchimetraError):
    """A newer request made this work pointless."""

    def __init__(self) -> None:
        super().__init__("This was stopped because something newer replaced it.")


class ArtworkError(ArchimetraError):
    """A file from which nothing could be brought in."""


class JobFileError(ArchimetraError):
    """A job file that cannot be read or written."""


class GeometryError(ArchimetraError):
    """A shape for which no sound result could be computed."""


class OutputError(ArchimetraError):
    """G-code that cannot be written or read."""
