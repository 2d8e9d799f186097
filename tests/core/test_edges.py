"""Thresholds at their edge, both sides of a rule, and the whole sentence that is shown."""

import math
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from types import SimpleNamespace

import numpy as np
import pytest
from scipy import stats

from eproba.core.applying.at_the_pour import Counsel, on_pour, on_soil
from eproba.core.brewing.batches import state, wants, why_not_pour
from eproba.core.brewing.clock import AWAY, Ruled, keeps_until, rule, use_by
from eproba.core.brewing.kitchen import Kit, measured
from eproba.core.brewing.recipe import Portion, seen_words
from eproba.core.brewing.weather import Day, Hour, Weather, rain_ahead, rain_fallen, temperature_now
from eproba.core.catalogue import ingredients, recipes
from eproba.core.catalogue import measures as measures_of
from eproba.core.errors import EprobaError
from eproba.core.judging import departures, trust
from eproba.core.judging.applications import applications
from eproba.core.judging.judge import judge
from eproba.core.judging.judgement import Comparison, GapFigures
from eproba.core.judging.lost import loss_lines, losses_of
from eproba.core.judging.trust_line import Circumstances
from eproba.core.judging.verdicts import verdict_of
from eproba.core.planning.advice import on_germs, on_intervals
from eproba.core.planning.draft import RulesPart
from eproba.core.quantities import AMBIGUOUS, celsius, in_base
from eproba.core.stats.series import CannotJudge, Question, UnitValue, check, design_of
from eproba.core.trial.days import DaysError, checked_rounds, on_weekdays
from eproba.core.trial.declaration import declare
from eproba.core.trial.doses import Dose, DoseError, amount, exceptions, given_on
from eproba.core.trial.ground import Cut, borders, row_of, site_from
from eproba.core.trial.model import Amendment
from eproba.core.trial.moving import MoveError, move
from eproba.core.trial.readings import Entry
from eproba.core.trial.readings import rule as ruled_reading
from eproba.core.wording.ledger import text_of
from eproba.core.words import figure, lower_first, one_in, parse_date, parse_number
from tests.core.brews import BREWED, brew, look
from tests.core.cases import small_trial

COMFREY, YEAST = recipes()["comfrey-steep"], recipes()["yeast-starter"]
NOON = datetime(2026, 6, 10, 12, tzinfo=UTC)
EVENING = datetime(2026, 6, 10, 18, tzinfo=UTC)


def hours(start, count, temperature=15.0, rain=0.0):
    return [Hour(start + timedelta(hours=n), temperature, rain / count, 60.0) for n in range(count)]


def days_of(end, count, low=8.0, high=20.0, rain=0.0):
    return [Day(end.date() - timedelta(days=n), low, high, rain) for n in range(count)]


def said(at=EVENING, **facts):
    weather = Weather(**{name: facts.pop(name) for name in ("hours", "days", "coming", "foretold") if name in facts})
    usual = {"recipe": None, "day": 3, "last_on": None}
    return [(each.wait, each.text) for each in on_pour(at=at, weather=weather, **{**usual, **facts})]


# --- At the pour ---------------------------------------------------------------------------------------------


def test_the_shortest_interval_is_kept_to_the_day():
    fewest = int(COMFREY.fewest_days(3))
    assert said(recipe=COMFREY, last_on=EVENING.date() - timedelta(days=fewest)) == []
    early = said(recipe=COMFREY, last_on=EVENING.date() - timedelta(days=1))
    text = f"Only 1 day since the last pour; comfrey steep wants {fewest} at least: {COMFREY.interval}."
    assert early == [(True, text)]
    (two,) = said(recipe=COMFREY, last_on=EVENING.date() - timedelta(days=2))
    assert two[1].startswith("Only 2 days since")


@pytest.mark.parametrize(("hour", "told"), [(9, 0), (10, 1), (15, 1), (16, 0)])
def test_from_ten_to_four_is_the_wrong_time_of_day(hour, told):
    found = said(at=EVENING.replace(hour=hour))
    text = "Early morning or late afternoon is better: at noon more evaporates than soaks in, and leaves can scorch."
    assert found == [(False, text)] * told


@pytest.mark.parametrize(
    ("facts", "told"),
    [
        ({"hours": hours(EVENING - timedelta(hours=1), 1, 27.9)}, []),
        ({"hours": hours(EVENING - timedelta(hours=1), 1, 28.0)},
         [(True, "28 °C: heat stresses plants, and warm soil turns sugar airless. Wait for the evening.")]),
        ({"coming": hours(EVENING, 24, 28.0)},
         [(True, "28 °C: heat stresses plants, and warm soil turns sugar airless. Wait for the evening.")]),
        ({"coming": hours(EVENING, 24, 2.1)}, []),
        ({"coming": hours(EVENING, 24, 2.0)},
         [(True, "2 °C expected within a day: wet soil may freeze. Wait for milder nights.")]),
        ({"coming": [*hours(EVENING, 24), *hours(EVENING + timedelta(days=1), 1, -3.0)]}, []),  # after a day
        ({"coming": hours(EVENING, 24, rain=9.9)}, []),
        ({"coming": hours(EVENING, 24, rain=10.01)},
         [(True, "10 mm of rain foretold within a day: it would wash the pour away, or across the border.")]),
        ({"hours": hours(EVENING - timedelta(hours=95), 95)}, []),  # too little is known of the week
        ({"hours": hours(EVENING - timedelta(hours=144), 144, rain=2.01)}, []),
        ({"hours": hours(EVENING - timedelta(hours=119), 119, rain=1.2)},
         [(False, "1 mm of rain in a week: water every unit lightly first, or the pour runs down the cracks.")]),
        ({"hours": hours(EVENING - timedelta(hours=48), 48, rain=24.9)}, []),
        ({"hours": hours(EVENING - timedelta(hours=48), 48, rain=25.01)},
         [(True, "25 mm in two days: waterlogged soil has no air for what you add.")]),
        # whole days are days: a dry week of them is known, heat of days ago is not of now
        ({"days": days_of(EVENING, 7, rain=0.2)},
         [(False, "1 mm of rain in a week: water every unit lightly first, or the pour runs down the cracks.")]),
        ({"days": days_of(EVENING, 5, rain=0.2)}, []),
        ({"days": days_of(EVENING, 2, rain=12.5)},
         [(True, "25 mm in two days: waterlogged soil has no air for what you add.")]),
        ({"hours": hours(EVENING - timedelta(days=6), 1, 35.0)}, []),
        ({"hours": hours(EVENING - timedelta(hours=3), 1, 28.0)},
         [(True, "28 °C: heat stresses plants, and warm soil turns sugar airless. Wait for the evening.")]),
        ({"hours": hours(EVENING - timedelta(hours=3, minutes=1), 1, 28.0)}, []),
        # a forecast that was typed
        ({"foretold": [Day(EVENING.date(), 12.0, 28.0, 0.0)]},
         [(False, "Up to 28 °C expected today: pour in the early morning, or when it has cooled.")]),
        ({"foretold": [Day(EVENING.date() + timedelta(days=1), 2.0, 20.0, 0.0)]},
         [(True, "2 °C expected within a day: wet soil may freeze. Wait for milder nights.")]),
        ({"foretold": [Day(EVENING.date() + timedelta(days=2), -2.0, 20.0, 90.0)]}, []),
        ({"foretold": [Day(EVENING.date(), 12.0, 20.0, 40.0)]},
         [(True, "10 mm of rain foretold within a day: it would wash the pour away, or across the border.")]),
    ],
)  # fmt: skip
def test_what_speaks_against_a_pour_at_its_edge(facts, told):
    assert said(**facts) == told


