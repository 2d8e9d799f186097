"""Between rounds: seedlings' days, what happens once, samples for a laboratory, rounds that follow a pour."""

import re

import pytest

from tests.web.steps import sown, text


@pytest.fixture
def trial(client, draft):
    return sown(client, draft)


def put(client, trial, what, on, units, **more):
    return client.post(
        f"{trial}/happened", {"what": what, "on": on, "units": units, **more}, follow_redirects=True
    ).text


def test_seedlings_are_sown_up_thinned_and_replaced_by_the_rule_each_on_its_day(client, trial, clock):
    clock.forward(days=12)
    page = put(client, trial, "sown", "2026-05-21", ["P1", "P2"], count="5", note="two deep")
    assert "<strong>P1</strong> sown or set, 5, 21 May 2026 (day 0): two deep" in page
    assert "planned for day 10" in put(client, trial, "thinned", "2026-06-01", ["P1"], count="2")
    assert "planned for" not in put(client, trial, "thinned", "2026-05-31", ["P2"], count="2").split("P2")[1]
    for what, on, units, count, why in (
        ("replaced", "2026-05-29", ["P1"], "1", "The plan replaces failures up to day 7; this is day 8"),
        ("up", "2026-05-28", ["P1"], "6", "6 seedlings of 5 sown can’t be up."),
        ("thinned", "2026-05-31", ["P1"], "3", "The plan thins to 2 plants a unit"),
        ("up", "2026-06-02", ["P1"], "3", "That day is still to come"),
        ("up", "2026-05-28", [], "3", "Say to which units it happened."),
        ("up", "2026-05-28", ["P1"], "some", "“some” is no whole number"),
        ("up", "2024-05-28", ["P1"], "3", "That is long before the trial"),
        ("flew", "2026-05-28", ["P1"], "3", "Say what happened: sown or set"),
    ):
        page = client.post(f"{trial}/happened", {"what": what, "on": on, "units": units, "count": count})
        assert (page.status_code, why in page.text) == (400, True), why
        assert f'value="{count}"' in page.text, "nothing typed is lost"
    assert "a failure replaced, 1" in put(client, trial, "replaced", "2026-05-28", ["P1"], count="1")
    last = re.search(r"happened/(\d+)/take-back", text(client, f"{trial}/happened")).group(1)
    client.post(f"{trial}/happened/{last}/take-back")
    assert "planned for day 10" not in text(client, f"{trial}/happened"), "the latest on record was taken back"


def test_a_first_seedling_is_put_down_any_day_and_not_asked_again(client, trial, clock):
    clock.forward(days=5)
    put(client, trial, "first_seedling", "2026-05-24", ["P1", "P4"])
    rows = [row.split(",") for row in text(client, f"{trial}/readings.csv").splitlines()[1:]]
    told = [(row[0], row[2], row[8], row[12][:10]) for row in rows]
    assert told == [("4", "P1", "1", "2026-05-24"), ("4", "P4", "1", "2026-05-24")], (
        "with its own day, in its next round"
    )
    assert "<strong>P4</strong> Day of the first seedling: 24 May 2026 (day 3)" in text(client, f"{trial}/happened")
    assert "still to come" in put(client, trial, "first_seedling", "2026-05-26", ["P2"])
    again = put(client, trial, "first_seedling", "2026-05-23", ["P1"])
    assert "P1: on record with a day already; correct it in the table of readings." in again
