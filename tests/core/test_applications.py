"""What was really poured stands in the ledger."""

from dataclasses import replace
from datetime import date, timedelta

import pytest

from eproba.core.judging.applications import applications
from eproba.core.wording.ledger import text_of
from tests.core.cases import small_trial

DAY0 = date(2026, 5, 1)


def logged(catalogue, a=None, b=None):
    """The small trial with one application of each treatment, changed as told."""
    trial = small_trial(catalogue)
    usual = [replace(pour, amount_each=250.0, alike=True, can="own") for pour in trial.pours]
    return replace(trial, pours=(replace(usual[0], **(a or {})), replace(usual[1], **(b or {}))))


def texts(trial):
    return [f"{line.rule} ({line.level}): {text_of(line)}" for line in applications(trial)]


def test_all_as_planned_is_one_note(catalogue):
    assert texts(logged(catalogue)) == ["applied as planned (note): All 2 applications are on record."]


@pytest.mark.parametrize(
    ("a", "b", "said"),
    [
        ({"done_on": DAY0 + timedelta(days=4)}, {}, "1 of 2 applications came late, by up to 4 days (A of day 0)"),
        ({"done_on": DAY0 + timedelta(days=1)}, {}, "All 2 applications are on record"),
        ({"amount_each": 100.0}, {"amount_each": 100.0}, "poured short once, down to 40 % of the plan"),
        ({"unit_amounts": {"P2": 200.0}}, {}, "Comfrey steep was poured short once, down to 80 %"),
        ({}, {"amount_each": 225.0}, "All 2 applications are on record"),
        ({"amount_each": 300.0}, {}, "Unequal water on day 0: a gap may be the watering alone"),
        ({"alike": False}, {}, "Not every unit got the same handling on day 0"),
        ({}, {"can": "after"}, "the control was poured from the brew’s can, after it"),
        ({"override": "foul, but there was no other"}, {}, "should not be poured: foul, but there was no other"),
        (
            {"status": "skipped"},
            {"status": "due"},
            "1 was skipped, and 1 is not on record: more than a third",
        ),
    ],
)
def test_each_departure_is_told(catalogue, a, b, said):
    found = texts(logged(catalogue, a, b))
    assert any(said in text for text in found), found
    assert "All 2" in said or any("caution" in text or "(cap)" in text for text in found)


def test_the_verdict_says_of_how_many_brews_it_speaks(catalogue):
    trial = logged(catalogue, {"batch": 7})
    again = replace(trial.pours[0], id=9, day=14, done_on=DAY0 + timedelta(days=14))
    one = replace(trial, pours=(*trial.pours, again))
    assert "came from one batch: the verdict speaks of one brew" in texts(one)[-1]
    two = replace(trial, pours=(*trial.pours, replace(again, batch=8)))
    assert "2 batches of Comfrey steep were poured one after the other" in texts(two)[-1]
