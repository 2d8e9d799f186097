"""The list of a day and what it stands on: the warmth of the place, ways out, lines that can be cleared."""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.applying.at_the_pour import Counsel
from eproba.core.applying.catching_up import CatchUp, PoursOf, accepted_gap, catch_up
from eproba.core.applying.due import Due
from eproba.core.applying.errands import Job, half_litres, jobs, on_the_shelf
from eproba.core.applying.morning import ENOUGH_WATER, DayLine, lines, only_of
from eproba.core.applying.schedule import Pouring, at_home, back_schedule, stock_of
from eproba.core.brewing.batches import CAN_BE_POURED, state
from eproba.core.brewing.events import Batch, Event, with_event
from eproba.core.brewing.warmth import Warmth, slowed, warmth_of, why_slow
from eproba.core.brewing.weather import Day, Weather, season_of
from eproba.core.catalogue import recipes

ALL = recipes()
BREWS = [key for key, recipe in ALL.items() if recipe.brews and recipe.liquid and recipe.ready]
TODAY = date(2026, 5, 20)
NOW = datetime(2026, 5, 20, 8, tzinfo=UTC)
FERMENT, COMFREY = ALL["sugar-ferment"], ALL["comfrey-steep"]


def pour(days=0, letter="A", number=1, **more):
    at = datetime(2026, 5, 20, 17, tzinfo=UTC) + timedelta(days=days)
    return Pouring(1, "Chard", letter, at, 1.0, days, id=number, **more)


def due(kind="pour", days=0, trial=1, **more):
    usual = {"letters": "AB", "units": 8, "treatments": 2, "pour_id": 7 + days} if kind == "pour" else {
        "letters": "", "units": 8, "round_id": 3 + days,
    }  # fmt: skip
    name = {1: "Chard", 2: "Kale"}[trial]
    return Due(**{"kind": kind, "trial_id": trial, "trial_name": name, "round_id": None, "day": 14 + days,
                  "on": TODAY + timedelta(days=days), **usual, **more})  # fmt: skip


def listed(waiting=(), errands=(), ticked=None, ways=None, counsel=(), today=TODAY):
    return lines(today, list(waiting), list(errands), {}, ticked or {}, ways or {}, counsel)


# --- Warmth -------------------------------------------------------------------------------------------------


@given(
    st.sampled_from(BREWS), st.floats(0, 1), st.floats(0, 1),
    st.sampled_from([Warmth(), Warmth(season=2.0), Warmth(season=17.0), Warmth(latest=14.0), Warmth(latest=33.0)]),
)  # fmt: skip
def test_who_follows_is_never_late(key, warm, share, warmth):
    """At any warmth inside the recipe's range, ready at any hour that it allows, looked at when it is asked for."""
    recipe = ALL[key]
    (made,) = back_schedule([(recipe, pour(200))], warmth=warmth)
    low, high = recipe.temperature
    degrees = low + warm * (high - low)
    ready = made.start + timedelta(hours=recipe.hours[0] + share * (recipe.hours[1] - recipe.hours[0]))
    assert ready <= made.start + timedelta(hours=recipe.hours[1]) <= pour(200).at
    good = {sign: looks[0] for sign, looks in recipe.ready.items()}
    begun = Batch(1, recipe, 5.0, events=(Event(made.start, "mixed"),))
    (check,) = [job for job in on_the_shelf(begun, [pour(200)], made.start, pour(201).at) if job.kind == "check"]
    batch = with_event(begun, Event(max(ready, check.at), "looked at", degrees, good))
    assert state(batch, pour(200).at) in CAN_BE_POURED, "and it still keeps"


@pytest.mark.parametrize(
    ("warmth", "days", "why"),
    [
        (Warmth(), 21, ""),
        (Warmth(measured={"comfrey-steep": 15.0}), 21, ""),
        (Warmth(measured={"comfrey-steep": 5.0}), 42,
         "Your brews stand at 5 °C, and this one wants 15 °C at least: it may take 42 days instead of 21 days."),
        (Warmth(latest=10.0, season=20.0), 30, "Your brews stand at 10 °C, and this one wants 15 °C at least: it may "
         "take 30 days instead of 21 days."),
        (Warmth(season=9.6), 31, "Days and nights are near 10 °C now, and this one wants 15 °C at least: it may take "
         "31 days instead of 21 days."),
        (Warmth(measured={"comfrey-steep": 30.0}, season=2.0), 21, ""),
    ],
)  # fmt: skip
def test_a_cold_spell_moves_the_start_and_says_why(warmth, days, why):
    (made,) = back_schedule([(COMFREY, pour(60))], warmth=warmth)
    assert made.start == datetime(2026, 7, 19, 8, tzinfo=UTC) - timedelta(days=days)
    assert why_slow(COMFREY, warmth) == why
    (start,) = [job for job in jobs(made, NOW) if job.kind == "start"]
    assert start.more == why


