"""Recipes: what chip load is sound for a bit in a material, a first recipe to test from, and what the machine makes of one.

**Where the ranges come from.** They are the spread of what makers and shops commonly give for carbide router bits of about
6 mm, rounded by us: the low end is about where an edge begins to rub instead of cut (a router bit's edge is some hundredths
of a mm round once it has run), the high end what stiff industrial machines take. They scale with the diameter to the power
of 0.8, which fits tables that list 3, 6 and 12 mm side by side to about a fifth. They are starting points, not
limits: how well a machine is built, how the bit is clamped and how sharp it is count for more. A test piece finds what is right.
"""

from __future__ import annotations

from math import isfinite

import msgspec

from archimetra.job.bits import UNDERCUTS, Bit, BitKind, MaterialRecipe, Recipe
from archimetra.job.materials import AnyMaterial, Material
from archimetra.job.sheet import Machine

REFERENCE_DIAMETER = 6.0
SCALING = 0.8

# mm per edge and turn at 6 mm: where rubbing begins, and what a stiff machine takes
CHIP_LOADS: dict[Material, tuple[float, float]] = {
    Material.PINE: (0.05, 0.25),
    Material.ASH: (0.04, 0.20),
    Material.OAK: (0.04, 0.20),
    Material.WALNUT: (0.04, 0.20),
    Material.BIRCH_PLY: (0.05, 0.22),
    Material.CEDAR: (0.05, 0.25),
    Material.MDF: (0.06, 0.28),
    Material.LINOLEUM: (0.04, 0.20),
    Material.FOAM: (0.08, 0.60),
    Material.ACRYLIC: (0.05, 0.18),
    Material.ALUMINIUM: (0.012, 0.05),
}
# how deep a pass may be, as a share of the diameter, and a spindle speed to begin with at 6 mm
PASS_SHARES: dict[Material, float] = {
    Material.PINE: 0.8, Material.ASH: 0.6, Material.OAK: 0.55, Material.WALNUT: 0.6,
    Material.BIRCH_PLY: 0.6, Material.MDF: 0.7, Material.ACRYLIC: 0.4, Material.ALUMINIUM: 0.12,
    Material.CEDAR: 0.8, Material.LINOLEUM: 0.6, Material.FOAM: 2.0,
}  # fmt: skip
SPEEDS: dict[Material, float] = {Material.ACRYLIC: 14_000.0, Material.ALUMINIUM: 14_000.0}
COMMON_SPEED = 16_000.0


class Judgement(msgspec.Struct, frozen=True):
    """A chip load against its range: ``verdict`` is -1 thin, 0 sound, 1 thick."""

    load: float
    low: float
    high: float
    verdict: int
    sentence: str


class MachineLimits(msgspec.Struct, frozen=True):
    """A recipe as the machine will run it, and what was changed for its sake."""

    recipe: Recipe
    reasons: tuple[str, ...]
    share: float = 1.0  # of the spindle speed asked for

    def feed_of(self, asked: float, machine: Machine) -> float:
        """Another feed of the same cut, such as a finishing pass's, held in the same way."""
        return max(min(asked * self.share, machine.max_feed), 1.0)


def chip_range(diameter: float, material: AnyMaterial) -> tuple[float, float]:
    """Sound chip loads for a diameter in a material, mm."""
    low, high = CHIP_LOADS[material.like]
    share = (diameter / REFERENCE_DIAMETER) ** SCALING
    return low * share, high * share


def judge(bit: Bit, recipe: Recipe, material: AnyMaterial) -> Judgement:
    """Whether the chip load is sound, in a sentence."""
    load = bit.chip_load(recipe)
    low, high = chip_range(working_diameter(bit), material)
    if load < low:
        verdict, words = -1, "thin: the edge rubs and gets hot. Feed faster or turn slower."
    elif load > high:
        verdict, words = 1, "thick: the bit is loaded hard. Feed slower or turn faster."
    else:
        verdict, words = 0, "sound."
    return Judgement(load, low, high, verdict, f"Chip load {load:.3f} mm is {words}")


