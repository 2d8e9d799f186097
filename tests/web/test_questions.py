"""Trials that ask more than “is it better”: a ladder, no worse, several crops and batches, plants pulled by lot."""

import json
import re

from sqlalchemy import text as sql

from tests.web.entries import op, till
from tests.web.steps import declared, fill, places, planned, text, typed


def read_in(client, trial, value):
    """All readings of the first measure by file: value(letter, number of the unit, day)."""
    whole = json.loads(text(client, f"{trial}/export.json"))["trial"]
    lines = ["day;unit;measure;reading;value"]
    measure = whole["asked"][0]["measure"]["name"]
    for row in whole["rounds"]:
        for n, unit in enumerate(whole["units"]):
            code = f"{ {'pot': 'P', 'patch': 'H', 'cell': 'Z'}[unit['cut']['kind']] }{unit['cut']['number']}"
            lines.append(f"{row['day']};{code};{measure};1;{value(unit['letter'], n, row['day']):.1f}")
    answer = client.post(f"{trial}/readings/import", {"text": "\n".join(lines), "go": "take"}, follow_redirects=True)
    assert answer.status_code == 200, re.sub(r"<[^>]+>", " ", answer.get_data(as_text=True))[-900:]


def test_a_ladder_is_judged_as_comparisons_and_as_one_trend(client, draft, clock):
    planned(client, draft)
    fill(client, draft, "treatments", go="ladder")
    fill(client, draft, "ground", units_each="6")
    trial = declared(client, draft)
    names = re.findall(r"<strong>(Nettle steep, 1 \+ \d+|Plain water)</strong>", text(client, trial))
    assert sorted(set(names)) == [*(f"Nettle steep, 1 + {n}" for n in (10, 20, 5)), "Plain water"]
    clock.forward(days=30)
    step = {"A": 1.2, "B": 2.4, "C": 3.6, "D": 0.0}
    read_in(client, trial, lambda letter, n, day: 20 + 0.2 * (n * n % 7) + step[letter] * (day > 0))
    page = text(client, f"{trial}/verdict")
    assert "The ladder as one trend" in page
    assert "Each step up the ladder: +" in page
    assert "stronger mixes did more, or less" in page
    assert "taken as equal steps" in page
    assert page.count("told-finding") == 3, "and each rung against the control"


def poured(app, trial):
    """Every application on record, as planned."""
    number = int(trial.rsplit("/", 1)[1])
    with app.extensions["engine"].begin() as connection:
        connection.execute(
            sql(
                "UPDATE pour SET status = 'poured', done_on = start_on + day FROM trial"
                " WHERE trial.id = trial_id AND trial_id = :number"
            ),
            {"number": number},
        )


def test_no_worse_has_its_own_question_chance_and_verdict(client, draft, clock, app):
    planned(client, draft)
    refused = fill(client, draft, "measure", aim="no worse", worth="")
    assert "needs a margin" in refused.get_data(as_text=True)
    fill(client, draft, "measure", aim="no worse", worth="20")
    chance = text(client, f"{draft}/chance")
    assert "If it is just as good" in chance
    assert "If it is worse by your margin" in chance
    assert "came out no worse than plain water by more than 20 %" in text(client, f"{draft}/claim")
    trial = declared(client, draft)
    clock.forward(days=30)
    read_in(client, trial, lambda letter, n, day: 20 + 0.3 * (n * n % 5) + 0.02 * day)
    poured(app, trial)
    page = text(client, f"{trial}/verdict")
    assert "No worse, within your margin" in page or "No difference" in page or "Better" in page
    assert "inside the margin of 20 % that you allowed" in page


def test_a_blind_trial_names_no_treatment_on_its_tags(client, draft):
    planned(client, draft)
    fill(client, draft, "treatments", blind="y")
    assert "blind" in typed(client, f"{draft}/treatments")
    trial = declared(client, draft)
    assert "tags do not name the treatment" in text(client, trial)
    assert "Nettle steep" not in text(client, f"{trial}/tags").split("tags-sheet")[1]
    assert client.get(f"{trial}/slip").status_code == 403, "the slip is for whoever pours"
    client.post("/who", {"who": "Ben", "role": "pours"})
    assert "Nettle steep" in text(client, f"{trial}/slip")
    assert "Nettle steep" not in text(client, f"{trial}/tags").split("tags-sheet")[1], "the one who reads sees the tags"


