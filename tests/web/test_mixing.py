"""The mixing desk: it answers while one types, rounds to the kit, and mixes a trial's treatments side by side."""

import re

from sqlmodel import Session

from eproba.store.kit import Garden, household_kit
from tests.conftest import demo_garden
from tests.web.steps import text


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
    assert "What the ground actually gets" in again, "pots have loads too"
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
    assert "Spray mist carries germs into lungs" in mist
    for change, said in (
        ({"strength": "0"}, "1 in 0 doesn’t fit"),
        ({"by": "area", "area": "-3"}, "above 0"),
        ({"each": "2 cups"}, "means different things"),
        ({"pot_high": ""}, "Say how much each unit gets"),
    ):
        wrong = client.post("/mix/again", {**form, **change}).get_data(as_text=True)
        assert said in wrong, change


def test_the_kit_rounds(client, app):
    kit = {"system": "US", "scale_g": "5", "spoon_ml": "1.25", "jug_ml": "10", "can_l": "5", "water": "rain"}
    kit |= {"syringe_ml": "1", "cool": "11, 12", "dry": "7", "wet": "", "poor": "y"}
    client.post("/mix/kit", {**kit, "recipe": "yeast-starter"})
    page = text(client, "/mix?recipe=yeast-starter&by=area&area=10%20m²&means=plus&equipment=can")
    assert "<b>4</b> cans of 1.3 gal" in page
    assert "<b>1.75 oz</b>" in page
    with Session(app.extensions["engine"]) as session:
        household = household_kit(session)
    assert household.kit.syringe_ml == 1.0
    assert household.garden == Garden(True, dry=(7,), wet=(), cool=(11, 12))
    months = client.post("/mix/kit", {**kit, "cool": "13"}, follow_redirects=True).get_data(as_text=True)
    assert "Write months as numbers from 1 to 12" in months
    refused = client.post("/mix/kit", {**kit, "can_l": "0"}, follow_redirects=True).get_data(as_text=True)
    assert "doesn’t fit: give" in refused


@demo_garden
def test_a_trial_s_treatments_are_mixed_beside_each_other(client):
    page = text(client, "/trials/1/mix")
    assert "<b>140 mL</b> of comfrey steep and <b>1.35 L</b> of water" in page
    assert len(re.findall(r'class="picture added-ruler"[^>]*aria-label="Water, L/m²: Plain water [\d.]+', page)) == 2
    assert "Not fair yet" not in page
    assert "Diluted whey: 2.5 L/m²; its recipe gives 1 to 2 L/m², usually 2 L/m²." in page, (
        "what the planner says of a dose, the desk says too"
    )
    assert "Nothing is poured." in text(client, "/trials/2/mix"), "bare soil"
