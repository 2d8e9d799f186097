"""What a device says of a whole round, and of days: a note and an end as entries, dates as dates, zones, late links."""

import re
from datetime import UTC, datetime

import pytest

from tests.conftest import Client, demo_garden
from tests.web.entries import answers, op, till
from tests.web.steps import text
from tests.web.test_household import house, joined  # noqa: F401 (house is a fixture)

ROUND = "/trials/2/rounds/9"


def word(told, number, **more):
    """A note, or that the round is finished, as a device sends it."""
    return {"id": f"word-of-{number:04}", "trial": told["trial"], "round": told["round"], **more}


@demo_garden
def test_a_note_is_an_entry_and_a_finish_too_and_each_is_taken_once(client):
    told = till(client, ROUND)
    first = word(told, 1, note="Rain in the night", seen_note="")
    assert [a["status"] for a in answers(client, first, first)] == ["saved", "saved"]
    assert "Rain in the night" in text(client, ROUND)
    other = answers(client, word(told, 2, note="Hail", seen_note=""))[0]
    assert (other["status"], other["there"]) == ("conflict", {"note": "Rain in the night"})
    assert answers(client, word(told, 3, note="Hail", seen_note="Rain in the night"))[0]["status"] == "saved"
    long = answers(client, word(told, 4, note="x" * 2001, seen_note="Hail"))[0]
    assert (long["status"], long["why"]) == ("refused", "Its note is no text of up to 2000 characters.")
    ends = [op(told, 1, "H1", "5"), word(told, 5, finished=True), word(told, 5, finished=True)]
    assert [a["status"] for a in answers(client, *ends)] == ["saved"] * 3
    assert "Open it again" in text(client, ROUND)
    gone = answers(client, {**word(told, 6, finished=True), "trial": "fedcba9876543210"})[0]
    assert "This garden has no such trial" in gone["why"]


@pytest.mark.parametrize(
    ("zone", "at", "sent", "kept"),
    [
        ("Pacific/Auckland", datetime(2026, 5, 20, 11, tzinfo=UTC), {"on": "2026-05-19"}, "2026-05-19"),
        ("Pacific/Auckland", datetime(2026, 5, 19, 13, tzinfo=UTC), {"on": "2026-05-20"}, "2026-05-20"),
        ("America/Los_Angeles", datetime(2026, 5, 21, 2, tzinfo=UTC), {"on": "2026-05-20"}, "2026-05-20"),
    ],
)
@demo_garden
def test_a_day_is_sent_as_a_date_and_stays_that_day_in_any_zone(client, clock, zone, at, sent, kept):
    clock.at = at
    chosen = client.post("/zone", {"zone": zone, "next": "/measures"}, follow_redirects=True)
    try:
        assert f"Days and hours are those of {zone.replace('_', ' ')} now." in chosen.text
        told = till(client, ROUND)
        assert told["today"] == datetime.fromisoformat(at.isoformat()).astimezone().date().isoformat()
        answer = answers(client, op(told, 1, "H1", "5", at=int(at.timestamp() * 1000), **sent))[0]
        assert (answer["status"], answer["why"]) == ("saved", "")
        row = next(
            row.split(",") for row in text(client, "/trials/2/readings.csv").splitlines() if row.startswith("9,")
        )
        assert row[12][:10] == kept
        tomorrow = answers(client, op(told, 2, "H2", "5", on="2026-05-25"))[0]
        assert "2026-05-25 is still to come" in tomorrow["why"]
        assert "is no day such as 2026-05-24." in answers(client, op(told, 3, "H2", "5", on="soon"))[0]["why"]
    finally:
        client.post("/zone", {"zone": "UTC"})


def test_the_first_page_of_an_empty_garden_asks_for_the_zone(client):
    page = text(client, "/")
    assert "Time zone of this household" in page
    assert "the computer’s (UTC)" in page
    assert (
        "Choose a time zone from the list." in client.post("/zone", {"zone": "Mars/Base"}, follow_redirects=True).text
    )
    client.post("/zone", {"zone": "Europe/Lisbon"})
    assert 'value="Europe/Lisbon" selected' in text(client, "/measures")
    client.post("/zone", {"zone": "UTC"})


@demo_garden
def test_what_a_helper_read_before_the_closing_is_taken_from_a_link_that_has_ended(house, clock):  # noqa: F811
    ben = joined(house, "Ben")
    page = ben.post(f"{ROUND}/helper", {"name": "Nele"}, follow_redirects=True).text
    nele = Client(house)
    assert nele.get(re.search(r"(/h/[\w-]+)</code>", page)[1]).status_code == 200
    assert "Nele still reads this round by a link" in text(ben, ROUND)
    told = till(ben, ROUND)
    before = int(clock.at.timestamp() * 1000)
    clock.forward(minutes=10)
    ben.post(f"{ROUND}/finish", {"note": "", "seen": ""})
    clock.forward(minutes=10)
    late = op(told, 2, "H2", "5", at=int(clock.at.timestamp() * 1000))
    sent = answers(nele, op(told, 1, "H1", "5.1", at=before), late)
    assert [a["status"] for a in sent] == ["saved", "refused"]
    assert sent[1]["why"] == "The round was closed before you read this; nothing was written."
    assert ",5.1,points,,Nele," in text(ben, "/trials/2/readings.csv")
    assert nele.get("/trials").status_code == 302, "nothing else is opened"
    assert "This link reads a round" in answers(nele, word(told, 1, finished=True))[0]["why"]
    assert nele.get("/waiting").status_code == 200
    assert Client(house).get("/waiting").status_code == 200, "what a device holds, it shows without login"
    clock.forward(days=15)
    assert nele.plain.post("/entries", json={"entries": []}, base_url="http://localhost").status_code in (400, 401)


@demo_garden
def test_an_entry_after_the_opening_is_taken_with_a_reason(client):
    told = till(client, "/trials/1/rounds/1")
    refused = answers(client, op(told, 1, told["units"][0]["code"], "5", told["asked"][0]["key"], seen=1, sure=True))[0]
    assert (refused["status"], refused["field"]) == ("refused", "reason")
    version = next(iter(told["saved"].values()))["version"]
    with_reason = op(told, 2, told["units"][0]["code"], "5", told["asked"][0]["key"], seen=version, sure=True,
                     reason="The phone lay in the shed")  # fmt: skip
    assert answers(client, with_reason)[0]["status"] == "saved"
    assert "The phone lay in the shed" in text(client, "/trials/1/readings")
