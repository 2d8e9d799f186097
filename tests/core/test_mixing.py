"""Recipes and the mixing desk: known answers, volumes that add up, amounts linear in the area."""

import copy
import tomllib
from importlib import resources

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from eproba.core.applying.comparing import added, warnings
from eproba.core.brewing.ingredients import RecipeError, ingredient_from
from eproba.core.brewing.kitchen import EQUIPMENT, Kit, cans, fillings, measured
from eproba.core.brewing.mixing import MixError, Want, in_n, ingredient_alone, mix, parts_as_written, pot_litres
from eproba.core.brewing.recipe import Portion, recipe_entry, recipe_from
from eproba.core.brewing.water import on_water
from eproba.core.catalogue import cautions, ingredients, recipes
from eproba.core.quantities import QuantityError, celsius, in_base, litres

ALL = recipes()
YEAST = ALL["yeast-starter"]


def grams(mixed):
    return {each.ingredient.key: each.grams for each in mixed.amounts}


# --- Known answers ------------------------------------------------------------------------------------------


def test_the_yeast_starter_for_ten_square_metres_is_the_craft_s_own():
    mixed = mix(YEAST, Want(area_m2=10))
    assert grams(mixed) == pytest.approx({"dry_yeast": 10, "white_sugar": 50, "water": 2000})
    assert (mixed.application_litres, mixed.concentrate_litres, mixed.water_litres) == pytest.approx((20, 2, 18))
    assert mixed.loads.easy_carbon_g == pytest.approx(50 * 0.42 / 10)
    assert mixed.loads.water_l == pytest.approx(2)


@pytest.mark.parametrize(
    ("key", "wanted"),
    [
        ("sugar-ferment", {"jaggery": 1000 / 11, "topsoil": 1000 / 11, "water": 20_000 / 11}),
        ("rice-rinse-ferment", {"rice_rinsed": 200 * 20 / 11, "water": 20_000 / 11}),
        ("greens-sugar-juice", {"soft_greens": 2000 / 501, "brown_sugar": 2000 / 501, "water": 20_000 / 501}),
        ("molasses-water", {"molasses": 20 * 12 * 1.4, "water": 20_000}),
        ("sugar-woken-compost", {"compost": 10_000, "white_sugar": 500, "water": 4000}),
        ("stale-bread-steep", {"stale_bread": 10 * 2.5 * 35, "water": 40_000}),
        ("compost-top-dressing", {"compost": 50 * 600}),
    ],
)
def test_ten_square_metres_of_what_the_craft_writes(key, wanted):
    assert grams(mix(ALL[key], Want(area_m2=10))) == pytest.approx(wanted)


def test_the_sugar_alone_is_as_strong_as_in_the_brew():
    mixed = mix(ALL["sugar-ferment"], Want(units=6, per_unit_litres=1.0))
    (sugar,) = ingredient_alone(mixed)
    assert (sugar.name, sugar.grams) == ("Unrefined sugar (jaggery)", pytest.approx(6 / 11 * 50))
    (little,) = ingredient_alone(mix(ALL["comfrey-steep"], Want(area_m2=10)))
    assert little.name == "Sugar"
    assert little.grams == pytest.approx(20 / 11 / 9 * 1000 * 0.0125)
    assert ingredient_alone(mix(ALL["aquarium-water"], Want(area_m2=10))) == []


# --- What must hold for every recipe ------------------------------------------------------------------------


@pytest.mark.parametrize("key", ALL)
@given(area=st.sampled_from([0.5, 7.5, 100.0]), times=st.floats(0.01, 50))
def test_volumes_add_up_and_amounts_are_linear(key, area, times):
    recipe = ALL[key]
    one, many = mix(recipe, Want(area_m2=area)), mix(recipe, Want(area_m2=area * times))
    factor = times if recipe.linear else 1.0
    for a, b in zip(one.amounts, many.amounts, strict=True):
        assert b.amount == pytest.approx(a.amount * factor)
    if recipe.liquid:
        assert one.concentrate_litres + one.water_litres == pytest.approx(one.application_litres)
        assert one.application_litres == pytest.approx(area * recipe.rate[1])
        assert one.litres_per_m2 == pytest.approx(one.loads.water_l)
        assert one.water_litres * one.parts[0] == pytest.approx(one.concentrate_litres * one.parts[1])
    else:
        assert {one.application_litres, one.litres_per_m2, one.concentrate_litres, one.water_litres} == {None}
    if recipe.linear:
        assert one.loads.easy_carbon_g == pytest.approx(many.loads.easy_carbon_g)
    assert 0 <= one.loads.nitrogen_g[0] <= one.loads.nitrogen_g[1]


