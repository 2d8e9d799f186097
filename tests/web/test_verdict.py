"""The verdict through the interface: looked at early for its price, capped, by order, ranked, with a margin."""

import json
import re

import numpy as np
import pytest

from tests.web.steps import declared, fill, planned, text, typed
from tests.web.test_questions import poured, read_in


def unrest(n, day):
    return (n * n * 7 + 3 * day) % 5


def lots(n):
    """0, 1 or 2, as chance would have it."""
    return int(np.random.default_rng(n).integers(0, 3))


@pytest.fixture
def trial(client, draft):
    """A planned trial of plant height, twelve pots in pairs, decided on day 28."""
    planned(client, draft)
    return declared(client, draft)


def taller(by):
    return lambda letter, n, day: 20 + day / 2 + 0.4 * unrest(n, day) + (by if letter == "A" and day > 0 else 0)


DEALT = {}  # who got what, as the file of a trial told before its first reading


def letters_of(whole):
    if whole["units"][0]["letter"]:
        DEALT[whole["key"]] = {unit["id"]: unit["letter"] for unit in whole["units"]}
    return DEALT[whole["key"]]


def read_days(client, trial, value, days):
    whole = json.loads(text(client, f"{trial}/export.json"))["trial"]
    lines, letters = ["day;unit;measure;reading;value"], letters_of(whole)
    lines += [
        f"{row['day']};P{unit['cut']['number']};{whole['asked'][0]['measure']['name']};1;"
        f"{value(letters[unit['id']], n, row['day']):.1f}"
        for row in whole["rounds"]
        if row["day"] in days
        for n, unit in enumerate(whole["units"])
    ]
    answer = client.post(f"{trial}/readings/import", {"text": "\n".join(lines), "go": "take"}, follow_redirects=True)
    assert answer.status_code == 200


def test_an_early_look_says_its_price_is_put_on_record_and_is_paid_for(client, trial, clock):
    clock.forward(days=15)
    sealed = text(client, f"{trial}/verdict")
    assert "Open early (it costs)" in sealed
    read_days(client, trial, taller(9), (0, 7, 14))
    asked = text(client, f"{trial}/verdict/open")
    price = re.search(r"Today only a gap ([\d.]+) times as clear as on the decision day would count\.", asked)
    figures = re.search(r"must be: ([\d.]+) at day 14 of 28; ([\d.]+) on the .* ([\d.]+) without it", asked)
    now, later, unlooked = map(float, figures.groups())
    assert now > later > unlooked
    assert float(price.group(1)) == pytest.approx(now / unlooked, abs=0.06)
    refused = client.post(f"{trial}/verdict/open", {"reason": " "})
    assert refused.status_code == 400
    assert "Say why" in refused.get_data(as_text=True)
    seen = client.post(f"{trial}/verdict/open", {"reason": "Frost is coming"}, follow_redirects=True)
    page = seen.get_data(as_text=True)
    assert "Looked early, on day 14. This is a glimpse" in page
    assert "Sealed until" in text(client, f"{trial}/verdict"), "and it shuts again"
    assert "Frost is coming" in text(client, f"{trial}/verdict")
    assert client.get(f"{trial}/verdict/looks/13").status_code == 404
    clock.forward(days=15)
    read_days(client, trial, taller(9), (21, 28))
    judged = text(client, f"{trial}/verdict")
    assert "The envelope was opened before, on day 14. That has its price" in judged
    assert client.post(f"{trial}/verdict/open", {"reason": "again"}).status_code == 400, "it is open"
    whole = json.loads(text(client, f"{trial}/export.json"))["trial"]
    assert [(look["day"], look["reason"]) for look in whole["looks"]] == [(14, "Frost is coming")]


def test_before_the_first_day_is_over_there_is_nothing_to_look_at(client, trial):
    assert "Open early (it costs)" not in text(client, f"{trial}/verdict")
    refused = client.post(f"{trial}/verdict/open", {"reason": "curious"})
    assert refused.status_code == 400
    assert "there is nothing to see yet" in refused.get_data(as_text=True)


def test_ending_early_says_what_it_costs(client, trial, clock):
    clock.forward(days=15)
    assert "If it ends on day 14 of 28, only a gap" in text(client, f"{trial}/end")
    read_days(client, trial, taller(9), (0, 7, 14))
    client.post(f"{trial}/end", {"reason": "Hail"})
    page = text(client, f"{trial}/verdict")
    assert "flatters luck, the ranges are widened" in page


def test_a_missed_decision_day_is_described_and_not_judged(client, trial, clock):
    clock.forward(days=30)
    read_days(client, trial, taller(9), (0, 7, 14))
    for number in sorted(set(re.findall(r"round=(\d+)", text(client, f"{trial}/readings"))), key=int):
        client.post(f"{trial}/rounds/{number}/finish", {"note": "", "seen": ""})
    page = text(client, f"{trial}/verdict")
    assert "The question was about day 28, and nothing was read then; day 14 can’t stand in for it" in page
    assert "Seen, not shown" in page
    assert "but the check “decision day” limits it" in page


