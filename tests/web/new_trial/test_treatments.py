"""The treatments: roles, doses, days, ladders, and what can’t be."""

import json
from html import unescape

import pytest

from eproba.core.catalogue import cautions, recipes
from eproba.core.quantities import Units
from eproba.web.new_trial.usual import dose_for
from tests.web.steps import begun, fill, planned, rows, text, typed


def test_treatments_come_and_go(client, draft):
    fill(client, draft, "treatments", go="add", **{"treatments-0-name": "Nettle"})
    assert "Name it." not in client.get(f"{draft}/treatments").get_data(as_text=True), "a new row is no mistake yet"
    fill(client, draft, "treatments", go="stay", **{"treatments-2-name": "Whey"})
    fill(client, draft, "treatments", go="remove-1")
    kept = typed(client, f"{draft}/treatments")
    assert [kept[f"treatments-{i}-name"] for i in (0, 1)] == ["Nettle", "Whey"]
    assert "treatments-2-name" not in kept
    page = client.get(f"{draft}/treatments").get_data(as_text=True)
    assert "No water control and nothing untreated" in page
    same = fill(client, draft, "treatments", **{"treatments-1-name": "nettle"})
    assert "Two treatments have this name" in same.get_data(as_text=True)


def test_a_ladder_is_one_choice(client, draft):
    planned(client, draft)
    fill(client, draft, "treatments", go="ladder")
    rows = typed(client, f"{draft}/treatments")
    names = ("name", "water_parts", "rung")
    assert [tuple(rows[f"treatments-{i}-{name}"] for name in names) for i in range(4)] == [
        ("Nettle steep, 1 + 20", "20", "1"), ("Nettle steep, 1 + 10", "10", "2"), ("Nettle steep, 1 + 5", "5", "3"),
        ("Plain water", "", "0"),
    ]  # fmt: skip
    fill(client, draft, "treatments", go="stay", **{"treatments-1-water_parts": "12"})
    assert typed(client, f"{draft}/treatments")["treatments-1-name"] == "Nettle steep, 1 + 12", "names follow numbers"
    assert "one straight trend over the rungs" in text(client, f"{draft}/treatments")


def test_a_treatment_named_by_its_recipe_is_brewed_for(client, draft):
    planned(client, draft)
    named = {"treatments-0-recipe": "greens-sugar-juice", "treatments-0-water_parts": "300"}
    fill(client, draft, "treatments", go="stay", **named)
    page = text(client, f"{draft}/treatments")
    assert "1 + 500; every week (a poor soil" in page
    assert "never on what is eaten raw" in page, "what decides whether it fits stands where it is chosen"
    assert 'value="300"' in page
    made = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    desk = text(client, f"{made}/mix")
    assert "greens-and-sugar juice" in desk
    assert "keep it off stems and leaves" in desk
    whole = json.loads(text(client, f"{made}/export.json"))["trial"]
    assert (whole["treatments"][0]["recipe"], whole["treatments"][0]["water_parts"]) == ("greens-sugar-juice", 300)
    assert "Greens-and-sugar juice" in text(client, "/shelf")
    client.post(f"{made}/declare")
    declared = json.loads(text(client, f"{made}/export.json"))["trial"]["declared"]["facts"]
    assert declared["recipes"] == [["A", "greens-sugar-juice", 300]], "the recipe is part of what was declared"


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"treatments-0-recipe": "comfrey-steep", "treatments-0-water_parts": "-1"}, "give 0 to 5000"),
        ({"treatments-0-every": "0"}, "give 1 to 730"),
        ({"batches": "0"}, "give 1 to 50"),
        ({"treatments-0-amount": "0"}, "doesn’t fit: give"),
    ],
)
def test_strength_and_rhythm_have_their_bounds(client, draft, changes, said):
    planned(client, draft)
    wrong = fill(client, draft, "treatments", **changes)
    assert wrong.status_code == 400
    page = wrong.get_data(as_text=True)
    assert said in page
    for value in changes.values():
        assert f'value="{value}"' in page, "what was typed stays"