@pytest.mark.parametrize("key", ALL)
def test_every_recipe_is_whole_and_stays_under_the_band(key):
    recipe = ALL[key]
    mixed = mix(recipe, Want(area_m2=1))
    assert mixed.loads.easy_carbon_g < 40, "the usual rate is never beyond the safe band"
    assert recipe.all_cautions
    assert recipe.why.endswith(".")
    assert recipe_from(key, recipe_entry(recipe), ingredients(), cautions()) == recipe, "out and in again"
    units = mix(recipe, Want(units=3, per_unit_litres=0.25))
    assert units.loads is None
    assert mix(recipe, Want(units=3, per_unit_litres=0.25, unit_m2=0.1)).loads is not None


def test_every_recipe_of_the_craft_is_there():
    assert len(ALL) >= 24
    disagree = [recipe for recipe in ALL.values() if len(recipe.schools) >= 2]
    assert len(disagree) >= 10
    assert {"wool-mulch", "plain-water", "bean-test", "diluted-whey", "compost-top-dressing"} <= set(ALL)
    assert ALL["rice-rinse-ferment"].ready["smell"] == ("mildly sour",)
    assert "sharply sour" in ALL["stale-bread-steep"].ready["smell"]
    assert "sharply sour" in ALL["sugar-woken-compost"].away["smell"], "ready for one, throw away for another"


# --- Kitchen and can ----------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("key", "amount", "unit", "kit", "text"),
    [
        ("white_sugar", 37.5, "g", Kit(), "38 g"),
        ("white_sugar", 37.5, "g", Kit(scale_g=5), "40 g"),
        ("white_sugar", 3.2, "g", Kit(scale_g=5), "¾ tsp (3.75 mL)"),
        ("white_sugar", 1250, "g", Kit(), "1.25 kg"),
        ("white_sugar", 50, "g", Kit("US"), "1.8 oz (50 g)"),
        ("water", 1.364, "L", Kit(), "1.35 L"),
        ("water", 3.79, "L", Kit("US"), "1 gal (3.8 L)"),
        ("molasses", 30, "mL", Kit(), "2 tbsp (30 mL)"),
        ("compost", 9.4, "handful", Kit(), "9 ½ handfuls"),
    ],
)
def test_amounts_are_what_the_kit_can_measure(key, amount, unit, kit, text):
    assert measured(Portion(ingredients()[key], amount, unit), kit).text == text


def test_what_the_kit_can_not_measure_is_said():
    tiny = measured(Portion(ingredients()["stale_bread"], 0.1, "g"), Kit(scale_g=5))
    assert "too little for your scale" in tiny.text
    assert tiny.coarse


def test_the_can_says_how_strong_it_really_is():
    can = cans(mix(ALL["rice-rinse-ferment"], Want(area_m2=7.5)), Kit())
    assert (can.count, can.concentrate.text, can.water.text) == (2, "680 mL", "6.8 L")
    assert can.really == pytest.approx(10, abs=0.1)
    weak = cans(mix(ALL["greens-sugar-juice"], Want(area_m2=0.5)), Kit())
    assert abs(weak.really - 500) > 50, "two millilitres can't be measured well: it is told"
    assert cans(mix(ALL["wool-mulch"], Want(area_m2=1)), Kit()) is None


def test_fillings_hold_what_stays_in_the_vessel():
    for equipment in EQUIPMENT:
        count, minutes, wanted = fillings(30, equipment)
        assert count * equipment.litres >= wanted >= 30
        assert minutes == count * equipment.minutes


# --- What is really added -----------------------------------------------------------------------------------


def loads_of(key, letter, area=1.0, **want):
    return added(letter, ALL[key].title, mix(ALL[key], Want(area_m2=area, **want)), 4, {"white_sugar": 1.5}, 5.0)


def test_unequal_water_and_too_much_sugar_are_told():
    fair = [loads_of("yeast-starter", "A"), loads_of("plain-water", "B")]
    assert warnings(fair) == []
    (water,) = warnings([loads_of("yeast-starter", "A"), loads_of("plain-water", "B", rate=1.0)])
    assert "Unequal water: Yeast starter gets 2 L a square metre, Plain water 1 L" in water
    (pale,) = warnings([loads_of("sugar-ferment", "A", parts=(1.0, 0.0))])
    assert "much carbon, little nitrogen: microbes may lock up about 1." in pale
    beyond = warnings([loads_of("sugar-ferment", "A", parts=(1.0, 0.0), rate=4.0)])
    assert "beyond the safe band of 40 g" in beyond[0]
    assert loads_of("yeast-starter", "A").cost is None, "without the price of yeast nobody knows"


def test_prices_and_minutes_are_told_where_known():
    prices = {"white_sugar": 1.5, "dry_yeast": 12.0}
    cost = added("A", "x", mix(YEAST, Want(area_m2=10)), 4, prices, 5.0)
    assert cost.cost == pytest.approx((0.05 * 1.5 + 0.01 * 12) / 10)
    assert cost.minutes == YEAST.minutes + 5


