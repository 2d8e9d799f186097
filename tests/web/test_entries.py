"""What a device sends from the garden: saved once, never over what was not seen, refused with words, each alone."""

import re
from datetime import datetime, timedelta

import pytest

from eproba.store.trials import load_trial
from tests.conftest import demo_garden
from tests.web.entries import NOW, answers, op, till

pytestmark = demo_garden
DAY = 86_400_000


@pytest.fixture
def round_(client):
    """What the till knows of the currants' round of day 9, with its address."""
    page = client.get("/trials/2").get_data(as_text=True)
    address = "/trials/2/rounds/" + page.split("/trials/2/rounds/")[1].split('"')[0]
    return {**till(client, address), "address": address}


def table(client, round_):
    return client.get(f"/trials/2/readings?round={round_['address'].split('/')[4]}").get_data(as_text=True)


def correct(client, round_, value, version="1"):
    """Somebody corrects the first reading of H1 in the table."""
    page = table(client, round_)
    reading = page.split("/trials/2/readings/")[1].split('"')[0]
    form = {"value": value, "reason": "wrong pot", "version": version, "read_on": "2026-05-20"}
    assert client.post(f"/trials/2/readings/{reading}", form).status_code == 302


def told(answer):
    there = answer["there"] or {}
    return answer["status"], there.get("value"), there.get("version")


def test_sent_twice_is_saved_once(client, round_):
    first = answers(client, op(round_, 1, "H1", "5,5"), op(round_, 2, "H2", "6"))
    again = answers(client, op(round_, 1, "H1", "5,5"), op(round_, 2, "H2", "6"))
    assert [told(a) for a in first + again] == [("saved", 5.5, 1), ("saved", 6.0, 1)] * 2
    assert table(client, round_).count(">5.5<") == 1


def test_two_people_at_one_place_see_both(client, round_):
    answers(client, op(round_, 1, "H1", "5.5"))
    (other,) = answers(client, op(round_, 2, "H1", "7", id="device-b-0001"))
    assert told(other) == ("conflict", 5.5, 1)
    (same,) = answers(client, op(round_, 2, "H1", "5.5", id="device-b-0003"))
    assert told(same) == ("saved", 5.5, 1), "the same value is no conflict"
    (kept,) = answers(client, op(round_, 3, "H1", "7", id="device-b-0002", seen=1))
    assert told(kept) == ("saved", 7.0, 2)
    assert "was <strong>5.5</strong>, now 7.0" in table(client, round_)


def test_typing_again_before_the_first_arrived_is_no_conflict(client, round_):
    typed, again = op(round_, 1, "H1", "5.5"), op(round_, 2, "H1", "5.8", replaces="device-a-0001")
    assert [a["status"] for a in answers(client, typed, again)] == ["saved", "saved"]
    # The answer was lost on the way, so the device sends both once more: nothing changes.
    assert [told(a) for a in answers(client, typed, again)] == [("saved", 5.8, 2)] * 2


def test_retyping_never_overwrites_a_correction_unseen(client, round_):
    answers(client, op(round_, 1, "H1", "5.5"))
    correct(client, round_, "6.5")
    (late,) = answers(client, op(round_, 2, "H1", "5.6", replaces="device-a-0001", seen=1))
    assert told(late) == ("conflict", 6.5, 2)


def test_undo_takes_back_and_keeps_the_history(client, round_):
    answers(client, op(round_, 1, "H1", "5.5"))
    undo = op(round_, 2, "H1", "", undo=True, seen=1)
    assert [told(a) for a in answers(client, undo) + answers(client, undo)] == [("saved", None, 2)] * 2
    page = table(client, round_)
    assert "was <strong>5.5</strong>, now nothing: taken back" in page
    assert len(client.get("/trials/2/readings.csv").get_data(as_text=True).splitlines()) == 1 + 3 * 30
    (again,) = answers(client, op(round_, 3, "H1", "4", seen=2))
    assert told(again) == ("saved", 4.0, 3)


def test_an_undo_of_nothing_writes_nothing(client, round_):
    (told_back,) = answers(client, op(round_, 1, "H1", "", undo=True))
    assert (told_back["status"], told_back["there"]) == ("saved", None)
    (first,) = answers(client, op(round_, 2, "H1", "5"))
    assert told(first) == ("saved", 5.0, 1)