def test_a_blind_scored_trial_is_judged_by_its_gap_and_by_order(client, draft, clock):
    planned(client, draft)
    fill(client, draft, "measure", measure="soil_smell", scale="difference", worth="1")
    fill(client, draft, "treatments", blind="y")
    trial = declared(client, draft)
    clock.forward(days=15)
    assert "Open early (it costs)" not in text(client, f"{trial}/verdict"), "who reads a blind trial can’t look"
    assert client.post(f"{trial}/verdict/open", {"reason": "curious"}).status_code == 403
    client.post("/who", {"who": "Ben", "role": "pours"})
    assert "Open early (it costs)" in text(client, f"{trial}/verdict")
    clock.forward(days=15)
    read_days(client, trial, lambda letter, n, day: lots(n + day) + (2 if letter == "A" and day else 0), (0, 28))
    page = text(client, f"{trial}/verdict")
    assert "The tags did not name the treatment." in page
    assert "By order" in page
    assert "of 100 pairs of one block a pot with Nettle steep stood higher than one with Plain water" in page
    assert "0.000" not in page.split("Dots, luck and figures")[0]


def test_classes_can_carry_a_verdict_and_take_no_worth(client, draft, clock):
    planned(client, draft)
    refused = fill(client, draft, "measure", measure="nitrogen_kit", scale="difference", worth="1")
    assert "classes without a distance between them: leave this empty" in refused.get_data(as_text=True)
    fill(client, draft, "measure", measure="nitrogen_kit", scale="difference", worth="", better="higher")
    trial = declared(client, draft)
    clock.forward(days=30)
    read_days(client, trial, lambda letter, n, day: lots(n + day) % 2 + (2 if letter == "A" and day else 0), (0, 28))
    page = text(client, f"{trial}/verdict")
    assert re.search(
        r"In \d+ of 100 pairs of one block a pot with Nettle steep stood higher than one with Plain water", page
    )
    assert "n kit class" not in page
    assert "By their ranks, the lots dealt again: 1 in" in page


def test_the_day_of_reaching_a_level_carries_a_verdict_in_days(client, draft, clock):
    planned(client, draft)
    refused = fill(client, draft, "measure", summary="time_to")
    assert "Say which level is to be reached" in refused.get_data(as_text=True)
    page = typed(client, f"{draft}/measure")
    assert (page["scale"], page["worth"]) == ("difference", "3"), "days can’t be said in percent"
    fill(client, draft, "measure", level="25", better="lower")
    trial = declared(client, draft)
    clock.forward(days=30)
    read_in(client, trial, lambda letter, n, day: 20 + day * (0.9 if letter == "A" else 0.4) + 0.1 * unrest(n, day))
    page = text(client, f"{trial}/verdict")
    assert re.search(r"Nettle steep reached 25 cm of plant height about [\d.]+ days earlier than Plain water", page)
    assert "You wanted 3 days" in page


def test_a_media_ranking_ties_on_a_string_those_not_told_apart(client, draft, clock):
    fill(client, draft, "claim", claim="Leaf mould is ahead.", name="Media", compared="media")
    fill(client, draft, "measure", measure="plant_height", aim="rank", worth="")
    names = ("Sieved loam", "Leaf mould", "Coir")
    fill(client, draft, "treatments", **{f"treatments-{i}-name": name for i, name in enumerate(names[:2])})
    fill(client, draft, "treatments", go="add")
    fill(client, draft, "treatments", **{"treatments-2-name": names[2]})
    trial = declared(client, draft)
    clock.forward(days=30)
    lift = {"A": 0.0, "B": 8.0, "C": 8.3}
    read_in(client, trial, lambda letter, n, day: 20 + 0.4 * unrest(n, day) + lift[letter])
    page = text(client, f"{trial}/verdict")
    assert "lead; nothing separates them" in page
    assert 'class="tied"' in page
    assert "A string joins treatments with no clear difference" in page


def test_worse_inside_the_margin_is_worse_and_not_no_worse(client, draft, clock, app):
    planned(client, draft)
    fill(client, draft, "measure", aim="no worse", worth="40")
    trial = declared(client, draft)
    clock.forward(days=30)
    read_in(client, trial, lambda letter, n, day: 40 + 0.2 * unrest(n, day) - (6 if letter == "A" and day else 0))
    held = text(client, f"{trial}/verdict")
    assert "more than a third, so how large the gap is says little" in held
    assert "but the check “applied as planned” limits it" in held
    poured(app, trial)
    page = text(client, f"{trial}/verdict")
    assert "Worse, but by less than you would give away" in page
    assert "The margin was 40 %: it is less than that." in page
    assert "may be nothing" not in page