# --- Words and units ----------------------------------------------------------------------------------------


def test_both_readings_of_one_to_n_are_shown():
    used, other = parts_as_written((1.0, 10.0))
    assert (used.said, used.parts, used.used) == ("1 to 10", (1.0, 10.0), True)
    assert "11 in all" in used.means
    assert (other.parts, other.used) == ((1.0, 9.0), False)
    assert [each.means for each in parts_as_written((1.0, 0.0))] == ["all concentrate, no water"]
    assert in_n(20) == (1.0, 19)
    assert pot_litres(3.0) == pytest.approx(0.3)


@pytest.mark.parametrize(
    ("amount", "unit", "value"),
    [(2, "kg", 2000), (1, "US cup", 0.236588), (1, "metric cup", 0.25), (1, "UK cup", 0.284131), (3, "tsp", 0.015),
     (1, "US gallon", 3.785412), (2, "oz mass", 56.699), (5, "slices", 5)],
)  # fmt: skip
def test_kitchen_units_are_what_they_are(amount, unit, value):
    assert in_base(amount, unit)[0] == pytest.approx(value, rel=1e-5)


@pytest.mark.parametrize(
    ("call", "said"),
    [
        (lambda: in_base(1, "cup"), "means different things: write US cup"),
        (lambda: in_base(1, "oz"), "oz mass .* or UK fl oz"),
        (lambda: in_base(1, "smidgen"), "no unit known here"),
        (lambda: in_base(-1, "g"), "0 or more"),
        (lambda: litres("2 kg"), "is no volume"),
        (lambda: litres("lots"), "with its unit"),
        (lambda: celsius(5000), "5000 °C can't be"),
        (lambda: in_n(0), "1 in 0 can't be"),
        (lambda: Want(area_m2=-1), "above 0"),
        (lambda: Want(), "either an area"),
        (lambda: Want(units=3), "how many litres"),
        (lambda: Want(area_m2=1, parts=(0.0, 5.0)), "at least one part of concentrate"),
        (lambda: ingredients()["stale_bread"].grams(1, "L"), "has no density: give its mass"),
        (lambda: ingredients()["white_sugar"].grams(2, "slices"), "is not counted"),
        (lambda: Kit(can_l=0), "can must measure more than 0"),
    ],
)
def test_what_can_not_be_mixed_says_what_to_write(call, said):
    with pytest.raises((QuantityError, MixError, RecipeError), match=said):
        call()


def test_water_kinds_and_what_helps():
    assert on_water("rain", 10).stand_hours == 0
    assert on_water("tap with chlorine", 10).stand_hours == 24
    chloramine = on_water("tap with chloramine", 10)
    assert chloramine.stand_hours == 0
    assert "25 to 40 mg" in chloramine.text


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"colour": "green"}, "unknown key colour"),
        ({"kind": "potion"}, "kind can’t be 'potion': input should be 'drench', 'dry', 'medium' or 'test'"),
        ({"sure": "very"}, "sure can’t be 'very'"),
        ({"parts": [0, 5]}, "parts 1 can’t be 0: input should be greater than 0"),
        ({"parts": [1, -1]}, "parts 2 can’t be -1"),
        ({"parts": [1]}, "parts 2 can’t be"),
        ({"yields": 0}, "yields can’t be 0"),
        ({"yields": float("inf")}, "yields can’t be inf: input should be a finite number"),
        ({"keeps_hours": -3}, "keeps_hours can’t be -3: input should be greater than or equal to 0.1"),
        ({"stir_hours": 0}, "stir_hours can’t be 0: input should be greater than or equal to 0.25"),
        ({"phases": [{"days": [7]}]}, "phases: days 2 can’t be"),
        ({"phases": [{"days": [14, 7]}]}, "the days of a phase go from fewest to most"),
        ({"phases": [{"days": [7, 7], "until": 0}]}, "until can’t be 0"),
        ({"phases": [7]}, "phases is a list of tables"),
        ({"portions": "water"}, "portions is a list of tables"),
        ({"portions": [{"ingredient": "water", "amount": True, "unit": "L"}]}, "amount can’t be True"),
        ({"portions": [{"ingredient": "water", "amount": -1, "unit": "L"}]}, "amount can’t be -1"),
        ({"portions": [{"ingredient": "water", "amount": 1, "unit": "L"}] * 41}, "portions can’t be"),
        ({"title": 5}, "title can’t be 5"),
        ({"title": "x" * 81}, "title can’t be"),
        ({"minutes": 1.5}, "minutes can’t be 1.5"),
        ({"linear": "no"}, "linear can’t be 'no'"),
        ({"hours": [True, 4]}, "hours 1 can’t be True"),
        ({"hours": [4, 3]}, "hours go from fewer to more"),
        ({"temperature": [50, 20]}, "temperature goes from lower to higher"),
        ({"temperature": [0, 81]}, "temperature 2 can’t be 81"),
        ({"ready": {"smell": "sweet"}}, "ready smell can’t be 'sweet'"),
        ({"version": 0}, "version can’t be 0"),
        ({"why": "x" * 3001}, "why can’t be"),
        ({"rate": [3, 2, 1]}, "least, usual, most"),
        ({"ready": {"smell": ["purple"]}}, "the sign smell is one of"),
        ({"brew": [{"do": "x", "cautions": ["dragons"]}]}, "unknown caution dragons"),
        ({"brew": [], "apply": [], "cautions": []}, "at least one caution"),
        ({"portions": [{"ingredient": "gold", "amount": 1, "unit": "g"}]}, "unknown ingredient gold"),
        ({"portions": [{"ingredient": "stale_bread", "amount": 1, "unit": "L"}]}, "has no density"),
        ({"phases": []}, "phases say how often"),
    ],
)
def test_a_recipe_that_contradicts_itself_is_refused_by_name(change, said):
    text = resources.files("eproba.core.catalogue").joinpath("recipes/sugar.toml").read_text()
    entry = copy.deepcopy(tomllib.loads(text)["yeast-starter"]) | change
    with pytest.raises((RecipeError, QuantityError), match=said):
        recipe_from("mine", entry, ingredients(), cautions())
    with pytest.raises(RecipeError, match="sugar is a share"):
        ingredient_from("x", {"name": "x", "sugar": [0.5, 0.1], "nitrogen": [0, 0], "source": "y"})


