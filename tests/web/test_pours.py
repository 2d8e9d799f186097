"""Applications: from the batch to the can to the record, and on into the verdict."""

import re

import pytest
from sqlalchemy import text as sql

from tests.conftest import demo_garden
from tests.web.steps import text

pytestmark = demo_garden


def filled(client, trial=5, day=7, **changes):
    """What the form of a day holds, changed as told: `status_A` is the status of treatment A."""
    page = text(client, f"/trials/{trial}/pours/{day}")
    blocks = re.findall(r'<fieldset class="panel pour-row">.*?</fieldset>', page, re.S)
    form, ids = {"alike": "yes", "can": "own", "soil_c": "", "moisture": ""}, {}
    for block in blocks:
        number = re.search(r'name="status-(\d+)"', block).group(1)
        ids[re.search(r'aria-label="(\w): ', block).group(1)] = number
        form |= dict(
            re.findall(
                r'<input[^>]*name="((?:amount|done_at|note|exceptions|override)-\d+)"[^>]* value="([^"]*)"', block
            )
        )
        form[f"status-{number}"] = "poured"
        chosen = re.search(r'<option value="(\d+)" selected', block)
        form[f"batch-{number}"] = chosen.group(1) if chosen else ""
    for name, value in changes.items():
        field, _, letter = name.rpartition("_")
        form[f"{field}-{ids[letter]}" if letter in ids else name] = value
    return form


def keep(client, trial=5, day=7, **changes):
    return client.post(f"/trials/{trial}/pours/{day}", filled(client, trial, day, **changes))


def test_the_control_comes_first_with_cans_codes_and_the_good_batch(client):
    page = text(client, "/trials/5/pours/7")
    assert page.index("1. Plain water") < page.index("2. Sugar ferment")
    assert "1 can: in each 550 mL of it and 5.45 L of water" in page
    assert re.search(r'<option value="3" selected> ?Ferment, second bucket', page), "the ready one is proposed"
    assert "Loosened 2 cm deep and watered lightly" in page
    assert len(re.findall(r"<span>H\d</span>", page)) == 8


def test_what_was_poured_is_taken_from_its_batch_and_told(client):
    assert (
        keep(client, soil_c="11,5", moisture="moist", exceptions_A="H1 1.2", note_A="spilled at H1").status_code == 302
    )
    log = text(client, "/trials/5/pours")
    for words in ("Ferment, second bucket", "soil 11.5 °C, moist, H1 got 1.2", "spilled at H1", "1.5 L each"):
        assert words in log
    assert "1.08 of 1.6 L" in text(client, "/batches/3"), "three units × 1.5 L and one of 1.2 L, at 1 + 10"
    assert keep(client, soil_c="11,5").status_code == 302
    assert "1.08 of 1.6 L" in text(client, "/batches/3"), "corrected, not poured twice"
    keep(client, exceptions_A="")
    assert "1.05 of 1.6 L" in text(client, "/batches/3"), "four units × 1.5 L"
    keep(client, batch_A="")
    assert "1.6 of 1.6 L" in text(client, "/batches/3"), "it came from elsewhere: put back"


def test_an_emptied_batch_does_not_stand_in_the_way_of_a_correction(client):
    keep(client, amount_A="4.4 L each")
    assert "used up" in text(client, "/batches/3")
    corrected = keep(client, amount_A="1.5 L each", note_A="mistyped")
    assert corrected.status_code == 302
    assert "1.05 of 1.6 L" in text(client, "/batches/3")
    assert 'aria-current="step">used up' not in text(client, "/batches/3")


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"status_A": "skipped"}, "Say in the note why Sugar ferment was skipped"),
        ({"amount_A": "lots"}, "Sugar ferment: “lots” is no amount: write what each unit got as a number of L"),
        ({"amount_A": "900 g each"}, "as a number of L"),
        ({"exceptions_A": "P9 1"}, "P9 is none of its units; they are H"),
        ({"done_at_A": "31/31/2026"}, "is no moment: write the day and the hour"),
        ({"done_at_A": "2027-05-20T10:00"}, "is still to come"),
        ({"done_at_A": "2026-05-20T10:30"}, "Sugar ferment: 10:30 is still to come"),
        ({"amount_A": "20 L each", "batch_A": "3"}, "“Ferment, second bucket” holds 1.6 L by its ledger, not 7.273"),
        ({"soil_c": "5000"}, "5000 °C doesn’t fit"),
    ],
)
def test_what_can_not_be_gets_its_sentence_and_nothing_is_lost(client, changes, said):
    answer = keep(client, **changes, note_B="seen by two")
    page = answer.get_data(as_text=True)
    assert answer.status_code == 400
    assert said.replace("'", "&#39;") in page or said in page
    assert "seen by two" in page


def test_a_foul_batch_is_refused_unless_put_on_record(client):
    client.post("/batches/3", {"smell": "foul"})
    client.post("/batches/3", {"smell": "sweet", "foam": "light"})
    refused = keep(client, batch_A="3")
    page = refused.get_data(as_text=True)
    assert refused.status_code == 400
    assert "Throw it away. Foul smell" in page, "away stays, whatever is seen next"
    assert "say why you pour it all the same" in page
    assert "1.6 of 1.6 L" in text(client, "/batches/3")
    assert keep(client, batch_A="3", override_A="no other was there").status_code == 302
    assert "poured all the same: no other was there" in text(client, "/trials/5/pours")