def test_a_late_undo_deletes_nobody_s_correction(client, round_):
    answers(client, op(round_, 1, "H1", "5.5"))
    correct(client, round_, "6.5")
    (late,) = answers(client, op(round_, 2, "H1", "", undo=True, seen=1, replaces="device-a-0001"))
    assert told(late) == ("conflict", 6.5, 2)
    client.post("/trials/2/end", {"reason": "frost"})
    (after,) = answers(client, op(round_, 3, "H1", "", undo=True, seen=2))
    assert after["status"] == "refused"
    assert "the envelope is open" in after["why"].lower()
    assert ">6.5<" in table(client, round_)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"unit": "P1"}, "its units are H1 to H10"),
        ({"measure": "plant_height"}, "no measure of this trial"),
        ({"replicate": 3}, "read 2 times in each unit; this is reading 3"),
        ({"replicate": 10**9 * 10}, "replicate is no whole number"),
        ({"typed": "tall"}, "is not a number"),
        ({"typed": "-1"}, "-1 doesn’t fit: Moisture meter is 0 or more"),
        ({"typed": "9" * 601}, "no text of up to 600"),
        ({"typed": 5}, "no text of up to 600"),
        ({"typed": ""}, "Type a value, or skip with a reason."),
        ({"typed": "", "skip": "wet\0"}, "a character that can’t be kept"),
        ({"typed": "", "skip": "\ud800"}, "a character that can’t be kept"),
        ({"id": "of-seve"}, "no id"),
        ({"id": "x" * 65}, "no id"),
        ({"id": ["a"] * 8}, "no id"),
        ({"at": "now"}, "does not say when it was read"),
        ({"at": 10**400}, "does not say when it was read"),
        ({"at": int(NOW.timestamp() * 1000) + DAY}, "2026-05-21 is still to come"),
        ({"at": 0}, "long before the trial"),
        ({"trial": "0000000000000000"}, "This garden has no such trial"),
        ({"round": "0000000000000000"}, "This round was removed from the plan"),
    ],
)
def test_one_bad_entry_is_refused_with_words_and_holds_up_no_other(client, round_, change, said):
    before, after = op(round_, 1, "H2", "4"), op(round_, 3, "H3", "5")
    first, bad, last = answers(client, before, {**op(round_, 2, "H1", "5"), **change}, after)
    assert bad["status"] == "refused"
    assert said in bad["why"]
    assert (first["status"], last["status"]) == ("saved", "saved")


def test_one_id_twice_for_two_places_and_deep_nonsense_hold_up_no_other(client, round_):
    twice = answers(client, op(round_, 1, "H1", "5"), op(round_, 1, "H2", "6"), op(round_, 2, "H3", "7"))
    assert [told(a) for a in twice] == [("saved", 5.0, 1), ("refused", None, None), ("saved", 7.0, 1)]
    assert "bears the id of another" in twice[1]["why"]
    for odd in (None, [], "x", {"id": ["deep"]}, {**op(round_, 3, "H4", "1"), "unit": {"a": [[[]]]}}):
        bad, good = answers(client, odd, op(round_, 4, "H4", "4"))
        assert (bad["status"], good["status"]) == ("refused", "saved")
    for body in ({"entries": "no"}, [1, 2], {"entries": [{}] * 501}):
        assert client.send("/entries", body).status_code == 400
    raw = {"content_type": "application/json", "headers": {"X-CSRFToken": client.token()}}
    for text in ('{"entries":' + "[" * 100_000, '{"entries": [1' + "0" * 5000 + "]}", '{"entries": [1e999]}'):
        response = client.plain.post("/entries", base_url="http://localhost", data=text, **raw)
        assert response.status_code in (200, 400), "a message, never a fault of ours"


def test_odd_values_are_asked_about_once(client, round_):
    (asked,) = answers(client, op(round_, 1, "H1", "11"))
    assert (asked["status"], asked["why"]) == ("doubted", "11 is outside 0 to 10 points.")
    (sure,) = answers(client, op(round_, 1, "H1", "11", sure=True))
    assert told(sure) == ("saved", 11.0, 1)


def test_nothing_was_read_later_than_now(client, round_, clock):
    """“Read on” today says noon, also in the morning; a device’s clock may run ahead a little."""
    morning, hour = NOW - timedelta(hours=4), 3_600_000
    clock.at = morning
    noon = int(morning.timestamp() * 1000) + 3 * hour
    assert answers(client, op(round_, 1, "H1", "5", at=noon))[0]["status"] == "saved"
    assert answers(client, op(round_, 2, "H2", "5", at=noon - 5 * hour))[0]["status"] == "saved"
    first, second = client.get("/trials/2/export.json").get_json()["readings"][-2:]
    assert datetime.fromisoformat(first["read_at"]) == morning
    assert datetime.fromisoformat(second["read_at"]) == morning - timedelta(hours=2)