@pytest.mark.parametrize(
    ("soil", "moisture", "told"),
    [
        (8.0, "moist", []),
        (7.9, "wet", [(False, "Soil at 7.9 °C: what lives in it hardly moves below 8 °C, so little can show.")]),
        (None, "dust-dry", [(False, "Dry soil: water every unit lightly and alike before the pour, the control too.")]),
        (None, "dry", [(False, "Dry soil: water every unit lightly and alike before the pour, the control too.")]),
        (None, "waterlogged", [(True, "Waterlogged: wait until a handful no longer drips.")]),
        (None, "", []),
    ],
)
def test_what_the_soil_says_at_the_pour(soil, moisture, told):
    assert [(each.wait, each.text) for each in on_soil(soil, moisture)] == told


def test_rain_counts_once_and_a_part_of_a_day_as_a_part():
    day = Day(EVENING.date(), 8.0, 20.0, 12.0)
    both = Weather(hours=hours(EVENING - timedelta(hours=4), 4, rain=3.0), days=[day])
    assert rain_fallen(both, EVENING, timedelta(days=1)) == (pytest.approx(3.0), 1), "hours are nearer than their day"
    assert rain_fallen(Weather(days=[day]), EVENING, timedelta(days=1)) == (12.0, 1)
    tomorrow = Day(EVENING.date() + timedelta(days=1), 8.0, 20.0, 8.0)
    assert rain_ahead(Weather(foretold=[day, tomorrow]), EVENING) == pytest.approx(12 / 4 + 8 * 3 / 4)
    assert rain_ahead(Weather(coming=hours(EVENING, 24, rain=5.0), foretold=[day]), EVENING) == pytest.approx(5.0)
    assert temperature_now(Weather(coming=hours(EVENING + timedelta(hours=3), 2, 17.0)), EVENING) == 17.0
    assert temperature_now(Weather(coming=hours(EVENING + timedelta(hours=4), 2, 17.0)), EVENING) is None


def test_a_counsel_is_advice_or_a_reason_to_wait():
    assert Counsel(True, "x") != Counsel(False, "x")


# --- A batch -------------------------------------------------------------------------------------------------


def test_a_ruling_in_its_whole_sentence():
    short, long = COMFREY.hours
    good = {"colour": "dark", "smell": "strong"}
    assert rule(COMFREY, good, 0.9 * short - 0.1) == Ruled(
        "not yet", "It has brewed for 9 days of at least 10 days. Leave it."
    )
    (sign, looks), *_ = COMFREY.away.items()
    bad = rule(COMFREY, {sign: looks[0]}, short)
    assert bad == Ruled(
        AWAY,
        f"{seen_words(sign, looks[0]).capitalize()}: for this recipe a sign to throw it away ({COMFREY.away_words}).",
    )
    assert rule(COMFREY, good, 3 * long) == Ruled("ready", f"As it should be: {COMFREY.ready_words}.")
    old = "It has brewed 63 days: past the time in which its signs can be trusted."
    assert rule(COMFREY, good, 3 * long + 0.1) == Ruled(AWAY, old)
    assert rule(COMFREY, good, short).ruling == "ready"
    told = "Its time has come: look at smell too before it is called ready."
    assert rule(COMFREY, {"colour": "dark"}, short) == Ruled("not yet", told)
    wrong = rule(COMFREY, {"colour": "pale", "smell": "strong"}, short)
    assert wrong == Ruled("not yet", f"Ready would be {COMFREY.ready_words}. {COMFREY.normal_words}")
    assert rule(
        replace(COMFREY, ready_words="", normal_words=""), {"colour": "pale", "smell": "strong"}, short
    ) == Ruled("not yet", "Ready would be dark colour.")
    with pytest.raises(EprobaError) as refused:
        rule(COMFREY, {"smell": "purple"}, short)
    assert str(refused.value).startswith("“purple” is no smell: choose none, earthy, ")


def test_the_end_of_keeping_is_the_last_good_moment():
    quick = brew(recipes()["yeast-starter"], look(0.4, foam="light"))
    until = use_by(quick)
    assert until == BREWED + timedelta(hours=24.4)
    assert state(quick, until) == "ready"
    assert state(quick, until + timedelta(seconds=1)) == "too old"
    told = why_not_pour(quick, until + timedelta(hours=1))
    assert told == "This batch is too old: it kept until 2 May, 08:24."
    assert wants(quick, until + timedelta(hours=1)).words == "Throw it away: too old."


@pytest.mark.parametrize(("hours", "until"), [(47.9, BREWED + timedelta(hours=47.9)),
                                              (48.0, datetime(2026, 5, 3, 23, 59, 59, tzinfo=UTC))])  # fmt: skip
