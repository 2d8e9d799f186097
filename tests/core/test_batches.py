"""A batch's life by its own recipe's signs and warmth; back-scheduling that wastes no batch; advice at the pour."""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from itertools import combinations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.applying.at_the_pour import on_pour
from eproba.core.applying.errands import jobs, on_the_shelf, plain_waterings, standing_water
from eproba.core.applying.schedule import (
    Pouring,
    Stock,
    back_schedule,
    margin,
    served_by,
    stock_of,
    to_brew,
    water_to_stand,
)
from eproba.core.brewing.batches import Standing, dead_yeast, standing, state, wants, why_not_pour
from eproba.core.brewing.clock import (
    AWAY,
    NOT_YET,
    READY,
    brewed_hours,
    keeps_until,
    ready_window,
    rule,
    speed,
    use_by,
)
from eproba.core.brewing.events import BatchError, corrected, left, resized
from eproba.core.brewing.recipe import Ground
from eproba.core.brewing.warmth import Warmth
from eproba.core.brewing.weather import Day, Hour, Weather, days, rain_within
from eproba.core.catalogue import recipes
from eproba.core.quantities import QuantityError
from eproba.standins.weather import SimulatedStation
from tests.core.brews import BREWED, brew, look

ALL = recipes()
COMFREY, YEAST, FERMENT = ALL["comfrey-steep"], ALL["yeast-starter"], ALL["sugar-ferment"]
T0 = BREWED


def at(hours):
    return T0 + timedelta(hours=hours)


# --- Signs and warmth ---------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("key", "hours", "seen", "ruling"),
    [
        ("sugar-ferment", 130, {"smell": "sweet", "foam": "light"}, READY),
        ("sugar-ferment", 130, {"smell": "foul"}, AWAY),
        ("sugar-ferment", 130, {"smell": "sweet", "foam": "none"}, NOT_YET),
        ("sugar-ferment", 107, {"smell": "sweet", "foam": "light"}, NOT_YET),
        ("sugar-ferment", 108, {"smell": "sweet", "foam": "light"}, READY),  # nine tenths of 120
        ("sugar-ferment", 184, {"smell": "sweet", "foam": "none"}, NOT_YET),
        ("sugar-ferment", 185, {"smell": "sweet", "foam": "none"}, AWAY),  # a tenth past 168: it will not foam again
        ("comfrey-steep", 600, {"smell": "earthy", "colour": "dark"}, NOT_YET),  # a smell can still come
        ("clippings-sugar-yeast", 50, {"smell": "foul", "foam": "thick"}, AWAY),
        ("molasses-water", 0, {"smell": "foul"}, READY),  # nothing in it was to be looked at
        ("sugar-ferment", 700, {"smell": "sweet"}, AWAY),
        ("stale-bread-steep", 130, {"smell": "sharply sour"}, READY),
        ("stale-bread-steep", 130, {"smell": "sharply sour", "mould": "white film"}, AWAY),
        ("rice-rinse-ferment", 26, {"smell": "sharply sour"}, AWAY),
        ("rice-water", 0, {"smell": "mildly sour"}, AWAY),
        ("sugar-woken-compost", 24, {"smell": "mildly sour"}, AWAY),
        ("clippings-sugar-yeast", 50, {"smell": "strong", "foam": "thick"}, READY),
        ("scrap-steep-layered", 170, {"smell": "strong", "colour": "dark", "mould": "white film"}, READY),
        ("scrap-steep-layered", 170, {"smell": "strong", "mould": "coloured"}, AWAY),
        ("scrap-steep-layered", 170, {"smell": "foul", "colour": "dark"}, AWAY),
        ("comfrey-steep", 250, {"smell": "foul", "colour": "dark"}, AWAY),
        ("nettle-steep", 250, {"smell": "strong", "colour": "dark", "foam": "thick"}, NOT_YET),
        ("nettle-steep", 250, {"smell": "strong", "colour": "dark", "foam": "light"}, READY),
        ("seaweed-steep", 340, {"smell": "strong", "colour": "dark"}, READY),
        ("dandelion-steep", 170, {"smell": "strong", "colour": "pale"}, NOT_YET),
        ("worm-cast-extract", 0, {"smell": "sharply sour"}, AWAY),
        ("potato-water", 0, {"slime": "yes"}, AWAY),
        ("yeast-starter", 0.4, {"foam": "none"}, NOT_YET),
    ],
)
def test_each_recipe_has_its_own_signs(key, hours, seen, ruling):
    found = rule(ALL[key], seen, hours)
    assert found.ruling == ruling
    assert len(found.why) > 15


