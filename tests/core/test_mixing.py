"""Recipes and the mixing desk: known answers, volumes that add up, amounts linear in the area."""

import copy
import inspect
import tomllib
from dataclasses import replace
from importlib import resources

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from eproba.core import catalogue
from eproba.core.applying.comparing import added, carbon_warnings, warnings
from eproba.core.brewing.ingredients import RecipeError, ingredient_from
from eproba.core.brewing.kitchen import Equipment, Kit, as_measured, cans, fillings, measured, too_weak_for
from eproba.core.brewing.mixing import (
    MixError,
    Want,
    as_made,
    brew_minutes,
    differs,
    in_batch_unit,
    in_n,
    ingredient_alone,
    mix,
    parts_as_written,
    pot_litres,
    pot_size,
)
from eproba.core.brewing.recipe import Portion, Recipe, in_the_way_of, recipe_entry, recipe_from
from eproba.core.brewing.water import on_water
from eproba.core.catalogue import cautions, equipment, ingredients, measures, promises, recipes
from eproba.core.keys import as_shipped, check_values
from eproba.core.measuring.measures import MeasureError, measure_from
from eproba.core.planning.claims import promise_from
from eproba.core.quantities import QuantityError, Units, celsius, in_base

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
    found = ingredient_alone(mix(ALL["sugar-ferment"], Want(units=6, per_unit_litres=1.0)))
    assert [(each.name, each.grams) for each in found.alone] == [
        ("Unrefined sugar (jaggery)", pytest.approx(6 / 11 * 50))
    ]
    assert found.note == ""


@pytest.mark.parametrize(
    ("key", "names", "note"),
    [
        ("diluted-whey", ["Milk sugar (lactose)"], ""),
        ("rice-water", ["Starch"], ""),
        ("stale-bread-steep", ["Starch"], ""),
        ("molasses-water", ["Unsulphured molasses"], "This is the treatment itself: compare it with plain water."),
        ("clippings-sugar-yeast", ["Sugar"], ""),
        ("comfrey-steep", [], "Hardly any sugar is in it: plain water is the control that asks the same."),
        ("greens-sugar-juice", [], "Hardly any sugar is in it: plain water is the control that asks the same."),
        ("aquarium-water", [], "Hardly any sugar is in it: plain water is the control that asks the same."),
    ],
)
def test_the_ingredient_alone_by_its_own_name_or_why_it_is_none(key, names, note):
    found = ingredient_alone(mix(ALL[key], Want(area_m2=10)))
    assert ([each.name for each in found.alone], found.note) == (names, note)


@pytest.mark.parametrize(
    ("key", "amount", "unit", "taken"),
    [
        ("compost-top-dressing", 3, "kg", 5.0),  # litres of compost: 0.6 kg each
        ("compost-top-dressing", 5, "L", 5.0),
        ("compost-top-dressing", 2, "handful", 0.4),
        ("growing-media", 1.2, "kg", 3.0),
        ("wool-mulch", 1, "L", 0.05),  # kilograms of wool
        ("wool-mulch", 400, "g", 0.4),
        ("sugar-ferment", 250, "mL", 0.25),
    ],
)
def test_what_is_spread_is_measured_as_its_batch_is(key, amount, unit, taken):
    assert in_batch_unit(ALL[key], amount, unit) == pytest.approx(taken)


def test_what_really_went_in_is_what_is_poured():
    ferment, used = ALL["sugar-ferment"], {"jaggery": 0.3, "topsoil": 0.1, "water": 2.0}
    assert differs(ferment, used, 2.0) == ["0.3 kg of unrefined sugar (jaggery) for 0.1 kg"]
    assert differs(ferment, {"jaggery": 0.11}, 2.0) == [], "a tenth is what a scale leaves open"
    meant, really = (mix(recipe, Want(area_m2=1)) for recipe in (ferment, as_made(ferment, used, 2.0)))
    assert really.loads.easy_carbon_g == pytest.approx(3 * meant.loads.easy_carbon_g, rel=1e-3)
    assert as_made(ferment, {}, 2.0) == ferment
    assert as_made(ferment, {"jaggery": 0.0}, 2.0).portions[0].ingredient.key == "topsoil", "none of it went in"