# --- Rounding -----------------------------------------------------------------------------------------------


@given(
    st.floats(0.5, 20_000), st.sampled_from([0.1, 1.0, 5.0]), st.sampled_from([0.625, 1.25, 5.0]),
    st.sampled_from(["metric", "US"]),
)  # fmt: skip
def test_a_weighed_amount_is_never_far_off_without_being_told(grams, scale, spoon, system):
    kitchen = measured(Portion(ingredients()["white_sugar"], grams, "g"), Kit(system, scale, spoon))
    told = abs(kitchen.error) > 0.15
    assert kitchen.coarse == told
    assert kitchen.text
    if grams >= 4 * scale:
        assert abs(kitchen.error) <= 0.13, "half a step of four"


@given(st.floats(0.002, 0.3) | st.floats(0.002, 500), st.sampled_from([10.0, 50.0]), st.sampled_from(["metric", "US"]))
@example(0.140625, 10.0, "US")  # was half a cup, a sixth too little
def test_a_poured_amount_is_within_half_a_step_of_the_jug(litres_wanted, jug, system):
    kitchen = measured(Portion(ingredients()["water"], litres_wanted, "L"), Kit(system, jug_ml=jug))
    if 1000 * litres_wanted >= 5 * jug:
        assert abs(kitchen.error) <= 0.14
        assert ("L" in kitchen.text) or ("mL" in kitchen.text)
        by_spoon = "tbsp" in kitchen.text
        assert by_spoon <= (1000 * litres_wanted < 236)
        assert any(name in kitchen.text for name in ("gal", "qt", "cup")) == (system == "US" and not by_spoon)


@given(st.floats(0.1, 400), st.one_of(st.just(0.0), st.floats(0.5, 600)), st.floats(1, 20))
def test_cans_hold_the_whole_application(area, water_parts, can):
    told = mix(ALL["comfrey-steep"], Want(area_m2=area, parts=(1.0, water_parts)))
    filled = cans(told, Kit(can_l=can))
    assert filled.count * filled.litres == pytest.approx(told.application_litres)
    assert filled.litres <= can + 1e-6
    if filled.really is not None and not filled.concentrate.coarse:
        assert filled.really == pytest.approx(water_parts, rel=0.35)


@pytest.mark.parametrize(
    ("key", "words"),
    [
        ("comfrey-steep", "every week to 3 weeks"),
        ("rice-water", "every 2 to 3 weeks"),
        ("yeast-starter", "every 2 to 4 weeks"),
        ("wool-mulch", "at most every 90 days"),
        ("molasses-water", "every 4 weeks"),
        ("sugar-ferment", "every week (poor soil’s first month); every 2 to 3 weeks (then)"),
        ("growing-media", "once"),
    ],
)
def test_how_often_reads_as_gardeners_say_it(key, words):
    assert ALL[key].interval == words


def test_phases_give_the_fewest_days_of_their_time():
    ferment = ALL["sugar-ferment"]
    assert [ferment.fewest_days(day) for day in (0, 27, 28, 100)] == [7, 7, 14, 14]