def test_what_keeps_for_two_days_keeps_to_the_end_of_its_last_day(hours, until):
    assert keeps_until(replace(COMFREY, keeps_hours=hours), BREWED) == until
    assert keeps_until(replace(COMFREY, keeps_hours=None), BREWED) is None


@pytest.mark.parametrize(
    ("event", "told", "next_words"),
    [
        ((1, "thrown away", {"note": "mould."}), "This batch was thrown away: mould.", "Nothing more."),
        ((1, "thrown away"), "This batch was thrown away: no reason given.", "Nothing more."),
        ((1, "taken from", {"litres": 4.9}), "This batch is used up.", "Nothing more."),
        (
            (1, "stirred"),
            "This batch is not ready yet: Brewed for 3.1 days of 10 days at least, and nobody has looked yet.",
            "Stir it",
        ),
        (look(74, smell="foul"), f"Throw it away. Foul smell: for this recipe a sign to throw it away "
         f"({COMFREY.away_words}).", "Throw it away"),
    ],
)  # fmt: skip
def test_why_a_batch_is_not_for_pouring(event, told, next_words):
    later = BREWED + timedelta(hours=75)
    assert why_not_pour(brew(COMFREY, event), later) == told
    assert wants(brew(COMFREY, event), later).words == next_words


# --- The kitchen ---------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("key", "amount", "unit", "kit", "text"),
    [
        ("white_sugar", 999, "g", Kit(), "999 g"),
        ("white_sugar", 1000, "g", Kit(), "1 kg"),
        ("white_sugar", 453.592, "g", Kit("US"), "1 lb"),
        ("white_sugar", 450, "g", Kit("US"), "15.9 oz"),
        ("white_sugar", 0.25, "g", Kit(scale_g=0.1), "0.5 g for 2 times as much, of which you use half"),
        ("water", 49, "mL", Kit(), "50 mL"),
        ("water", 50, "mL", Kit(), "50 mL"),
        ("water", 994, "mL", Kit(), "990 mL"),
        ("water", 1.02, "L", Kit(), "1 L"),
        ("water", 10.04, "L", Kit(), "10 L"),
        ("water", 15, "mL", Kit(), "1 tbsp (15 mL)"),
        ("water", 5, "mL", Kit(), "1 tsp (5 mL)"),
        ("water", 7, "mL", Kit(), "½ tbsp (7.5 mL)"),
        ("water", 7, "mL", Kit(syringe_ml=1), "7 mL by syringe"),
        ("water", 0.5, "mL", Kit(), "½ tsp (2.5 mL) for 5 times as much, of which you use a fifth"),
        ("water", 0.5, "mL", Kit(syringe_ml=0.1), "0.5 mL by syringe"),
        ("water", 3.785, "L", Kit("US"), "1 gal"),
        ("water", 240, "mL", Kit("US"), "1 cup"),
        ("water", 118, "mL", Kit("US"), "½ cup"),
        ("water", 90, "mL", Kit("US"), "3 fl oz"),
        ("water", 2, "mL", Kit("US"), "¾ tsp for 2 times as much, of which you use half"),
        ("soft_greens", 1, "handful", Kit(), "1 handful"),
        ("soft_greens", 1.3, "handful", Kit(), "39 g"),
        ("soft_greens", 0.1, "handful", Kit(), "3 g"),
        ("soft_greens", 0.5, "handful", Kit(), "½ handful"),
        ("soft_greens", 10.4, "handful", Kit(), "10 handfuls"),
    ],
)
def test_an_amount_as_the_kit_measures_it(key, amount, unit, kit, text):
    assert measured(Portion(ingredients()[key], amount, unit), kit).text == text


@pytest.mark.parametrize("name", ["scale_g", "spoon_ml", "jug_ml", "can_l"])
@pytest.mark.parametrize("value", [0.0, -1.0, math.inf, math.nan])
def test_a_tool_measures_more_than_nothing(name, value):
    with pytest.raises(EprobaError, match=f"The {name.split('_')[0]} must measure more than 0."):
        Kit(**{name: value})


@pytest.mark.parametrize(
    ("unit", "base"),
    [("kg", 1000), ("mg", 0.001), ("lb", 453.59237), ("oz mass", 28.349523), ("mL", 0.001), ("bucket", 10),
     ("metric cup", 0.25), ("tbsp", 0.015), ("tsp", 0.005), ("US tbsp", 0.01478676), ("US tsp", 0.004928922),
     ("uk gallon", 4.54609), ("us quart", 0.946353), ("uk cup", 0.284131), ("slices", 1)],
)  # fmt: skip
def test_a_unit_is_what_it_is(unit, base):
    assert in_base(1, unit)[0] == pytest.approx(base, rel=1e-5)


@pytest.mark.parametrize("word", AMBIGUOUS)
def test_a_word_that_means_several_things_is_asked_back(word):
    with pytest.raises(EprobaError) as refused:
        in_base(1, word.upper())
    assert str(refused.value) == f"“{word.upper()}” means different things: write {AMBIGUOUS[word]}."
    options = {"cup": 3, "oz": 3, "ounce": 3, "fl oz": 2, "pint": 2, "quart": 1, "gallon": 2}[word.rstrip("s")]
    assert len(AMBIGUOUS[word].split(")")) - 1 == options


@pytest.mark.parametrize(
    ("call", "told"),
    [
        (lambda: in_base(-1, "g"), "-1 g doesn’t fit: an amount is 0 or more."),
        (lambda: in_base(1, "pinch"),
         "“pinch” is no unit known here: write g, kg, mL, L, tsp, tbsp, US cup or metric cup."),
        (lambda: celsius(110.1), "110.1 °C doesn’t fit: give −40 to 110 °C. Was it another unit, or a typing slip?"),
        (lambda: celsius(-40.1), "−40.1 °C doesn’t fit: give −40 to 110 °C. Was it another unit, or a typing slip?"),
        (lambda: parse_number(" 1,234.5 "), "“1,234.5” is not a number; write it like 12.5 or 12,5"),
        (lambda: parse_number("1e999"), "“1e999” is too large"),
        (lambda: parse_date(" nonsense "), "“nonsense” is no date; write it as 2026-05-31"),
        (lambda: parse_date("2026-02-30"), "“2026-02-30” is no date; write it as 2026-05-31"),
        (lambda: parse_date("12/11/2026"), "“12/11/2026” can be read two ways; write it as year-month-day"),
    ],
)  # fmt: skip
def test_what_can_not_be_read_is_said_in_a_whole_sentence(call, told):
    with pytest.raises(EprobaError) as refused:
        call()
    assert str(refused.value) == told