def test_minutes_grow_with_the_amount_and_cost_as_well():
    assert [brew_minutes(YEAST, litres) for litres in (2.0, 4.0, 0.0)] == [10.0, 15.0, 5.0]


@pytest.mark.parametrize(
    ("key", "school", "changed"),
    [
        ("clippings-sugar-yeast", "Without yeast", {"hours": (96, 144)}),
        ("aerated-compost-brew", "Undiluted", {"parts": (1, 0)}),
        ("greens-sugar-juice", "Cool shade", {"hours": (96, 168), "temperature": (15, 20)}),
        ("sugar-ferment", "Weekly first", {}),
        ("sugar-ferment", "nobody", {}),
    ],
)
def test_a_batch_in_the_way_of_a_school(key, school, changed):
    found = in_the_way_of(ALL[key], school)
    assert {name: getattr(found, name) for name in changed} == changed
    assert (found == ALL[key]) == (not changed)
    if school == "Without yeast":
        assert "dry_yeast" not in [each.ingredient.key for each in found.portions]


def test_schools_put_molasses_for_sugar_and_five_handfuls_into_twenty_litres():
    molasses = in_the_way_of(ALL["sugar-ferment"], "Molasses for the sugar")
    assert [each.ingredient.key for each in molasses.portions] == ["molasses", "topsoil", "water"]
    thin = mix(in_the_way_of(ALL["compost-extract"], "Thin"), Want(units=1, per_unit_litres=20))
    assert 5 <= thin.amounts[0].amount <= 6


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
        ("white_sugar", 37.5, "g", Kit(scale_g=5), "3 tbsp (45 mL)"),
        ("white_sugar", 3.2, "g", Kit(scale_g=5), "¾ tsp (3.75 mL)"),
        ("white_sugar", 1250, "g", Kit(), "1.25 kg"),
        ("white_sugar", 50, "g", Kit("US"), "1.75 oz"),
        ("white_sugar", 1, "kg", Kit("US"), "2 lb 3.5 oz"),
        ("water", 1.364, "L", Kit(), "1.35 L"),
        ("water", 3.79, "L", Kit("US"), "1 gal"),
        ("molasses", 30, "mL", Kit(), "2 tbsp (30 mL)"),
        ("compost", 9.4, "handful", Kit(), "9 ½ handfuls"),
    ],
)
def test_amounts_are_what_the_kit_can_measure(key, amount, unit, kit, text):
    assert measured(Portion(ingredients()[key], amount, unit), kit).text == text


def test_what_the_kit_can_not_measure_is_made_in_a_larger_amount():
    tiny = measured(Portion(ingredients()["stale_bread"], 0.1, "g"), Kit(scale_g=5))
    assert (tiny.text, tiny.coarse) == ("5 g for 50 times as much, of which you use 1 part in 50", False)
    never = measured(Portion(ingredients()["stale_bread"], 0.001, "g"), Kit(scale_g=1000))
    assert (never.text, never.coarse) == ("0.001 g: too little for your kit", True)


def test_the_can_says_how_strong_it_really_is():
    can = cans(mix(ALL["rice-rinse-ferment"], Want(area_m2=7.5)), Kit())
    assert (can.count, can.concentrate.text, can.water.text) == (2, "680 mL", "6.8 L")
    assert can.really == pytest.approx(10, abs=0.1)
    little = cans(mix(ALL["greens-sugar-juice"], Want(area_m2=0.5)), Kit())
    assert little.concentrate.text == "¾ tsp (3.75 mL) for 2 times as much, of which you use half"
    assert little.really == pytest.approx(500, rel=0.1)
    assert cans(mix(ALL["wool-mulch"], Want(area_m2=1)), Kit()) is None


