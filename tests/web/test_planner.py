"""The planner's parts: claim bank, cutter, chance, days, rules; declaring, amending, calendar and paper."""

import json
import re

import pytest
from icalendar import Calendar
from sqlalchemy import text as sql
from sqlmodel import Session

from eproba.store.trials import load_trial
from tests.conftest import demo_garden
from tests.web.entries import op, till
from tests.web.steps import fill, planned, typed

BEDS = json.dumps(
    {
        "places": [
            {"kind": "bed", "name": "Left", "x_cm": 0, "y_cm": 0, "width_cm": 200, "length_cm": 100},
            {"kind": "bed", "name": "Right", "x_cm": 240, "y_cm": 0, "width_cm": 200, "length_cm": 100},
        ]
    }
)


def text(client, path, **more):
    return client.get(path, **more).get_data(as_text=True)


def dealt(client, draft, **ground):
    """A trial planned with the common answers and this ground; returns its address."""
    planned(client, draft)
    fill(client, draft, "ground", **ground)
    return client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]


def test_a_vague_promise_becomes_measure_worth_day_and_control(client, draft):
    fill(client, draft, "claim", go="take-holds_water-0", thing="Wool mulch")
    page = text(client, f"{draft}/claim")
    assert "By day 21, wool mulch kept the soil 1 points moister than untreated ground." in page
    measure = typed(client, f"{draft}/measure")
    assert (measure["measure"], measure["scale"], measure["worth"]) == ("moisture_meter", "difference", "1")
    rows = typed(client, f"{draft}/treatments")
    assert (rows["treatments-0-name"], rows["treatments-1-role"]) == ("Wool mulch", "untreated")
    again = client.post(f"{draft}/sentence", {**typed(client, f"{draft}/claim"), "thing": "Bark"})
    assert "bark kept the soil" in again.get_data(as_text=True)
    assert fill(client, draft, "claim", name="Wool").headers["Location"].endswith("/measure")
    assert "wool mulch kept the soil" in typed_claim(client, draft), "an empty claim takes the built sentence"


def typed_claim(client, draft):
    return re.search(r'<textarea[^>]*name="claim"[^>]*>([^<]*)', text(client, f"{draft}/claim")).group(1)


def test_a_ladder_is_one_choice(client, draft):
    planned(client, draft)
    fill(client, draft, "treatments", go="ladder")
    rows = typed(client, f"{draft}/treatments")
    names = ("name", "water_parts", "rung")
    assert [tuple(rows[f"treatments-{i}-{name}"] for name in names) for i in range(4)] == [
        ("Nettle steep, 1 + 20", "20", "1"), ("Nettle steep, 1 + 10", "10", "2"), ("Nettle steep, 1 + 5", "5", "3"),
        ("Plain water", "", "0"),
    ]  # fmt: skip
    fill(client, draft, "treatments", go="stay", **{"treatments-1-water_parts": "12"})
    assert typed(client, f"{draft}/treatments")["treatments-1-name"] == "Nettle steep, 1 + 12", "names follow numbers"
    assert "one straight trend over the rungs" in text(client, f"{draft}/treatments")


def test_two_beds_become_pairs_with_the_gain_beside_one_bed_each(client, draft):
    planned(client, draft)
    form = {**typed(client, f"{draft}/ground"), "places": BEDS, "auto": "", "units_each": "4"}
    page = client.post(f"{draft}/proposals", form).get_data(as_text=True)
    assert re.findall(r'name="proposal"[^>]*> <strong>([^<]+)</strong>', page) == [
        "4 pairs",
        "2 pairs",
        "One whole bed each",
    ]
    assert "one whole bed each in none, since two beds differ anyway" in page
    assert "Seen, never shown" in page
    wide = client.post(f"{draft}/proposals", {**form, "guard_cm": "300"}).get_data(as_text=True)
    assert "Guards of 300 cm leave no room for blocks" in wide
    taken = fill(client, draft, "ground", places=BEDS, auto="", units_each="4", guard_cm="", proposal="pairs-2")
    assert taken.headers["Location"].endswith("/chance")
    assert "2 of each, 4 in all" in text(client, f"{draft}/deal")