def test_the_ends_of_a_range_fit():
    assert (celsius(-40), celsius(110), in_base(0, "g")[0]) == (-40, 110, 0)
    assert parse_date("12/12/2026") == date(2026, 12, 12)
    assert parse_date("13/12/2026") == parse_date("12/13/2026") == parse_date("13.12.26") == date(2026, 12, 13)
    months = [
        "January",
        "February",
        "March",
        "April",
        "May",
        "June",
        "July",
        "August",
        "September",
        "October",
        "November",
        "December",
    ]
    for number, name in enumerate(months, 1):
        assert parse_date(f"3 {name} 2026") == parse_date(f"3 {name[:3].upper()} 2026") == date(2026, number, 3)


@pytest.mark.parametrize(
    ("p", "words"),
    [(0.995, "nearly always"), (0.994, "99 in 100"), (0.31, "31 in 100"), (0.3, "1 in 3"), (0.0005, "1 in 2000"),
     (0.0004, "1 in 2 000"), (0.000001, "1 in 1 000 000"), (0.0, "never")],
)  # fmt: skip
def test_a_chance_as_gardeners_say_it(p, words):
    assert one_in(p) == words


@pytest.mark.parametrize(
    ("number", "shown"),
    [(0, "0"), (9.99, "10"), (9.94, "9.9"), (1.0, "1.0"), (0.999, "1.0"), (0.99, "0.99"), (0.1, "0.10"),
     (0.099, "0.099"), (-0.04, "−0.040"), (-0.0001, "0"), (-12.4, "−12")],
)  # fmt: skip
def test_a_figure_for_reading(number, shown):
    assert figure(number) == shown


def test_inside_a_sentence_a_name_begins_small():
    names = ("Mum’s tea", "Mum's tea", "7-day rice water", "It’s time")
    assert [lower_first(name) for name in names] == ["Mum’s tea", "Mum's tea", "7-day rice water", "it’s time"]
    assert [lower_first(each) for each in ("Plain water", "pH", "NPK", "A", "")] == [
        "plain water",
        "pH",
        "NPK",
        "A",
        "",
    ]


# --- What can be judged, and what not ------------------------------------------------------------------------


def units(**changes):
    found = [UnitValue(f"u{n}", "Whey" if n % 2 else "Water", 3.0 + n) for n in range(4)]
    return [replace(found[0], **changes), *found[1:]]


@pytest.mark.parametrize(
    ("given", "asked", "told"),
    [
        (units(), {"worth": 0.0}, "The smallest difference worth having must be a number above 0."),
        (units(), {"no_worse": True}, "“No worse” needs a margin: say by how much it may be worse."),
        (units(block="1"), {}, "unit u1 has no block, though others have one; give each unit its block"),
        (units(unit="u1"), {}, "unit u1 stands here a second time; give each unit one line (the mean of its readings)"),
        (units(value=math.inf), {}, "the value of unit u0 is not a finite number"),
        (units(baseline=math.nan), {}, "the baseline of unit u0 is not a finite number"),
        (units(value=1.01e100), {}, "the value of unit u0 is 1.01e+100: differences of such numbers can't be told; "
         "give them in another unit"),
        (units(value=-9.9e-101), {}, "the value of unit u0 is -9.9e-101: differences of such numbers can't be told; "
         "give them in another unit"),
        (units(baseline=1e308), {"scale": "ratio"}, "the baseline of unit u0 is 1e+308: differences of such numbers "
         "can't be told; give them in another unit"),
        (units(value=0.0), {"scale": "ratio"}, "the value of unit u0 is 0; percent need values above 0: correct it, "
         "leave it out if the unit is lost, or compare by differences"),
        (units(), {"control": "Tea"}, "no unit has the control treatment “Tea”; the treatments here are: Water, Whey"),
        ([replace(each, value=None) if each.treatment == "Water" else each for each in units()], {},
         "every unit of the control “Water” is lost"),
        ([each for each in units() if each.treatment == "Water"], {},
         "there is no treatment beside the control to compare"),
    ],
)  # fmt: skip
def test_what_can_not_be_judged_is_said(given, asked, told):
    with pytest.raises(CannotJudge) as refused:
        check(given, Question(**{"control": "Water", "scale": "difference", **asked}))
    assert str(refused.value) == told


def test_numbers_at_the_edge_of_what_can_be_judged_are_judged():
    for value in (1e100, -1e100, 1e-100, 0.0):
        check(units(value=value), Question("Water", "difference"))
    check(units(value=1.7e308), Question("Water", "ratio"))


def test_the_labels_name_the_design():
    plain = units()
    assert design_of(plain[:2]) == "one of each"
    assert design_of(plain) == "completely random"
    assert design_of([replace(each, block="1") for each in plain]) == "blocks"
    assert design_of([replace(each, row="1") for each in plain]) == "blocks"
    assert design_of([replace(each, column="1") for each in plain]) == "blocks"
    assert design_of([replace(each, row="1", column="1") for each in plain]) == "row-column"


# --- Days, doses, ground -------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("days", "told"),
    [
        ([], "The baseline is day 0: without it nobody knows whether the units began alike. Add 0."),
        ([7, 14], "The baseline is day 0: without it nobody knows whether the units began alike. Add 0."),
        ([0, 21], "The decision day 14 comes before the last round on day 21: decide on day 21, or end the rounds with "
         "day 14."),
        ([0, 7], "The last round is on the decision day: add 14, or decide on day 7."),
    ],
)  # fmt: skip
def test_rounds_that_can_not_be(days, told):
    with pytest.raises(DaysError) as refused:
        checked_rounds(days, 14)
    assert str(refused.value) == told