def test_what_was_rounded_enters_strength_and_loads():
    meant = mix(ALL["sugar-ferment"], Want(area_m2=1.0))
    really = as_measured(meant, Kit(jug_ml=100, scale_g=10))
    can = cans(meant, Kit(jug_ml=100, scale_g=10))
    assert really.parts[1] == pytest.approx(can.really)
    jaggery = measured(meant.amounts[0], Kit(jug_ml=100, scale_g=10))
    more = (1 + jaggery.error) * (1 + can.concentrate.error)
    assert really.loads.easy_carbon_g == pytest.approx(meant.loads.easy_carbon_g * more, rel=1e-3)
    assert really.application_litres == pytest.approx(2.0, rel=0.1)
    dry = as_measured(mix(ALL["wool-mulch"], Want(area_m2=1.1)), Kit(scale_g=100))
    assert dry.amounts[0].amount == pytest.approx(400)


@pytest.mark.parametrize("key", ALL)
@pytest.mark.parametrize("area", [0.5, 2.0, 10.0])
@pytest.mark.parametrize("system", ["metric", "US"])
def test_every_recipe_is_measured_within_a_tenth_or_it_is_told(key, area, system):
    kit = Kit(system)
    mixed = mix(ALL[key], Want(area_m2=area))
    for each in mixed.amounts:
        assert each.ingredient.piece or abs(measured(each, kit).error) <= 0.1, each
    can = cans(mixed, kit)
    if can is not None:
        assert abs(can.concentrate.error) <= 0.1
        assert abs(can.water.error) <= 0.1


def test_fillings_hold_what_stays_in_the_vessel_each_time():
    for each in equipment().values():
        count, minutes, wanted = fillings(30, each)
        assert count * each.litres >= wanted - 1e-9
        assert wanted == pytest.approx(30 + count * each.lost)
        assert minutes == count * each.minutes
    assert fillings(30, equipment()["backpack"])[0] == 3, "14.6 L of 15 come out"


def test_equipment_has_its_cautions_and_an_injector_its_limit():
    tools = equipment()
    assert "mist" in tools["spray"].cautions
    assert tools["spray"].rate == 0.1
    assert all("heavy" in tools[key].cautions for key in ("backpack", "tank"))
    hose: Equipment = tools["injector"]
    assert too_weak_for(hose, (1.0, 100.0)) == ""
    assert too_weak_for(hose, (1.0, 500.0)) == (
        "Hose-end injector gives 1 + 100 at most: dilute the concentrate 1 + 4 first, then let it draw that."
    )
    assert too_weak_for(tools["can"], (1.0, 500.0)) == ""


def test_a_pot_has_a_surface_and_a_tenth_of_its_volume():
    surface, volume = pot_size(20.0, 15.0)
    assert (surface, volume) == (pytest.approx(0.0314, abs=1e-4), pytest.approx(4.71, abs=0.01))
    assert mix(YEAST, Want(units=6, per_unit_litres=pot_litres(volume), unit_m2=surface)).loads is not None
    with pytest.raises(MixError, match="up to 200 cm"):
        pot_size(0.0, 15.0)


# --- What is really added -----------------------------------------------------------------------------------


def loads_of(key, letter, area=1.0, **want):
    return added(letter, ALL[key].title, mix(ALL[key], Want(area_m2=area, **want)), 4, {"white_sugar": 1.5}, 5.0)


