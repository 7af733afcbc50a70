"""The shapes of bits against their defining geometry, and what a bit or a recipe may not be."""

from __future__ import annotations

from math import cos, hypot, pi, radians, sin, tan

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from archimetra.edits import rack
from archimetra.job import recipes
from archimetra.job.bits import UNDERCUTS, Bit, BitKind, MaterialRecipe, Recipe
from archimetra.job.ids import BitId
from archimetra.job.materials import Material
from archimetra.job.sheet import Machine
from archimetra.job.starter_rack import starter_rack
from shapes import replace


def bit(kind: BitKind, **fields) -> Bit:
    return Bit(id=BitId("bit1"), name="bit", kind=kind, **({"diameter": 6.0} | fields))


BALLS = st.floats(1.0, 25.0).map(lambda d: bit(BitKind.BALL, diameter=d))
VEES = st.builds(
    lambda d, a, flat: bit(BitKind.VEE, diameter=d, angle=a, tip_flat=flat * d),
    st.floats(3.0, 40.0), st.floats(10.0, 150.0), st.floats(0.0, 0.5),
)  # fmt: skip
TAPERED = st.builds(
    lambda d, a, tip: bit(BitKind.TAPERED_BALL, diameter=d, angle=a, tip_ball=max(tip * d, 0.05)),
    st.floats(3.0, 12.0), st.floats(3.0, 40.0), st.floats(0.05, 0.5),
)  # fmt: skip
DRILLS = st.builds(
    lambda d, a: bit(BitKind.DRILL, diameter=d, angle=a, cutting_length=200.0), st.floats(0.5, 20.0), st.floats(60, 150)
)
SHARES = st.floats(0.0, 1.0)


class TestShapes:
    @given(BALLS, SHARES)
    def test_a_balls_edge_lies_on_its_circle(self, ball, share):
        r = share * ball.radius
        assert hypot(r, ball.radius - ball.rise_at(r)) == pytest.approx(ball.radius)

    @given(VEES, SHARES)
    def test_a_vs_edge_is_a_line_at_half_its_angle_beside_its_flat(self, vee, share):
        flat = vee.tip_flat / 2
        r = flat + share * (vee.radius - flat)
        assert vee.rise_at(r) * tan(radians(vee.angle / 2)) == pytest.approx(r - flat, abs=1e-9)
        assert vee.rise_at(flat * share) == 0

    @given(TAPERED)
    def test_a_tapered_balls_tip_goes_over_into_its_flank_without_a_kink(self, tapered):
        joint, height = tapered.ball_meets_taper
        ball, half = tapered.tip_ball / 2, radians(tapered.angle / 2)
        assert hypot(joint, ball - height) == pytest.approx(ball)  # on the ball
        # the radius to that point is square to the flank
        along = (sin(half), cos(half))
        assert joint * along[0] + (height - ball) * along[1] == pytest.approx(0, abs=1e-9)
        assume(joint + 1e-5 < tapered.radius)
        below, above = tapered.rise_at(joint - 1e-6), tapered.rise_at(joint + 1e-6)
        assert above - below < 1e-5 / tan(half) + 1e-4

    @given(st.one_of(BALLS, VEES, TAPERED, DRILLS), SHARES, SHARES)
    def test_an_edge_never_falls_away_from_the_axis(self, any_bit, one, other):
        low, high = sorted((one, other))
        assert any_bit.rise_at(low * any_bit.radius) <= any_bit.rise_at(high * any_bit.radius) + 1e-12

    @given(st.one_of(BALLS, VEES, TAPERED, DRILLS), st.floats(0.05, 1.0))
    def test_the_width_at_a_depth_is_where_the_edge_has_risen_by_it(self, any_bit, share):
        r = share * any_bit.radius
        depth = any_bit.rise_at(r)
        assume(depth > 1e-6 and r > any_bit.tip_flat / 2 + 1e-6)
        assert any_bit.width_at(depth) == pytest.approx(2 * r, rel=1e-5, abs=1e-5)

    @given(st.one_of(BALLS, VEES, TAPERED, DRILLS), st.floats(0.0, 300.0))
    def test_no_bit_cuts_wider_than_it_is_nor_above_the_wood(self, any_bit, depth):
        assert 0 <= any_bit.width_at(depth) <= any_bit.diameter
        assert any_bit.width_at(-depth) == 0

    @given(DRILLS)
    def test_a_drills_point_is_as_long_as_its_edge_rises(self, drill):
        assert drill.point_length == pytest.approx(drill.rise_at(drill.radius))
        assert drill.width_at(drill.point_length) == pytest.approx(drill.diameter)

    @pytest.mark.parametrize("kind", [BitKind.STRAIGHT, BitKind.SURFACING, *UNDERCUTS])
    def test_flat_bottomed_bits_cut_their_full_width_at_once(self, kind):
        flat = bit(kind)
        assert flat.width_at(0.01) == flat.diameter
        assert flat.rise_at(flat.radius) == flat.point_length == 0