def test_an_own_recipe_has_the_usual_away_signs_but_for_what_it_calls_ready():
    mine = replace(COMFREY, away=None, away_words="", ready={"smell": ("foul",)})
    assert mine.away_signs == {"mould": ("coloured",), "slime": ("yes",)}
    assert replace(mine, ready=None).away_signs == {"mould": ("coloured",), "slime": ("yes",), "smell": ("foul",)}
    assert replace(mine, hours=(0.0, 0.0), ready=None).away_signs == {}, "what does not brew does not spoil here"
    assert mine.told_away == "coloured mould, slime"


def test_a_strange_look_is_refused_with_what_there_is():
    with pytest.raises(BatchError, match="choose none, light, thick"):
        rule(YEAST, {"foam": "purple"}, 1)


def test_warmth_moves_the_window_by_q10_and_stands_where_nothing_brews():
    coolest, warmest = COMFREY.temperature
    assert [speed(COMFREY, degrees) for degrees in (coolest, 20, warmest)] == [1, 1, 1], "the recipe's own hours"
    assert speed(COMFREY, warmest + 10) == pytest.approx(2)
    assert [speed(COMFREY, degrees) > 0 for degrees in (4.9, 5.0, 45.0, 45.1)] == [False, True, True, False]
    warm, cold = brew(COMFREY, look(0, warmest + 10)), brew(COMFREY, look(24, coolest - 10))
    assert brewed_hours(warm, at(48)) == pytest.approx(96)
    assert brewed_hours(cold, at(48)) == pytest.approx(24), "the first look speaks for the hours before it"
    assert ready_window(brew(COMFREY))[0] == at(COMFREY.hours[0])
    assert ready_window(warm)[0] == at(COMFREY.hours[0] / 2)
    assert ready_window(cold)[0] == at(2 * COMFREY.hours[0])
    assert ready_window(brew(COMFREY, look(0, 3.0))) is None, "never, while it stands so cold"
    assert wants(brew(COMFREY, look(0, 3.0)), at(9)).words == "Bring it into the warm: it does not brew now"
    cooled = brew(COMFREY, look(0, warmest), (10, "put cool"), look(20, coolest))
    assert brewed_hours(cooled, at(30)) == pytest.approx(20), "ten hours in the fridge do not count"
    assert brewed_hours(brew(COMFREY, (10, "put cool")), at(30)) == pytest.approx(10), "the fridge tells nothing before"
    with pytest.raises(QuantityError, match="5000 °C doesn’t fit"):
        speed(COMFREY, 5000)


@given(st.lists(st.tuples(st.integers(0, 400), st.floats(0, 50)), max_size=6), st.integers(0, 400), st.integers(0, 100))
def test_a_brew_never_grows_younger(found, hours, more):
    logged = brew(FERMENT, look(0, 20.0), *(look(h, t) for h, t in found))
    assert 0 <= brewed_hours(logged, at(hours)) <= brewed_hours(logged, at(hours + more)) + 1e-6


events_of = st.lists(
    st.one_of(
        st.tuples(st.integers(0, 400), st.just("stirred")),
        st.builds(look, st.integers(0, 400), st.sampled_from([None, 3.0, 20.0, 27.0]),
                  smell=st.sampled_from(["sweet", "foul"]), foam=st.sampled_from(["light", "none"])),
        st.tuples(st.integers(0, 400), st.just("taken from"), st.just({"litres": 0.4})),
        st.tuples(st.integers(0, 400), st.just("strained"), st.just({"litres": 3.0})),
    ),
    max_size=7,
)  # fmt: skip


