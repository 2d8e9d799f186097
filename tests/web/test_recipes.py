"""Recipes: each on its page, beside each other, one's own in versions, as files that go out and in."""

import io
import json
import re
import tomllib
from html import unescape

import pytest
from sqlmodel import Session

from eproba.core.catalogue import cautions, good_practice, recipes
from eproba.core.quantities import Amount, loosely
from eproba.store.recipes import all_recipes
from tests.web.steps import new_batch, text


@pytest.mark.parametrize("key", recipes())
def test_every_recipe_has_its_page_with_its_cautions_where_they_belong(client, key):
    page = text(client, f"/recipes/{key}")
    recipe = recipes()[key]
    keys = [key for step in (*recipe.brew, *recipe.apply) for key in step.cautions] + list(recipe.cautions)
    assert page.count('class="caution small"') == sum(key not in good_practice() for key in keys)
    assert all(cautions()[key] in unescape(page) for key in keys), "good practice stands there without a bar"
    for school in recipe.schools:
        assert school.name.replace("’", "’") in page
    if recipe.liquid and recipe.parts[1]:
        assert "(used here)" in page


def test_recipes_that_disagree_stand_side_by_side(client):
    page = text(client, "/recipes/compare?family=rice+water")
    assert page.count('<th scope="col"><a') == 4
    assert "It ends crusts" in page
    assert "It makes crusts" in page
    assert "every 3 days" in page
    assert "A day at room temperature" in page, "Eproba’s default with its reason"
    two = text(client, "/recipes/compare?with=yeast-starter&with=comfrey-steep")
    assert two.count('<th scope="col"><a') == 2
    assert client.get("/recipes/compare?family=magic").status_code == 404


def test_an_own_recipe_gets_versions_and_batches_remember_theirs(client, app):
    page = text(client, "/recipes/comfrey-steep/copy")
    form = dict(re.findall(r'<input[^>]*name="([\w-]+)"[^>]*value="([^"]*)"', page))
    form |= {
        f"portions-{i}-{name}": value
        for i, row in enumerate([("comfrey", "1", "kg"), ("water", "8", "L")])
        for name, value in zip(("ingredient", "amount", "unit"), row, strict=True)
    }
    form |= {
        "title": "Comfrey, strong",
        "said": "x",
        "yields": "8",
        "water_parts": "5",
        "brew": "Cut.\nSoak.",
        "cautions": "brew",
        "family": "your own",
        "kind": "drench",
        "ready-smell": ["strong"],
        "ready-colour": ["dark"],
        "away-mould": ["coloured"],
        "portions-2-ingredient": "new-1",
        "portions-2-amount": "2",
        "portions-2-unit": "handful",
        "own-0-name": "Borage flowers",
        "own-0-grams_each": "15",
        "own-0-nitrogen": "0,4",
    }
    form = {
        name: value for name, value in form.items() if not re.match("(ready|away)-", name) or isinstance(value, list)
    }
    made = client.post("/recipes/comfrey-steep/copy", form)
    address = made.headers["Location"]
    shown = text(client, address)
    assert "your own, version 1" in shown
    assert "1 + 5" in shown
    key = address.rsplit("/", 1)[1]
    batch = new_batch(client, key)
    client.post(f"{address}/edit", {**form, "water_parts": "7"})
    assert "version 2" in text(client, address)
    assert "version 1" in text(client, batch), "made from the first version"
    wrong = client.post(f"{address}/edit", {**form, "days_low": "20", "days_high": "10", "title": "Kept"})
    assert wrong.status_code == 400
    assert "is the shorter time" in wrong.get_data(as_text=True)
    assert 'value="Kept"' in wrong.get_data(as_text=True)
    assert client.get("/recipes/comfrey-steep/edit").status_code == 400, "the catalogue stays as it is"
    with Session(app.extensions["engine"]) as session:
        kept = all_recipes(session)[key]
    assert (kept.ready, kept.away) == ({"smell": ("strong",), "colour": ("dark",)}, {"mould": ("coloured",)})
    borage = kept.portions[2].ingredient
    assert (borage.name, borage.grams(2, "handful"), borage.nitrogen) == ("Borage flowers", 30.0, (0.004, 0.004))
    copied = text(client, f"{address}/edit")
    assert "Borage flowers" in copied, "an own ingredient is offered again"
    out = client.get(f"{address}/file.toml").get_data(as_text=True)
    assert tomllib.loads(out)[key]["ingredients"]["own_borage_flowers"]["grams_each"] == 15, (
        "it travels with its recipe"
    )
    away = client.post(f"{address}/away", {"what": "delete"}, follow_redirects=True).get_data(as_text=True)
    assert "Batches or trials go by it: it can only be put away." in away
    client.post(f"{address}/away", {"what": "away"})
    assert "Put away" in text(client, "/recipes")
    assert f'value="{key}"' not in text(client, "/batches/new")