def test_the_guard_follows_what_is_measured(client, draft):
    planned(client, draft)
    assert "Empty: 15 cm" in text(client, f"{draft}/ground")
    fill(client, draft, "measure", also="surface_worms")
    assert "Empty: 60 cm" in text(client, f"{draft}/ground"), "worms travel further"
    fill(client, draft, "ground", places=BEDS, auto="")
    assert "Guard: 60 cm" in text(client, f"{draft}/deal")


def test_like_with_like_shows_its_gain(client, draft):
    planned(client, draft)
    sizes = "12 9 14 8 10 11 13 9.5 12.5 10.5 8.5 11.5"
    page = client.post(f"{draft}/proposals", {**typed(client, f"{draft}/ground"), "sizes": sizes})
    assert "6 pairs of like size" in page.get_data(as_text=True)
    gain, plain = map(
        int, re.search(r"in (\d+) of 100; the same pots unsorted in (\d+)", page.get_data(as_text=True)).groups()
    )
    assert gain > plain


def test_the_chance_moves_with_units_noise_worth_and_blocks(client, draft):
    planned(client, draft)

    def chance(**moved):
        page = client.post(f"{draft}/chances", moved).get_data(as_text=True)
        assert page.count('class="garden') >= 300, "three times a hundred marks"
        return int(re.search(r"in <strong>(\d+) of 100", page).group(1))

    usual = chance()
    assert chance(units="12") > usual
    assert chance(worth="30") > usual
    assert chance(noise="40") < usual
    assert chance(blocks="no") >= usual, "without blocks more is left for the noise"
    assert "up to 150 % fits" in client.post(f"{draft}/chances", {"noise": "300"}).get_data(as_text=True)
    page = text(client, f"{draft}/chance")
    assert "the catalogue’s usual for this measure" in page
    assert "would take 28 units of each" in page
    wrong = fill(client, draft, "chance", noise="lots", units="6").get_data(as_text=True)
    assert 'value="lots"' in wrong, "what was typed stays where it was typed"


def test_what_was_moved_goes_into_the_plan_and_back_to_the_ground(client, draft):
    planned(client, draft)
    assert fill(client, draft, "chance").headers["Location"].endswith("/days"), "nothing was moved"
    fill(client, draft, "chance", worth="20.05")
    assert typed(client, f"{draft}/measure")["worth"] == "20.05"
    assert 'value="20.05"' in text(client, f"{draft}/chance"), "no digit is lost on the way there and back"
    moved = fill(client, draft, "chance", units="8", worth="25")
    assert moved.headers["Location"].endswith("/ground")
    assert typed(client, f"{draft}/ground")["units_each"] == "8"
    assert typed(client, f"{draft}/measure")["worth"] == "25"
    assert "8 of each, 16 in all" in text(client, f"{draft}/deal")


@demo_garden
def test_noise_comes_from_the_gardener_s_own_finished_trials(client):
    client.get("/trials")  # the finished trials are judged
    again = client.post("/trials/1/copy").headers["Location"].rsplit("/", 1)[0]
    assert "from 1 finished trial of your own and the catalogue, each by how much is known from it" in text(
        client, f"{again}/chance"
    )


def test_days_move_and_say_their_minutes(client, draft):
    planned(client, draft)
    form = {**typed(client, f"{draft}/days"), "go": "stay"}
    client.post(f"{draft}/days", {**form, "weekdays": ["5", "6"]})
    page = text(client, f"{draft}/days")
    assert re.search(r"<strong>\d+ minutes</strong> in all", page)
    assert "Day 0 is a Thu, not one of your days" in page
    assert page.count("week-task round") == 5
    assert "week-task pull" not in page
    fill(client, draft, "measure", measure="fresh_mass")
    assert "week-task pull" in text(client, f"{draft}/days")
    fill(client, draft, "rules", plants="2", seeds="4", thin_on="5")
    fill(client, draft, "days", rounds="0, 14 28", pulls="14 28")
    page = text(client, f"{draft}/days")
    assert page.count("week-task pull") == 2
    assert "days 0, 14, 28" in text(client, f"{draft}/deal")
    bad = fill(client, draft, "days", pulls="9", rounds="0 14 28")
    stopped = client.get(f"{draft}/deal", follow_redirects=True).get_data(as_text=True)
    assert "needs a round on that day" in bad.get_data(as_text=True) + stopped


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
def test_a_spare_plant_is_recorded_not_judged(client):
    page = text(client, "/trials/4")
    assert "No wilting, no scorched leaf" in page
    client.post("/trials/4/spare", {"spare-letter": "A", "spare-fared": "badly", "spare-note": "leaf edges brown"})
    assert "leaf edges brown" in text(client, "/trials/4")
    missing = client.post("/trials/4/spare", {"spare-letter": "A", "spare-fared": "well"}, follow_redirects=True)
    assert "Say in a few words what was seen" in missing.get_data(as_text=True)


