"""Which measure is asked in which round, and what becomes of days and of what adds up."""

import math
from dataclasses import replace

import pytest

from eproba.core.judging.courses import courses
from eproba.core.judging.from_trial import unit_values
from eproba.core.planning.asking import asked_rounds, cell, usual_rounds
from eproba.core.stats.summaries import Point, day_of_event
from eproba.core.trial.days import DaysError, calendar
from eproba.core.trial.declaration import facts_of
from eproba.core.trial.model import Asked
from eproba.core.trial.rounds import complete, happened
from tests.core.cases import reading, small_trial

ROUNDS, PULLS = (0, 2, 7, 14, 28), (28,)


@pytest.mark.parametrize(
    ("key", "pours", "asked"),
    [
        ("plant_height", (0,), [0, 2, 7, 14, 28]),
        ("fresh_mass", (0,), [28]),
        ("growth_rate", (0,), [28]),
        ("soil_ph", (0,), [0, 28]),
        ("breathing", (0, 13), [0, 2, 14, 28]),
        ("breathing", (), [0, 28]),
        ("soil_smell", (0, 6, 14), [0, 2, 14, 28]),
        ("soil_smell", (1, 5), [0, 7, 14, 28]),
        ("first_seedling", (0,), [0, 2, 7, 14, 28]),
    ],
)
def test_each_is_asked_when_it_makes_sense(catalogue, key, pours, asked):
    """48 hours after a pour a smell may be asked again; on the day of a pour it is read before it."""
    assert usual_rounds(catalogue[key], ROUNDS, PULLS, pours) == asked


def test_what_is_ticked_goes_before_what_is_usual(catalogue):
    measures = [catalogue[key] for key in ("plant_height", "soil_ph", "fresh_mass")]
    offered = [cell(each.key, day) for each in measures for day in ROUNDS if day != 28]
    grid = asked_rounds(measures, ROUNDS, PULLS, (), offered, [cell("soil_ph", 7), cell("fresh_mass", 2)])
    assert grid == {"plant_height": (0, 28), "soil_ph": (7, 28), "fresh_mass": (28,)}
    with pytest.raises(DaysError, match="Soil pH is asked in no round; it is usually asked in the first round and the"):
        asked_rounds(measures, ROUNDS, PULLS, (), [*offered, cell("soil_ph", 28)], [])


def test_the_minutes_follow_the_grid(catalogue):
    asked = [(catalogue["plant_height"], 1), (catalogue["soil_ph"], 1)]
    grid = {"plant_height": (0, 7), "soil_ph": (7,)}
    loads = calendar((0, 7), {}, small_trial(catalogue).start_on, asked, 10, (7,), grid)
    assert [load.minutes for load in loads] == [2.0, 52.0]


def test_a_trial_asks_by_its_grid_and_declares_it(catalogue):
    trial = small_trial(catalogue)
    rare = replace(trial, asked=(trial.asked[0], replace(trial.asked[1], days=(0, 28))))
    keys = [[each.measure.key for each in rare.asked_in(this)] for this in rare.rounds]
    assert keys == [["leaf_count"], [], ["fresh_mass", "leaf_count"]]
    assert facts_of(rare)["asked"] == [["leaf_count", [0, 28]]]
    assert "asked" not in facts_of(trial), "plans declared before stay what they were"


def sprouting(catalogue, days):
    """A trial that asks daily for the first seedling; unit i sprouts on day days[i] (None: not yet)."""
    trial = small_trial(catalogue)
    trial = replace(trial, asked=(Asked(catalogue["first_seedling"], 1, None),), summary="last")
    found, number = [], 0
    for this in trial.rounds:
        for unit in trial.units:
            came = days[unit.id]
            before = came is not None and any(came <= each.day < this.day for each in trial.rounds)
            if not before:
                seen = float(came is not None and came <= this.day)
                found.append(reading(trial, number, this, unit, "first_seedling", seen))
                number += 1
    return trial, found


def test_a_day_is_the_first_look_at_which_it_had_happened(catalogue):
    trial, found = sprouting(catalogue, [14, 14, 28, None] * 3)
    values = {each.unit: each.value for each in unit_values(trial, trial.asked[0], found)}
    assert [values[f"P{n}"] for n in range(4)] == [14, 14, 28, math.inf], "not yet: behind all that has happened"
    assert happened(trial, trial.rounds[2], found) == {(n, "first_seedling") for n in range(12) if n % 4 < 2}
    assert complete(trial, trial.rounds[2], found), "what has happened is not asked again"
    assert not complete(trial, trial.rounds[2], found[:-1])


def test_a_unit_that_was_not_looked_at_has_no_day():
    assert day_of_event((Point(0, 0, 0.0), Point(7, 7, 0.0)), 14) is None
    assert day_of_event((Point(0, 0, 0.0), Point(7, 8, 1.0)), 14) == 8, "the true day counts"
    assert day_of_event((), 14) is None


def test_a_yield_adds_up(catalogue):
    trial = replace(small_trial(catalogue), asked=(Asked(catalogue["yield_g"], 1, None),))
    found = [reading(trial, n, this, trial.units[0], "yield_g", 10.0 * n) for n, this in enumerate(trial.rounds)]
    points = courses(trial, trial.asked[0], found)[trial.units[0].id]
    assert [point.value for point in points] == [0, 10, 30]