def test_days_move_to_the_nearest_weekday_earlier_if_in_doubt():
    friday = date(2026, 5, 1)
    assert on_weekdays([0, 7, 14], friday, {5}, {0, 14}) == [0, 8, 14], "Saturday is the day after"
    assert on_weekdays([0, 7, 14], friday, {3}, {0, 14}) == [0, 6, 14], "Thursday the day before"
    assert on_weekdays([0, 7, 14], friday, {0}, {0, 14}) == [0, 10, 14], "Monday three days on"
    assert on_weekdays([0, 7, 14], friday, {1}, {0, 14}) == [0, 4, 14], "Tuesday three days back"
    assert on_weekdays([0, 1, 14], friday, {4}, {0, 14}) == [0, 14], "never onto day 0"


@pytest.mark.parametrize(
    ("call", "told"),
    [
        (lambda: amount("3 kg", Dose(1, "mL")), "“3 kg” is no amount: write what each unit got as a number of mL."),
        (lambda: exceptions("P9 1", ["P1", "P2"], Dose(1, "mL")), "P9 is none of its units; they are P1, P2."),
        (lambda: exceptions("p1", ["P1"], Dose(1, "mL")), "P1: say how much it got, e.g. P1 100; 0 for nothing."),
        (lambda: exceptions("P1 1, P1 2", ["P1"], Dose(1, "mL")), "P1 stands there twice; write it once."),
    ],
)
def test_an_amount_that_can_not_be(call, told):
    with pytest.raises(DoseError) as refused:
        call()
    assert str(refused.value) == told


def test_an_application_is_neither_to_come_nor_long_before(catalogue):
    trial = small_trial(catalogue)
    today = trial.start_on + timedelta(days=3)
    assert given_on(trial, today, today) == today
    with pytest.raises(DoseError) as refused:
        given_on(trial, today + timedelta(days=1), today)
    assert str(refused.value).endswith(" is still to come: put an application on record when it is done.")


def place(**changes):
    usual = {"kind": "bed", "name": "Bed", "x_cm": 0, "y_cm": 0, "width_cm": 100, "length_cm": 200}
    return {**usual, **changes}


@pytest.mark.parametrize(
    ("entry", "told"),
    [
        ({}, "Draw at least one place: a bed, a row of pots, a tray, a bench or a lawn patch."),
        ({"places": [place(kind="sea")]}, "Bed: choose bed, lawn, pots, bench or tray."),
        ({"places": [place(width_cm=0.9)]}, "Bed: 0.9 cm doesn’t fit: give 1 cm to 200 m."),
        ({"places": [place(length_cm=20_001)]}, "Bed: 20001 cm doesn’t fit: give 1 cm to 200 m."),
        ({"places": [place(x_cm="x")]}, "Bed: x must be a number of centimetres."),
        ({"places": [place(kind="pots", rows=0)]}, "Bed: 0 × 1 doesn’t fit: give up to 200 in one place."),
        ({"places": [place(kind="pots", rows=201)]}, "Bed: 201 × 1 doesn’t fit: give up to 200 in one place."),
        ({"places": [place(x_cm=150 * n, name=f"B{n}") for n in range(13)]},
         "13 places are too many for one trial; up to 12."),
        ({"places": [place(), place(name="Other", x_cm=99.9)]},
         "Bed and Other lie over each other: move one of them."),
        ({"places": [place()], "gradient": {"kind": "mood"}},
         "The gradient is a slope, a shade side, a wall or something else."),
    ],
)  # fmt: skip
def test_ground_that_can_not_be(entry, told):
    with pytest.raises(EprobaError) as refused:
        site_from(entry)
    assert str(refused.value) == told


def test_ground_at_its_edge():
    edge = site_from({"places": [place(width_cm=1), place(name="Other", x_cm=1.0)], "north": 370})
    assert (len(edge.places), edge.north) == (2, 10)
    assert len(site_from({"places": [place(x_cm=100 * n, name=f"B{n}") for n in range(12)]}).places) == 12
    assert site_from({"places": [place(kind="pots", rows=20, columns=10)]}).places[0].columns == 10
    row = row_of("bed", 30, 40, 10, 2, 3)
    assert (row.name, row.width_cm, row.length_cm) == ("Bed", 110, 90), "no gap at the ends"
    pots = row_of("pots", 30, 40, 10, 2, 3)
    assert (pots.name, pots.width_cm, pots.length_cm) == ("Pots", 120, 100)
    assert [row_of(kind, 1, 1, 0, 1, 1).name for kind in ("tray", "bench", "lawn")] == ["Tray", "Bench", "Lawn"]


def patch(number, x, y=0.0, kind="patch"):
    return Cut(kind, number, 0, 0, number, number, x, y, 100.0, 100.0)


@pytest.mark.parametrize(
    ("gap", "kind", "found"),
    [(0, "patch", (1, 1)), (45.0, "patch", (1, 1)), (45.1, "patch", (0, 0)), (0, "pot", (0, 0)), (0, "cell", (0, 0))],
)
def test_what_crosses_a_border_reaches_one_and_a_half_guards(gap, kind, found):
    beside = [(patch(1, 0, kind=kind), "A"), (patch(2, 100 + gap, kind=kind), "B")]
    assert borders(beside, "B", 30.0) == found
    below = [(patch(1, 0, kind=kind), "A"), (patch(2, 0, 100 + gap, kind=kind), "B")]
    assert borders(below, "B", 30.0) == found
    assert borders([(patch(1, 0), "A"), (patch(2, 100, 100), "B")], "B", 30.0) == (0, 0), "corners do not touch"


# --- What a reading may be -----------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("changes", "told", "field"),
    [
        (
            {"measure": "Tallness"},
            "“Tallness” is no measure of this trial; they are Plant height, Leaf count",
            "measure",
        ),
        ({"replicate": 2}, "Plant height is read once in each unit; this is reading 2", "reading"),
        ({"typed": "a\0"}, "it holds a character that can’t be kept; type it again without it", "value"),
        ({"typed": " "}, "type a value, or skip with a reason", "value"),
        ({"typed": "-1"}, "-1 doesn’t fit: Plant height is 0 or more", "value"),
    ],
)
def test_a_reading_that_is_refused_in_a_whole_sentence(catalogue, changes, told, field):
    trial = small_trial(catalogue, "plant_height")
    usual = Entry(trial.units[0].code, "plant_height", 1, "12", trial.start_on)
    found = ruled_reading(trial, trial.rounds[0], replace(usual, **changes), trial.start_on)
    assert (found.outcome, found.why, found.field) == ("refused", told, field)
    assert ruled_reading(trial, trial.rounds[0], usual, trial.start_on).outcome == "taken"


