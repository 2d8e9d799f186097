"""Recipes, mixing desk, brew shelf, weather: what a gardener sees, types and gets told."""

import io
import json
import re
import tomllib

import pytest
from PIL import Image
from sqlmodel import Session

from eproba.core.catalogue import recipes
from eproba.store.kit import Garden, household_kit
from eproba.store.recipes import all_recipes
from eproba.store.server import named
from eproba.store.trials import load_trial
from eproba.web.app import create_app
from eproba.web.settings import Settings
from tests.conftest import Client, demo_garden
from tests.web.steps import fill


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
        "pot_across": "20",
        "pot_high": "16",
        "means": "in",
        "strength": "20",
        "equipment": "can",
    }
    again = client.post("/mix/again", form).get_data(as_text=True)
    assert "1 + 19" in again
    assert "<b>1</b> can of 6 L" in again, "a tenth of each pot"
    assert "The ground really gets" in again, "pots have loads too"
    assert "Hardly any sugar is in it" in again
    strong = {
        "recipe": "sugar-ferment",
        "by": "area",
        "area": "1",
        "rate": "4",
        "strength": "0",
        "equipment": "injector",
    }
    told = client.post("/mix/again", {**form, **strong, "means": "plus"}).get_data(as_text=True)
    assert "69 g/m² of easy carbon in one pour is beyond the safe band" in told
    juice = {"recipe": "greens-sugar-juice", "by": "area", "area": "10", "strength": "", "means": "plus"}
    hose = client.post("/mix/again", {**form, **juice, "equipment": "injector"}).get_data(as_text=True)
    assert "Hose-end injector gives 1 + 100 at most: dilute the concentrate 1 + 4 first" in hose
    mist = client.post("/mix/again", {**form, **juice, "equipment": "spray"}).get_data(as_text=True)
    assert "<b>1</b> can of 1 L" in mist, "a tenth of a litre a square metre"
    assert "No spray mist near the face" in mist
    for change, said in (
        ({"strength": "0"}, "1 in 0 can&#39;t be"),
        ({"by": "area", "area": "-3"}, "above 0"),
        ({"each": "2 cups"}, "means different things"),
        ({"pot_high": ""}, "Say how much each unit gets"),
    ):
        wrong = client.post("/mix/again", {**form, **change}).get_data(as_text=True)
        assert said in wrong, change


def test_the_kit_rounds_and_prices_count(client, app):
    kit = {"system": "US", "scale_g": "5", "spoon_ml": "1.25", "jug_ml": "10", "can_l": "5", "water": "rain"}
    kit |= {"syringe_ml": "1", "cool": "11, 12", "dry": "7", "wet": "", "poor": "y"}
    client.post("/mix/kit", {**kit, "recipe": "yeast-starter", "price-white_sugar": "1,50", "price-gold": "9"})
    page = text(client, "/mix?recipe=yeast-starter&by=area&area=10%20m²&means=plus&equipment=can")
    assert "<b>4</b> cans of 1.3 gal" in page
    assert "<b>1.75 oz</b>" in page
    with Session(app.extensions["engine"]) as session:
        household = household_kit(session)
    assert (household.prices, household.kit.syringe_ml) == ({"white_sugar": 1.5}, 1.0)
    assert household.garden == Garden(True, dry=(7,), wet=(), cool=(11, 12))
    months = client.post("/mix/kit", {**kit, "cool": "13"}, follow_redirects=True).get_data(as_text=True)
    assert "Write months as numbers from 1 to 12" in months
    refused = client.post("/mix/kit", {**kit, "can_l": "0"}, follow_redirects=True).get_data(as_text=True)
    assert "fits here" in refused


@demo_garden
def test_a_trial_s_treatments_are_mixed_beside_each_other(client):
    page = text(client, "/trials/1/mix")
    assert "<b>140 mL</b> of comfrey steep and <b>1.35 L</b> of water" in page
    assert len(re.findall(r'class="picture added-ruler"[^>]*aria-label="Water, L/m²: Plain water [\d.]+', page)) == 2
    assert "Not fair yet" not in page
    assert "Nothing is poured." in text(client, "/trials/2/mix"), "bare soil"


