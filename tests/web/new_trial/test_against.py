"""Two schools or two recipes against each other: the sheet, filled, and brews that are kept apart."""

import re

import pytest

from eproba.core.brewing.recipe import SLOT, in_batch_of, ways_of, with_amounts
from eproba.core.catalogue import recipes, schools
from eproba.core.quantities import METRIC
from tests.conftest import swept
from tests.web.new_trial.test_sheet import said, slots
from tests.web.steps import text, typed

EVERY_WAY = {key: way for recipe in recipes().values() for key, way in ways_of(recipe).items()}


def against(client, one, other, **how):
    return client.post("/trials/new/against", {"one": one, "other": other, **how})


def test_a_school_is_a_recipe_of_its_own_that_differs_in_what_it_says():
    comfrey, ways = recipes()["comfrey-steep"], ways_of(recipes()["comfrey-steep"])
    assert {key: (way.title, way.parts, way.phases[0].days) for key, way in ways.items()} == {
        "comfrey-steep~weekly": ("Comfrey steep, weekly", comfrey.parts, (7, 7)),
        "comfrey-steep~every-third-week": ("Comfrey steep, every third week", comfrey.parts, (21, 21)),
        "comfrey-steep~strong": ("Comfrey steep, strong", (1, 5), comfrey.phases[0].days),
    }
    assert EVERY_WAY["rice-rinse-ferment~raw"].parts == (1, 0)
    assert EVERY_WAY["clippings-sugar-yeast~without-yeast"].hours == (96, 144)
    assert len({way.title for way in EVERY_WAY.values()} | {recipe.title for recipe in recipes().values()}) == (
        len(EVERY_WAY) + len(recipes())
    )


def test_a_step_says_the_amounts_of_its_batch(client):
    recipe, way = recipes()["clippings-sugar-yeast"], EVERY_WAY["clippings-sugar-yeast~without-yeast"]
    said_ = [
        with_amounts(made.brew[1].do, in_batch_of(made, litres), METRIC) for made, litres in ((recipe, 4), (way, 8))
    ]
    assert "Stir 30 g of sugar and 3.5 g of dry yeast into a third" in said_[0]
    assert "Stir 60 g of sugar and no dry yeast into a third" in said_[1]
    for made in (*recipes().values(), *EVERY_WAY.values()):
        known = {portion.ingredient.key for portion in recipes()[made.key.partition("~")[0]].portions}
        slots_ = [slot[1] for step in (*made.brew, *made.apply) for slot in SLOT.finditer(step.do)]
        assert set(slots_) <= known, made.key
    page = text(client, "/batches/new?recipe=scrap-steep-blended&litres=4")
    assert "Add 0.5 handful of compost and 50 g of brown sugar" in page
    assert "Chop 1 kg of greens and rub them with 1 kg of sugar" in text(client, "/recipes/greens-sugar-juice")


def test_two_schools_stand_on_the_sheet_against_each_other(client):
    page = text(client, "/recipes/comfrey-steep")
    one, other = re.findall(r'<option selected value="([^"]*)"', page)
    assert (one, other) == ("comfrey-steep~weekly", "comfrey-steep~every-third-week")
    sheet = against(client, one, other).headers["Location"]
    page = text(client, sheet)
    assert "A Comfrey steep, weekly · B Comfrey steep, every third week" in page
    assert slots(page)["against"] == "test"
    assert '<option selected value="test">the other one</option>' in page
    assert "Pour on days 0 and 21" in page
    assert "every 7 days" in text(client, sheet.replace("sheet", "treatments"))
    dealt = said(client, sheet, "deal", crop="rainbow chard")
    assert dealt.status_code == 302, dealt.text
    trial = dealt.headers["Location"].split("?")[0]
    assert "Comfrey steep, every third week" in text(client, trial)
    again = text(client, client.post(f"{trial}/copy").headers["Location"])
    assert slots(again)["against"] == "test", "a copy asks the same"
    shelf = text(client, "/shelf")
    assert "Comfrey steep, weekly" in shelf
    assert "Comfrey steep, every third week" in shelf


@pytest.mark.parametrize("pair", swept([(school["try"],) for school in schools() if "try" in school], 3))
def test_every_pair_of_schools_can_be_dealt(client, pair):
    (one, how), (other, other_how) = pair
    page = text(client, "/recipes")
    assert f'name="one" value="{one}"' in page
    sheet = against(client, one, other, **{"one-how": how, "other-how": other_how}).headers["Location"]
    rows = typed(client, sheet.replace("sheet", "treatments"))
    assert (rows["treatments-0-recipe"], rows["treatments-1-recipe"]) == (one, other)
    assert (rows["treatments-0-how"], rows["treatments-1-how"]) == (how, other_how)
    assert rows["treatments-0-name"] != rows["treatments-1-name"]
    assert said(client, sheet, "deal", crop="pak choi").status_code == 302


def test_a_recipe_alone_is_tried_against_what_is_fair(client):
    sheet = against(client, "wool-mulch", "").headers["Location"]
    trial = said(client, sheet, "deal", crop="currants", against="untreated").headers["Location"].split("?")[0]
    assert slots(text(client, client.post(f"{trial}/copy").headers["Location"]))["against"] == "untreated"
    sheet = against(client, "wool-mulch", "").headers["Location"]
    assert slots(text(client, sheet))["thing"] == "Wool-fibre mulch"
    assert slots(text(client, sheet))["against"] == "untreated"
    assert against(client, "gone", "").status_code == 404
    same = against(client, "wool-mulch", "wool-mulch")
    assert (same.status_code, "choose another one to compare it with" in same.text) == (400, True)


def test_a_school_s_own_page_is_that_of_its_recipe(client):
    assert client.get("/recipes/comfrey-steep~strong").headers["Location"] == "/recipes/comfrey-steep#schools"
    assert "Comfrey steep, strong" not in text(client, "/recipes")
    assert "Comfrey steep, strong" in text(client, "/mix"), "at the desk it can be mixed"