def test_a_blind_trial_shows_the_reader_nothing_from_which_the_lots_could_be_told(client, draft, clock):
    """Trial page, plan, sheet, files and log by role; the one who pours sees them, and all do after the opening."""
    planned(client, draft)
    fill(client, draft, "treatments", blind="y")
    trial = declared(client, draft)
    first = re.search(r"round=(\d+)", text(client, f"{trial}/readings")).group(1)
    round_ = till(client, f"{trial}/rounds/{first}")
    clock.forward(days=1)
    now = int(clock.at.timestamp() * 1000)
    client.send("/entries", {"entries": [op(round_, 1, "P1", "12", "plant_height", at=now)]})

    def told():
        pages = [text(client, f"{trial}{each}") for each in ("", "/ground", "/tags", "/sheet", "/readings", "/pours")]
        table = client.get(f"{trial}/readings.csv").get_data(as_text=True)
        kept = client.get(f"{trial}/export.json").get_json()["trial"]
        letters = {unit["letter"] for unit in kept["units"]}
        lots = bool((kept["declared"] or {}).get("facts", {}).get("lots"))
        named = bool(re.search(r"<title>P\d+: [AB]", pages[0] + pages[1]))
        return named, "test" in table.split("P1")[1][:60], letters, kept["seed"], lots, "lots of the tests" in pages[0]

    assert told() == (False, False, {""}, "", False, False)
    hidden = client.get(f"{trial}/pours/0")
    assert (hidden.status_code, "this device reads" in hidden.get_data(as_text=True)) == (403, True)
    right = "day;unit;treatment;measure;value\n0;P2;Nettle steep;plant_height;9\n0;P3;Nettle steep;plant_height;9\n"
    answer = client.post(f"{trial}/readings/import", {"text": right})
    assert "was dealt" not in answer.get_data(as_text=True), "nor by asking which treatment a file may name"
    client.post("/who", {"who": "Ben", "role": "pours"})
    assert told()[2:] == ({"A", "B"}, "lots of the tests", True, True)
    assert client.get(f"{trial}/pours/0").status_code == 200
    client.post("/who", {"who": "Ben", "role": "reads"})
    client.post(f"{trial}/end", {"reason": "frost"})
    assert told()[2] == {"A", "B"}, "the envelope is open"


def test_a_square_is_cut_dealt_and_proved(client, draft):
    planned(client, draft)
    fill(client, draft, "treatments", go="add")
    fill(client, draft, "treatments", **{"treatments-2-name": "Whey"})
    fill(client, draft, "ground", dealing="Latin square", units_each="3")
    assert "Latin square, 3 × 3" in text(client, f"{draft}/ground")
    trial = declared(client, draft)
    slip = text(client, f"{trial}/slip")
    assert "cyclic square" in slip
    assert "seed:letters:0" in slip
    rows = re.findall(r"<title>P\d+: (\w)", text(client, trial))
    assert sorted(rows) == list("AAABBBCCC")