# --- Brew shelf ---------------------------------------------------------------------------------------------


@demo_garden
def test_the_shelf_shows_what_each_wants_and_what_is_to_be_brewed(client):
    page = text(client, "/shelf")
    vessels = re.findall(r'vessel-picture is-([\w-]+)"[^>]*aria-label="([^"]+)"', page)
    assert [state for state, _ in vessels].count("standing") == 1
    assert any("Unrefined-sugar ferment, 1.6 of 1.6 L, ready. Strain it." in words for _, words in vessels)
    assert "for 1 pour: Sugar ferment on the chard beds" in page
    assert "green mould: it stood in the sun" in page
    planned = re.search(r"1\.2 L <a[^>]*>Unrefined-sugar ferment.*?</tr>", page, re.S).group()
    assert "one brew for as long as it keeps" in planned, "the pours after it"
    assert "1 pour will be late" in page, "the alfalfa steep went foul"


def test_a_batch_from_standing_water_to_strained(client, clock):
    batch = new_batch(client, start="standing", litres="20")
    assert "Its water stands until" in text(client, batch)
    early = client.post(batch, {"smell": "sweet"})
    assert "It can’t be looked at then: its ingredients have not met yet." in early.get_data(as_text=True)
    clock.forward(hours=60)
    assert "Mix it: its water has stood" in text(client, batch), "nothing is mixed by waiting"
    client.post(f"{batch}/happened", {"what": "mixed", "temperature": "27"})
    assert client.post(f"{batch}/happened", {"what": "mixed"}).status_code == 400
    assert 'class="here" aria-current="step">brewing' in text(client, batch)
    clock.forward(days=1)
    client.post(f"{batch}/happened", {"what": "stirred"})
    refused = client.post(f"{batch}/happened", {"what": "strained"})
    assert "Strain it when it is ready" in refused.get_data(as_text=True)
    client.post(batch, {"smell": "sweet", "foam": "light", "temperature": "27"})
    assert "Only 24 hours of 5 days at least" in text(client, batch)
    clock.forward(days=5)
    client.post(batch, {"smell": "sweet", "foam": "light", "temperature": "27,5", "note": "fine foam"})
    page = text(client, batch)
    assert "As it should be: a light foam" in page
    assert "fine foam" in page
    client.post(f"{batch}/happened", {"what": "strained", "litres": "18.5"})
    page = text(client, batch)
    assert "Keeps until" in page
    assert "18.5 of 20 L" in page
    assert client.post(f"{batch}/happened", {"what": "sung to"}).status_code == 400
    clock.forward(days=9)
    assert "Throw it away: too old." in text(client, batch)
    client.post(f"{batch}/thrown", {"throw-reason": "too old"})
    assert "thrown away" in text(client, "/shelf")


def test_what_was_put_down_wrong_is_put_right_on_its_page(client, clock):
    batch = new_batch(client, start="earlier", began="2026-05-14T22:00", litres="2")
    client.post(batch, {"smell": "foul", "temperature": "27"})
    page = text(client, batch)
    assert 'class="ruling throw-away"' in page
    look, mixed = re.findall(rf'href="({batch}/events/\d+)"', page)
    slip = {"at": "2026-05-20T09:00", "smell": "sweet", "foam": "light", "temperature": "27"}
    early = client.post(mixed, {"at": "2026-05-20T09:30"}).get_data(as_text=True)
    assert "It can’t be looked at then" not in early
    assert client.post(look, {**slip, "at": "2027-01-01T09:00"}).status_code == 400, "a day still to come"
    wrong = client.post(look, {**slip, "at": "the day before"})
    assert "write the day and the hour, such as 2026-05-20 18:30" in wrong.get_data(as_text=True)
    client.post(mixed, {"at": "2026-05-14T21:00"})
    assert client.post(look, slip).status_code == 302
    page = text(client, batch)
    assert 'class="ruling ready"' in page
    assert "foul smell" in page.rsplit("What stood there before", 1)[1]
    assert (
        client.post(f"{batch}/right", {"right-litres": "3", "right-place": "cellar", "right-name": ""}).status_code
        == 302
    )
    assert "3 of 3 L" in text(client, batch)
    assert client.post(f"{batch}/right", {"right-litres": "-1"}).status_code == 400
    client.post(f"{batch}/thrown", {"throw-reason": "the wrong bucket"})
    page = text(client, batch)
    thrown = re.findall(rf'href="({batch}/events/\d+)"', page)[0]
    client.post(thrown, {"go": "back"})
    assert 'class="ruling ready"' in text(client, batch), "thrown away by mistake"
    assert client.get(thrown).status_code == 404
    label = text(client, f"{batch}/label")
    for words in ("Not for drinking", "Unrefined-sugar ferment", "Use by", "14 May 2026"):
        assert words in label


