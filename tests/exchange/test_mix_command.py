"""`eproba mix` and `eproba recipes`: consistent for every recipe, the promised JSON, one line for what can't be."""

import json

import pytest
from click.testing import CliRunner

from eproba.cli import main
from eproba.core.brewing.kitchen import Kit, cans, measured
from eproba.core.brewing.mixing import Want, mix
from eproba.core.catalogue import recipes

ALL = recipes()
KEYS = [
    "recipe", "area_m2", "application_litres", "litres_per_m2", "parts", "readings", "concentrate_litres",
    "water_litres", "ingredients", "steps", "loads_per_m2", "cautions",
]  # fmt: skip


def run(*options):
    return CliRunner().invoke(main, list(options))


def mixed(*options):
    result = run("mix", *options, "--json")
    assert result.exit_code == 0, result.stderr
    assert result.stderr == ""
    return json.loads(result.stdout, parse_constant=lambda word: pytest.fail(f"{word} is no JSON"))


@pytest.mark.parametrize("name", ALL)
def test_every_recipe_is_consistent_at_half_a_bed_a_bed_and_a_field(name):
    small, usual, large = (mixed(name, "--area", area) for area in ("0.5", "7,5", "100"))
    for told, area in ((small, 0.5), (usual, 7.5), (large, 100)):
        assert list(told) == KEYS
        assert told["area_m2"] == area
        assert told["cautions"]
        assert told["steps"]
        assert all(set(each) == {"name", "amount", "unit", "kitchen"} for each in told["ingredients"])
        assert all(each["kitchen"] for each in told["ingredients"])
        assert set(told["loads_per_m2"]) == {"water_l", "easy_carbon_g", "nitrogen_g"}
        low, high = told["loads_per_m2"]["nitrogen_g"]
        assert 0 <= low <= high
        if ALL[name].liquid:
            whole = told["concentrate_litres"] + told["water_litres"]
            assert whole == pytest.approx(told["application_litres"])
            assert told["litres_per_m2"] * area == pytest.approx(told["application_litres"])
            assert told["loads_per_m2"]["water_l"] == pytest.approx(told["litres_per_m2"])
            share = told["parts"]["concentrate"] / sum(told["parts"].values())
            assert told["concentrate_litres"] == pytest.approx(share * whole)
            assert [reading["used"] for reading in told["readings"]].count(True) == 1
        else:
            litres = ("application_litres", "litres_per_m2", "concentrate_litres", "water_litres")
            assert [told[key] for key in litres] == [None] * 4
    grown = 200 if ALL[name].linear else 1
    for a, b in zip(small["ingredients"], large["ingredients"], strict=True):
        assert b["amount"] == pytest.approx(grown * a["amount"])


def test_the_yeast_starter_as_its_growers_write_it():
    told = mixed("yeast-starter", "--area", "10")
    amounts = {each["name"]: (each["amount"], each["unit"], each["kitchen"]) for each in told["ingredients"]}
    assert amounts == {
        "Dry yeast": (10, "g", "10 g"), "Sugar": (50, "g", "50 g"), "Water": (2, "L", "2 L"),
    }  # fmt: skip
    assert told["parts"] == {"concentrate": 1, "water": 9}
    assert told["loads_per_m2"]["easy_carbon_g"] == pytest.approx(2.1)
    assert any("Mix 2 L of it with 18 L of water." in step for step in told["steps"])


def test_units_without_a_surface_have_no_loads():
    told = mixed("comfrey-steep", "--units", "12", "--per-unit-litres", "0.25")
    assert (told["area_m2"], told["litres_per_m2"], told["loads_per_m2"]) == (None, None, None)
    assert told["application_litres"] == 3
    known = mixed("comfrey-steep", "--units", "12", "--per-unit-litres", "0.25", "--unit-area", "0.1")
    assert known["litres_per_m2"] == pytest.approx(2.5)
    assert known["loads_per_m2"]["water_l"] == pytest.approx(2.5)


@pytest.mark.parametrize("name", ["yeast-starter", "wool-mulch", "greens-sugar-juice", "bean-test"])
def test_the_readable_text_says_the_same(name):
    words = run("mix", name, "--area", "7.5").stdout
    recipe = ALL[name]
    assert words.startswith(recipe.title)
    assert ("To pour:" in words) == recipe.liquid
    assert words.count("\n! ") == len(recipe.all_cautions)
    assert "A square metre gets" in words


def test_recipes_are_listed_by_short_names():
    listed = json.loads(run("recipes", "--json").stdout)
    assert [set(each) for each in listed] == [{"name", "title", "kind"}] * len(ALL)
    assert [each["name"] for each in listed] == list(ALL)
    assert not any(" " in each["name"] for each in listed)
    assert run("recipes").stdout.count("\n") == len(ALL)


@pytest.mark.parametrize(
    ("options", "said"),
    [
        (["potion", "--area", "1"], "there is no recipe potion; there are greens-sugar-juice"),
        (["yeast-starter", "--area", "-2"], "an area above 0"),
        (["yeast-starter", "--area", "wide"], "not a number"),
        (["yeast-starter"], "either an area, or units"),
        (["yeast-starter", "--area", "1", "--units", "3"], "either an area"),
        (["yeast-starter", "--units", "3"], "how much each unit gets"),
        (["yeast-starter", "--units", "0", "--per-unit-litres", "1"], "1 to 1000"),
        (["yeast-starter", "--area", "1e30"], "up to 100000 m²"),
        (["bean-test", "--units", "2", "--per-unit-litres", "0"], "more than 0"),
    ],
)
def test_what_can_not_be_mixed_gets_one_line(options, said):
    result = run("mix", *options)
    assert result.exit_code == 2
    assert result.stdout == ""
    assert said in result.stderr
    assert result.stderr.count("\n") == 1


@pytest.mark.parametrize("system", ["metric", "US"])
@pytest.mark.parametrize("name", [key for key, recipe in ALL.items() if recipe.liquid])
def test_kitchen_amounts_of_a_bed_are_near_what_is_meant(name, system):
    """For a bed of 10 m² nothing is off by more than a sixth, or it says so."""
    told = mix(ALL[name], Want(area_m2=10))
    for each in told.amounts:
        kitchen = measured(each, Kit(system))
        assert abs(kitchen.error) <= 0.17 or kitchen.coarse
    can = cans(told, Kit(system))
    assert can.count * can.litres == pytest.approx(told.application_litres)
    assert can.litres <= 10