def test_the_warmth_of_a_place_is_what_was_measured_last():
    def measured(key, days_ago, degrees, what="looked at"):
        at = NOW - timedelta(days=days_ago)
        return Batch(1, ALL[key], 5.0, events=(Event(at, what, degrees),))

    shelf = [measured("comfrey-steep", 50, 12.0), measured("comfrey-steep", 59, 19.0),
             measured("sugar-ferment", 13, 24.0), measured("nettle-steep", 1, 80.0),
             measured("nettle-steep", 2, 4.0, "put cool"), measured("nettle-steep", -1, 21.0)]  # fmt: skip
    warmth = warmth_of(shelf, NOW, season=11.0)
    assert warmth == Warmth({"comfrey-steep": 12.0, "sugar-ferment": 24.0}, 24.0, 11.0), "no boiling pot, no fridge"
    assert [warmth.of(ALL[key]) for key in ("comfrey-steep", "nettle-steep")] == [12.0, 24.0]
    assert warmth_of(shelf[:2], NOW, 11.0).of(FERMENT) == 11.0, "what stands there for 50 days says nothing of others"
    assert slowed(ALL["molasses-water"], Warmth(latest=6.0)) == 1.0


def test_a_season_is_the_mean_of_three_days_at_least():
    days = [Day(TODAY - timedelta(days=n), 5.0, 15.0 + n, 0.0) for n in range(3)]
    assert season_of(Weather(days=days)) == pytest.approx(10.5)
    assert season_of(Weather(days=days[:2])) is None


@pytest.mark.parametrize(("hour", "home"), [(8, 8), (17.9, 8), (18, 18), (23, 18), (7.9, -6)])
def test_a_brew_begins_when_people_are_at_home(hour, home):
    midnight = datetime(2026, 5, 20, tzinfo=UTC)
    assert at_home(midnight + timedelta(hours=hour)) == midnight + timedelta(hours=home)


# --- Ways out -----------------------------------------------------------------------------------------------


def of(planned, done=(), fewest=0.0, letter="A"):
    return PoursOf(letter, tuple(planned), tuple(done), tuple(day for day in planned if day not in done), fewest)


@pytest.mark.parametrize(
    ("pours", "today", "ready", "way"),
    [
        (of([0, 7, 14, 21], [0]), 21, 21, CatchUp((7, 14), None, 21)),  # skip these two, pour today
        (of([0, 7, 14, 28], [0]), 16, 16, CatchUp((7,), 14, 16)),  # room for the last of them
        (of([0, 7, 14, 21], [0], 7.0), 16, 16, CatchUp((7, 14), None, 21)),  # five days before the next: too soon
        (of([0, 14, 28], [3], 14.0), 15, 15, CatchUp((0, 14), None, 28)),  # the last was poured twelve days ago
        (of([0, 14, 28, 60], [0, 14], 14.0), 30, 30, CatchUp((), 28, 30)),
        (of([0, 14, 28, 60], [0, 14], 14.0), 30, 35, CatchUp((), 28, 35)),  # its brew is ready then
        (of([0, 7, 14], [0, 7], 14.0), 15, 15, CatchUp((), 14, 15)),  # the plan accepted a week
        (of([0, 7, 14], [0, 7]), 42, 42, CatchUp((14,), None, None)),  # the decision day is here
        (of([0], []), 3, 3, CatchUp((), 0, 3)),
    ],
)  # fmt: skip
def test_the_first_way_out_breaks_no_interval(pours, today, ready, way):
    assert catch_up([pours], today, 42, ready, today) == way


@given(st.lists(st.integers(0, 40), min_size=1, max_size=7, unique=True), st.integers(0, 7), st.integers(1, 41),
       st.integers(0, 20), st.sampled_from([0.0, 3.0, 7.0, 14.0]))  # fmt: skip