# --- Calendar -----------------------------------------------------------------------------------------------


@demo_garden
def test_the_calendar_shows_six_weeks_of_all_trials(client):
    page = text(client, "/calendar")
    assert "Round: Wool mulch under the currants" in page
    assert "Pour: Alfalfa steep on pak choi" in page
    assert "min" in page
    assert "Aquarium water" not in page, "a finished trial asks for nothing"


@demo_garden
def test_a_trial_s_calendar_file_and_the_feed(client):
    answer = client.get("/trials/4/calendar.ics")
    assert answer.headers["Content-Type"].startswith("text/calendar")
    entries = list(Calendar.from_ical(answer.data).walk("VEVENT"))
    assert [str(entry["SUMMARY"]) for entry in entries][:2] == [
        "Baseline: Alfalfa steep on pak choi", "Pour: Alfalfa steep on pak choi",
    ]  # fmt: skip
    assert entries[0].decoded("DTSTART").isoformat() == "2026-05-22"
    assert len({str(entry["UID"]) for entry in entries}) == len(entries)
    client.post("/calendar/feeds")
    client.post("/calendar/feeds")
    one, other = re.findall(r"/feeds/([\w-]+)\.ics", text(client, "/calendar"))
    assert b"Wool mulch" in client.get(f"/feeds/{one}.ics").data
    client.post("/calendar/feeds/revoke", {"token": one})
    assert client.get(f"/feeds/{one}.ics").status_code == 404
    assert client.get(f"/feeds/{other}.ics").status_code == 200


# --- Paper --------------------------------------------------------------------------------------------------


@demo_garden
def test_tags_lead_to_the_round_and_hide_what_is_blind(client, app):
    tags = text(client, "/trials/2/tags")
    assert tags.count('class="tag-code"') == 10
    assert tags.count("<svg") >= 20, "a stake and a code each"
    old = client.get("/units/20").headers["Location"]
    assert re.fullmatch(r"/t/\w{16}/H10", old), "a tag that was printed with the unit’s number"
    assert re.fullmatch(r"/trials/2/rounds/\d+\?unit=H10", client.get(old).headers["Location"])
    assert client.get(old.replace("H10", "H99")).headers["Location"] == "/trials/2"
    assert client.get("/units/999").status_code == 404
    assert client.get("/t/nowhere/H1").status_code == 404
    with app.extensions["engine"].begin() as connection:
        connection.execute(sql("UPDATE trial SET blind = true WHERE id = 2"))
    hidden = text(client, "/trials/2/tags").split("tags-sheet")[1]
    assert "Wool-fibre mulch" not in hidden
    assert "Bare soil" not in hidden


@demo_garden
@pytest.mark.parametrize("what", ["tags", "sheet", "ground", "slip"])
def test_every_paper_comes_in_a4_and_letter(client, what):
    assert "paper on-a4" in text(client, f"/trials/1/{what}")
    assert "paper on-letter" in text(client, f"/trials/1/{what}?paper=letter")


@demo_garden
def test_the_lot_slip_proves_the_deal(client):
    page = text(client, "/trials/1/slip")
    for words in (
        "chard-terrace",
        "eproba-lots-1",
        "sort them by the sha-256",
        "blocks, 3 treatments × 6 units",
        "fingerprint",
    ):
        assert words.lower() in page.lower()
    assert page.count("<small>block ") == 18


# --- Recipes in the plan ------------------------------------------------------------------------------------