@pytest.mark.parametrize(
    ("row", "said"),
    [
        ({"dose": "pot", "amount": "10", "pot": ""}, "How much is in a pot?"),
        ({"dose": "m2", "amount": ""}, "How much for the ground it is on? Give a number."),
        ({"dose": "recipe"}, "Without a recipe nothing says how much"),
        ({"often": "days", "days": "0 40"}, "the decision day 28 comes before anything is given"),
        ({"often": "weekdays"}, "Choose days of the week"),
        ({"often": "every", "every": ""}, "Give the number of days."),
    ],
)
def test_a_dose_that_can_t_be_is_told_and_stays_as_it_was_typed(client, row, said):
    draft = begun(client, "Whey", thing="Whey")
    wrong = rows(client, draft, {"often": "every", "every": "7", "dose": "unit", "amount": "250", **row}, {})
    assert wrong.status_code == 400
    assert said in wrong.get_data(as_text=True)
    kept = typed(client, f"{draft}/treatments")
    assert {key: kept[f"treatments-0-{key}"] for key in row} == row


def test_a_ninth_treatment_and_a_ladder_that_can_t_be_are_told(client):
    draft = begun(client, "Many", thing="Whey")
    for _ in range(9):
        fill(client, draft, "treatments", go="add")
    page = text(client, f"{draft}/treatments")
    assert page.count('class="row-stake"') == 8
    assert "Add a treatment" not in page
    other = begun(client, "Ladder", thing="Molasses")
    fill(client, other, "treatments", go="stay", **{"treatments-0-recipe": "molasses-water"})
    refused = fill(client, other, "treatments", go="ladder", ladder_by="parts", ladder_rungs="20 10")
    assert refused.status_code == 400
    assert "is not diluted: more water in it is another recipe" in refused.get_data(as_text=True)
    assert typed(client, f"{other}/treatments")["ladder_rungs"] == "20 10"


def test_what_goes_onto_leaves_is_told_where_it_is_chosen(client):
    draft = begun(client, "Whey", thing="Whey")
    assert "Whey on leaves" not in text(client, f"{draft}/treatments")
    rows(client, draft, {"how": "Spray it on the leaves"}, {})
    page = text(client, f"{draft}/treatments")
    assert "Whey on leaves: nothing brewed belongs on what is eaten raw." in page
    assert "nothing on what is eaten raw" in page, "the caution stands there too"


@pytest.mark.parametrize(
    ("kind", "tested"),
    [
        ("drench", ["unit 250 mL every 7", "unit 8 fl oz every 7"]), ("dry", ["m2 1 kg once", "m2 3 oz once"]),
        ("mulch", ["m2 1 kg once", "m2 3 oz once"]), ("media", ["nothing  L once", "nothing  gal once"]),
        ("way", ["nothing  mL once", "nothing  fl oz once"]),
    ],
)  # fmt: skip
def test_what_is_usual_of_each_kind_in_both_systems(kind, tested):
    def usual(role):
        said = (dose_for(kind, role, Units(system)) for system in ("metric", "US"))
        return [" ".join(dose[key][0] for key in ("dose", "amount", "unit", "often", "every")).strip() for dose in said]

    assert usual("test") == usual("reference") == tested
    assert usual("untreated") == ["nothing  mL once", "nothing  fl oz once"]
    for role in ("water control", "ingredient control", "killed brew"):
        assert usual(role) == ["like  mL like", "like  fl oz like"]


@pytest.mark.parametrize("key", ["raw_manure", "raw_leaves", "herbicide", "arsenic", "aquarium", "dogs"])
def test_what_a_recipe_is_not_to_be_used_on_stands_where_it_is_chosen(client, draft, key):
    recipe = next(recipe for recipe in recipes().values() if key in recipe.all_cautions)
    planned(client, draft)
    begins = cautions()[key].split(".")[0]
    assert begins not in unescape(text(client, f"{draft}/treatments"))
    fill(client, draft, "treatments", **{"treatments-0-recipe": recipe.key})
    assert begins in unescape(text(client, f"{draft}/treatments"))