def test_a_batch_in_the_way_of_a_school_with_what_was_really_used(client):
    page = client.post("/batches/new", {"recipe": "clippings-sugar-yeast", "go": "look"}).get_data(as_text=True)
    assert "Without yeast: 4–6 days" in page
    batch = new_batch(client, "clippings-sugar-yeast", "8", school="Without yeast", water="tap with chlorine")
    shown = text(client, batch)
    assert "Mixed at once with chlorinated water" in shown
    assert "without yeast" in shown
    assert "between 24 May 2026" in shown, "four to six days, not two"
    used = {"amounts-of": "sugar-ferment", "amount-jaggery": "3", "amount-topsoil": "1", "amount-water": "20"}
    sweet = text(client, new_batch(client, litres="20", **used))
    assert "Otherwise than the recipe: 3 kg of unrefined sugar (jaggery) for 1 kg" in sweet
    assert "9.5 g/m² of easy carbon in one pour, at 1 + 10" in sweet


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
    assert opened.size == (1600, 1067)
    assert not opened.getexif()
    assert client.get(f"{batch}/photos/99.jpg").status_code == 404
    wrong = client.post(
        batch, {"foam": "light", "photo": (io.BytesIO(b"no picture"), "x.jpg")}, content_type="multipart/form-data"
    )
    assert "no picture that can be read" in wrong.get_data(as_text=True)
    hot = client.post(batch, {"temperature": "5000"})
    assert "-40 °C to 110 °C fits here" in hot.get_data(as_text=True)


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
    unmet = today.split('class="due-card unmet"')[1].split("</section>")[0]
    assert "Start at once: alfalfa-pellet steep, 0.5 L. It can be ready from Sat 23 May to Mon 25 May." in unmet
    assert "The pour of Fri 22 May comes late: alfalfa-pellet steep is missing" in unmet
    for way in ("Start it now", "Move the pour", "Skip it", "Another recipe"):
        assert way in unmet
    assert today.index("unmet") < today.index('aria-label="Due now"'), "it comes first"
    assert "Stir alfalfa" not in today, "nothing stands there to be stirred"
    assert "week-task brew" in text(client, "/calendar")
    assert b"Start unrefined-sugar ferment" in client.get("/trials/5/calendar.ics").data
    strip = text(client, "/trials/5").split("day-strip")[1]
    assert (
        "3 brews: Ferment, second bucket, begun 14 May, ready 19 May; "
        "Ferment, first bucket, begun 07 May, ready 13 May; Unrefined-sugar ferment, begun 21 May, ready 27 May."
    ) in strip, "poured from, and planned"
    assert "brews: " not in text(client, "/trials/2"), "those of other trials are not its own"


