"""The sample job, the Quay tide clock: its drawings, and the job made from them (``build``)."""

from __future__ import annotations

from importlib.resources import files

from archimetra.job.file import JobFile, unpack

FILE = "quay-tide-clock.archimetra"


def artwork(name: str) -> bytes:
    """The bytes of one of the sample's drawings."""
    return files("archimetra.demo").joinpath("artwork", name).read_bytes()


def quay_tide_clock() -> JobFile:
    """The sample as a new document."""
    return unpack(files("archimetra.demo").joinpath(FILE).read_bytes(), name=FILE)
