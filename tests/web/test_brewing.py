"""Recipes, mixing desk, brew shelf, weather: what a gardener sees, types and gets told."""

import io
import json
import re
import tomllib

import pytest
from PIL import Image
from sqlmodel import Session

from eproba.core.catalogue import recipes
from eproba.store.kit import household_kit
from eproba.store.preparing import named
from eproba.store.recipes import all_recipes
from eproba.web.app import create_app
from eproba.web.settings import Settings
from tests.conftest import Client, demo_garden


def text(client, path, **more):
    return client.get(path, **more).get_data(as_text=True)


def new_batch(client, recipe="sugar-ferment", litres="2", **more):
    form = {"recipe": recipe, "litres": litres, "start": "now", "water": "rain", "place": "shed", "name": "", **more}
    made = client.post("/batches/new", form)
    return made.headers["Location"] if made.status_code == 302 else made


# --- Recipes ------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("key", recipes())
def test_every_recipe_has_its_page_with_its_cautions_where_they_belong(client, key):
    page = text(client, f"/recipes/{key}")
    recipe = recipes()[key]
    assert page.count('class="caution small"') == sum(len(s.cautions) for s in (*recipe.brew, *recipe.apply)) + len(
        recipe.cautions
    )
    for school in recipe.schools:
        assert school.name.replace("’", "’") in page
    if recipe.liquid and recipe.parts[1]:
        assert "(used here)" in page


def test_recipes_that_disagree_stand_side_by_side(client):
    page = text(client, "/recipes/compare?family=rice+water")
    assert page.count('<th scope="col"><a') == 3
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
        assert all_recipes(session)[key].ready == recipes()["comfrey-steep"].ready, "signs come along"


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
    assert "this one holds 0" in bring(b"").get_data(as_text=True)


# --- Mixing desk --------------------------------------------------------------------------------------------


def test_the_mixing_desk_answers_while_one_types(client):
    page = text(client, "/mix?recipe=yeast-starter&by=area&area=10&means=plus&equipment=backpack")
    for words in ("<b>2</b> cans of 10 L", "<b>10 g</b>", "<b>50 g</b>", "(used here)", "Filter out", "2.1 g"):
        assert words in page
    form = {
        "recipe": "comfrey-steep",
        "by": "units",
        "units": "12",
        "pot": "5",
        "means": "in",
        "strength": "20",
        "equipment": "can",
    }
    again = client.post("/mix/again", form).get_data(as_text=True)
    assert "1 + 19" in again
    assert "6 L" in again, "a tenth of each pot"
    for change, said in (
        ({"strength": "0"}, "1 in 0 can&#39;t be"),
        ({"by": "area", "area": "-3"}, "above 0"),
        ({"each": "2 cups"}, "means different things"),
        ({"pot": ""}, "how many litres each unit gets"),
    ):
        wrong = client.post("/mix/again", {**form, **change}).get_data(as_text=True)
        assert said in wrong, change


def test_the_kit_rounds_and_prices_count(client, app):
    kit = {"system": "US", "scale_g": "5", "spoon_ml": "1.25", "jug_ml": "10", "can_l": "5", "water": "rain"}
    client.post("/mix/kit", {**kit, "recipe": "yeast-starter", "price-white_sugar": "1,50", "price-gold": "9"})
    page = text(client, "/mix?recipe=yeast-starter&by=area&area=10&means=plus&equipment=can")
    assert "<b>4</b> cans of 5 L" in page
    assert "oz (10 g)" in page
    with Session(app.extensions["engine"]) as session:
        assert household_kit(session).prices == {"white_sugar": 1.5}
    refused = client.post("/mix/kit", {**kit, "can_l": "0"}, follow_redirects=True).get_data(as_text=True)
    assert "fits here" in refused


@demo_garden
def test_a_trial_s_treatments_are_mixed_beside_each_other(client):
    page = text(client, "/trials/1/mix")
    assert "<b>140 mL</b> of comfrey steep and <b>1.35 L</b> of water" in page
    assert len(re.findall(r'class="picture added-ruler"[^>]*aria-label="Water: Plain water [\d.]+ L/m²', page)) == 2
    assert "Not fair yet" not in page
    assert "Nothing is poured." in text(client, "/trials/2/mix"), "bare soil"


