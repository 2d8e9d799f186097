"""Trials as gardeners really plan them, through every step to dealt lots; and a copy of each is the same plan."""

import re
from dataclasses import replace

from sqlmodel import Session

from eproba.store.trials import load_trial
from tests.web.steps import begun, fill, places, rows, text, typed


def dealt(client, app, draft):
    """Through the rest of the steps to the lots; the trial, and that a copy of it is the same plan."""
    for step, following in (("ground", "chance"), ("chance", "days"), ("days", "rules"), ("rules", "deal")):
        gone = fill(client, draft, step)
        assert gone.headers.get("Location", gone.get_data(as_text=True)[:9000]).endswith(following), step
    made = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"]
    number = int(re.search(r"/trials/(\d+)", made)[1])
    again = client.post(f"/trials/{number}/copy").headers["Location"].rsplit("/", 1)[0]
    copied = client.post(f"{again}/deal", {"go": "deal"}).headers["Location"]
    with Session(app.extensions["engine"]) as session:
        first, second = (load_trial(session, int(re.search(r"/trials/(\d+)", at)[1])) for at in (made, copied))
    assert plan(first) == plan(second)
    return first


def plan(trial):
    """What a plan is made of, apart from names, numbers and lots."""
    treatments = [replace(t, id=0) for t in trial.treatments]
    pours = [(p.letter, p.day, p.what, p.planned, p.per) for p in trial.pours]
    rounds, cuts = [r.day for r in trial.rounds], [u.cut for u in trial.units]
    asked = [(a.measure.key, a.per_unit, a.sown) for a in trial.asked]
    same = ("worth", "scale", "no_worse", "ranked", "compared", "dealing", "guard_cm", "blind", "batches", "rules")
    return treatments, sorted(pours), rounds, cuts, asked, [getattr(trial, name) for name in same]


def days(trial, letter, what="dose"):
    return [p.day for p in trial.pours if (p.letter, p.what) == (letter, what)]


def test_two_beds_of_lettuce_coffee_and_rice_water_against_water(client, app):
    draft = begun(client, "Coffee on lettuce", thing="Coffee and rice water")
    fill(client, draft, "measure", decision_day="21")
    brewed = {"recipe": "grounds-rice-water", "dose": "m2", "amount": "2", "unit": "L", "often": "every", "every": "3"}
    rows(client, draft, brewed, {})
    fill(client, draft, "ground", go="stay", **places(("bed", 0, 0, 200, 100), ("bed", 0, 160, 200, 100)))
    page = text(client, f"{draft}/treatments")
    assert "So it gets <b>2 L/m², every 3 days, 7 times</b>" in page, "the same volume, the same days"
    assert page.count("2 L/m², every 3 days, 7 times") == 2
    told = text(client, f"{draft}/days")
    assert "poured again after 3 days, on day 3; its recipe wants" in told
    trial = dealt(client, app, draft)
    assert days(trial, "A") == days(trial, "B") == list(range(0, 21, 3))
    assert trial.treatment("B").amount == 2.0
    page = text(client, f"/trials/{trial.id}/pours/3")
    assert re.search(r"<b>[\d.]+ (mL|L)</b> each for H\d", page), "what a patch gets is reckoned from its size"


def test_six_media_in_a_tray_with_two_bags_each(client, app):
    draft = begun(client, "Six media", "media", "Bag of the corner shop", claim="It grows as well.")
    measure = typed(client, f"{draft}/measure")
    assert (measure["measure"], measure["scale"], measure["sown"]) == ("seeds_up", "difference", "10")
    assert "Growing media: nothing can be read before they are sown" in text(client, f"{draft}/measure")
    named = [{"name": f"Mix {n}", "label": f"{n} a bag, “all you need”"} for n in range(1, 6)]
    rows(client, draft, *named, {"name": "The usual mix", "role": "reference"})
    fill(client, draft, "treatments", go="stay", batches="2")
    page = text(client, f"{draft}/treatments")
    asked = page.split("<form")[-1].split("step-buttons")[0]
    assert "lain water" not in asked, "no water is missing where nothing is poured"
    assert "One bag of each" not in page
    fill(client, draft, "ground", go="stay", units_each="8", **places(("tray", 0, 0, 48, 36, 6, 8)))
    trial = dealt(client, app, draft)
    assert (len(trial.units), trial.batches, trial.compared) == (48, 2, "media")
    assert trial.pours == ()
    assert trial.rounds[0].day > 0, "no baseline on the day of sowing"
    assert "all you need" in text(client, f"/trials/{trial.id}")