def test_unequal_water_and_too_much_sugar_are_told():
    fair = [loads_of("yeast-starter", "A"), loads_of("plain-water", "B")]
    assert warnings(fair) == []
    (water,) = warnings([loads_of("yeast-starter", "A"), loads_of("plain-water", "B", rate=1.0)])
    assert "Unequal water: Yeast starter gets 2 L/m², Plain water 1 L/m²" in water
    (pale,) = carbon_warnings(loads_of("sugar-ferment", "A", parts=(1.0, 0.0)))
    assert "much carbon, little nitrogen: microbes may lock up about 1.7 g/m² of nitrogen" in pale, (
        "by the low end of nitrogen"
    )
    at_four = loads_of("sugar-ferment", "A", parts=(1.0, 0.0), rate=4.0)
    assert (at_four.easy_carbon_g, loads_of("sugar-ferment", "A", parts=(1.0, 0.0)).easy_carbon_g) == (
        pytest.approx(69, abs=1),
        pytest.approx(35, abs=1),
    )
    assert carbon_warnings(at_four)[0].startswith("Unrefined-sugar ferment: 69 g/m² of easy carbon in one pour")
    beyond = carbon_warnings(loads_of("sugar-ferment", "A", parts=(1.0, 0.0), rate=4.0))
    assert "beyond the safe band of 40 g/m²" in beyond[0]
    first_lines = [carbon_warnings(replace(at_four, easy_carbon_g=carbon))[0] for carbon in (40.4, 40.6)]
    assert ["beyond" in line for line in first_lines] == [False, True], "40 is told as 40: not beyond 40"
    assert loads_of("yeast-starter", "A").cost is None, "without the price of yeast nobody knows"


def test_prices_and_minutes_are_told_where_known():
    prices = {"white_sugar": 1.5, "dry_yeast": 12.0}
    cost = added("A", "x", mix(YEAST, Want(area_m2=10)), 4, prices, 5.0)
    assert cost.cost == pytest.approx((0.05 * 1.5 + 0.01 * 12) / 10)
    assert cost.minutes == YEAST.minutes + 5, "one batch, as the recipe says"


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
        (lambda: celsius(5000), "5000 °C doesn’t fit"),
        (lambda: in_n(0), "1 in 0 doesn’t fit"),
        (lambda: Want(area_m2=-1), "above 0"),
        (lambda: Want(), "either an area"),
        (lambda: Want(units=3), "how much each unit gets"),
        (lambda: Want(area_m2=1, parts=(0.0, 5.0)), "at least one part of concentrate"),
        (
            lambda: ingredients()["stale_bread"].grams(1, "L"),
            "Stale bread: nobody knows what a litre weighs. Give the mass in g",
        ),
        (
            lambda: ingredients()["white_sugar"].grams(2, "slices"),
            "Sugar: nobody knows what a piece weighs. Give the mass in g.",
        ),
        (lambda: Kit(can_l=0), "can must measure more than 0"),
    ],
)
def test_what_can_not_be_mixed_says_what_to_write(call, said):
    with pytest.raises((QuantityError, MixError, RecipeError), match=said):
        call()


def test_water_kinds_and_what_helps():
    assert on_water("rain", 10) == on_water("well", 10) == "Use it as it is."
    assert "Let it stand open for 24 hours" in on_water("tap with chlorine", 10)
    assert "25 to 40 mg for these 10 L at 1 ppm" in on_water("tap with chloramine", 10)
    assert "25 to 40 mg for these 2.6 gal at 1 ppm" in on_water("tap with chloramine", 10, Units("US"))


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
        ({"portions": [{"ingredient": "stale_bread", "amount": 1, "unit": "L"}]}, "nobody knows what a litre weighs"),
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
    assert kitchen.coarse == (abs(kitchen.error) > 0.1)
    if grams >= 5 * scale:
        assert abs(kitchen.error) <= 0.1