# --- Brew shelf ---------------------------------------------------------------------------------------------


@demo_garden
def test_the_shelf_shows_what_each_wants_and_what_is_to_be_brewed(client):
    page = text(client, "/shelf")
    vessels = re.findall(r'vessel-picture ([\w-]+)"[^>]*aria-label="([^"]+)"', page)
    assert [state for state, _ in vessels].count("standing") == 1
    assert any("Unrefined-sugar ferment, 1.6 of 1.6 L, ready. Strain it." in words for _, words in vessels)
    assert "for 1 pour: Sugar ferment on the chard beds" in page
    assert "green mould: it stood in the sun" in page
    planned = re.search(r"1\.09 L <a[^>]*>Unrefined-sugar ferment.*?</tr>", page, re.S).group()
    assert "one brew for all of them" in planned, "the pours after it, as long as a batch keeps"


def test_a_batch_from_standing_water_to_strained(client, clock):
    batch = new_batch(client, start="standing", litres="20")
    assert "Its water stands until" in text(client, batch)
    early = client.post(batch, {"smell": "sweet"})
    assert "there is nothing to look at before it is mixed" in early.get_data(as_text=True)
    clock.forward(hours=25)
    assert client.post(f"{batch}/mixed").status_code in (302, 400), "its hour has come by itself"
    assert 'class="here" aria-current="step">brewing' in text(client, batch)
    clock.forward(days=1)
    client.post(f"{batch}/stirred")
    assert "stirred" in text(client, batch)
    client.post(batch, {"smell": "sweet", "foam": "light", "temperature": "27"})
    assert "Not yet." in text(client, batch)
    clock.forward(days=5)
    client.post(batch, {"smell": "sweet", "foam": "light", "temperature": "27,5", "note": "fine foam"})
    page = text(client, batch)
    assert "Ready." in page
    assert "fine foam" in page
    client.post(f"{batch}/strained")
    assert "Keeps until" in text(client, batch)
    clock.forward(days=9)
    assert "Throw it away: too old." in text(client, batch)
    client.post(f"{batch}/thrown", {"throw-reason": "too old"})
    assert "thrown away" in text(client, "/shelf")


def test_a_look_is_ruled_on_and_its_photo_is_kept_small(client):
    batch = new_batch(client, "yeast-starter", "1")
    picture = io.BytesIO()
    exif = Image.Exif()
    exif[0x8825] = {1: "N"}
    Image.new("RGB", (3000, 2000), "tan").save(picture, "JPEG", exif=exif)
    sent = {"foam": "none", "temperature": "38", "photo": (io.BytesIO(picture.getvalue()), "look.jpg")}
    client.post(batch, sent, content_type="multipart/form-data")
    page = text(client, batch)
    assert "the yeast is dead" in page
    kept = client.get(re.search(r'src="(/batches/\d+/photos/\d+\.jpg)"', page).group(1))
    opened = Image.open(io.BytesIO(kept.data))
    assert opened.size == (1400, 933)
    assert not opened.getexif()
    assert client.get(f"{batch}/photos/99.jpg").status_code == 404
    wrong = client.post(
        batch, {"foam": "light", "photo": (io.BytesIO(b"no picture"), "x.jpg")}, content_type="multipart/form-data"
    )
    assert "no photo that can be read" in wrong.get_data(as_text=True)
    hot = client.post(batch, {"temperature": "5000"})
    assert "-40 to 110 fits here" in hot.get_data(as_text=True)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"litres": "0"}, "fits here"),
        ({"litres": "a lot"}, "not a number"),
        ({"recipe": "potion"}, "Not a valid choice"),
        ({"amounts-of": "sugar-ferment", "amount-jaggery": "sweet"}, "not a number"),
        ({"amounts-of": "sugar-ferment", "amount-jaggery": "-2"}, "0 or more"),
    ],
)
def test_a_batch_that_can_not_be_gets_its_sentence(client, change, said):
    wrong = new_batch(client, **change)
    assert wrong.status_code == 400
    assert said in wrong.get_data(as_text=True)


