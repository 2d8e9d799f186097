"""The parts that pages are made of: dates and numbers in words, addresses, faults, what goes out."""

import json
from datetime import UTC, date, datetime, timedelta
from types import SimpleNamespace

import pytest

from eproba.store.drafts import draft_name
from eproba.web.entries.payload import NoEntry, sent_from
from eproba.web.ui import filters
from eproba.web.ui.fields import whole
from eproba.web.ui.responses import as_json, file_name
from tests.conftest import Client, demo_garden
from tests.web.entries import NOW, op

TODAY = date(2026, 5, 20)
DAY = 24 * 60
ROUND = {"trial": "0123456789abcdef", "round": "fedcba9876543210"}


@pytest.mark.parametrize(
    ("days", "words"),
    [
        (0, "today"),
        (1, "tomorrow"),
        (-1, "yesterday"),
        (2, "in 2 days"),
        (-2, "2 days ago"),
        (30, "in 30 days"),
        (-14, "14 days ago"),
        (-15, "on Tue 5 May"),
    ],
)
def test_days_from_today(days, words):
    assert filters.from_today(TODAY + timedelta(days=days), TODAY) == words


def test_dates_and_moments_in_words():
    assert filters.ALL["day_and_month"](TODAY) == "Wed 20 May"
    assert filters.full_date(TODAY) == "20 May 2026"
    at = datetime(2026, 5, 20, 18, 5).astimezone()
    assert filters.moment(at) == "20 May 2026, 18:05"
    told = [filters.moment_short(at + timedelta(days=days), at) for days in (-1, 0, 1, 2)]
    assert told == ["yesterday 18:05", "today 18:05", "tomorrow 18:05", "Fri 22 May"]


@pytest.mark.parametrize(
    ("minutes", "words"),
    [(0.2, "1 minute"), (12.4, "12 minutes"), (89.4, "89 minutes"), (90, "1.5 hours"), (600, "10.0 hours")],
)
def test_durations(minutes, words):
    assert filters.duration(minutes) == words


def test_counts_strengths_and_readings():
    assert [filters.plural(n, "unit") for n in (0, 1, 2)] == ["0 units", "1 unit", "2 units"]
    assert filters.plural(2, "row is", "rows are") == "2 rows are"
    assert [filters.strength(parts) for parts in ((1, 0), (1, 10), (1, 2.5))] == ["undiluted", "1 + 10", "1 + 2.5"]
    assert [filters.with_decimals(v, 1) for v in (None, 4.0, -0.04, -2.25)] == ["", "4.0", "0.0", "−2.2"]


@pytest.mark.parametrize(
    ("text", "number"),
    [("0", 0), (" 12 ", 12), ("999999999", 999_999_999), ("1000000000", None), ("²", None), ("٣", None), ("-1", None),
     ("1.0", None), ("", None), ("1e3", None)],
)  # fmt: skip
def test_hidden_numbers_are_plain_digits(text, number):
    assert whole(text) == number


@pytest.mark.parametrize(
    ("answers", "name"),
    [
        ({}, "Unnamed plan"),
        ({"claim": {}}, "Unnamed plan"),
        ({"claim": {"name": []}}, "Unnamed plan"),
        ({"claim": {"name": ["  "]}}, "Unnamed plan"),
        ({"claim": {"name": [" Whey "]}}, "Whey"),
    ],
)
def test_a_draft_has_a_name_however_little_was_typed(answers, name):
    assert draft_name(SimpleNamespace(answers=answers)) == name


def test_a_draft_without_a_name_breaks_no_page(app):
    client = Client(app)
    draft = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
    client.post(f"{draft}/claim", {"go": "stay"})
    for page in ("/", "/trials", f"{draft}/claim"):
        assert client.get(page).status_code == 200
    assert "Unnamed plan" in client.get("/").text


def test_what_goes_into_a_script_can_not_end_it():
    data = {"name": "</script><script>alert(1)</script>&", "n": 1.5}
    text = as_json(data)
    assert "<" not in text
    assert "&" not in text
    assert json.loads(text) == data
    with pytest.raises(ValueError, match="not JSON compliant"):
        as_json(float("nan"))


@pytest.mark.parametrize(
    ("name", "file"),
    [("Comfrey & whey, 2026!", "comfrey-whey-2026"), ("…", "trial-7"), ("a" * 99, "a" * 60), ("../x", "x")],
)
def test_a_trial_s_name_as_a_file(name, file):
    assert file_name(SimpleNamespace(name=name, id=7)) == file


