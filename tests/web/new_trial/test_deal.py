"""Dealing, declaring, amending; a copy is the same plan."""

import json
import re

import pytest
from sqlalchemy import text as sql
from sqlmodel import Session

from eproba.store.trials import load_trial
from tests.conftest import demo_garden
from tests.web.entries import op, till
from tests.web.steps import dealt, fill, planned, pots, text, typed

EVIL = "Robert'); DROP TABLE trial;-- <img src=x onerror=alert(1)>"


def test_declaring_freezes_and_amending_tells(client, draft, clock):
    trial = dealt(client, draft)
    page = text(client, trial)
    assert "Deal again" in page
    client.post(f"{trial}/deal-again")
    client.post(f"{trial}/declare")
    page = text(client, trial)
    assert "fingerprint" in page
    assert "dealt 2 times" in page
    assert client.post(f"{trial}/deal-again").status_code == 400
    change = {"what": "worth", "worth": "25", "reason": "a cheaper meal was found"}
    assert client.post(f"{trial}/amend", {**change, "reason": ""}).status_code == 400
    client.post(f"{trial}/amend", change)
    late = {"what": "decision day", "decision_day": "35", "reason": "a cold spring"}
    client.post(f"{trial}/amend", late)
    client.post(f"{trial}/amend", {"what": "treatments", "letter": "A", "how": "1 and 5", "reason": "too weak"})
    clock.forward(days=9)
    early = client.post(f"{trial}/amend", {**late, "decision_day": "3"})
    assert "day 8 is the earliest" in early.get_data(as_text=True)
    page = text(client, trial)
    for words in ("worth from 15 % to 25 %", "decision day from day 28 to day 35", "a cold spring", "“1 and 5”"):
        assert words in page
    export = json.loads(text(client, f"{trial}/export.json"))
    assert export["trial"]["declared"]["fingerprint"]
    assert len(export["trial"]["amendments"]) == 3


def test_the_first_record_declares_what_nobody_declared(client, draft, clock):
    trial = dealt(client, draft)
    clock.forward(days=1)
    round_ = till(client, re.search(rf"{trial}/rounds/\d+", text(client, trial)).group())
    refused = {**op(round_, 1, "P1", "5", "plant_height"), "unit": "P99"}
    client.send("/entries", {"entries": [refused]})
    assert "fingerprint <code>" not in text(client, trial), "what is refused is no record"
    client.send("/entries", {"entries": [op(round_, 2, "P1", "5", "plant_height")]})
    assert "fingerprint <code>" in text(client, trial)


@demo_garden
@pytest.mark.parametrize("number", [1, 2, 3, 5])
def test_a_copy_is_the_same_plan(client, app, number):
    """Also where the units are of two sizes; only day 0 and the lots are new."""
    with app.extensions["engine"].begin() as connection:
        wider = "UPDATE unit SET width_cm = width_cm * 1.5, x_cm = x_cm * 1.5 WHERE trial_id = :t AND number % 2 = 1"
        connection.execute(sql(wider), {"t": number})
    again = client.post(f"/trials/{number}/copy").headers["Location"].rsplit("/", 1)[0]
    made = client.post(f"{again}/deal", {"go": "deal"}).headers["Location"]
    with Session(app.extensions["engine"]) as session:
        first, copy = load_trial(session, number), load_trial(session, int(re.search(r"/trials/(\d+)", made)[1]))
    assert [unit.cut for unit in copy.units] == [unit.cut for unit in first.units]
    assert (copy.dealing, copy.guard_cm, copy.site) == (first.dealing, first.guard_cm, first.site)
    facts = ("name", "role", "how", "amount", "amount_unit", "rung", "recipe", "water_parts", "sharing")
    assert [[getattr(t, f) for f in facts] for t in copy.treatments] == [
        [getattr(t, f) for f in facts] for t in first.treatments
    ]
    assert [each.day for each in copy.rounds] == [each.day for each in first.rounds]
    assert {pour.day for pour in copy.pours} == {pour.day for pour in first.pours}


def test_sql_and_html_in_names_stay_words(client, draft, app):
    fill(client, draft, "claim", claim=EVIL, name=EVIL[:80], note=EVIL)
    fill(client, draft, "measure")
    fill(client, draft, "treatments", **{"treatments-0-name": EVIL[:60], "treatments-0-how": EVIL})
    fill(client, draft, "ground")
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    for path in (
        trial,
        "/trials",
        "/",
        f"{trial}/tags",
        f"{trial}/pours",
        f"{trial}/pours/0",
        f"{trial}/verdict",
        f"{trial}/delete",
    ):
        page = client.get(path).get_data(as_text=True)
        assert "<img" not in page
        assert "Robert" in page or path.endswith("verdict")
    with app.extensions["engine"].connect() as connection:
        assert connection.execute(sql("SELECT count(*) FROM trial")).scalar() == 1
    assert "'=" not in client.get(f"{trial}/readings.csv").get_data(as_text=True)