def test_a_correction_keeps_the_hour_and_every_digit(client, round_, clock):
    """Only where it says another day is the hour unknown: noon, and never later than now."""
    at = NOW - timedelta(hours=3)
    answers(client, op(round_, 1, "H1", "5.1234567", at=int(at.timestamp() * 1000)))
    address = re.search(r"/trials/2/readings/\d+", table(client, round_)).group()
    assert 'value="5.1234567"' in client.get(address).get_data(as_text=True)
    correct(client, round_, "6")
    last = client.get("/trials/2/export.json").get_json()["readings"][-1]
    assert (last["value"], datetime.fromisoformat(last["read_at"])) == (6.0, at)
    form = {"value": "7", "reason": "wrong day", "version": "2", "read_on": "2026-05-19"}
    client.post(address, form)
    client.post(address, {**form, "version": "3", "read_on": "2026-05-20"})
    last = client.get("/trials/2/export.json").get_json()["readings"][-1]
    assert datetime.fromisoformat(last["read_at"]) <= NOW


def test_a_lost_unit_takes_only_what_was_read_before(client, round_):
    client.post("/trials/2/units/19", {"reason": "slugs"})
    (lost,) = answers(client, op(round_, 1, "H1", "5"))
    assert lost["why"].startswith("H1 is down as lost since 2026-05-20 (slugs)")
    (before,) = answers(client, op(round_, 2, "H1", "5", at=int(NOW.timestamp() * 1000) - DAY))
    assert before["status"] == "saved"
    assert "Truly read on:</strong> Tue 19 May (day 8). That day counts." in table(client, round_)


def complete(round_):
    places = [
        (u["code"], a["key"], n + 1) for u in round_["units"] for a in round_["asked"] for n in range(a["perUnit"])
    ]
    return [op(round_, i, unit, "4", key, replicate=n) for i, (unit, key, n) in enumerate(places)]


def test_the_last_reading_closes_the_round_and_it_can_be_opened_again(client, round_):
    ops = complete(round_)
    answers(client, *ops[:-1])
    assert "Round, day 9" in client.get("/").get_data(as_text=True)
    answers(client, ops[-1])
    assert "Round, day 9" not in client.get("/").get_data(as_text=True)
    assert "4 of 8 rounds in" in client.get("/trials").get_data(as_text=True)
    assert "Open it again" in client.get(round_["address"]).get_data(as_text=True)
    client.post(f"{round_['address']}/open-again")
    assert "Round, day 9" in client.get("/").get_data(as_text=True)
    client.post("/trials/2/end", {"reason": "frost"})
    refused = client.post(f"{round_['address']}/open-again")
    assert (refused.status_code, "can’t be opened again" in refused.get_data(as_text=True)) == (400, True)


def test_a_file_closes_no_round_before_it_is_complete(client):
    """One imported reading of the last round used to close it, and so to open the envelope for good."""
    row = "day;unit;measure;value\n21;H1;Surface worms;3\n".replace("Surface worms", "surface_worms")
    answer = client.post("/trials/2/readings/import", {"text": row, "go": "take"})
    assert answer.status_code == 302
    assert "Sealed until" in client.get("/trials/2/verdict").get_data(as_text=True)
    assert "7 of 8 rounds" not in client.get("/trials").get_data(as_text=True)


def test_a_note_is_not_wiped_by_finishing_with_an_empty_one(client, round_):
    finish = f"{round_['address']}/finish"
    client.post(finish, {"note": "Rain in the night", "seen": ""})
    answers(client, *complete(round_))
    client.post(finish, {"note": "", "seen": ""})
    assert "Note: Rain in the night" in client.get("/trials/2").get_data(as_text=True)
    other = client.post(finish, {"note": "Hail", "seen": ""})
    page = other.get_data(as_text=True)
    assert other.status_code == 409
    assert "It says: “Rain in the night”" in page
    assert ">Hail</textarea>" in page, "nothing typed is lost"
    assert client.post(finish, {"note": "Hail", "seen": "Rain in the night"}).status_code == 302
    assert "Note: Hail" in client.get("/trials/2").get_data(as_text=True)


def test_a_passed_over_round_is_missed_until_something_is_read_of_it(client, clock, app):
    clock.forward(days=3)
    by_day = {day: till(client, address) for day, address in rounds_of(client).items() if day in (9, 12)}
    answers(client, *complete(by_day[12]))
    assert [(r.day, r.missed) for r in trial(app).rounds if r.missed] == [(9, True)]
    answers(client, op(by_day[9], 999, "H1", "5"))
    assert [(r.day, r.done) for r in trial(app).rounds if r.day == 9] == [(9, True)], (
        "it holds a reading: closed as it is"
    )


def trial(app):
    from sqlmodel import Session

    with Session(app.extensions["engine"]) as session:
        return load_trial(session, 2)


def rounds_of(client):
    import re

    page = client.get("/trials/2/readings").get_data(as_text=True)
    found = re.findall(r'round=(\d+)"[^>]*> ?Day (\d+)', page)
    return {int(day): f"/trials/2/rounds/{number}" for number, day in found}
