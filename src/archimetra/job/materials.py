"""What sheets are made of: the materials every shop has, and those a person adds."""

from __future__ import annotations

from enum import StrEnum

from archimetra.job.record import Record
from archimetra.job.require import require

MOST_LETTERS = 40


class Material(StrEnum):
    """A standard one. For each there are ranges of chip loads and a first recipe (``job.recipes``)."""

    ASH = "ash"
    OAK = "oak"
    WALNUT = "walnut"
    PINE = "pine"
    CEDAR = "cedar"
    BIRCH_PLY = "birch ply"
    MDF = "mdf"
    LINOLEUM = "linoleum"
    FOAM = "foam"
    ACRYLIC = "acrylic"
    ALUMINIUM = "aluminium"

    @property
    def like(self) -> Material:
        return self

    @property
    def label(self) -> str:
        return self.value.upper() if self is Material.MDF else self.value.capitalize()

    @property
    def tones(self) -> tuple[str, str]:
        """Face and grain line."""
        return _TONES[self]


class OwnMaterial(Record, frozen=True, kw_only=True):
    """One a person added. Until a bit has a recipe of its own for it those for the standard material it is ``like`` serve, whose chip loads and
    passes it is judged by. ``tint`` is its colour."""

    name: str
    like: Material = Material.PINE
    tint: str = "#D8C3A0"
    has_grain: bool = True

    def __post_init__(self) -> None:
        require(
            0 < len(self.name.strip()) == len(self.name) <= MOST_LETTERS,
            f"a material has a name of 1 to {MOST_LETTERS} letters",
        )
        require(self.name.casefold() not in _STANDARD, f"{self.name} is among the materials already")
        require(is_colour(self.tint), "a tint is a colour such as #C9A66B")

    @property
    def value(self) -> str:
        """What it is called in a sentence."""
        return self.name

    @property
    def label(self) -> str:
        return self.name[:1].upper() + self.name[1:]

    @property
    def tones(self) -> tuple[str, str]:
        """Face and grain line: the line as much darker than the face as that of the material it is like."""
        return self.tint, darkened(self.tint, *self.like.tones) if self.has_grain else self.tint


AnyMaterial = Material | OwnMaterial

_STANDARD = {material.value.casefold() for material in Material}
_TONES = {
    Material.ASH: ("#E7D5B0", "#CDB486"),
    Material.OAK: ("#D4B27F", "#B08A56"),
    Material.WALNUT: ("#8A6142", "#65432B"),
    Material.PINE: ("#EBD09C", "#D6AC6C"),
    Material.CEDAR: ("#C98F68", "#A66A48"),
    Material.BIRCH_PLY: ("#ECDCBC", "#DDC7A0"),
    Material.MDF: ("#C4A680", "#BC9D76"),
    Material.LINOLEUM: ("#8F8B7B", "#87836F"),
    Material.FOAM: ("#DCE3DA", "#D6DED5"),
    Material.ACRYLIC: ("#CEDEE2", "#C6D8DD"),
    Material.ALUMINIUM: ("#C8CCCE", "#BEC3C6"),
}


def is_colour(text: str) -> bool:
    return len(text) == 7 and text[0] == "#" and all(c in "0123456789abcdefABCDEF" for c in text[1:])


def rgb(colour: str) -> tuple[int, int, int]:
    """Of a colour such as #C9A66B."""
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)


def darkened(colour: str, face: str, line: str) -> str:
    """A colour made darker as ``line`` is than ``face``."""
    parts = zip(rgb(colour), rgb(face), rgb(line), strict=True)
    return "#" + "".join(f"{min(round(own * dark / max(light, 1)), 255):02X}" for own, light, dark in parts)