def test_three_strengths_of_molasses_beside_compost_once_and_nothing(client, app):
    draft = begun(client, "Molasses", thing="Molasses")
    fill(client, draft, "measure", decision_day="42")
    stirred = {"recipe": "molasses-water", "dose": "recipe", "often": "recipe"}
    fill(client, draft, "treatments", go="stay", **{f"treatments-0-{k}": v for k, v in stirred.items()})
    fill(client, draft, "treatments", go="ladder", ladder_by="litre", ladder_rungs="6 12 24")
    fill(client, draft, "treatments", go="add")
    fill(client, draft, "treatments", go="add")
    compost = {"name": "Compost", "recipe": "compost-top-dressing", "dose": "recipe", "often": "once"}
    more = {4: compost, 5: {"name": "Nothing", "role": "untreated"}}
    fill(client, draft, "treatments", **{f"treatments-{i}-{k}": v for i, row in more.items() for k, v in row.items()})
    fill(client, draft, "ground", go="stay", **places(("bed", 0, 0, 600, 120), ("bed", 0, 200, 600, 100)))
    page = text(client, f"{draft}/treatments")
    assert "Compost: also 2 L/m² of plain water, on days 0 and 28." in page
    assert "Nothing gets less water than the wettest treatment" in page
    ground = text(client, f"{draft}/ground")
    assert "blocks, all" in ground.split("checked")[1][:200], "units of one size are offered first"
    trial = dealt(client, app, draft)
    assert [t.name for t in trial.treatments][:3] == [f"Molasses, {n} mL a litre" for n in (6, 12, 24)]
    assert [t.times for t in trial.treatments][:3] == [0.5, 1.0, 2.0]
    assert (days(trial, "A"), days(trial, "E"), days(trial, "E", "water")) == ([0, 28], [0], [0, 28])
    assert days(trial, "F") == days(trial, "F", "water") == []
    later = text(client, f"/trials/{trial.id}/pours/28")
    assert "Compost: plain water" in later
    assert "so that it gets as much water as the others" in later
    assert "Molasses, 24 mL a litre" in text(client, f"/trials/{trial.id}/mix")


def test_two_pots_of_one_house_plant_end_described_never_judged(client, app):
    draft = begun(client, "House plant", thing="Rice water")
    brewed = {"recipe": "rice-water", "dose": "pot", "amount": "10", "pot": "3", "often": "every", "every": "14"}
    page = rows(client, draft, brewed, {})
    assert page.status_code == 302
    assert "First a spare plant." in text(client, f"{draft}/treatments")
    fill(client, draft, "ground", go="stay", units_each="1", **places(("pots", 0, 0, 60, 30, 1, 2)))
    assert "can be described, never judged" in text(client, f"{draft}/ground")
    trial = dealt(client, app, draft)
    assert (trial.dealing, len(trial.units)) == ("one of each", 2)
    assert [(t.amount, t.amount_unit) for t in trial.treatments] == [(0.3, "L"), (0.3, "L")]


def test_half_a_bed_of_ten_square_metres_with_a_yeast_starter(client, app):
    draft = begun(client, "Yeast", thing="Yeast starter")
    rows(client, draft, {"recipe": "yeast-starter", "dose": "recipe", "often": "recipe"}, {})
    fill(client, draft, "ground", go="stay", units_each="6", **places(("bed", 0, 0, 1000, 100)))
    trial = dealt(client, app, draft)
    assert [(t.amount, t.amount_unit, t.per) for t in trial.treatments] == [(2.0, "L", "m2")] * 2
    assert days(trial, "A") == days(trial, "B") == [0, 14]
    assert "of it and" in text(client, f"/trials/{trial.id}/pours/0"), "the cans are reckoned"


def test_a_mulch_is_laid_not_poured(client, app, clock):
    draft = begun(client, "Wool", "mulch", "Wool", claim="It keeps the soil moist.")
    rows(client, draft, {"amount": "0.8"}, {})
    trial = dealt(client, app, draft)
    clock.forward(days=1)
    today = text(client, "/")
    assert "Mulching, day 0" in today
    assert "Log mulching" in today
    page = text(client, f"/trials/{trial.id}/pours/0")
    assert re.search(r'value="poured" checked> <span> ?Laid', page)


def test_a_recipe_that_is_gone_leaves_a_plan_that_can_be_gone_on_with(client, app):
    draft = begun(client, "Gone", thing="Whey")
    rows(client, draft, {"recipe": "deleted-long-ago", "dose": "unit", "amount": "250"}, {})
    assert dealt(client, app, draft).treatment("A").amount == 250.0