# --- Calendar, Today, weather -------------------------------------------------------------------------------


@demo_garden
def test_brews_stand_on_today_calendar_and_in_the_file(client):
    today = text(client, "/")
    assert "Strain it" in today
    assert "Let water stand for unrefined-sugar ferment" in today
    assert "week-task brew" in text(client, "/calendar")
    assert b"Start unrefined-sugar ferment" in client.get("/trials/5/calendar.ics").data
    strip = text(client, "/trials/5").split("day-strip")[1]
    assert "Ferment, second bucket, begun 14 May, ready 19 May" in strip


def test_weather_comes_typed_or_from_a_logger(client):
    client.post("/weather", {"on": "2026-05-19", "temperature": "14,5", "rain": "6"})
    page = text(client, "/weather")
    assert "6.0 mm" in page
    wrong = client.post("/weather", {"on": "2026-05-19", "temperature": "5000", "rain": ""})
    assert "fits here" in wrong.get_data(as_text=True)

    def bring(content):
        sent = {"file": (io.BytesIO(content.encode()), "w.csv")}
        return client.post("/weather/file", sent, content_type="multipart/form-data", follow_redirects=True)

    good = "time;temp;rain_mm\n2026-05-18T10:00;12,5;0\n2026-05-18T11:00;13;1,5\n"
    good += "18.5.2026 12:00;99,9;0\n2026-05-18T13:00;x;0\n"
    told = bring(good).get_data(as_text=True)
    assert "3 hours are on record; 1 lines could not be taken (line 5" in told
    assert "1.5 mm" in text(client, "/weather")
    assert "lacks a column for the temperature" in bring("time,rain\n2026-05-18,0\n").get_data(as_text=True)


@demo_garden
def test_the_demo_garden_has_a_simulated_station(server, database, clock):
    """Weather without a logger: on its page, on the day strip, in the advice at the pour; named for what it is."""
    app = create_app(Settings(named(server.url, database), secret_key="for tests only", demo=True), clock)
    client = Client(app)
    page = text(client, "/weather")
    assert "simulated station" in page
    assert "Foretold" in page
    assert page.count('<th scope="row">') >= 14
    strip = text(client, "/trials/5").split("day-strip")[1]
    assert 'class="warmth"' in strip
    clock.at = clock.at.replace(month=1)
    assert "hardly moves" not in text(client, "/trials/5/pours/7"), "nobody measured the soil"
    winter = text(client, "/trials/5/pours/7")
    assert "frost on wet soil" in winter
    assert "Better wait." in winter
    app.extensions["engine"].dispose()


def test_where_nobody_measures_there_is_no_weather(client):
    page = text(client, "/weather")
    assert "your own records" in page
    assert "Nothing on record yet." in page
    assert "Foretold" not in page


def test_a_recipe_can_begin_from_nothing(client):
    page = text(client, "/recipes/new")
    assert "not valid" not in page.lower()
    form = dict(re.findall(r'<input[^>]*name="([\w-]+)"[^>]*value="([^"]*)"', page))
    form |= {"portions-0-ingredient": "water", "portions-0-amount": "10", "portions-0-unit": "L"}
    form |= {"portions-1-ingredient": "soft_greens", "portions-1-amount": "500", "portions-1-unit": "g"}
    form |= {"title": "Nettle steep", "said": "Feeds leaves.", "yields": "9", "water_parts": "10"}
    form |= {"apply": "Pour slowly at the base.", "cautions": "no such"}
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


def test_another_recipe_shows_what_goes_in_and_keeps_what_was_typed(client):
    form = {
        "recipe": "yeast-starter",
        "litres": "3",
        "place": "windowsill",
        "water": "rain",
        "start": "now",
        "go": "look",
    }
    page = client.post("/batches/new", form).get_data(as_text=True)
    assert 'name="amount-dry_yeast"' in page
    assert 'value="windowsill"' in page
    assert 'value="3"' in page
    assert "The shelf is empty." in text(client, "/shelf"), "only looked at"