def test_two_things_at_once_are_planned_poured_and_judged(client, draft, clock, app):
    """One button makes each alone, both and neither; a pour goes to its own and to both; the verdict is of the two."""
    planned(client, draft)
    refused = fill(client, draft, "treatments", go="crossed")
    assert "Name the two things first: a treatment each, in the role “Test”." in refused.get_data(as_text=True)
    fill(client, draft, "treatments", go="add")
    whey = {"name": "Whey", "dose": "unit", "amount": "250", "unit": "mL", "often": "every", "every": "7"}
    fill(client, draft, "treatments", go="stay", **{f"treatments-2-{name}": value for name, value in whey.items()})
    fill(client, draft, "treatments", go="crossed")
    page = text(client, f"{draft}/treatments")
    assert "So it gets <b>what both others get</b>." in page
    assert re.search(r'name="treatments-2-name"[^>]*value="Nettle steep and whey"', page)
    assert "whether they help each other takes about four times as many" in page
    fill(client, draft, "treatments", go="next")
    fill(client, draft, "ground", units_each="6")
    trial = declared(client, draft)
    shown = text(client, trial)
    assert "what both others get" in shown
    walks = re.findall(r'walk-codes">(.*?)</p>', text(client, f"{trial}/pours/0"))
    assert sorted(walk.count("<span>P") for walk in walks) == [6, 6, 6, 12, 12], "doses go to both as well, water not"
    clock.forward(days=30)
    poured(app, trial)
    gain = {"A": 1.25, "B": 1.0, "C": 1.25, "D": 1.0}
    read_in(
        client, trial, lambda letter, n, day: (20 + 0.2 * (n * n % 7)) * (gain[letter] if day > 0 else 1.0)
        + 0.1 * ((7 * n + 3 * day + 5 * n * n) % 11),
    )  # fmt: skip
    verdict = text(client, f"{trial}/verdict")
    assert re.search(r"<h1 class=\"title\">Nettle steep: Better, and by enough to matter</h1>", verdict)
    assert '<h2 class="title is-4">Whey: No difference worth having</h2>' in verdict
    assert '<h2 class="title is-4">They add up, no more and no less</h2>' in verdict
    assert "over units with and without Whey; the true gap is likely between" in verdict
    assert "Nettle steep: Better, and by enough to matter" in text(client, "/trials")
    assert "<h2>They add up, no more and no less</h2>" in text(client, f"{trial}/report")
    assert client.get(f"{trial}/message.png").data.startswith(b"\x89PNG")


def test_two_places_that_take_turns_are_planned_read_and_judged(client, draft, clock, app):
    """Two beds, eight periods of three days: the strip, a round that asks two units, a pour for one place, a verdict by
    the permitted schedules."""
    planned(client, draft)
    measure = {"measure": "surface_worms", "worth": "2", "scale": "difference", "decision_day": "25", "also": []}
    fill(client, draft, "measure", **measure)
    fill(client, draft, "treatments", **{"treatments-0-often": "every", "treatments-0-every": "3"})
    beds = places(("bed", 0, 0, 200, 100), ("bed", 300, 0, 200, 100))
    fill(client, draft, "ground", dealing="on and off", units_each="8", **beds)
    page = text(client, f"{draft}/ground")
    assert "On and off, 8 periods" in page
    assert "Turns make much of two places." in page
    assert "8 periods, in each of them one place on and the other off" in page
    days = fill(client, draft, "days").get_data(as_text=True)
    assert "25 days can’t be shared out over 8 periods: decide on day 24 or 32." in days
    fill(client, draft, "measure", **{**measure, "decision_day": "24"})
    trial = declared(client, draft)
    shown = text(client, trial)
    assert "Dealt on and off, period by period" in shown
    assert "8 periods of 3 days; the pale half of each washes out" in shown
    strip = re.search(r'turns-strip"[^>]*aria-label="([^"]*)"', shown).group(1)
    first, second = (each.split(": ")[1].split(", ") for each in strip.removesuffix(".").split(". ", 1)[1].split("; "))
    assert all({a, b} == {"Nettle steep", "Plain water"} for a, b in zip(first, second, strict=True))
    walks = re.findall(r'walk-codes">(.*?)</p>', text(client, f"{trial}/pours/3"))
    assert [walk.count("<span>B") for walk in walks] == [1, 1], "one place each"
    rounds = re.findall(r"readings\?round=(\d+)", text(client, f"{trial}/readings"))
    asked = [each["code"] for each in till(client, f"{trial}/rounds/{rounds[2]}")["units"]]
    assert asked == ["B5", "B6"], "the two places in their third period"
    clock.forward(days=30)
    poured(app, trial)
    whole = json.loads(text(client, f"{trial}/export.json"))["trial"]
    lines = ["day;unit;measure;reading;value"]
    for n, unit in enumerate(whole["units"]):
        value = 12 + 5 * (unit["letter"] == "A") + n % 3 + 2 * (n % 2)
        lines.append(f"{3 * int(unit['cut']['block'])};B{unit['cut']['number']};Worms at the surface;1;{value}")
    lines = [line.replace("Worms at the surface", whole["asked"][0]["measure"]["name"]) for line in lines]
    client.post(f"{trial}/readings/import", {"text": "\n".join(lines), "go": "take"})
    verdict = text(client, f"{trial}/verdict")
    assert re.search(r'<h1 class="title">Better', verdict)
    assert "Nothing is shown to be left over from one period to the next" in verdict
    assert "34 " in verdict, "all permitted schedules"