# --- The ledger ------------------------------------------------------------------------------------------------


def of(values, treatment="A", **more):
    return [UnitValue(f"{treatment}{n}", treatment, value, **more) for n, value in enumerate(values)]


def facts(lines):
    return [(line.rule, line.level, line.says) for line in lines]


@pytest.mark.parametrize(
    ("each", "line"),
    [(1, ("replication", "cap", "one unit")), (2, ("replication", "cap", "two units")),
     (3, ("replication", "caution", "few units")), (4, ("replication", "note", "units"))],
)  # fmt: skip
def test_four_units_are_no_longer_few(each, line):
    """One describes; two beside more show a direction at most, two of each are merely few; of the control, it caps
    all."""
    units, caps = [*of([1.0] * each), *of([1.0] * 9, "B")], {1: ("described", "A"), 2: ("direction", "A")}
    found = trust.sizes({"A": each, "B": 9}, "B", units, [])
    assert facts(found) == [line]
    assert [(one.cap, one.of) for one in found] == [caps.get(each, (None, ""))]
    of_control = trust.sizes({"A": 9, "C": 2, "B": each}, "B", units, [])
    assert [(one.cap, one.of) for one in of_control if one.cap][-1:] == (
        [(caps[each][0], "")] if each in caps else [("direction", "C")]
    )
    assert facts(trust.sizes({"A": 2, "B": 2}, "B", units, [])) == [("replication", "caution", "few units")]


@pytest.mark.parametrize(("lost", "level"), [(1, "note"), (2, "caution")])
def test_a_tenth_may_be_lost(lost, level):
    living = of([1.0] * (10 - lost) + [1.0] * 0)
    found = trust.sizes({"A": 9}, "A", living, of([None] * lost, "B"))[-1]
    assert (found.rule, found.level, found.evidence["units"][0]) == ("lost units", level, "B0 (B)")


@pytest.mark.parametrize(
    ("role", "poured", "line"),
    [("untreated", True, ("caution", "control got nothing")), ("untreated", False, ("note", "control untreated")),
     ("water control", True, ("note", "control got water")), ("reference", True, ("note", "control is another"))],
)  # fmt: skip
def test_what_the_control_got(role, poured, line):
    found = trust.control_kind(Circumstances(role, poured, 3, 0, True, 1))
    assert (found.level, found.says) == line


@pytest.mark.parametrize(("deals", "line"), [(1, ("note", "dealt")), (2, ("caution", "dealt again"))])
def test_lots_that_were_dealt_twice(deals, line):
    found = trust.lots(Circumstances("untreated", True, 3, 0, True, deals))
    assert (found.rule, found.level, found.says) == ("lots", *line)
    assert trust.lots(None).says == "lots not known"
    assert (trust.lots(None, dealt=False).level, trust.lots(None, dealt=False).says) == ("caution", "not dealt")


@pytest.mark.parametrize(
    ("missed", "baseline", "lines"),
    [(0, True, [("note", "all rounds")]), (1, True, [("note", "rounds missed")]),
     (2, True, [("caution", "rounds missed")]), (0, False, [("caution", "no baseline"), ("note", "all rounds")])],
)  # fmt: skip
def test_a_quarter_of_the_rounds_missed_is_much(missed, baseline, lines):
    found = trust.rounds(Circumstances("untreated", True, 8, missed, baseline, 1))
    assert [(line.level, line.says) for line in found] == lines


def begun(shift, others=(0.0, 1.0, 2.0, 3.0, 4.0, 5.0)):
    """Two groups of six: values apart by their number, baselines apart by the shift."""
    return [
        UnitValue(f"{t}{n}", t, 10.0 + n % 3 + (t == "A"), baseline=b + (shift if t == "A" else 0.0))
        for t in "AB"
        for n, b in enumerate(others)
    ]


@pytest.mark.parametrize(
    ("shift", "line"),
    [(2.40, ("note", "began alike")), (2.41, ("caution", "began apart")), (-2.41, ("caution", "began apart")),
     (5.0, ("caution", "began apart")), (5.1, ("cap", "began wholly apart"))],
)  # fmt: skip
def test_groups_began_apart_beyond_what_lots_give_and_wholly_apart_caps(shift, line):
    """F of 4.96 is the 1 in 20 of (1, 10) df: a shift of 2.406 between two groups of SD 1.871."""
    found = [one for one in judge(begun(shift), Question("B")).trust if one.rule == "baseline alike"]
    assert [(one.level, one.says) for one in found] == [line]
    assert found[0].cap == ("described" if line[0] == "cap" else None)
    if line[1] == "began apart":
        ((name, gap),) = found[0].evidence["apart"]
        assert (name, gap) == ("A", pytest.approx(shift / np.std(range(6), ddof=1)))


def test_three_against_three_wholly_apart_is_what_lots_do():
    few = [unit for unit in begun(9.0) if unit.unit[1] in "012"]
    assert not any(line.cap for line in judge(few, Question("B")).trust if line.rule == "baseline alike")


@pytest.mark.parametrize(
    ("lost", "of_control", "told"), [(4, 0, True), (3, 0, False), (4, 1, False), (0, 4, True)],
)  # fmt: skip
def test_losses_are_uneven_by_fisher_s_test(lost, of_control, told):
    """4 of 6 against none: p = 0.061; 3 of 6: 0.18; SciPy says the same."""
    every = [*of([None] * lost + [1.0] * (6 - lost)), *of([None] * of_control + [1.0] * (6 - of_control), "B")]
    losses = losses_of(every, "B")
    theirs = stats.fisher_exact([[6 - lost, lost], [6 - of_control, of_control]]).pvalue
    assert losses["A"].p == losses["A"].p_adjusted == pytest.approx(theirs)
    found = loss_lines(losses, {"A": "cannot_tell"}, no_worse=True)
    assert [(one.level, one.says, one.of) for one in found] == [("caution", "lost unevenly", "A")] * told


