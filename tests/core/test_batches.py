"""A batch's life by its own recipe's signs and warmth; back-scheduling that wastes no batch; advice at the pour."""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from itertools import combinations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.applying.at_the_pour import on_pour
from eproba.core.applying.schedule import Pouring, Stock, back_schedule, jobs, planned_hours, served_by, stock_of
from eproba.core.brewing.batches import (
    AWAY,
    NOT_YET,
    READY,
    Batch,
    BatchError,
    Check,
    brewed_hours,
    dead_yeast,
    ready_window,
    rule,
    speed,
    state,
    use_by,
    wants,
    why_not_pour,
)
from eproba.core.brewing.weather import Hour, days, rain_within
from eproba.core.catalogue import recipes
from eproba.core.quantities import QuantityError
from eproba.standins.weather import SimulatedStation

ALL = recipes()
COMFREY, YEAST, FERMENT = ALL["comfrey-steep"], ALL["yeast-starter"], ALL["sugar-ferment"]
T0 = datetime(2026, 5, 1, 8, tzinfo=UTC)


def at(hours):
    return T0 + timedelta(hours=hours)


def batch(recipe, **changes):
    return replace(Batch(1, recipe, 5.0, "shed", T0, left=5.0), **changes)


# --- Signs and warmth ---------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("key", "hours", "seen", "ruling"),
    [
        ("sugar-ferment", 130, {"smell": "sweet", "foam": "light"}, READY),
        ("sugar-ferment", 130, {"smell": "foul"}, AWAY),
        ("sugar-ferment", 130, {"smell": "sweet", "foam": "none"}, NOT_YET),
        ("sugar-ferment", 20, {"smell": "sweet", "foam": "light"}, NOT_YET),
        ("sugar-ferment", 700, {"smell": "sweet"}, AWAY),
        ("stale-bread-steep", 130, {"smell": "sharply sour"}, READY),
        ("rice-rinse-ferment", 26, {"smell": "sharply sour"}, NOT_YET),
        ("sugar-woken-compost", 24, {"smell": "sharply sour"}, AWAY),
        ("clippings-sugar-yeast", 50, {"smell": "strong", "foam": "thick"}, READY),
        ("scrap-steep-layered", 170, {"smell": "strong", "colour": "dark", "mould": "white film"}, READY),
        ("scrap-steep-layered", 170, {"smell": "strong", "mould": "coloured"}, AWAY),
        ("comfrey-steep", 250, {}, READY),
        ("comfrey-steep", 200, {}, NOT_YET),
        ("yeast-starter", 0.4, {"foam": "none"}, NOT_YET),
    ],
)
def test_each_recipe_has_its_own_signs(key, hours, seen, ruling):
    found = rule(ALL[key], seen, hours)
    assert found.ruling == ruling
    assert len(found.why) > 15


def test_a_strange_look_is_refused_with_what_there_is():
    with pytest.raises(BatchError, match="choose none, light, thick"):
        rule(YEAST, {"foam": "purple"}, 1)


def test_warmth_moves_the_window_by_q10():
    middle = sum(COMFREY.temperature) / 2
    assert speed(COMFREY, middle) == 1
    assert speed(COMFREY, middle + 10) == pytest.approx(2)
    warm = batch(COMFREY, checks=(Check(T0, middle + 10),))
    cold = batch(COMFREY, checks=(Check(at(24), middle - 10),))
    assert brewed_hours(warm, at(48)) == pytest.approx(96)
    assert brewed_hours(cold, at(48)) == pytest.approx(24), "the first look speaks for the hours before it"
    assert ready_window(batch(COMFREY), T0)[0] == at(COMFREY.hours[0])
    assert ready_window(warm, T0)[0] == at(COMFREY.hours[0] / 2)
    assert ready_window(cold, at(48))[0] > ready_window(batch(COMFREY), at(48))[0]
    with pytest.raises(QuantityError, match="5000 °C can't be"):
        speed(COMFREY, 5000)