@given(events_of, st.integers(0, 800), st.integers(0, 200))
def test_nothing_that_is_still_to_come_speaks_now(rows, hours, more):
    """How a batch stands follows from what had happened by then; what is bad stays bad; no litre appears."""
    made, now, later = brew(FERMENT, *rows), at(hours), at(hours + more)
    known = brew(FERMENT, *(row for row in rows if row[0] <= hours))
    assert standing(made, now) == standing(known, now)
    if state(made, now) == "throw away":
        assert state(made, later) in ("throw away", "used up")
    assert 0 <= left(made.until(later)) <= left(made.until(now)) <= 5


def test_the_life_of_a_batch():
    set_out = brew(FERMENT, what="water set out")
    assert state(set_out, at(2)) == state(set_out, at(200)) == "standing"
    assert wants(set_out, at(2)).at == at(24)
    assert [wants(set_out, at(h)).urgent for h in (23.9, 24)] == [False, True]
    brewing = brew(FERMENT)
    assert state(brewing, at(5)) == "brewing"
    assert wants(brewing, at(5)).words == "Stir it"
    assert wants(brewing, at(25)).urgent
    assert not wants(brew(FERMENT, (20, "stirred")), at(25)).urgent
    assert wants(brewing, at(121)).words.startswith("Check it")
    good = look(125, 27, smell="sweet", foam="light")
    ready = brew(FERMENT, good)
    assert state(ready, at(126)) == "ready"
    assert wants(ready, at(126)).words == "Strain it"
    strained = brew(FERMENT, good, (127, "strained"))
    assert state(strained, at(128)) == "strained"
    assert use_by(strained) == at(125 + 168).replace(hour=23, minute=59, second=59)
    assert state(strained, at(125 + 200)) == "too old"
    assert state(brew(FERMENT, good, (130, "taken from", {"litres": 5})), at(131)) == "used up"
    assert state(brew(FERMENT, good, (130, "thrown away")), at(131)) == "thrown away"
    assert state(brew(ALL["diluted-whey"]), at(1)) == "ready", "what needs no time is ready at once"
    early = standing(brew(FERMENT, (5, "strained"), good), at(6))
    assert early == Standing("brewing", "It was strained before it was ready, so it isn’t what the recipe intends.")


@pytest.mark.parametrize(
    ("named", "rows", "until"),
    [
        ("mixed", [], T0 + timedelta(hours=24)),
        ("ready", [], T0 + timedelta(hours=24.4)),
        ("strained", [], T0 + timedelta(hours=24.4)),
        ("strained", [(2, "strained")], T0 + timedelta(hours=26)),
        ("air off", [], T0 + timedelta(hours=6.5)),  # as long as its signs can be trusted
        ("air off", [(0.2, "air off")], T0 + timedelta(hours=24.4)),
        ("air off", [(3, "air off")], T0 + timedelta(hours=27)),
        ("air off", [(3, "air off"), (4, "air on")], T0 + timedelta(hours=6.5)),
        ("air off", [(3, "air off"), (27.1, "air on")], T0 + timedelta(hours=27)),  # air revives nothing
        ("air off", [(3, "strained"), (4, "air on")], T0 + timedelta(hours=27)),  # straining ends the air
    ],
)
def test_keeping_runs_from_the_event_that_the_recipe_names(named, rows, until):
    found = brew(replace(YEAST, keeps_from=named), look(0.4, foam="light"), *rows)
    assert use_by(found) == until