class TestLimits:
    @pytest.mark.parametrize(
        ("fields", "words"),
        [
            ({"diameter": 0.0}, "0.05 to 200 mm wide"),
            ({"diameter": float("nan")}, "0.05 to 200 mm wide"),
            ({"cutting_length": -1.0}, "cuts along"),
            ({"shank": float("inf")}, "shank"),
            ({"flutes": 0}, "1 to 12 flutes"),
            ({"angle": 180.0}, "angle"),
            ({"kind": BitKind.VEE, "tip_flat": 6.0}, "flat is narrower"),
            ({"kind": BitKind.TAPERED_BALL, "tip_ball": 6.0}, "ball tip is narrower"),
            ({"kind": BitKind.KEYHOLE, "neck": 6.0}, "neck is narrower"),
            ({"kind": BitKind.DOVETAIL, "head_height": 40.0}, "no higher than the bit cuts"),
            ({"place": 100}, "places 0 to 99"),
            ({"holder": -1}, "places 0 to 999"),
        ],
    )
    def test_what_no_bit_can_be_is_refused_in_words(self, fields, words):
        with pytest.raises(ValueError, match=words):
            bit(**({"kind": BitKind.STRAIGHT} | fields))

    @pytest.mark.parametrize(
        ("field", "value", "words"),
        [
            ("spindle_rpm", 0.0, "100 to 100000 rpm"),
            ("feed", float("inf"), "1 to 50000"),
            ("plunge", -600.0, "plunge feed"),
            ("depth_per_pass", 0.0, "0.01 to 200 mm"),
            ("stepover", 1.0, "1 to 95 %"),
        ],
    )
    def test_what_no_recipe_can_be_is_refused_in_words(self, field, value, words):
        with pytest.raises(ValueError, match=words):
            Recipe(**{field: value})


class TestRecipes:
    @given(st.floats(0.5, 25.0), st.sampled_from(list(Material)), st.integers(1, 4))
    def test_a_feed_in_the_range_is_sound_and_one_beside_it_is_named(self, diameter, material, flutes):
        own = bit(BitKind.STRAIGHT, diameter=diameter, flutes=flutes)
        low, high = recipes.chip_range(diameter, material)

        def verdict(load):
            feed = max(load * 5_000 * flutes, 1.0)
            return recipes.judge(own, Recipe(spindle_rpm=5_000, feed=feed), material)

        assert verdict((low + high) / 2).verdict == 0
        thin, thick = verdict(low * 0.9), verdict(high * 1.1)
        assert thin.verdict == -1
        assert "Feed faster" in thin.sentence
        assert thick.verdict == 1
        assert "Feed slower" in thick.sentence

    @given(st.floats(0.5, 12.0), st.sampled_from(list(Material)))
    def test_ranges_grow_with_the_bit_but_slower_than_it(self, diameter, material):
        low, high = recipes.chip_range(diameter, material)
        wide_low, wide_high = recipes.chip_range(2 * diameter, material)
        assert low < wide_low < 2 * low
        assert high < wide_high < 2 * high

    @given(st.floats(5_000, 30_000), st.floats(500, 6_000), st.floats(8_000, 24_000))
    def test_a_held_speed_keeps_the_chip_load_unless_the_feed_is_held_too(self, speed, feed, most):
        machine = Machine(min_rpm=6_000.0, max_rpm=most, max_feed=4_000.0)
        own = bit(BitKind.STRAIGHT)
        meant = Recipe(spindle_rpm=speed, feed=feed)
        held = recipes.limit_to_machine(meant, machine)
        assert machine.min_rpm <= held.recipe.spindle_rpm <= machine.max_rpm
        assert held.recipe.feed <= machine.max_feed
        if held.recipe.feed < machine.max_feed:
            assert own.chip_load(held.recipe) == pytest.approx(own.chip_load(meant))
        changed = (held.recipe.spindle_rpm, held.recipe.feed) != (speed, feed)
        assert bool(held.reasons) == changed

    def test_a_recipe_for_a_material_replaces_only_its_own(self):
        own = bit(BitKind.STRAIGHT)
        for material, feed in ((Material.OAK, 1000.0), (Material.PINE, 3000.0), (Material.OAK, 1200.0)):
            own = recipes.with_recipe(own, material, Recipe(feed=feed), notes=f"{feed:g}")
        assert own.recipe_for(Material.OAK).feed == 1200
        assert own.recipe_for(Material.PINE).feed == 3000
        assert own.recipe_for(Material.MDF) == own.recipe
        assert [entry.material for entry in own.recipes] == [m for m in Material if m in (Material.OAK, Material.PINE)]


class TestShippedRack:
    def test_every_bit_has_its_own_id_name_and_place_and_every_kind_is_there(self):
        bits = starter_rack()
        for field in ("id", "name", "place"):
            assert len({getattr(own, field) for own in bits}) == len(bits)
        assert {own.kind for own in bits} == set(BitKind)

    def test_a_difference_names_its_field_and_both_sides(self):
        own = starter_rack()[0]
        worn = replace(own, diameter=own.diameter - 0.05, recipe=replace(own.recipe, feed=own.recipe.feed + 100))
        found = {d.field: (d.in_job, d.in_rack) for d in rack.compare(worn, own)}
        assert set(found) == {"diameter", "general feed"}
        assert found["diameter"] == (f"{worn.diameter:g}", f"{own.diameter:g}")
        assert rack.compare(replace(own, place=7, id=BitId("bit99")), own) == ()

    def test_a_material_missing_on_one_side_is_a_difference(self):
        own = bit(BitKind.STRAIGHT)
        with_oak = replace(own, recipes=(MaterialRecipe(material=Material.OAK, recipe=Recipe()),))
        (difference,) = rack.compare(own, with_oak)
        assert difference.in_job == "none"
        assert "rpm" in difference.in_rack

    def test_turning_a_bit_never_changes_how_much_it_takes(self):
        """Chip load times edges times speed is the feed again: what the formula is turned round to."""
        for own in starter_rack():
            load = own.chip_load(own.recipe)
            assert load * own.flutes * own.recipe.spindle_rpm == pytest.approx(own.recipe.feed)
            assert 0 < load * 2 * pi < own.diameter