@given(st.lists(st.tuples(st.integers(0, 400), st.floats(0, 40)), max_size=6), st.integers(0, 400), st.integers(0, 100))
def test_a_brew_never_grows_younger(looks, hours, more):
    logged = batch(FERMENT, checks=(Check(T0, 20.0), *(Check(at(h), t) for h, t in looks)))
    assert 0 <= brewed_hours(logged, at(hours)) <= brewed_hours(logged, at(hours + more)) + 1e-6


def test_the_life_of_a_batch():
    standing = batch(FERMENT, made_at=at(24), standing_at=T0)
    assert state(standing, at(2)) == "standing"
    assert wants(standing, at(2)).at == at(24)
    brewing = batch(FERMENT)
    assert state(brewing, at(5)) == "brewing"
    assert wants(brewing, at(5)).words == "Stir it"
    assert wants(brewing, at(25)).urgent
    assert wants(brewing, at(121)).words.startswith("Check it")
    good = Check(at(125), 27, {"smell": "sweet", "foam": "light"})
    ready = replace(brewing, checks=(good,))
    assert state(ready, at(126)) == "ready"
    assert wants(ready, at(126)).words == "Strain it"
    strained = replace(ready, strained_at=at(127))
    assert state(strained, at(128)) == "strained"
    assert use_by(strained) == at(125 + 168)
    assert state(strained, at(125 + 169)) == "too old"
    assert state(replace(strained, used_up_at=at(130)), at(131)) == "used up"
    assert state(replace(strained, thrown_at=at(130)), at(131)) == "thrown away"
    assert state(batch(ALL["diluted-whey"]), at(1)) == "ready", "what needs no time is ready at once"


def test_what_can_be_poured_and_what_needs_an_override():
    good = Check(at(125), 27, {"smell": "sweet", "foam": "light"})
    assert why_not_pour(batch(FERMENT, checks=(good,)), at(126)) == ""
    assert "not ready yet" in why_not_pour(batch(FERMENT), at(50))
    assert "it kept until" in why_not_pour(batch(FERMENT, checks=(good,)), at(400))
    foul = batch(FERMENT, checks=(Check(at(130), 27, {"smell": "foul"}),))
    assert "throw away" in why_not_pour(foul, at(131))
    assert wants(foul, at(131)).words == "Throw it away"
    assert "thrown away: mouse" in why_not_pour(batch(FERMENT, thrown_at=at(2), thrown_reason="mouse"), at(3))
    with pytest.raises(BatchError, match="has not begun by then"):
        why_not_pour(batch(FERMENT), at(-3))


def test_no_foam_leads_to_the_yeast_test():
    assert "the yeast is dead" in dead_yeast(YEAST, [Check(at(0.4), 35, {"foam": "none"})])
    assert dead_yeast(YEAST, [Check(at(0.4), 35, {"foam": "light"})]) == ""
    assert dead_yeast(COMFREY, [Check(at(1), 20, {"foam": "none"})]) == ""


# --- Back-scheduling ----------------------------------------------------------------------------------------


def pour(day, trial=1, litres=1.0):
    return Pouring(trial, f"trial {trial}", "A", T0 + timedelta(days=day), litres)


def test_one_batch_serves_both_trials_while_it_keeps():
    needs = [(FERMENT, pour(0, 1, 0.5)), (FERMENT, pour(3, 2, 0.7)), (FERMENT, pour(14, 1, 0.5))]
    first, second = back_schedule(needs)
    assert first.trials == ("trial 1", "trial 2")
    assert first.litres == pytest.approx(1.2)
    assert first.ready == T0
    assert first.start == T0 - timedelta(hours=planned_hours(FERMENT))
    assert first.stand == first.start - timedelta(hours=24)
    assert first.until == T0 + timedelta(days=7)
    assert second.serves == (needs[2][1],)
    assert back_schedule(needs, stands=False)[0].stand is None