@pytest.mark.parametrize("kind", ["toml", "json"])
def test_a_recipe_goes_out_and_in_as_one_file(client, kind):
    out = client.get(f"/recipes/yeast-starter/file.{kind}")
    assert out.headers["Content-Disposition"] == f'attachment; filename="yeast-starter.{kind}"'
    read = tomllib.loads(out.get_data(as_text=True)) if kind == "toml" else json.loads(out.data)
    assert read["yeast-starter"]["parts"] == [1, 9]
    renamed = out.data.replace(b"yeast-starter", b"my-yeast")

    def bring(content):
        sent = {"file": (io.BytesIO(content), f"r.{kind}")}
        return client.post("/recipes/import", sent, content_type="multipart/form-data", follow_redirects=True)

    assert "your own, version 1" in bring(renamed).get_data(as_text=True)
    assert "your own, version 2" in bring(renamed).get_data(as_text=True)
    odd = renamed.replace(b"vessel", b"pot_colour", 1)
    assert "unknown key pot_colour" in bring(odd).get_data(as_text=True)
    assert "neither TOML nor JSON" in bring(b"{").get_data(as_text=True)
    assert "this one holds 0" in bring(b"# nothing\n" if kind == "toml" else b"{}").get_data(as_text=True)
    assert "Choose a file with a recipe first." in bring(b"").get_data(as_text=True)


def test_a_recipe_can_begin_from_nothing(client):
    page = text(client, "/recipes/new")
    assert "not valid" not in page.lower()
    form = dict(re.findall(r'<input[^>]*name="([\w-]+)"[^>]*value="([^"]*)"', page))
    form |= {"portions-0-ingredient": "water", "portions-0-amount": "10", "portions-0-unit": "L"}
    form |= {"portions-1-ingredient": "soft_greens", "portions-1-amount": "500", "portions-1-unit": "g"}
    form |= {"title": "Nettle steep", "said": "Feeds leaves.", "yields": "9", "water_parts": "10"}
    form |= {"apply": "Pour slowly at the base.", "cautions": "no such", "family": "your own", "kind": "drench"}
    form = {name: value for name, value in form.items() if not re.match("(ready|away)-", name)}
    nameless = client.post("/recipes/new", {**form, "title": ""})
    assert "Name it." in nameless.get_data(as_text=True)
    uncautioned = client.post("/recipes/new", {**form, "apply": "Pour."})
    assert "every recipe has at least one caution" in uncautioned.get_data(as_text=True)
    made = client.post("/recipes/new", form).headers["Location"]
    shown = text(client, made)
    assert "Nettle steep" in shown
    assert "1 + 10" in shown
    assert "Your own" in text(client, "/recipes")
    key = made.rsplit("/", 1)[1]
    assert "Nettle steep" in text(client, f"/mix?recipe={key}&by=area&area=5&means=plus&equipment=can")
    without = {**form, "portions-0-amount": "", "portions-1-ingredient": ""}
    assert client.post("/recipes/new", without).status_code == 400


def test_hands_and_buckets_have_a_range_and_what_growers_do_otherwise_is_told(client):
    extract = text(client, "/recipes/compost-extract")
    assert "(210 to 420 g, by the hand that measures)" in extract, "two and a half handfuls"
    blended = text(client, "/recipes/scrap-steep-blended")
    assert "As ours</dt><dd>Growers fill the bucket with twice as many scraps." in blended
    assert "nearly filled: 8 to 9.5 L" in blended
    assert "use it the same day" in text(client, "/recipes/rice-rinse-ferment")
    assert "As ours" not in extract
    assert loosely(100.0, "g", "handful") == Amount(70.0, "g", high=140.0)
    assert loosely(20.0, "L", "bucket") == Amount(18.0, "L", high=24.0)
    assert loosely(100.0, "g", "g") is None
