"""The bits a new job and a new rack begin with. The rack's have first recipes for every material."""

from __future__ import annotations

import msgspec

from archimetra.job.bits import Bit, BitKind, Flutes, MaterialRecipe, Recipe
from archimetra.job.ids import BitId
from archimetra.job.materials import Material
from archimetra.job.recipes import first_recipe

STARTER_BITS: tuple[Bit, ...] = (
    Bit(id=BitId("bit1"), name="6 mm straight", diameter=6.0, cutting_length=25.0, place=0,
        recipe=Recipe(spindle_rpm=16000.0, feed=1800.0, plunge=600.0, depth_per_pass=3.8)),
    Bit(id=BitId("bit2"), name="3 mm straight", diameter=3.0, cutting_length=14.0, place=1,
        recipe=Recipe(spindle_rpm=18000.0, feed=1200.0, plunge=400.0, depth_per_pass=1.5)),
    Bit(id=BitId("bit3"), name="1.5 mm straight", diameter=1.5, cutting_length=6.0, place=2,
        recipe=Recipe(spindle_rpm=20000.0, feed=700.0, plunge=250.0, depth_per_pass=0.7)),
)  # fmt: skip

_MORE: tuple[Bit, ...] = (
    Bit(id=BitId("bit4"), name="60° V", kind=BitKind.VEE, diameter=12.7, cutting_length=11.0, angle=60.0, tip_flat=0.1),
    Bit(id=BitId("bit5"), name="90° V", kind=BitKind.VEE, diameter=12.7, cutting_length=6.4, angle=90.0, tip_flat=0.2),
    Bit(id=BitId("bit6"), name="6 mm ball", kind=BitKind.BALL, diameter=6.0, cutting_length=25.0),
    Bit(id=BitId("bit7"), name="1 mm tapered ball", kind=BitKind.TAPERED_BALL, diameter=6.0, cutting_length=30.0, angle=9.0,
        tip_ball=1.0),
    Bit(id=BitId("bit8"), name="5 mm drill", kind=BitKind.DRILL, diameter=5.0, cutting_length=45.0, shank=5.0, angle=118.0),
    Bit(id=BitId("bit9"), name="3 mm drill", kind=BitKind.DRILL, diameter=3.0, cutting_length=33.0, shank=3.0, angle=118.0),
    Bit(id=BitId("bit10"), name="6 mm up-cut", diameter=6.0, cutting_length=30.0, twist=Flutes.UP),
    Bit(id=BitId("bit11"), name="6 mm compression", diameter=6.0, cutting_length=22.0, twist=Flutes.COMPRESSION),
    Bit(id=BitId("bit12"), name="9.5 mm keyhole", kind=BitKind.KEYHOLE, diameter=9.5, cutting_length=11.0, neck=4.8,
        head_height=4.0),
    Bit(id=BitId("bit13"), name="12.7 mm dovetail", kind=BitKind.DOVETAIL, diameter=12.7, cutting_length=12.0, angle=28.0,
        neck=6.7, head_height=12.0, can_plunge=False),
    Bit(id=BitId("bit14"), name="25 mm surfacing", kind=BitKind.SURFACING, diameter=25.0, cutting_length=12.0, shank=8.0,
        can_plunge=False),
    Bit(id=BitId("bit15"), name="16 mm T-slot", kind=BitKind.TEE_SLOT, diameter=16.0, cutting_length=20.0, shank=8.0, neck=8.0,
        head_height=8.0, can_plunge=False),
)  # fmt: skip


def starter_rack() -> tuple[Bit, ...]:
    """The rack as shipped: every bit in its place with first recipes."""
    out = []
    for place, bit in enumerate((*STARTER_BITS, *_MORE)):
        recipes = tuple(MaterialRecipe(material=m.value, recipe=first_recipe(bit, m)) for m in Material)
        general = bit.recipe if place < len(STARTER_BITS) else first_recipe(bit, Material.ASH)
        out.append(msgspec.structs.replace(bit, place=place, recipes=recipes, recipe=general, rack_id=str(bit.id)))
    return tuple(out)