@given(st.lists(st.integers(0, 40), min_size=1, max_size=9), st.sampled_from(["sugar-ferment", "yeast-starter"]))
def test_no_plan_with_fewer_batches_exists(pour_days, key):
    recipe = ALL[key]
    planned = back_schedule([(recipe, pour(day)) for day in pour_days])
    served = sorted(each.at for made in planned for each in made.serves)
    assert served == sorted(T0 + timedelta(days=day) for day in pour_days), "each pour once"
    for made in planned:
        assert all(made.ready <= each.at <= made.until for each in made.serves)
    keeps = recipe.keeps_hours / 24
    few = next(
        n
        for n in range(1, len(pour_days) + 1)
        if any(
            all(any(0 <= day - start <= keeps for start in starts) for day in pour_days)
            for starts in combinations(sorted(set(pour_days)), min(n, len(set(pour_days))))
        )
    )
    assert len(planned) == few


def test_errands_come_in_order_and_past_ones_fall_away():
    (made,) = back_schedule([(FERMENT, pour(10))])
    found = jobs(made, T0 - timedelta(days=30))
    assert [job.kind for job in found] == ["stand", "start", *["stir"] * 5, "strain"]
    assert [job.at for job in found] == sorted(job.at for job in found)
    assert found[1].words == "Start unrefined-sugar ferment, 1 L"
    assert [job.kind for job in jobs(made, made.ready)] == ["strain"]
    (quick,) = back_schedule([(ALL["diluted-whey"], pour(3))])
    assert jobs(quick, T0) == [], "whey is mixed at the pour"


# --- Weather and advice -------------------------------------------------------------------------------------


def test_the_simulated_station_is_seeded_and_plausible():
    station = SimulatedStation(7)
    year = station.hours(datetime(2026, 1, 1, tzinfo=UTC), datetime(2027, 1, 1, tzinfo=UTC))
    assert len(year) == 365 * 24
    assert station.hours(year[500].at, year[530].at) == year[500:530], "any span, in any order"
    assert SimulatedStation(8).hours(year[0].at, year[48].at) != year[:48]
    assert 350 < sum(hour.rain_mm for hour in year) < 1200
    july = [hour.temperature for hour in year if hour.at.month == 7]
    january = [hour.temperature for hour in year if hour.at.month == 1]
    assert sum(july) / len(july) - sum(january) / len(january) > 10
    assert all(-20 < hour.temperature < 40 for hour in year)
    told, came = station.forecast(T0, 48), station.hours(T0, T0 + timedelta(hours=48))
    assert [hour.at for hour in told] == [hour.at for hour in came]
    assert told != came, "a forecast errs"
    assert max(abs(a.temperature - b.temperature) for a, b in zip(told, came, strict=True)) < 8
    assert len(days(came)) == 3


def hours_of(temperature, rain, count=24, start=T0):
    return [Hour(start + timedelta(hours=n), temperature, rain) for n in range(count)]


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"at": T0.replace(hour=13)}, "Early morning or late afternoon"),
        ({"measured": hours_of(31, 0)}, "31 °C: heat"),
        ({"forecast": hours_of(1, 0)}, "frost on wet soil"),
        ({"forecast": hours_of(15, 0.6)}, "14 mm of rain foretold"),
        ({"measured": hours_of(18, 0, 168, T0 - timedelta(days=7))}, "0 mm of rain in a week"),
        ({"measured": hours_of(12, 1, 48, T0 - timedelta(days=2))}, "48 mm in two days"),
        ({"soil_c": 5.0}, "hardly moves below 8 °C"),
        ({"moisture": "dry"}, "the control too"),
        ({"moisture": "waterlogged"}, "no longer drips"),
        ({"last_on": date(2026, 4, 28)}, "Only 3 days since the last pour; unrefined-sugar ferment wants 7"),
    ],
)
def test_advice_at_the_pour_says_why(changes, said):
    usual = {"recipe": FERMENT, "at": T0, "day": 7, "last_on": date(2026, 4, 20), "measured": [], "forecast": []}
    assert on_pour(**usual) == []
    found = on_pour(**(usual | changes))
    assert any(said in counsel.text for counsel in found), [counsel.text for counsel in found]