def test_a_treatment_named_by_its_recipe_is_brewed_for(client, draft):
    planned(client, draft)
    named = {"treatments-0-recipe": "greens-sugar-juice", "treatments-0-water_parts": "300"}
    fill(client, draft, "treatments", go="stay", **named)
    page = text(client, f"{draft}/treatments")
    assert "1 + 500; every week (a poor soil" in page
    assert "Never on what is eaten raw" in page, "what decides whether it fits stands where it is chosen"
    assert 'value="300"' in page
    made = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    desk = text(client, f"{made}/mix")
    assert "greens-and-sugar juice" in desk
    assert "keep it off stems and leaves" in desk
    whole = json.loads(text(client, f"{made}/export.json"))["trial"]
    assert (whole["treatments"][0]["recipe"], whole["treatments"][0]["water_parts"]) == ("greens-sugar-juice", 300)
    assert "Greens-and-sugar juice" in text(client, "/shelf")
    client.post(f"{made}/declare")
    declared = json.loads(text(client, f"{made}/export.json"))["trial"]["declared"]["facts"]
    assert declared["recipes"] == [["A", "greens-sugar-juice", 300]], "the recipe is part of what was declared"


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"treatments-0-recipe": "comfrey-steep", "treatments-0-water_parts": "-1"}, "0 to 5000 fits here"),
        ({"treatments-0-every": "0"}, "1 to 730 fits here"),
        ({"batches": "0"}, "1 to 50 fits here"),
        ({"treatments-0-amount": "0"}, "fits here"),
    ],
)
def test_strength_and_rhythm_have_their_bounds(client, draft, changes, said):
    planned(client, draft)
    wrong = fill(client, draft, "treatments", **changes)
    assert wrong.status_code == 400
    page = wrong.get_data(as_text=True)
    assert said in page
    for value in changes.values():
        assert f'value="{value}"' in page, "what was typed stays"


# --- What went wrong for new users --------------------------------------------------------------------------


def pots(columns, rows=1):
    size = {"width_cm": 30 * columns, "length_cm": 30 * rows, "columns": columns, "rows": rows}
    return json.dumps({"places": [{"kind": "pots", "name": "Pots", "x_cm": 0, "y_cm": 0, **size}]})


def test_two_pots_lead_on_to_the_end(client, draft):
    """The slider began at 2 and sent Next back to the ground for ever."""
    planned(client, draft)
    fill(client, draft, "ground", places=pots(2), auto="", units_each="1")
    page = text(client, f"{draft}/chance")
    for slider in re.findall(r'<input type="range"[^>]*>', page):
        assert 'min="1"' in slider
        assert 'value="1"' in slider
    assert fill(client, draft, "chance", units="1").headers["Location"].endswith("/days")
    fill(client, draft, "days")
    fill(client, draft, "rules")
    assert client.post(f"{draft}/deal", {"go": "deal"}).status_code == 302
    assert "described" in text(client, "/trials/1") or "one of each" in text(client, "/trials/1")


def test_a_better_cut_is_ticked_when_it_comes(client, draft):
    """Ground grows: what was ticked when there was little room is not what the plan keeps silently."""
    planned(client, draft)
    fill(client, draft, "ground", places=pots(2), auto="", units_each="6")
    page = text(client, f"{draft}/ground")
    form = typed(client, f"{draft}/ground")
    small = re.search(r'name="proposal" value="([^"]+)" checked', page).group(1)
    grown = {**form, "places": pots(6, 2), "proposal": small, "among": small, "token": ""}
    again = client.post(f"{draft.rsplit('/', 1)[0]}/{draft.rsplit('/', 1)[1]}/proposals", grown).get_data(as_text=True)
    assert "A better cut has come: it is ticked now." in again
    assert re.search(r'name="proposal" value="([^"]+)" checked', again).group(1) != small
    assert "6 of each, 12 in all" in again.split("checked")[1].split("</label>")[0]
    assert "With 6 of each, the lots can speak" in again, "the advice is of the cut that is ticked"
    client.post(f"{draft}/ground", {**form, "places": pots(6, 2), "proposal": small, "among": small, "go": "next"})
    assert "6 of each, 12 in all" in text(client, f"{draft}/deal")


def test_the_advice_speaks_of_the_units_that_are_chosen(client, draft):
    planned(client, draft)
    fill(client, draft, "ground", places=pots(3, 2), auto="", units_each="6")
    page = text(client, f"{draft}/ground")
    assert "With 3 of each" in page
    assert "With 6 of each" not in page


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