def test_no_way_out_comes_closer_than_plan_and_recipe_allow(planned, count, today, wait, fewest):
    days = sorted(planned)
    pours = of(days, [day for day in days if day < today][:count], fewest)
    if not any(day < today for day in pours.due):
        return
    way = catch_up([pours], today, 42, today + wait, today)
    assert set(way.skipped) | {way.moved} >= {day for day in pours.due if day < today}, "nothing is left overdue"
    if way.moved is not None:
        assert today + wait <= way.to < 42
        others = [*pours.done, *(day for day in pours.due if day >= today)]
        assert all(abs(way.to - day) >= pours.apart for day in others if day >= today or day == max(pours.done))


def test_the_days_that_a_plan_was_dealt_with_are_the_middle_of_its_gaps():
    assert [accepted_gap(days) for days in ([], [0], [0, 7, 14], [0, 7, 9, 16], [0, 14, 28, 28])] == [
        None, None, 7, 7, 14,
    ]  # fmt: skip


# --- Lines --------------------------------------------------------------------------------------------------


def errand(kind, days=0, hour=9, key="", litres=0.0, batch_id=None, recipe=FERMENT, **more):
    at = datetime(2026, 5, 20, hour, tzinfo=UTC) + timedelta(days=days)
    usual = {"serves": (pour(3),)} if "serves" not in more else {}
    return Job(
        at, kind, f"{kind.capitalize()} it", 5, key or f"{kind}-1", recipe, litres, batch_id=batch_id, **usual, **more
    )


def test_choices_come_first_then_what_to_know_rounds_brews_and_pours():
    waiting = [due(days=-2, trial=2), due(), due("round"), due(days=1)]
    ways = {2: CatchUp((), 12, 14)}
    found = listed(waiting, [errand("strain")], ways=ways, counsel=[(Counsel(True, "Down to -1 °C"), "Chard")])
    assert [(line.sort, line.key) for line in found if line.on == TODAY] == [
        ("choose", "choose-2"), ("know", "know-20260520-1"), ("do", "round-3-1"), ("do", "strain-1"),
        ("do", "pour-7-1"),
    ]  # fmt: skip
    assert found[-1].on == TODAY + timedelta(days=1)


@pytest.mark.parametrize(
    ("waiting", "way", "words", "first"),
    [
        ([due(days=-2)], CatchUp((), 12, 14), "Pour, day 12, overdue since Mon 18 May: Chard", "Pour it today"),
        ([due(days=-9), due(days=-2)], CatchUp((5, 12), None, 14), "Two jobs overdue since Mon 11 May: Chard",
         "Skip these two, pour today"),
        ([due(days=-9), due(days=-2)], CatchUp((5,), 12, 15), "Two jobs overdue since Mon 11 May: Chard",
         "Skip the first, pour the last on Thu 21 May"),
        ([due(days=-2)], CatchUp((12,), None, None), "Pour, day 12, overdue since Mon 18 May: Chard",
         "Skip the pour: no other is planned"),
        ([due(days=-2, compared="dry")], CatchUp((12,), None, 19), "Spread, day 12, overdue since Mon 18 May: Chard",
         "Skip the spread, do the next on Mon 25 May"),
        ([due("round", days=-2)], None, "Round, day 12, overdue since Mon 18 May: Chard",
         "Measure the round, day 12 now"),
    ],
)  # fmt: skip
def test_what_is_overdue_is_one_line_a_trial(waiting, way, words, first):
    (line,) = listed(waiting, ways={} if way is None else {1: way})
    assert (line.sort, line.words, line.ways[0].words) == ("choose", words, first)


def test_the_last_round_is_never_left_out():
    def ways(*rounds):
        (line,) = listed(rounds)
        return [way.words for way in line.ways]

    one, two, last = due("round", days=-9), due("round", days=-2), due("round", days=-1, last=True)
    assert ways(one) == ["Measure the round, day 5 now", "Leave out the round, day 5"]
    assert ways(one, two) == ["Measure the round, day 12 now, and miss those before it", "Leave out the two rounds"]
    assert ways(one, last) == ["Measure the round, day 13 now, and miss those before it", "Leave out the round, day 5"]
    assert ways(last) == ["Measure the round, day 13 now"]