def test_every_event_can_be_put_right_and_what_hangs_on_it_is_told():
    made = brew(FERMENT, look(125, 27, smell="foul"), (126, "taken from", {"litres": 2.0}))
    made = replace(made, events=tuple(replace(each, id=n) for n, each in enumerate(made.events, 1)))
    assert state(made, at(130)) == "throw away"
    slip = replace(made.events[1], seen={"smell": "sweet", "foam": "light"})
    assert state(corrected(made, 2, slip, at(130)), at(130)) == "ready", "a wrong look"
    assert state(corrected(made, 2, None, at(130)), at(130)) == "brewing", "it never was"
    night = replace(made.events[0], at=at(-10))
    assert brewed_hours(corrected(made, 1, night, at(130)), at(100)) == pytest.approx(110), "brewed last night"
    for number, new, why in (
        (1, None, "It can’t be looked at then: its ingredients have not met yet."),
        (1, replace(night, at=at(125.5)), "It can’t be looked at then: "),
        (2, replace(slip, at=at(131)), "that moment is still to come"),
        (2, replace(slip, seen={"smell": "blue"}), "“blue” is no smell"),
        (3, None, "What a pour took is corrected where the pour is on record."),
        (9, None, "There is no such event any more"),
    ):
        with pytest.raises(BatchError, match=why):
            corrected(made, number, new, at(130))
    thrown = brew(FERMENT, (50, "thrown away", {"note": "the wrong bucket", "id": 7}))
    assert state(corrected(thrown, 7, None, at(60)), at(60)) == "brewing", "thrown away by mistake"


@pytest.mark.parametrize(
    ("litres", "fits"), [(1.9, False), (1.91, True), (5000.0, True), (0.0, False), (10_001, False)]
)
def test_a_batch_held_at_least_what_was_taken(litres, fits):
    made = brew(FERMENT, (1, "taken from", {"litres": 2.0}))
    if fits:
        assert left(resized(made, litres)) == pytest.approx(max(0.0, litres - 2.0))
        return
    with pytest.raises(BatchError, match=r"held at least that much|holds more than 0"):
        resized(made, litres)


def test_what_can_be_poured_and_what_needs_an_override():
    good = look(125, 27, smell="sweet", foam="light")
    assert why_not_pour(brew(FERMENT, good), at(126)) == ""
    assert "not ready yet" in why_not_pour(brew(FERMENT), at(50))
    assert "it kept until" in why_not_pour(brew(FERMENT, good), at(400))
    foul = brew(FERMENT, look(130, 27, smell="foul"))
    assert why_not_pour(foul, at(131)).startswith("Throw it away. Foul smell: ")
    assert wants(foul, at(131)).words == "Throw it away"
    assert "thrown away: mouse" in why_not_pour(brew(FERMENT, (2, "thrown away", {"note": "mouse"})), at(3))
    with pytest.raises(BatchError, match="has not begun by then"):
        why_not_pour(brew(FERMENT), at(-3))


def test_no_foam_leads_to_the_yeast_test():
    assert "the yeast is dead" in dead_yeast(brew(YEAST, look(0.4, 35, foam="none")))
    assert dead_yeast(brew(YEAST, look(0.4, 35, foam="light"))) == ""
    assert dead_yeast(brew(COMFREY, look(1, 20, foam="none"))) == ""


# --- Back-scheduling ----------------------------------------------------------------------------------------


def pour(day, trial=1, litres=1.0, **more):
    at_five = T0 + timedelta(days=day, hours=9)  # in the late afternoon
    return Pouring(trial, f"trial {trial}", "A", at_five, litres, day, id=day, **more)


def test_one_batch_serves_both_trials_while_it_keeps():
    needs = [(FERMENT, pour(0, 1, 0.5)), (FERMENT, pour(7, 2, 0.7)), (FERMENT, pour(14, 1, 0.5))]
    first, second = back_schedule(needs)
    assert first.trials == ("trial 1", "trial 2")
    assert first.litres == pytest.approx(1.2 / 0.92), "a share stays in the cloth"
    assert first.ready == pour(0).at - timedelta(hours=9), "ready in the morning"
    assert (first.ready_from, first.ready) == tuple(first.start + timedelta(hours=h) for h in FERMENT.hours)
    assert first.stand == first.start - timedelta(hours=24)
    assert first.until == T0.replace(day=8, hour=23, minute=59, second=59)
    assert second.serves == (needs[2][1],)
    assert back_schedule(needs, stands=False)[0].stand is None