@pytest.mark.parametrize(("filled", "level"), [(1, "note"), (2, "note"), (3, "caution")])
def test_a_quarter_of_the_baselines_may_be_filled_in(filled, level):
    (line,) = trust.baseline_gaps(of([1.0] * 8), filled)
    assert (line.level, line.evidence) == (level, {"filled": filled, "units": 8})
    assert trust.baseline_gaps(of([1.0] * 8), 0) == []


@pytest.mark.parametrize(("far", "named"), [(6.7870, []), (6.7872, ["A6"]), (-6.7872, ["A6"])])
def test_far_off_is_further_where_units_are_few(far, named):
    """Median 0, median absolute deviation 1, nine units: (3.8 + 7/9) × 1.4826 = 6.7871."""
    residuals = np.array([-1.0, 1.0, -1.0, 1.0, -1.0, 1.0, far, 0.0, 0.0])
    found = trust.outliers(of([1.0] * 9), residuals)
    assert [line.evidence["units"] for line in found] == ([named] if named else [])
    assert trust.outliers(of([1.0] * 4), np.zeros(4)) == [], "no spread, nobody far off"


@pytest.mark.parametrize("times", [1.0, 2.0, 2.5, 3.0, 6.0])
def test_noise_is_unequal_by_brown_and_forsythe(times):
    calm = np.array([-1.0, 0.5, 1.2, -0.4, 0.9, -1.3])
    found = trust.unequal_noise([*of([1.0] * 6), *of([1.0] * 6, "B")], np.concatenate([calm, times * calm]))
    theirs = stats.levene(calm, times * calm, center="median").pvalue
    assert [line.level for line in found] == ["note"] * int(theirs <= 0.05), "told, without effect"
    if found:
        assert (found[0].evidence["wild"], found[0].evidence["calm"]) == ("B", "A")
        assert found[0].evidence["times"] == pytest.approx(times)
    few = [*of([1.0] * 2), *of([1.0] * 3, "B")]
    assert trust.unequal_noise(few, np.array([1, -1, 9, -9, 9])) == [], "two say little"


def shuffled(best):
    return SimpleNamespace(best_p=best)


def test_what_the_lots_can_reach_at_all():
    assert trust.shuffle_reach([], normal=True) == []
    assert trust.shuffle_reach([shuffled(0.0499)], normal=True) == []
    (line,) = trust.shuffle_reach([shuffled(0.05)], normal=True)
    assert (line.evidence, line.says) == ({"best": 20.0, "comparisons": 1}, "out of reach, model")
    assert trust.shuffle_reach([shuffled(0.01)] * 4, normal=False) == []
    found = trust.shuffle_reach([shuffled(0.0125)] * 4, normal=False)
    assert facts(found) == [("shuffle reach", "note", "out of reach")]


@pytest.mark.parametrize(
    ("model", "shuffle", "best", "told"),
    [(0.049, 0.05, 0.001, True), (0.05, 0.049, 0.001, True), (0.049, 0.049, 0.001, False), (0.05, 0.05, 0.001, False),
     (0.049, 0.06, 0.05, False), (None, 0.06, 0.001, False), (0.049, None, 0.001, False)],
)  # fmt: skip
def test_model_and_shuffle_on_two_sides_of_one_in_twenty(model, shuffle, best, told):
    own = None if model is None else GapFigures(1.0, 9.0, model, 0.0, 1.0, model, 0.0, 1.0)
    compared = Comparison("A", 6, 6, 1.0, own=own, shuffle=shuffled(best), shuffle_p_adjusted=shuffle)
    found = trust.model_and_shuffle(compared, 1)
    assert facts(found) == [("model and shuffle disagree", "caution", "model and shuffle disagree")] * told
    assert trust.model_and_shuffle(replace(compared, shuffle=None), 1) == []


@pytest.mark.parametrize(
    ("interval", "lower", "no_worse", "found"),
    [
        ((1.0, 2.0), False, False, "better"), ((1.01, 2.0), False, False, "better_matters"),
        ((0.0, 0.9), False, False, "same"), ((0.01, 0.99), False, False, "better_trivial"),
        ((0.01, 1.0), False, False, "better"), ((-0.99, 0.99), False, False, "same"),
        ((-1.0, 0.5), False, False, "cannot_tell"), ((-0.5, 1.0), False, False, "cannot_tell"),
        ((-0.99, -0.01), False, False, "worse_trivial"), ((-1.0, -0.01), False, False, "worse"),
        ((-2.0, -1.01), False, False, "worse_matters"), ((-2.0, -1.01), True, False, "better_matters"),
        ((-0.99, 3.0), False, True, "no_worse"), ((-1.0, 3.0), False, True, "cannot_tell"),
        ((0.01, 3.0), False, True, "better"), ((-3.0, 0.99), True, True, "no_worse"),
    ],
)  # fmt: skip
def test_a_verdict_at_its_edges(interval, lower, no_worse, found):
    assert verdict_of(*interval, 1.0, lower, no_worse) == found


def test_without_a_worth_or_an_interval():
    assert verdict_of(0.1, 9.0, None, False) == "better"
    assert verdict_of(-9.0, -0.1, None, False) == "worse"
    assert verdict_of(-0.1, 9.0, None, False) == "cannot_tell"
    assert verdict_of(None, 1.0, 1.0, False) == verdict_of(1.0, None, 1.0, False) == "seen_not_shown"


# --- How it was kept -----------------------------------------------------------------------------------------