def test_a_batch_is_never_poured_before_it_began(client):
    page = keep(client, batch_A="3", done_at_A="2026-05-10T10:00").get_data(as_text=True)
    assert "has not begun by then" in page


def test_advice_speaks_of_the_interval(client, clock):
    keep(client)
    clock.forward(days=1)
    assert "Only 1 day since the last pour" in text(client, "/trials/5/pours/14")


def test_a_quick_brew_is_ruled_at_the_hour_of_its_pour(client, app, clock):
    """Extract that was mixed at ten and poured at twenty past is good, whenever it is put on record."""
    with app.extensions["engine"].begin() as connection:
        connection.execute(sql("UPDATE treatment SET recipe = 'compost-extract' WHERE trial_id = 5 AND letter = 'A'"))
    form = {"recipe": "compost-extract", "litres": "7", "start": "now", "water": "rain", "place": "", "name": ""}
    batch = client.post("/batches/new", form).headers["Location"].rsplit("/", 1)[1]
    clock.forward(hours=13)
    late = keep(client, batch_A=batch, done_at_A="2026-05-20T22:50").get_data(as_text=True)
    assert "This batch is too old: it kept until 20 May, 16:00." in late
    assert keep(client, batch_A=batch, done_at_A="2026-05-20T10:20").status_code == 302
    assert "1 of 7 L" in text(client, f"/batches/{batch}")


def test_the_soil_speaks_before_a_pour_is_kept_and_days_gone_by_are_silent(client, clock):
    cold = keep(client, soil_c="5")
    page = cold.get_data(as_text=True)
    assert cold.status_code == 400
    assert "Not kept yet: read what the soil says" in page
    assert "what lives in it hardly moves below 8 °C" in page
    assert "Poured all the same: save it" in page
    assert keep(client, soil_c="5", heard="yes").status_code == 302
    assert "Early morning or late afternoon" not in text(client, "/trials/5/pours/7"), "it is on record"
    assert keep(client, soil_c="4").status_code == 302, "a correction is no new pour"


def test_two_brews_side_by_side_go_to_every_second_block(client, app):
    with app.extensions["engine"].begin() as connection:
        connection.execute(sql("UPDATE treatment SET sharing = 'parallel' WHERE trial_id = 5 AND letter = 'A'"))
        copied = "SELECT 99, recipe, version, entry, 'Third', litres, place, water, amounts, school FROM batch"
        connection.execute(sql(f"INSERT INTO batch {copied} WHERE id = 3"))
        events = 'at, what, temperature, seen, note, "by", taken_back'
        told = f"INSERT INTO batch_event (batch_id, {events}) SELECT 99, {events} FROM batch_event WHERE batch_id = 3"
        connection.execute(sql(told))
    page = text(client, "/trials/5/pours/7")
    assert "Every second block from" in page
    assert keep(client, batch_A="3", other_batch_A="99").status_code == 302
    for batch in (3, 99):
        assert "1.33 of 1.6 L" in text(client, f"/batches/{batch}"), "two units × 1.5 L each"


def test_late_and_unequal_pours_stand_in_the_verdict(client, clock):
    """The finished chard trial, its log corrected: one pour of comfrey late and short."""
    form = filled(client, 1, 14, done_at_B="2026-05-12T18:00", amount_B="150 mL each", alike="no")
    assert client.post("/trials/1/pours/14", form).status_code == 302
    page = text(client, "/trials/1/verdict")
    assert "came late, by up to 8 days (B on day 14)" in page
    assert "Comfrey steep: poured short once, down to 60 % of the plan" in page
    assert "Unequal water on day 14" in page
    assert "Not every pot got the same handling on day 14" in page
    assert "The pour B of day 14 was changed after the opening." in text(client, "/trials/1")
    (change, *_) = client.get("/trials/1/export.json").get_json()["pour_changes"]
    assert (change["was"]["amount_each"], change["sealed"]) == (250.0, False)


def test_a_copied_plan_keeps_its_recipes(client):
    draft = client.post("/trials/5/copy").headers["Location"].rsplit("/", 1)[0]
    page = text(client, f"{draft}/treatments")
    assert '<option selected value="sugar-ferment">' in page
    assert "sugar feeds germs" not in page


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


def test_done_as_planned_takes_its_litres_from_the_oldest_good_brew(client, clock):
    newer = {"recipe": "sugar-ferment", "litres": "3", "start": "earlier", "began": "2026-05-15T10:00", "water": "rain"}
    batch = client.post("/batches/new", newer).headers["Location"].rsplit("/", 1)[1]
    looked = {"smell": "sweet", "foam": "light", "at": "2026-05-20T09:00", "temperature": "27"}
    assert client.post(f"/batches/{batch}", looked).status_code == 302
    clock.forward(days=1)
    told = client.post("/trials/5/pours/overdue", {"go": "poured"}, follow_redirects=True).get_data(as_text=True)
    assert "2 pours are on record, each as planned." in told
    assert "Ferment, second bucket" in told, "the log names the brew"
    assert "1.05 of 1.6 L" in text(client, "/batches/3")
    assert "3 of 3 L" in text(client, f"/batches/{batch}")


def test_a_pour_without_a_brew_is_asked_about_and_can_be_kept(client):
    client.post("/batches/3/thrown", {"throw-reason": "spilled"})
    page = text(client, "/trials/5/pours/7")
    assert "From which brew?" in page
    assert re.search(r'<option value="">I don’t know, or none of these</option>', page)
    pak_choi = text(client, "/trials/4/pours/0")
    assert "From which brew?" in pak_choi
    assert keep(client, batch_A="").status_code == 302