def test_fresh_for_each_pour_and_two_side_by_side():
    fresh = back_schedule([(FERMENT, pour(day, sharing="fresh")) for day in (0, 3)])
    assert [len(made.serves) for made in fresh] == [1, 1]
    both = back_schedule([(FERMENT, pour(day, litres=4.6, sharing="parallel")) for day in (0, 3)])
    assert [(made.side, made.litres) for made in both] == [(1, pytest.approx(2.5)), (2, pytest.approx(2.5))] * 2
    told = [job.words for job in jobs(both[0], T0 - timedelta(days=30)) if job.kind == "start"]
    assert told == ["Start unrefined-sugar ferment, 2.5 L (first of two side by side)"]
    apart = [(FERMENT, pour(0, 1)), (FERMENT, pour(0, 2, sharing="fresh"))]
    assert len(back_schedule(apart)) == 2, "who wants it fresh shares with nobody"


@pytest.mark.parametrize(
    ("key", "wanted", "brewed"),
    [
        ("sugar-ferment", 0.46, 0.5),  # 8 in 100 stay in the cloth
        ("sugar-ferment", 0.2, 0.5),  # less is no brew
        ("yeast-starter", 0.2, 0.5),
        ("yeast-starter", 0.6, 0.6),  # nothing to strain
        ("diluted-whey", 0.05, 0.05),  # taken as it comes
        ("sugar-woken-compost", 0.2, 0.2),
    ],
)
def test_how_much_is_brewed_for_so_much_to_be_poured(key, wanted, brewed):
    assert to_brew(ALL[key], wanted) == pytest.approx(brewed)
    assert to_brew(replace(ALL[key], least=2.0), 0.1) == (2.0 if ALL[key].brews else 0.1)


@pytest.mark.parametrize(
    ("key", "hours"), [("sugar-ferment", 9), ("greens-sugar-juice", 6), ("aerated-compost-brew", 1),
                       ("yeast-starter", 0.0625), ("diluted-whey", 0)],
)  # fmt: skip
def test_a_brew_is_ready_a_while_before_its_pour(key, hours):
    assert margin(ALL[key]) == timedelta(hours=hours)


@given(st.lists(st.integers(0, 40), min_size=1, max_size=9), st.sampled_from(["sugar-ferment", "yeast-starter"]))
def test_no_plan_with_fewer_batches_exists(pour_days, key):
    recipe = ALL[key]
    planned = back_schedule([(recipe, pour(day)) for day in pour_days])
    served = sorted(each.at for made in planned for each in made.serves)
    assert served == sorted(pour(day).at for day in pour_days), "each pour once"
    for made in planned:
        assert all(made.ready <= each.at <= made.until for each in made.serves)

    def serves(start, day):
        return day >= start and pour(day).at <= keeps_until(recipe, pour(start).at - margin(recipe))

    days = sorted(set(pour_days))
    few = next(
        n
        for n in range(1, len(days) + 1)
        if any(all(any(serves(start, day) for start in starts) for day in days) for starts in combinations(days, n))
    )
    assert len(planned) == few


def test_errands_come_in_order_and_past_ones_fall_away():
    (made,) = back_schedule([(FERMENT, pour(10))])
    found = jobs(made, T0 - timedelta(days=30))
    assert [job.kind for job in found] == ["stand", "start", *["stir"] * 6, "strain"]
    assert [job.at for job in found] == sorted(job.at for job in found)
    assert len({job.key for job in found}) == len(found)
    assert found[1].words == "Start unrefined-sugar ferment, 1.1 L"
    assert [job.kind for job in jobs(made, made.ready)] == ["strain"]
    (quick,) = back_schedule([(ALL["diluted-whey"], pour(3))])
    assert jobs(quick, T0) == [], "whey is mixed at the pour"
    moved = jobs(back_schedule([(FERMENT, replace(pour(10), at=pour(12).at, day=12))])[0], T0)
    assert [job.key for job in moved] == [job.key for job in found], "in a calendar they move, and are no new ones"


