"""Glances over all trials: the same stage as on the trial's page, what is due to the day, names found as typed."""

from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import text

from eproba.store.commands.rounds import finish_round
from eproba.store.commands.trials import delete_trial, end_early, lose_unit
from eproba.store.glances import asked_of, due_by, glances
from eproba.store.trials import load_trial
from tests.conftest import demo_garden
from tests.databases import TODAY

pytestmark = demo_garden
NOW = datetime(2026, 5, 20, 10, tzinfo=UTC)
CHARD, CURRANTS, SUNFLOWERS, PAK_CHOI, BEDS = 1, 2, 3, 4, 5


def ids(found):
    return [each.id for each in found]


def due(session, days, trial=None):
    """What is due by so many days from today: kind, trial, day."""
    found = due_by(session, TODAY + timedelta(days=days), trial_id=trial)
    return [(each.kind, each.trial_id, each.day) for each in found]


@pytest.mark.parametrize("days", [-60, -8, 0, 2, 12, 21, 60])
def test_a_list_says_of_every_trial_what_its_page_says(session, days):
    """On any day: the list takes stored facts, the page the whole trial; one rule gives the stage."""
    today = TODAY + timedelta(days=days)
    for glance in glances(session, today):
        trial = load_trial(session, glance.id)
        assert glance.stage == trial.stage(today), glance.name
        assert (glance.units, glance.rounds) == (trial.noun(len(trial.units)), len(trial.rounds))
        assert glance.readings_in == sum(each.done for each in trial.rounds)
        assert [letter for letter, _, _ in glance.treatments] == [each.letter for each in trial.treatments]
        assert glance.decision_on == trial.date_of(trial.decision_day)


def test_running_trials_come_first_then_planned_then_finished_by_their_end(session):
    assert ids(glances(session, TODAY)) == [BEDS, CURRANTS, PAK_CHOI, CHARD, SUNFLOWERS]
    assert ids(glances(session, TODAY, limit=2, skip=2)) == [PAK_CHOI, CHARD], "a page of the list"
    session.connection().execute(text("UPDATE trial SET started_on = :on WHERE id = 4"), {"on": TODAY})
    assert ids(glances(session, TODAY))[:3] == [PAK_CHOI, BEDS, CURRANTS], "an early pour makes it run"
    end_early(session, PAK_CHOI, TODAY, "hail")
    assert ids(glances(session, TODAY))[:3] == [BEDS, CURRANTS, PAK_CHOI], "what was ended is over"
    session.connection().execute(text("UPDATE trial SET start_on = start_on + 99 WHERE id = 4"))
    session.connection().execute(text("UPDATE trial SET ended_on = NULL, started_on = NULL WHERE id = 4"))
    overdue = [BEDS, CURRANTS, PAK_CHOI]
    assert ids(glances(session, TODAY + timedelta(days=40)))[:3] == overdue, "one that waits for its last round runs"
    findings = {each.id: each.finding for each in glances(session, TODAY)}
    assert findings[CHARD][0]["verdict"] == "better_matters"
    assert findings[CURRANTS] is None, "what runs has no finding"


@pytest.mark.parametrize(
    ("words", "found"),
    [
        ("CHARD", [BEDS, CHARD]),
        ("currants moister", [CURRANTS]),
        ("%", [PAK_CHOI]),
        ("_", [PAK_CHOI]),
        ("\\", [PAK_CHOI]),
        ("50 % more", [PAK_CHOI]),
        ("a_b\\c", [PAK_CHOI]),
        ("nettle", []),
    ],
)
def test_a_name_is_found_as_it_was_typed(session, words, found):
    """Signs that mean something to the database mean nothing to the gardener."""
    named = {"name": "a_b\\c", "claim": "50 % more"}
    session.connection().execute(text("UPDATE trial SET name = :name, claim = :claim WHERE id = 4"), named)
    assert ids(glances(session, TODAY, words)) == found


def test_due_is_what_waits_to_the_day(session):
    today = [("round", CURRANTS, 9), ("round", BEDS, 7), ("pour", BEDS, 7)]
    assert due(session, 0) == today, "the round of a day before its pour"
    assert due(session, -1) == []
    assert due(session, 1) == today
    assert due(session, 2) == [*today, ("round", PAK_CHOI, 0), ("pour", PAK_CHOI, 0)]
    assert due(session, 2, PAK_CHOI) == [("round", PAK_CHOI, 0), ("pour", PAK_CHOI, 0)]
    first, *_ = due_by(session, TODAY, limit=1)
    assert (first.trial_name, first.on) == ("Wool mulch under the currants", TODAY)


def test_nothing_is_due_of_what_is_closed_missed_ended_or_gone(session):
    later = next(each for each in load_trial(session, CURRANTS).rounds if each.day == 12)
    finish_round(session, CURRANTS, later.id, NOW)
    assert due(session, 3, CURRANTS) == [], "day 12 is closed, day 9 was passed over"
    assert due(session, 6, CURRANTS) == [("round", CURRANTS, 15)]
    end_early(session, BEDS, TODAY, "hail")
    delete_trial(session, PAK_CHOI)
    assert due(session, 2) == []
    last = load_trial(session, CURRANTS).rounds[-1]
    finish_round(session, CURRANTS, last.id, NOW)
    assert due(session, 99, CURRANTS) == [], "its last round closes a trial"


def test_of_the_units_only_the_living_wait(session):
    pour = due_by(session, TODAY, trial_id=BEDS)[-1]
    assert (pour.kind, pour.letters, pour.units, pour.treatments) == ("pour", "AB", 8, 2)
    unit = load_trial(session, BEDS).units[0]
    lose_unit(session, BEDS, unit.id, TODAY, "slugs", "Ida", TODAY)
    assert [each.units for each in due_by(session, TODAY, trial_id=BEDS)] == [7, 7]


def test_what_is_asked_of_many_trials_at_once(session):
    """What each trial asks, as its whole plan says it."""
    found = asked_of(session, [CURRANTS, PAK_CHOI, 99])
    for trial in (CURRANTS, PAK_CHOI):
        assert set(found[trial]) == set(load_trial(session, trial).asked)
    assert found[99] == []
