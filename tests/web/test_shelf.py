"""The shelf: what each batch wants, its life from standing water to strained, looks, and what was put down wrong."""

import io
import re

import pytest
from PIL import Image
from sqlmodel import Session

from eproba.store.trials import load_trial
from tests.conftest import demo_garden
from tests.web.steps import fill, new_batch, text, typed


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
    assert "so that it is just ready in time" in page, "the alfalfa steep went foul"


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
    assert "It has brewed for 24 hours of at least 5 days" in text(client, batch)
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
    assert "about Sun 24 May to Tue 26 May" in shown, "four to six days, not two"
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
    assert "give -40 °C to 110 °C" in hot.get_data(as_text=True)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"litres": "0"}, "doesn’t fit: give"),
        ({"litres": "a lot"}, "not a number"),
        ({"recipe": "potion"}, "Choose one of those that are offered."),
        ({"amounts-of": "sugar-ferment", "amount-jaggery": "sweet"}, "not a number"),
        ({"amounts-of": "sugar-ferment", "amount-jaggery": "-2"}, "0 or more"),
    ],
)
def test_a_batch_that_can_not_be_gets_its_sentence(client, change, said):
    wrong = new_batch(client, **change)
    assert wrong.status_code == 400
    assert said in wrong.get_data(as_text=True)


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


def test_how_it_is_brewed_is_planned_and_pours_that_come_too_soon_are_told(client, draft, app):
    fill(client, draft, "claim", claim="It helps.", name="Extract")
    fill(client, draft, "measure", start_on="2026-06-01")
    brewed = {"treatments-0-name": "Boosted", "treatments-0-recipe": "sugar-ferment", "treatments-0-sharing": "fresh"}
    fill(client, draft, "treatments", go="stay", **brewed)
    assert typed(client, f"{draft}/treatments")["treatments-0-often"] == "recipe", "how often follows the recipe"
    fill(client, draft, "treatments", **{"treatments-0-often": "every", "treatments-0-every": "7"})
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