@given(st.floats(0.0002, 0.3) | st.floats(0.002, 500), st.sampled_from([10.0, 50.0]), st.sampled_from(["metric", "US"]))
@example(0.140625, 10.0, "US")  # was half a cup, a sixth too little
def test_a_poured_amount_is_within_a_tenth_and_says_what_it_is(litres_wanted, jug, system):
    kitchen = measured(Portion(ingredients()["water"], litres_wanted, "L"), Kit(system, jug_ml=jug))
    assert abs(kitchen.error) <= 0.1
    metric = any(name in kitchen.text for name in ("gal", "qt", "cup", "fl oz"))
    assert metric <= (system == "US")
    if "(" in kitchen.text and "times" not in kitchen.text:
        number, unit = kitchen.text.split("(")[1].rstrip(")").split()
        told = float(number) * (0.001 if unit == "mL" else 1)
        assert told == pytest.approx(litres_wanted * (1 + kitchen.error), rel=0.006), "a conversion of itself"


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
        ("sugar-ferment", "every week (a poor soil’s first month); every 2 to 3 weeks (else)"),
        ("growing-media", "once"),
    ],
)
def test_how_often_reads_as_gardeners_say_it(key, words):
    assert ALL[key].interval == words


# --- The catalogue's files ----------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("name", "make", "entry", "said"),
    [
        ("cautions.toml", catalogue.text_from, {"text": " "}, "names its hazard or is quiet"),
        ("cautions.toml", catalogue.text_from, {"text": "x", "colour": "red"}, "names its hazard or is quiet"),
        ("schools.toml", catalogue.school_from, {"about": "x", "sides": ["one"], "here": "y"}, "two sides or more"),
        ("schools.toml", catalogue.school_from, {"about": "x", "sides": ["a", 2], "here": "y"}, "all of them texts"),
        ("equipment.toml", catalogue.equipment_from, {"litres": 0}, "missing key"),
        ("measures.toml", measure_from, {"seconds": 5}, "missing key"),
        ("ingredients.toml", ingredient_from, {"name": "x", "sugar": [0, 2], "nitrogen": [0, 0], "source": "s"},
         "sugar 2 can’t be 2"),
        ("ingredients.toml", ingredient_from,
         {"name": "x", "sugar": [0, 0], "nitrogen": [0, 0], "source": "s", "density": "heavy"},
         "density can’t be 'heavy'"),
        ("promises.toml", lambda key, entry: promise_from(key, entry, measures()),
         {"said": "x", "claims": [{"measure": "plant_height", "worth": "much", "decision_day": 9,
                                   "against": "untreated", "tells": "x"}]}, "worth can’t be 'much'"),
    ],
)  # fmt: skip
def test_what_a_file_of_the_catalogue_gets_wrong_is_named_by_file_and_key(name, make, entry, said):
    with pytest.raises(catalogue.CatalogueError) as refused:
        catalogue.made(name, {"odd": entry}, make)
    assert str(refused.value).startswith(f"{name}: odd")
    assert said in str(refused.value)


LOADERS = (
    catalogue.measures, catalogue.calculators, catalogue.promises, catalogue.lessons, catalogue.schools,
    catalogue.cautions, catalogue.ingredients, catalogue.equipment, catalogue.recipes,
)  # fmt: skip


@pytest.mark.parametrize("load", LOADERS, ids=lambda load: load.__name__)
def test_every_file_that_comes_with_eproba_holds_what_it_may(load):
    """At each start they are taken as they stand."""
    assert inspect.unwrap(load)()


@pytest.mark.parametrize(
    "values",
    [
        {"minutes": -1}, {"minutes": 10_001}, {"minutes": 1.0}, {"linear": 1}, {"version": 0}, {"plain_between": 21},
        {"stir_hours": 0.2}, {"keeps_hours": 0.05}, {"portions": ()}, {"parts": (0.0, 1.0)}, {"parts": (1.0, -1.0)},
        {"parts": (float("nan"), 1.0)}, {"title": "x" * 81}, {"title": ""}, {"phases": ("x",) * 41},
    ],
    ids=str,
)  # fmt: skip
def test_each_bound_of_a_recipe_holds_for_what_somebody_types(values):
    with pytest.raises(RecipeError, match="can’t be"):
        check_values("own", values, Recipe, RecipeError)