def working_diameter(bit: Bit) -> float:
    """The diameter that does most of the work: a V bit or a tapered ball cuts near its tip."""
    if bit.kind is BitKind.VEE:
        return max(bit.tip_flat, bit.diameter / 3)
    if bit.kind is BitKind.TAPERED_BALL:
        return max(bit.tip_ball, bit.diameter / 3)
    return bit.neck if bit.kind in UNDERCUTS else bit.diameter


def first_recipe(bit: Bit, material: AnyMaterial, machine: Machine | None = None) -> Recipe:
    """A recipe to begin testing from: a third of the way into the range, at a middling speed."""
    diameter = working_diameter(bit)
    low, high = chip_range(diameter, material)
    speed = SPEEDS.get(material.like, COMMON_SPEED)
    if bit.kind is BitKind.DRILL:
        speed = 7000.0
    elif diameter < 3:
        speed *= 1.2
    elif diameter > 16:
        speed *= 0.7
    if machine is not None:
        speed = min(max(speed, machine.min_rpm), machine.max_rpm)
    load = low + (high - low) / 3
    feed = load * speed * bit.flutes
    feed = max(60.0, min(feed, Machine().max_feed if machine is None else machine.max_feed))
    depth = max(0.1, PASS_SHARES[material.like] * diameter)
    if bit.kind is BitKind.SURFACING:
        depth = 1.0 if material.like is not Material.ALUMINIUM else 0.2
    elif bit.kind in UNDERCUTS:
        depth = bit.cutting_length
    plunge = feed if bit.kind is BitKind.DRILL else feed / 3  # a drill does nothing but plunge
    stepover = (
        0.7 if bit.kind is BitKind.SURFACING else 0.1 if bit.kind in (BitKind.BALL, BitKind.TAPERED_BALL) else 0.4
    )
    return Recipe(
        spindle_rpm=round(speed, -2),
        feed=_two_figures(feed),
        plunge=_two_figures(plunge),
        depth_per_pass=round(min(depth, bit.cutting_length), 2),
        stepover=stepover,
    )


def limit_to_machine(recipe: Recipe, machine: Machine) -> MachineLimits:
    """The recipe within the machine's limits. A spindle held to its limits takes the feed along with it, so that the chip
    load stays; a feed the machine cannot reach makes the chip thinner, and says so."""
    reasons = []
    speed = min(max(recipe.spindle_rpm, machine.min_rpm), machine.max_rpm)
    share = speed / recipe.spindle_rpm
    feed, plunge = recipe.feed, recipe.plunge
    if speed != recipe.spindle_rpm:
        feed = feed * share
        plunge = plunge * min(share, 1.0)
        reasons.append(
            f"The machine turns {machine.min_rpm:g} to {machine.max_rpm:g} rpm: {recipe.spindle_rpm:g} becomes {speed:g}, "
            f"and the feed goes with it from {recipe.feed:.0f} to {feed:.0f} mm/min so that the chip load stays."
        )
    if feed > machine.max_feed:
        reasons.append(
            f"The machine feeds at most {machine.max_feed:g} mm/min: the chip load falls to "
            f"{100 * machine.max_feed / feed:.0f} % of what was meant."
        )
        feed = machine.max_feed
    if plunge > machine.max_feed:
        reasons.append(
            f"The machine feeds at most {machine.max_feed:g} mm/min: the plunge of {plunge:.0f} is held to that."
        )
    plunge = min(plunge, machine.max_feed)
    changed = msgspec.structs.replace(recipe, spindle_rpm=speed, feed=max(feed, 1.0), plunge=max(plunge, 1.0))
    return MachineLimits(changed, tuple(reasons), share)


def with_recipe(bit: Bit, material: AnyMaterial, recipe: Recipe, *, notes: str = "", result: str = "") -> Bit:
    """The bit with this recipe for a material, the others as they were; standard materials first, in their order."""
    entry = MaterialRecipe(material=material.value, recipe=recipe, notes=notes, result=result)
    others = tuple(e for e in bit.recipes if e.material != entry.material)
    order = [m.value for m in Material]
    rank = {name: k for k, name in enumerate(order)}
    entries = tuple(sorted((*others, entry), key=lambda e: rank.get(e.material, len(order))))
    return msgspec.structs.replace(bit, recipes=entries)


def _two_figures(value: float) -> float:
    assert isfinite(value)
    step = 10.0 if value < 1000 else 50.0
    return max(step, round(value / step) * step)