def test_a_pour_that_no_brew_meets_moves_to_a_day_that_its_recipe_allows():
    late = errand("late", key="late-0", late=(pour(0),), ready_on=TODAY + timedelta(days=4))
    (line,) = listed([due()], [late], ways={1: CatchUp((), 0, 5)})[:1]
    assert [(way.to, way.words, way.on) for way in line.ways] == [
        ("go", "Start it now", None), ("move", "Move the pour to Mon 25 May", date(2026, 5, 25)),
        ("skip", "Skip it", None), ("recipe", "Another recipe", None),
    ]  # fmt: skip
    both_late = replace(late, late=(pour(0), pour(3)))
    (line,) = listed([due()], [both_late], ways={1: CatchUp((0,), 3, 5)})[:1]
    assert [way.words for way in line.ways[1:3]] == ["Move the last to Mon 25 May", "Skip the first"]
    assert (line.ways[1].on, line.ways[1].day) == (date(2026, 5, 25), 3)
    (none,) = listed([due()], [replace(late, batch_id=3)], ways={1: CatchUp((0,), None, 7)})[:1]
    assert [way.words for way in none.ways] == ["Open the batch", "Skip it", "Another recipe"]
    assert none.words.endswith("unrefined-sugar ferment is not ready")
    both = listed([due(days=-2), due()], [late], ways={1: CatchUp((), 12, 14)})
    assert [line.key for line in both if line.sort == "choose"] == ["choose-1"], "one choice a trial"


def test_daily_stirring_is_one_line_and_water_another_in_half_litres():
    stirs = [errand("stir", key=f"stir-{n}-batch-{batch}", batch_id=batch) for n, batch in ((1, 4), (2, 4), (5, 9))]
    kale = replace(pour(1), trial_id=2, trial="Kale")
    waters = [
        errand("stand", key="stand-0-0-sugar-ferment-9", litres=1.2),
        errand("stand", key="water-7", litres=11.1, recipe=None, serves=(kale,), more="11.1 L for diluting."),
    ]  # fmt: skip
    stir, water = sorted(listed(errands=[*stirs, *waters]), key=lambda line: line.words, reverse=True)
    assert (stir.key, len(stir.jobs)) == ("stir-20260520", 3)
    assert water.words == "Set 12.5 L of water out to stand"
    assert water.more == "1.2 L for unrefined-sugar ferment and 11.1 L for diluting."
    assert water.trials == ("Chard", "Kale")
    assert [half_litres(litres) for litres in (0.1, 0.5, 0.51, 12.0)] == [0.5, 0.5, 1.0, 12.0]


def test_what_is_ticked_is_gone_unless_more_water_is_needed():
    water = errand("stand", key="water-7", litres=5.0)
    assert listed(errands=[water], ticked={"water-7": 5.0 - ENOUGH_WATER}) == []
    assert len(listed(errands=[water], ticked={"water-7": 4.7})) == 1
    assert listed(errands=[errand("water", key="between-1-7")], ticked={"between-1-7": 0.0}) == []


def test_no_water_is_set_out_for_a_brew_that_starts_today():
    stand, start = errand("stand", key="stand-0-0-sugar-ferment-9"), errand("start", key="start-0-0-sugar-ferment-9")
    assert [line.key for line in listed(errands=[stand, start])] == [start.key]
    tomorrow = replace(start, at=start.at + timedelta(days=1))
    assert [line.key for line in listed(errands=[stand, tomorrow])] == [stand.key, start.key]


def test_a_last_day_is_to_know_and_one_plain_watering_does_for_a_trial():
    twice = [errand("water", key=f"between-1-{n}", serves=(pour(letter=letter),)) for n, letter in ((7, "A"), (8, "B"))]
    found = listed(errands=[errand("use by"), *twice])
    assert [(line.sort, line.key) for line in found] == [("know", "use by-1"), ("do", "between-1-8")]


def test_a_trial_finds_its_own_lines():
    found = listed([due(), due("round", trial=2)], [errand("strain")])
    assert [line.key for line in only_of(2, found)] == ["round-3-2"]
    assert [line.key for line in only_of(1, found)] == ["strain-1", "pour-7-1"]
    assert DayLine("know", "k", TODAY, "Frost").trial_ids == frozenset()


def test_who_looks_in_time_pours_a_brew_of_the_shelf():
    """What is said of a batch under way and of one that is ready is one reckoning."""
    made = Batch(1, FERMENT, 5.0, events=(Event(NOW, "mixed"),))
    running = stock_of(made, NOW)
    at_last = Event(running.ready, "looked at", 27.0, {"smell": "sweet", "foam": "light"})
    assert stock_of(with_event(made, at_last), running.ready).until == running.until