def test_a_pour_that_no_brew_can_meet_is_one_errand():
    """The ferment takes five days at least: started now it is ready on day 5 at the soonest."""
    planned = back_schedule([(FERMENT, pour(2)), (FERMENT, pour(9))], now=T0)
    (made,) = planned
    assert (made.stand, made.start, made.ready_from) == (None, T0, at(120)), "water that has not stood delays nothing"
    assert [each.day for each in made.late] == [2]
    (job,) = jobs(made, T0)
    assert job.kind == "late"
    assert job.words == "The pour on Sun 3 May will be late"
    assert job.more == (
        "Start now: unrefined-sugar ferment, 2.2 L. It should be ready between Wed 6 May and Fri 8 May."
    )
    assert (job.late, job.ready_on) == ((pour(2),), date(2026, 5, 7))
    (soon,) = back_schedule([(FERMENT, pour(5))], now=at(15))
    assert soon.ready_from > pour(5).at
    assert soon.late == (), "it is late when its day is over, and no hour before"
    (start,) = jobs(soon, T0)
    assert (start.kind, start.more) == (
        "start", "Start it now, and it should be ready between Wed 6 May and Fri 8 May.",
    )  # fmt: skip
    assert [made.late for made in back_schedule([(FERMENT, pour(5))], now=at(16))] == [(pour(5),)]
    (easy,) = back_schedule([(FERMENT, pour(9))], now=T0)
    assert not easy.hurried
    (whey,) = back_schedule([(ALL["diluted-whey"], pour(0))], now=at(10))
    assert (whey.late, whey.hurried) == ((), False), "what needs no brewing is never missing"


def test_what_runs_on_the_shelf_is_told_until_its_last_day():
    serves = [pour(6)]
    kinds = lambda made, now, until=400: [(job.kind, job.at) for job in on_the_shelf(made, serves, now, at(until))]  # noqa: E731
    assert kinds(brew(FERMENT, what="water set out"), at(1)) == [("mix", at(24))]
    stirs = [("stir", at(hours)) for hours in (24, 48, 72, 96)]
    assert kinds(brew(FERMENT), at(1)) == [*stirs, ("check", at(120))]
    assert kinds(brew(FERMENT), at(1), until=60) == stirs[:2]
    good = look(125, 27, smell="sweet", foam="light")
    assert kinds(brew(FERMENT, good), at(126)) == [("strain", at(126))]
    last = at(125 + 168).replace(hour=23, minute=59, second=59)
    assert kinds(brew(FERMENT, good, (127, "strained")), at(128)) == [("use by", last)]
    assert kinds(brew(FERMENT, look(9, smell="foul")), at(10)) == [("throw away", at(10))]
    assert kinds(brew(FERMENT, (9, "thrown away")), at(10)) == []
    stirred = on_the_shelf(brew(FERMENT, (26, "stirred")), [], at(30), at(90))
    assert [job.key for job in stirred] == ["stir-2-batch-1", "stir-3-batch-1"]
    late = on_the_shelf(brew(FERMENT, name="Second"), [pour(2)], at(1), at(400))[0]
    assert (late.kind, late.batch_id) == ("late", 1)
    assert late.more == "Wait for unrefined-sugar ferment “Second”. It should be ready between Wed 6 May and Fri 8 May."


def test_water_for_brew_dilution_and_control_stands_in_time():
    fed = [(pour(2, 1, water=9.0), False), (pour(2, 2, water=4.5), False), (pour(2, 1, water=9.5), True)]
    (found,) = water_to_stand([*fed, (pour(3), False)])
    assert (found.at, found.dilution, found.control, found.litres) == (pour(1).at, 13.5, 9.5, 23.0)
    (job,) = standing_water([found], T0)
    assert job.words == "Set out 23 L of tap water for trial 1 and trial 2"
    assert job.more == "13.5 L for diluting and 9.5 L for the control units."
    assert standing_water([found], pour(1).at + timedelta(seconds=1)) == []