@pytest.mark.parametrize(
    ("address", "leads_to"),
    [
        ("/trials/2", "/trials/2"),
        ("/trials?find=x", "/trials?find=x"),
        ("//evil.test", "/"),
        ("/\\evil.test", "/"),
        ("https://evil.test", "/"),
        ("/trials\nSet-Cookie: x", "/"),
        ("/trials\r\n", "/"),
        ("", "/"),
    ],
)
def test_after_naming_a_device_one_stays_inside(app, address, leads_to):
    answer = Client(app).post("/who", {"who": "Ben", "next": address})
    assert (answer.status_code, answer.headers["Location"]) == (302, leads_to)


def test_a_device_says_who_reads_and_who_pours(app):
    client = Client(app)
    assert 'value="reads"' in client.get("/who").text
    client.post("/who", {"who": "Ben", "role": "pours"})
    page = client.get("/who").text
    assert 'value="Ben"' in page
    assert next(part for part in page.split("<input") if "checked" in part.split(">")[0]).count("pours")


def test_a_fresh_token_tells_the_time(app, clock):
    told = Client(app).get("/token").get_json()
    assert told["now"] == int(clock.at.timestamp() * 1000)


def test_what_was_deleted_meanwhile_gets_its_sentence(app):
    answer = Client(app).post("/trials/9/note", {"note": "Hail", "seen": ""})
    assert (answer.status_code, "There is no such trial; it may have been deleted." in answer.text) == (404, True)


@pytest.mark.parametrize(
    ("place", "said", "step"),
    [
        ("/trials", "Your trials will stand here", "Plan your first trial"),
        ("/calendar", "Six weeks of work will stand here", "To the trials"),
        ("/shelf", "The shelf is empty", "Start a batch"),
        ("/weather", "A fortnight of days will stand here", "type today’s"),
    ],
)
def test_an_empty_place_says_what_will_stand_there_and_the_next_step(app, place, said, step):
    page = Client(app).get(place).text
    assert said in page
    assert step in page


@demo_garden
def test_what_is_over_can_not_be_amended_and_says_so(app):
    answer = Client(app).get("/trials/1/amend")
    assert answer.status_code == 400
    assert "That can’t be done" in answer.text
    assert "The envelope is open: the plan can’t be changed any more." in answer.text


@demo_garden
def test_every_page_shows_what_waits_and_sends_it(app):
    client = Client(app)
    for page in ("/", "/trials/1", "/recipes", "/nowhere", "/trials/2/rounds/9"):
        text = client.get(page).text
        assert 'id="waiting-line"' in text, page
        assert "keeper.js" in text, page
        assert f'data-now="{int(NOW.timestamp() * 1000)}"' in text, page


# --- Entries, before the rule sees them -----------------------------------------------------------------------


def test_an_entry_as_a_device_sends_it():
    sent = sent_from(op(ROUND, 1, "H1", " 5,5 ", seen=3, replaces="device-a-0000", sure=True), NOW)
    assert (sent.trial, sent.round, sent.seen, sent.replaces, sent.undo) == (*ROUND.values(), 3, "device-a-0000", False)
    assert (sent.entry.unit, sent.entry.typed, sent.entry.sure, sent.read_at) == ("H1", " 5,5 ", True, NOW)
    assert sent.entry.read_on == TODAY


@pytest.mark.parametrize(
    ("ahead", "read_at"),
    [(-60, NOW - timedelta(hours=1)), (0, NOW), (10, NOW), (11, NOW), (DAY, NOW + timedelta(minutes=DAY))],
)
def test_a_clock_that_runs_ahead_a_little_is_set_right(ahead, read_at):
    at = int((NOW + timedelta(minutes=ahead)).timestamp() * 1000)
    assert sent_from(op(ROUND, 1, "H1", "5", at=at), NOW).read_at == read_at


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"id": "1234567"}, "has no id"),
        ({"id": "x" * 65}, "has no id"),
        ({"trial": ""}, "trial is no text"),
        ({"round": None}, "round is no text"),
        ({"unit": "H" * 65}, "unit is no text"),
        ({"skip": "x" * 301}, "skip is no text"),
        ({"replicate": True}, "replicate is no whole number"),
        ({"replicate": -1}, "replicate is no whole number"),
        ({"seen": 2**31}, "seen is no whole number"),
        ({"at": True}, "when it was read"),
        ({"at": -1}, "when it was read"),
        ({"at": 2**52}, "when it was read"),
        ({"at": None}, "when it was read"),
    ],
)
def test_what_is_no_entry_is_told_what_it_lacks(change, said):
    with pytest.raises(NoEntry, match=said):
        sent_from({**op(ROUND, 1, "H1", "5"), **change}, NOW)


def test_an_entry_may_leave_out_what_is_usual():
    bare = {k: v for k, v in op(ROUND, 1, "H1", "5").items() if k not in ("seen", "replaces", "skip", "sure")}
    sent = sent_from(bare, datetime(2026, 5, 20, 10, tzinfo=UTC))
    assert (sent.seen, sent.replaces, sent.entry.skip, sent.entry.sure) == (0, "", "", False)
