"""Hours of rounds: how they are typed, what measures need, what follows a pour that moves, and what lies outside."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from eproba.core.judging.departures import read_off_hours
from eproba.core.planning.asking import asked_rounds
from eproba.core.trial.days import DaysError
from eproba.core.trial.hours import (
    followed,
    hours_off,
    hours_text,
    hours_typed,
    hours_words,
    usual_hours,
    window_of,
)
from eproba.core.trial.model import Round, RoundTime
from eproba.core.wording.ledger import text_of
from tests.core.cases import reading, small_trial

ROUNDS = (0, 1, 2, 7, 28)


def test_hours_are_typed_by_the_day_of_the_round_and_told_again():
    typed = "0 dusk, 1 24h ± 2,5 h; 2 at 48 h, 7 18:30 ± 2 h"
    found = hours_typed(typed, ROUNDS)
    assert found == {
        0: RoundTime("dusk"), 1: RoundTime("", 24, 2.5), 2: RoundTime("", 48, 3.0), 7: RoundTime("18:30", None, 2.0),
    }  # fmt: skip
    assert hours_text(found) == "0 dusk, 1 24 h ± 2.5 h, 2 48 h ± 3 h, 7 18:30 ± 2 h"
    assert hours_typed(hours_text(found), ROUNDS) == found
    assert (hours_typed("any", ROUNDS), hours_text({})) == ({}, "any")
    assert hours_words(found[1]) == "24 h after the pour, give or take 2.5 h"
    assert (hours_words(found[0]), hours_words(found[7])) == ("at dusk", "at 18:30, give or take 2 h")


@pytest.mark.parametrize(
    ("typed", "why"),
    [
        ("3 dusk", "“3 dusk”: there is no round on day 3; the rounds are on 0, 1, 2, 7, 28."),
        ("1 at tea", "“1 at tea” is no hour of a round: write dusk, 18:30, or 24 h ± 3 h (after a pour)."),
        ("1 24:00", "no clock shows 24:00"),
        ("1 18:30 ± 13 h", "a window is above 0 and up to 12 hours."),
        ("1 241 h", "up to 240 hours after a pour."),
    ],
)
def test_what_is_no_hour_is_told_with_what_to_write(typed, why):
    with pytest.raises(DaysError) as error:
        hours_typed(typed, ROUNDS)
    assert why in str(error.value)


def test_measures_bring_their_hours_along(catalogue):
    asked = [catalogue[key] for key in ("surface_worms", "breathing", "plant_height")]
    grid = asked_rounds(asked, ROUNDS, (28,), (0, 7))
    assert usual_hours(asked, grid, (0, 7)) == {
        0: RoundTime("dusk"), 1: RoundTime("", 24, 3.0), 2: RoundTime("", 48, 3.0), 7: RoundTime("dusk"),
        28: RoundTime("dusk"),
    }  # fmt: skip


@pytest.fixture
def tied(catalogue):
    """Rounds on days 0, 1 (24 h after the pour), 7 and 28."""
    rounds = (Round(0, 0, True, ""), Round(1, 1, False, "", time=RoundTime("", 24, 3.0)), Round(2, 7, False, ""))
    return replace(small_trial(catalogue, "plant_height"), rounds=(*rounds, Round(3, 28, False, "")))


def test_a_round_follows_its_pour_but_never_onto_another_or_past_the_end(tied):
    assert followed(tied, {0: 3}) == {1: 4}
    assert followed(tied, {0: 6}) == {}, "day 7 has a round"
    assert followed(tied, {0: 27}) == {}, "the decision day stays"
    assert followed(tied, {7: 9}) == {}, "another pour"
    two = replace(tied.rounds[1], id=9, day=2, time=RoundTime("", 48, 3.0))
    both = replace(tied, rounds=(*tied.rounds[:2], two, *tied.rounds[2:]))
    assert followed(both, {0: 1}) == {1: 2, 9: 3}, "one moves onto the day that the other leaves"
    assert followed(both, {0: 5}) == {1: 6}, "day 7 has a round, so the second stays"
    chained = replace(both, rounds=(*both.rounds[:3], replace(two, id=10, day=3, time=None), *both.rounds[3:]))
    assert followed(chained, {0: 1}) == {}, "the second can’t leave, so the first can’t come"
    missed = replace(tied, rounds=(tied.rounds[0], replace(tied.rounds[1], missed=True), *tied.rounds[2:]))
    assert followed(missed, {0: 3}) == {}


def test_the_window_stands_around_the_pour_as_it_was_done(tied):
    assert window_of(tied, tied.rounds[1]) is None, "the pour is not on record with its hour"
    done = datetime(2026, 5, 1, 18, 30, tzinfo=UTC)
    poured = replace(tied, pours=tuple(replace(each, done_at=done) for each in tied.pours))
    start, end = window_of(poured, poured.rounds[1])
    assert (start, end) == (done + timedelta(hours=21), done + timedelta(hours=27))
    assert [hours_off((start, end), start + timedelta(minutes=by)) for by in (-61, -1, 0, 360, 361)] == [
        -2,
        -1,
        0,
        0,
        1,
    ]
    values = [reading(poured, n, poured.rounds[1], unit, "plant_height", 20.0) for n, unit in enumerate(poured.units)]
    late = [replace(each, read_at=end + timedelta(hours=each.id - 9)) for each in values]
    (line,) = read_off_hours(poured, late)
    assert text_of(line) == "Read outside the hours of the round: day 1, 5 readings, by up to 3 h."
    assert read_off_hours(poured, late[3:10]) == [], "inside, its edges with it"
    dusk = replace(poured.rounds[1], time=RoundTime("dusk"))
    assert window_of(poured, dusk) is None, "no clock shows it"
    clock = window_of(poured, replace(poured.rounds[1], time=RoundTime("18:30")))
    assert clock[0] == clock[1]
    assert (clock[0].hour, clock[0].minute, clock[0].date()) == (18, 30, poured.date_of(1))