@pytest.mark.parametrize(
    ("key", "looked", "serves", "due"),
    [
        ("sugar-ferment", [], [], 120),
        ("sugar-ferment", [], [8, 14], 168),  # to last for both it is looked at as late as its time allows
        ("comfrey-steep", [], [30], 240),
        ("sugar-ferment", [look(121, 27, smell="none")], [], 133),  # a quarter of its span after a “not yet”
        ("stale-bread-steep", [look(167, 20, smell="none")], [7], 177),  # once more before it is poured
        ("seaweed-steep", [look(337, 20, smell="foul")], [], None),
        ("seaweed-steep", [look(337, 20, colour="pale")], [], 361),  # a day later at most
        ("yeast-starter", [look(0.3, 35, foam="none")], [], 0.55),
    ],
)
def test_when_a_brew_is_looked_at(key, looked, serves, due):
    made = brew(ALL[key], *looked)
    now = at(looked[-1][0] + 0.01 if looked else 0.01)
    found = [job.at for job in on_the_shelf(made, [pour(day) for day in serves], now, at(2000)) if job.kind == "check"]
    assert found == ([] if due is None else [at(due)])
    if due is not None and not serves:
        checks = [wants(made, at(hours)).words.startswith("Check it") for hours in (due - 0.01, due)]
        assert checks == [False, True]


def test_what_lives_on_air_is_strained_at_its_pour():
    brew_of_air = brew(ALL["aerated-compost-brew"], (0.1, "air on"), look(25, 20, smell="earthy"))
    (strain,) = on_the_shelf(brew_of_air, [pour(2)], at(26), at(400))
    assert (strain.kind, strain.at) == ("strain", pour(2).at - timedelta(hours=1))
    assert wants(brew_of_air, at(26)).words == "Let the air run, and strain it just before you pour"


def test_plain_waterings_come_between_two_pours_where_a_recipe_wants_them():
    extract = ALL["compost-extract"]
    found = plain_waterings([(extract, pour(8)), (extract, pour(0)), (FERMENT, pour(3)), (FERMENT, pour(9))], T0)
    assert [(job.at, job.kind, job.key) for job in found] == [(pour(4).at, "water", f"between-1-{pour(0).id}")]
    assert "the same to every unit: trial 1" in found[0].words
    assert plain_waterings([(extract, pour(0))], T0) == []


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


def test_days_are_gathered_from_hours_or_told_whole():
    told = [Day(T0.date(), 1.0, 2.0, 3.0), Day(T0.date() + timedelta(days=1), 4.0, 9.0, 2.5)]
    assert days(hours_of(10, 0.5), told) == [
        Day(T0.date(), 10, 10, 8.0),
        Day(T0.date() + timedelta(days=1), 10, 10, 4.0),
    ]
    assert days([], told) == told


def test_phases_go_by_the_place_and_the_season():
    poor, cool = Ground(poor=True), Ground(cool=True)
    assert [FERMENT.fewest_days(day, poor) for day in (0, 27, 28, 100)] == [7, 7, 14, 14]
    assert [FERMENT.fewest_days(day) for day in (0, 27, 28)] == [14, 14, 14], "not poor: no weekly month"
    grounds = ALL["grounds-rice-water"]
    assert (grounds.fewest_days(5, cool), grounds.fewest_days(5)) == (28, 14)
    month = {"recipe": FERMENT, "at": T0, "last_on": date(2026, 4, 23), "weather": Weather()}
    assert on_pour(**month, day=14, ground=poor) == []
    assert on_pour(**month, day=14)[0].text.startswith(
        "Only 8 days since the last pour; unrefined-sugar ferment wants 14"
    )
    assert [len(on_pour(**month, day=14, accepted=days)) for days in (8.0, 9.0, None)] == [0, 1, 1], "told at planning"
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
        assert all(each.at <= there.until for each in served)
        assert sum(each.litres for each in served[:-1]) <= there.litres
    planned = back_schedule(left)
    assert sum(len(made.serves) for made in planned) == len(left)