def test_between_dealing_and_declaring_there_is_a_way_back_that_is_counted(client, draft):
    trial = dealt(client, draft)
    client.post(f"{trial}/deal-again")
    back = client.post(f"{trial}/plan-again")
    again = back.headers["Location"].rsplit("/", 1)[0]
    assert client.get(trial).status_code == 404
    assert typed(client, f"{again}/claim")["name"] == "Nettle on chard"
    fill(client, again, "measure", worth="20")
    other = client.post(f"{again}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    page = text(client, other)
    assert "grew plants 20 % taller than plain water." in page
    assert "dealt 3 times" in page, "two before, and one now"
    client.post(f"{other}/declare")
    assert "Back to the plan" not in text(client, other)
    refused = client.post(f"{other}/plan-again")
    assert "The plan is declared, or something is on record" in refused.get_data(as_text=True)


def test_the_chance_stands_above_the_dealing_with_the_cheapest_way_to_more(client, draft):
    planned(client, draft)
    page = text(client, f"{draft}/deal")
    board = r"Would it show\?</p> <p class=.board-sentence.>"
    said = re.search(rf"{board}(If it truly makes 15 %, this plan shows it in (\d+) of 100 gardens)", page)
    share = re.search(r"Finds 15 % </dt> <dd> in <strong>(\d+) of 100</strong>", text(client, f"{draft}/chance"))
    assert said.group(2) == share.group(1), "one chance on both pages"
    assert re.search(
        r"The cheapest way to a better plan: \d+ readings of each unit|\d+ units of each instead of 6", page
    )
    fill(client, draft, "ground", units_each="1")
    assert "With one unit of each this plan shows nothing" in text(client, f"{draft}/deal")
    fill(client, draft, "measure", scale="difference", worth="5", typical="")
    page = text(client, f"{draft}/deal")
    assert "Nobody can say how often this plan would show it" in page
    assert "Say under Measure what one unit usually gives, in cm" in page


@pytest.mark.parametrize(
    ("day", "said"),
    [
        ("2026-05-19", "19 May 2026 is 1 day ago: the plants’ growth since then may influence who gets what"),
        ("2019-05-20", "20 May 2019 is 2557 days ago"),
        ("2031-05-20", "20 May 2031 is 5 years away."),
        ("2026-05-20", ""),
        ("2028-05-19", ""),
    ],
)
def test_an_odd_first_day_is_asked_about_at_its_field(client, draft, day, said):
    answer = fill(client, draft, "measure", start_on=day)
    assert answer.status_code == (400 if said else 302)
    if said:
        assert said in answer.get_data(as_text=True)
        assert fill(client, draft, "measure", start_on=day, sure=day).status_code == 302
        assert fill(client, draft, "measure", start_on="2018-01-01", sure=day).status_code == 400, "that is another day"


def test_what_is_a_day_is_looked_for_daily_and_has_no_baseline(client, draft):
    planned(client, draft)
    fill(client, draft, "measure", measure="first_seedling", decision_day="21", worth="2")
    page = text(client, f"{draft}/days")
    assert "Empty: as proposed (3 4 5 6 7 8 9 16 21)" in page
    measure = text(client, f"{draft}/measure")
    assert "The day on which it usually happens" in measure
    assert "Readings per unit and round" not in measure
    assert "Baseline" not in page
    chance = text(client, f"{draft}/chance")
    assert "noise of 1.5 days" in chance, "looked for daily, a day is known well"
    fill(client, draft, "days", rounds="7 14 21")
    assert "noise of 2.5 days" in text(client, f"{draft}/chance"), "a week between two looks"
    fill(client, draft, "days", rounds="")
    made = client.post(f"{draft}/deal", {"go": "deal"})
    assert "dealt=1" in made.headers["Location"]


def test_a_visit_of_two_places_that_take_turns_counts_one_place(client, draft):
    planned(client, draft)
    fill(client, draft, "measure", measure="surface_worms", decision_day="24", worth="2")
    fill(client, draft, "ground", dealing="on and off", units_each="6", places=pots(2), auto="")
    dose = {"dose": "unit", "amount": "250", "unit": "mL", "often": "every", "every": "2"}
    fill(client, draft, "treatments", **{f"treatments-0-{field}": value for field, value in dose.items()})
    page = text(client, f"{draft}/days")
    assert "250 mL each, 1 can of 0.25 L" in page
    assert "5 can" not in page
    deal = text(client, f"{draft}/deal")
    assert "borders between units" not in deal
    assert "a late look shows the weather" not in deal
    assert "a guard of" not in deal
    assert "nothing of nettle steep is given" not in page
    fill(client, draft, "treatments", **{"treatments-0-every": "12"})
    idle = "In periods 2, 3, 5 and 6 of 6 nothing of nettle steep is given: a place that is on then gets none of it."
    assert idle in text(client, f"{draft}/days")
    chance = text(client, f"{draft}/chance")
    assert "the lots alone can’t confirm a gain, and the verdict rests on the calculation; from 10 periods on" in chance