def test_a_shipped_file_is_not_checked_again_but_what_somebody_types_is():
    wrong = {"name": "x", "sugar": [0, 2], "nitrogen": [0, 0], "source": "s"}
    with as_shipped():
        assert ingredient_from("odd", wrong).sugar == (0, 2)
    with pytest.raises(RecipeError, match="sugar 2 can’t be 2"):
        ingredient_from("odd", wrong)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"seconds": 0}, "seconds from 1 to 100000"),
        ({"decimals": 7}, "decimals from 0 to 6"),
        ({"decimals": 1.5}, "decimals can’t be 1.5"),
        ({"guard_cm": -1}, "guard_cm from 0 on"),
        ({"noise_cv": 0}, "the usual noise is above 0"),
        ({"noise_cv": "little"}, "noise_cv can’t be 'little'"),
        ({"how": "Measure."}, "how can’t be 'Measure.'"),
        ({"destructive": 1}, "destructive can’t be 1"),
    ],
)
def test_a_measure_of_the_file_has_its_types_and_bounds(change, said):
    entry = catalogue._file("measures.toml")["plant_height"] | change
    with pytest.raises(MeasureError, match=said):
        measure_from("plant_height", entry)


def test_wetness_is_asked_of_a_mulch_against_bare_ground_and_of_a_liquid_against_water():
    found = {claim.against: claim.tells for claim in promises()["holds_water"].claims}
    assert found["untreated"].startswith("A mulch:")
    assert found["water control"].startswith("Something poured:")


@pytest.mark.parametrize("key", ["compost-extract", "greens-sugar-juice", "diluted-whey"])
def test_what_may_be_sprayed_has_its_mist_and_what_is_eaten_raw_is_named(key):
    assert {"mist", "raw_leaves"} <= set(ALL[key].all_cautions)


@pytest.mark.parametrize(
    ("key", "caution"),
    [("rice-water", "rice_germs"), ("rice-rinse-ferment", "rice_germs"), ("compost-extract-nitrogen", "poison_gas"),
     ("compost-extract-nitrogen", "raw_manure"), ("aerated-compost-brew", "electricity"),
     ("yeast-starter", "raw_yeast"),
     ("stale-bread-steep", "mouldy_solids"), ("comfrey-steep", "comfrey_hairs"), ("comfrey-steep", "blades"),
     ("diluted-whey", "milk"), ("sugar-ferment", "taste"), ("sugar-woken-compost", "wounds")],
)  # fmt: skip
def test_each_hazard_has_its_caution(key, caution):
    assert caution in ALL[key].all_cautions


@pytest.mark.parametrize(
    ("key", "cautions"),
    [
        *(
            (key, {"wasps"})
            for key in ("greens-sugar-juice", "sugar-ferment", "clippings-sugar-yeast", "yeast-starter")
        ),
        ("molasses-water", {"wasps"}),
        ("sugar-woken-compost", {"wasps"}),
        *((key, {"heavy"}) for key in ("compost-extract", "worm-cast-extract")),
        ("compost-extract-nitrogen", {"heavy", "urine", "raw_manure"}),
        ("aerated-compost-brew", {"fed_brew", "wasps", "electricity"}),
        ("stale-bread-steep", {"taste", "raw_leaves", "poison_gas"}),
        ("rice-water", {"mist"}),
    ],
)
def test_a_caution_stands_where_its_hazard_is(key, cautions):
    assert cautions <= set(recipes()[key].all_cautions)


def test_a_harvest_waits_for_germs_and_no_use_goes_against_its_own_caution():
    assert {key: recipe.germs for key, recipe in recipes().items() if recipe.germs} == {
        "compost-extract-nitrogen": "raw manure, fish or urine", "scrap-steep-layered": "raw manure, fish or urine",
        "aerated-compost-brew": "compost fed with molasses",
    }  # fmt: skip
    assert "as a mist" not in recipes()["rice-water"].use.replace("not as a mist", "")