def test_stock_is_what_can_still_be_poured():
    good = look(125, 27, smell="sweet", foam="light")
    ready = stock_of(brew(FERMENT, good), at(126))
    until = at(125 + 168).replace(hour=23, minute=59, second=59)
    assert (ready.ready, ready.until, ready.litres) == (at(125), until, 5.0)
    brewing = stock_of(brew(FERMENT), at(24))
    assert brewing.ready == at(168), "at the latest, by its clock"
    assert stock_of(brew(FERMENT, look(170, 27, smell="none")), at(180)).ready == at(180), "looked at, and not yet"
    set_out = stock_of(brew(FERMENT, what="water set out"), at(2))
    assert set_out.ready == at(24 + 168), "mixed when its water has stood"
    cold = Warmth(measured={"sugar-ferment": 12.0})
    assert stock_of(brew(FERMENT, what="water set out"), at(2), cold).ready == at(24 + 2 * 168)
    air = stock_of(brew(ALL["aerated-compost-brew"]), at(2))
    assert (air.ready, air.until) == (at(48), at(144)), "while the air runs it waits for its pour"
    assert stock_of(brew(FERMENT, (1, "thrown away")), at(2)) is None
    assert stock_of(brew(FERMENT, look(130, 27, smell="foul")), at(131)) is None
    assert stock_of(brew(FERMENT, good), at(500)) is None, "too old"


def test_what_is_under_way_covers_its_pour():
    """Started as told, in time or too late: no card asks for what is under way."""
    late = [(FERMENT, pour(0))]
    slow = Stock(1, "sugar-ferment", at(121), at(240), 2.0)
    assert served_by(late, [slow], T0) == ({1: [late[0][1]]}, []), "nobody starts a second one"
    assert served_by([(FERMENT, pour(11))], [slow], T0)[0] == {}, "it does not keep so long"
    assert served_by([(FERMENT, pour(6, litres=2.2))], [slow], T0)[0] == {}, "it holds too little"
    older = Stock(2, "sugar-ferment", at(20), at(240), 2.0)
    assert served_by([(FERMENT, pour(6))], [slow, older], T0)[0] == {2: [pour(6)]}, "the oldest first"


def test_a_fresh_brew_serves_one_day_and_two_side_by_side_serve_one_pour():
    one, two = (Stock(n, "sugar-ferment", at(0), at(400), 5.0) for n in (1, 2))
    fresh = [(FERMENT, pour(day, sharing="fresh")) for day in (1, 3)]
    assert served_by(fresh, [one, two], T0)[0] == {1: [fresh[0][1]], 2: [fresh[1][1]]}
    used = replace(one, poured_on=frozenset({T0.date()}))
    assert served_by(fresh, [used], T0)[0] == {}, "something was taken from it on another day"
    side = [(FERMENT, pour(1, litres=4.0, sharing="parallel"))]
    assert served_by(side, [one, two], T0)[0] == {1: [side[0][1]], 2: [side[0][1]]}
    assert served_by(side, [one], T0)[0] == {}


@given(st.floats(0.001, 3), st.floats(0.05, 400))
def test_the_clock_of_a_brew_is_linear_while_it_is_as_warm(pace_days, hours):
    brewing = brew(COMFREY, look(0, 18.0))
    one, two = brewed_hours(brewing, at(hours)), brewed_hours(brewing, at(2 * hours))
    assert two == pytest.approx(2 * one)
    window = ready_window(brewing.until(at(pace_days)))
    assert brewed_hours(brewing, window[0]) == pytest.approx(COMFREY.hours[0])
    assert brewed_hours(brewing, window[1]) == pytest.approx(COMFREY.hours[1])