@demo_garden
def test_a_pour_is_moved_alone_or_with_those_after_it(client):
    form = {"to": "2026-05-25", "following": "no", "reason": "no brew"}
    taken = client.post("/trials/4/pours/0/move", {**form, "to": "2026-06-05"})
    assert "There is a pour on day 14 already: move those that follow too" in taken.get_data(as_text=True)
    late = client.post("/trials/4/pours/0/move", {**form, "to": "2026-12-05"})
    assert "On day 35 the last readings come before anything is poured" in late.get_data(as_text=True)
    assert "is no date" in client.post("/trials/4/pours/0/move", {**form, "to": "soon"}).get_data(as_text=True)
    moved = client.post("/trials/4/pours/0/move", {**form, "following": "yes"}, follow_redirects=True)
    assert "Moved." in moved.get_data(as_text=True)
    assert "Pour, day 3" in text(client, "/")
    assert "comes late" not in text(client, "/"), "by then a new brew is ready"
    gone = client.post("/trials/4/pours/0/move", form)
    assert "No pour waits on day 0: what is on record stays where it is." in gone.get_data(as_text=True)
    soon = client.post("/trials/5/pours/14/move", {**form, "to": "2026-05-21"}, follow_redirects=True)
    assert "1 day between two pours; its recipe wants 7 at least" in soon.get_data(as_text=True)
    assert "pour of day 14" in text(client, "/trials/5"), "old and new stand with the reason"
    assert client.post("/trials/1/pours/0/move", form).status_code == 400, "the envelope is open"


def test_how_it_is_brewed_is_planned_and_pours_that_come_too_soon_are_told(client, draft, app):
    fill(client, draft, "claim", claim="It helps.", name="Extract")
    fill(client, draft, "measure", start_on="2026-06-01")
    brewed = {"treatments-0-name": "Boosted", "treatments-0-recipe": "sugar-ferment", "treatments-0-sharing": "fresh"}
    fill(client, draft, "treatments", **brewed)
    told = text(client, f"{draft}/days")
    assert "Boosted: poured again after 7 days, on day 7; its recipe wants 14 at least: every week" in told
    assert "raw manure" not in told
    fill(client, draft, "treatments", **{**brewed, "treatments-0-recipe": "compost-extract-nitrogen"})
    assert "Boosted carries germs of raw manure, fish or urine" in text(client, f"{draft}/days")
    assert client.post(f"{draft}/deal", {"go": "deal"}).status_code == 302
    with Session(app.extensions["engine"]) as session:
        trial = load_trial(session, 1)
    assert (trial.treatments[0].sharing, trial.treatments[1].sharing) == ("fresh", "shared")
    assert "Harvest what touches the soil from" in text(client, "/trials/1/pours/0")


def test_weather_comes_typed_or_from_a_file(client):
    day = {"told": "was", "on": "2026-05-19", "low": "8", "high": "14,5", "rain": "6"}
    client.post("/weather", day)
    client.post("/weather", day)
    assert "6 mm" in text(client, "/weather"), "typed twice, and not added up"
    for change, said in (
        ({"high": "5000"}, "fits here"),
        ({"high": "3"}, "The high is not below the low."),
        ({"on": "2026-05-29"}, "That day is still to come: choose “as foretold”."),
        ({"told": "foretold"}, "That day is over: choose “as it was”."),
    ):
        assert said in client.post("/weather", {**day, **change}).get_data(as_text=True)
    client.post("/weather", {**day, "told": "foretold", "on": "2026-05-21", "low": "1"})
    assert "1 to 14 °C, 6 mm" in text(client, "/weather").split("Foretold")[1]
    client.post("/weather/now", {"now-temperature": "29"})
    assert client.post("/weather/now", {"now-temperature": "hot"}).status_code == 400

    def bring(content):
        sent = {"file": (io.BytesIO(content.encode()), "w.csv")}
        return client.post("/weather/file", sent, content_type="multipart/form-data", follow_redirects=True)

    good = "time;temp;rain_mm\n2026-05-18T10:00;12,5;0\n2026-05-18T11:00;13;1,5\n"
    good += "18.5.2026 12:00;99,9;0\n2026-05-18T13:00;x;0\n2026-05-22;17;3\n"
    told = bring(good).get_data(as_text=True)
    assert "On record: 3 hours, 1 days foretold; 1 lines could not be taken (line 5" in told
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
    assert "Nothing on record yet: type today’s" in page
    assert "Foretold" not in page


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
    assert "The shelf is empty" in text(client, "/shelf"), "only looked at"