def test_phases_change_how_often():
    month = {"recipe": FERMENT, "at": T0, "measured": [], "forecast": [], "last_on": date(2026, 4, 23)}
    assert on_pour(**month, day=14) == [], "weekly in the first month"
    assert on_pour(**month, day=40)[0].wait, "then every two weeks"
    assert rain_within(hours_of(10, 1), T0, timedelta(hours=5)) == 5


# --- What the shelf serves ----------------------------------------------------------------------------------


stocks = st.lists(
    st.builds(
        lambda n, ready, keeps, litres: Stock(
            n, "sugar-ferment", T0 + timedelta(days=ready), T0 + timedelta(days=ready + keeps), litres
        ),
        st.integers(1, 9), st.integers(0, 20), st.integers(0, 10), st.floats(0.1, 5),
    ),
    max_size=4, unique_by=lambda each: each.batch_id,
)  # fmt: skip


@given(st.lists(st.tuples(st.integers(0, 30), st.floats(0.1, 2)), max_size=8), stocks)
def test_the_shelf_never_gives_what_it_has_not(pours, stock):
    needs = [(FERMENT, pour(day, litres=litres)) for day, litres in pours]
    serves, left = served_by(needs, stock, T0)
    assert sum(map(len, serves.values())) + len(left) == len(needs), "each pour is served or planned, never both"
    by_id = {each.batch_id: each for each in stock}
    for batch_id, served in serves.items():
        there = by_id[batch_id]
        assert all(there.ready <= each.at <= there.until for each in served)
        assert sum(each.litres for each in served[:-1]) <= there.litres
    planned = back_schedule(left)
    assert sum(len(made.serves) for made in planned) == len(left)


def test_stock_is_what_can_still_be_poured():
    good = Check(at(125), 27, {"smell": "sweet", "foam": "light"})
    ready = stock_of(batch(FERMENT, checks=(good,)), at(126))
    assert (ready.ready, ready.until, ready.litres) == (at(125), at(125 + 168), 5.0)
    brewing = stock_of(batch(FERMENT), at(24))
    assert brewing.ready == at(120), "ready when its clock says so"
    standing = stock_of(batch(FERMENT, made_at=at(24), standing_at=T0), at(2))
    assert standing.ready == at(24 + 120)
    assert stock_of(batch(FERMENT, thrown_at=at(1)), at(2)) is None
    assert stock_of(batch(FERMENT, checks=(Check(at(130), 27, {"smell": "foul"}),)), at(131)) is None
    assert stock_of(batch(FERMENT, checks=(good,)), at(500)) is None, "too old"


def test_an_overdue_pour_is_poured_now():
    there = Stock(1, "sugar-ferment", at(24), at(240), 2.0)
    late = [(FERMENT, pour(0))]
    assert served_by(late, [there], T0)[0] == {}
    assert served_by(late, [there], at(30))[0] == {1: [late[0][1]]}


@given(st.floats(0.001, 3), st.floats(0.05, 400))
def test_the_clock_of_a_brew_is_linear_while_it_is_as_warm(pace_days, hours):
    brewing = batch(COMFREY, checks=(Check(T0, 18.0),))
    one, two = brewed_hours(brewing, at(hours)), brewed_hours(brewing, at(2 * hours))
    assert two == pytest.approx(2 * one)
    window = ready_window(brewing, at(pace_days))
    assert brewed_hours(brewing, window[0]) == pytest.approx(COMFREY.hours[0])
    assert brewed_hours(brewing, window[1]) == pytest.approx(COMFREY.hours[1])