def test_how_a_trial_was_kept(catalogue):
    trial = small_trial(catalogue)
    assert facts(departures.declared(trial)) == [("declared", "caution", "never declared")]
    assert facts(departures.batches(trial)) == [("batches", "note", "one batch for all")]
    over = replace(trial, batches=2)
    blocks = len({unit.block for unit in trial.units})
    assert facts(departures.batches(over)) == [("batches", "caution", "batches over blocks")]
    assert facts(departures.batches(replace(trial, batches=blocks))) == [("batches", "note", "a batch for each block")]
    poured = replace(trial, pours=(replace(trial.pours[0], batch=1), *trial.pours[1:]))
    assert departures.batches(poured) == [], "the application log knows better"
    untested = replace(trial, treatments=tuple(replace(each, role="reference") for each in trial.treatments))
    assert departures.batches(untested) == []
    crops = replace(trial, rules=replace(trial.rules, crops=("chard", "pak choi")))
    assert facts(departures.crops(crops)) == [("crops", "note", "crops are blocks")]
    assert departures.crops(replace(trial, rules=replace(trial.rules, crops=("chard",)))) == []
    by_eye = replace(trial.asked[0], measure=catalogue["soil_smell"])
    assert departures.blind(trial, replace(trial.asked[0], measure=catalogue["rod_softness"])) == []
    (line,) = departures.blind(trial, by_eye)
    assert (line.level, line.says, line.evidence) == ("caution", "scored by eye", {"measure": by_eye.measure.name})
    assert facts(departures.blind(replace(trial, blind=True), by_eye)) == [("blind", "note", "tags did not name")]
    ended = replace(trial, ended_on=trial.start_on + timedelta(days=9), ended_reason="hail")
    line = departures.conduct(ended)[0]
    assert (line.level, line.evidence["day"], line.evidence["reason"]) == ("caution", 9, "hail")


@pytest.mark.parametrize(("day", "level"), [(0, "note"), (1, "caution")])
def test_an_amendment_before_the_start_is_a_note(catalogue, day, level):
    trial = small_trial(catalogue)
    change = Amendment(trial.start_on + timedelta(days=day), "worth", "1", "2", "typo", "Ben")
    kept = replace(trial, declared=declare(trial, NOON), amendments=(change,))
    first, second, *_ = departures.declared(kept)
    assert (first.level, first.says, first.evidence["amendments"]) == ("note", "declared", 1)
    assert (second.rule, second.level, second.says, second.evidence["day"]) == ("amendment", level, "amended", day)


# --- Pours of a plan and of a recipe -------------------------------------------------------------------------


def test_the_shortest_interval_is_told_at_planning():
    assert on_intervals("Ferment", (0, 14, 28), (7, 14, 14), "every 2 weeks") == []
    (told,) = on_intervals("Ferment", (0, 7, 14), (7, 7, 14), "every 2 weeks")
    assert (told.weak, told.text) == (
        True, "Ferment: poured again after 7 days, on day 14; its recipe wants 14 at least: every 2 weeks."
    )  # fmt: skip
    assert on_intervals("Ferment", (0,), (7,), "once") == []


@pytest.mark.parametrize(("decision", "told"), [(141, 0), (140, 0), (139, 1), (30, 1)])
def test_raw_manure_and_the_harvest(decision, told):
    found = on_germs("Extract", "raw manure, fish or urine", 20, decision)
    assert len(found) == told
    if told:
        assert "eaten from day 140 on at the soonest, other fruit from day 110" in found[0].text


def test_brews_side_by_side_and_made_otherwise_stand_in_the_ledger():
    trial = small_trial(measures_of())
    first = replace(trial.pours[0], status="poured", batch=3, other_batch=4, otherwise="3 kg of sugar for 1 kg")
    told = [text_of(line) for line in applications(replace(trial, pours=(first,)))]
    name, since = trial.treatment(first.letter).name, first.day
    assert f"What {name} got from day {since} on was made otherwise than its recipe: 3 kg of sugar for 1 kg." in told
    side = f"2 batches of {name} were brewed and dealt to the blocks side by side"
    assert any(line.startswith(side) for line in told)


@pytest.mark.parametrize(
    ("following", "to", "days", "dropped"),
    [
        (False, 3, {0: 3}, 0),
        (True, 3, {0: 3, 7: 10, 14: 17}, 0),
        (True, 15, {0: 15, 7: 22}, 1),
        (True, 14, {0: 14, 7: 21}, 1),
        (True, 27, {0: 27}, 2),
    ],
)
def test_pours_move_alone_or_with_those_after_and_none_beyond_the_decision(following, to, days, dropped):
    trial = poured_weekly()
    found = move(trial, 0, to, following, -1)
    assert {pour.day: found.days[pour.id] for pour in trial.pours if pour.id in found.days} == days
    assert len(found.dropped) == dropped * len({pour.letter for pour in trial.pours})
    assert ("fall away" in found.told[1]) == bool(dropped)


@pytest.mark.parametrize(
    ("day", "to", "today", "why"),
    [
        (0, 7, -1, "There is a pour on day 7 already: move those that follow too"),
        (0, 29, -1, "On day 28 the last readings come before anything is poured: choose a day before it, or skip"),
        (0, 28, -1, "On day 28 the last readings come before anything is poured: choose a day before it, or skip"),
        (7, 3, 4, "Day 3 is over: the soonest is today, day 4."),
        (7, -1, -3, "That day is over: the soonest is day 0."),
        (5, 6, -1, "No pour waits on day 5"),
    ],
)
def test_where_a_pour_can_not_be_moved(day, to, today, why):
    with pytest.raises(MoveError, match=why):
        move(poured_weekly(), day, to, False, today)


def poured_weekly():
    """Both treatments on days 0, 7 and 14 of a trial that decides on day 28."""
    trial = small_trial(measures_of())
    letters = [treatment.letter for treatment in trial.treatments]
    rows = enumerate((letter, day) for day in (0, 7, 14) for letter in letters)
    pours = [replace(trial.pours[0], id=n, letter=letter, day=day, status="due") for n, (letter, day) in rows]
    return replace(trial, pours=tuple(pours), decision_day=28)


def test_what_is_settled_before_sowing_lies_before_the_decision():
    rules = RulesPart(("chard",), 5, 1, 28, 28, "Raked.")
    assert rules.too_late(28) == ""
    assert rules.too_late(27) == "Thinned on day 28, but the trial is decided on day 27: choose an earlier day."
    late = "Replaced up to day 28, but the trial is decided on day 27: choose an earlier day."
    assert replace(rules, thin_on=None).too_late(27) == late
