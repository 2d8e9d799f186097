"""Measures, summaries, numbers as typed, and the simulated garden."""

import math
import re
from dataclasses import asdict

import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.catalogue import calculators, cautions
from eproba.core.errors import EprobaError
from eproba.core.measuring.measures import (
    MeasureError,
    Own,
    by_group,
    measure_from,
    own_measure,
    unit_value,
    value_typed,
)
from eproba.core.practice.garden import Plot, Truth, grow
from eproba.core.stats.summaries import Point, summarise, trapezoid_mean
from eproba.core.words import figure, one_in, parse_number


def test_the_catalogue_holds_what_gardeners_look_at_with_all_that_it_needs(catalogue):
    groups = {group: len(each) for group, each in by_group(catalogue).items()}
    assert groups == {"growth": 22, "soil by hand": 8, "soil measured": 19, "worms": 4, "laboratory": 1}
    for measure in catalogue.values():
        assert measure.how, measure.key
        assert measure.tells, measure.key
        assert measure.cannot_tell, measure.key
        assert 0 < measure.seconds < 900
        assert (measure.reading_cv or measure.reading_sd or measure.kind == "day") is not None, measure.key
        assert set(measure.cautions) <= set(cautions())
        assert set(measure.beside) <= set(catalogue)
    ending = {"fresh_mass", "dry_mass", "root_length", "root_shoot"}
    assert {m.key for m in catalogue.values() if m.destructive} == ending
    assert {m.key for m in catalogue.values() if not m.can_be_first} == {"water_given"}  # fmt: skip
    assert {m.calculator.key for m in catalogue.values() if m.calculator} == set(calculators()) - {
        "slurry", "jar", "coming-up", "worms",
    }  # fmt: skip
    assert all(len(text) > 20 for text in cautions().values())


def test_luck_alone_lets_seeds_come(catalogue):
    seeds = catalogue["seeds_up"]
    assert seeds.noise_on("difference", 25) == pytest.approx(100 * math.hypot(0.1, 0.1))
    assert seeds.noise_on("difference") == pytest.approx(10)


@pytest.mark.parametrize(
    ("key", "typed", "value"),
    [
        ("soil_smell", "3", 3), ("soil_smell", "faintly of woods", 3), ("nitrogen_kit", "n2", 2),
        ("nitrogen_kit", "N2 Adequate", 2), ("first_seedling", "yes", 1), ("first_seedling", "Not yet", 0),
        ("plant_height", "12,5", 12.5), ("water_weighed", "0.25", 0.25),
        ("water_weighed", "wet_g=182.4 dry_g=151.9 tin_g=31.2", 0.252693),
        ("dry_down", "days=3;5 values=6,2;3,5 mark=4", 4.62963), ("dug_worms", "surface=3 deep_dwellers=1", 4),
        ("dug_worms", "7", 7),
    ],
)  # fmt: skip
def test_what_is_typed_for_each_kind(catalogue, key, typed, value):
    assert value_typed(catalogue[key], typed) == pytest.approx(value, abs=1e-5)


@pytest.mark.parametrize(
    ("key", "typed", "said"),
    [
        ("soil_smell", "of woods", "is not a number"),
        ("plant_height", "yes", "is not a number"),
        ("water_weighed", "wet_g=96 dry_g=182", "dry is heavier than wet"),
        ("dug_worms", "surface=3 blue=1", "“blue” is no class of dug worms: they are surface, topsoil, deep_dwellers"),
        ("dug_worms", "surface=2.5", "2.5 doesn’t fit: each class is a whole number, 0 or more"),
        ("dug_worms", "surface=-1", "-1 doesn’t fit"),
        ("water_weighed", "wet_g=96 dry", "is no list of inputs"),
        ("dry_down", "days=3;5 values=6;5 mark=4", "these inputs give no number: skip the unit, and say why"),
    ],
)
def test_what_is_none_of_it_is_told(catalogue, key, typed, said):
    with pytest.raises(EprobaError, match=re.escape(said)):
        value_typed(catalogue[key], typed)


def test_an_own_measure_of_every_kind():
    score = own_measure("k", "Vigour", "", 0, 9, 2, "higher", "ratio", "", Own("score", ("weak", "fair", "strong")))
    assert (score.low, score.high, score.decimals, score.scale, score.unit) == (0, 2, 0, "difference", "levels")
    day = own_measure("k", "First fruit", "days", 0, 90, 0, "lower", "difference", "", Own("day", noise=3.0))
    assert (day.noise, day.more) == (3.0, "came {gap} later with first fruit")
    yes = own_measure("k", "Bolted", "of units", 0, 1, 0, "lower", "difference", "", Own("yes or no"))
    assert (yes.judged_unit, yes.noise) == ("percentage points", 50)
    with pytest.raises(MeasureError, match="needs its levels"):
        own_measure("k", "Vigour", "", 0, 9, 0, "higher", "difference", "", Own("class", ("one",)))


def entry(catalogue, **changes):
    fields = asdict(catalogue["plant_height"])
    del fields["key"], fields["noise_sd"], fields["calculator"]
    return {**fields, **changes}


@pytest.mark.parametrize(
    ("changes", "complaint"),
    [
        ({"colour": "red"}, "unknown key colour"),
        ({"kind": "guess"}, "kind can’t be 'guess': input should be"),
        ({"low": 300}, "from a lower to a higher"),
        ({"kind": "count"}, "percent need a quantity"),
        ({"noise_sd": 1.0}, "either as noise_cv or as noise_sd"),
        ({"more": "grew taller"}, "{gap}"),
        ({"levels": ("a", "b")}, "one description for each step"),
        ({"kind": "worked out"}, "what is worked out names its calculator"),
        ({"calculator": "alchemy"}, "there is no calculator alchemy"),
        ({"when": "after a pour"}, "hours go with what is asked after a pour"),
        ({"hours": (24,)}, "hours go with what is asked after a pour"),
        ({"kind": "score", "scale": "difference"}, "a score needs its levels"),
    ],
)
def test_measures_that_contradict_themselves_are_refused(catalogue, changes, complaint):
    with pytest.raises(MeasureError, match=complaint):
        measure_from("x", entry(catalogue, **changes))
    with pytest.raises(MeasureError, match="missing key unit"):
        measure_from("x", {k: v for k, v in entry(catalogue).items() if k != "unit"})


def test_unit_value(catalogue):
    assert unit_value(catalogue["plant_height"], [10, 11, 15], None) == 12
    assert unit_value(catalogue["seeds_up"], [9], 12) == 75
    assert (
        unit_value(own_measure("k", "Bolted", "", 0, 1, 0, "lower", "difference", "", Own("yes or no")), [1], 0) == 100
    )
    with pytest.raises(MeasureError, match="how many seeds"):
        unit_value(catalogue["seeds_up"], [9], None)
    with pytest.raises(MeasureError, match="no reading"):
        unit_value(catalogue["plant_height"], [], None)


def test_own_measure_speaks_without_being_asked_to():
    own = own_measure("k", "Flowers {0.__class__}", "flowers", 0, 50, 0, "higher", "difference", "Count.")
    assert own.noise_sd == 5
    assert own.more.replace("{gap}", "about 2 flowers") == "gave about 2 flowers more flowers {0.__class__}"
    slugs = own_measure("k", "Slugs", "slugs", 0, 50, 0, "lower", "difference", "")
    assert slugs.more.replace("{gap}", "3 slugs") == "gave 3 slugs more"
    assert slugs.less.replace("{gap}", "3 slugs") == "gave 3 slugs less"
    buds = own_measure("k", "Buds", "buds", 1, 50, 0, "higher", "ratio", "")
    assert buds.more.replace("{gap}", "20 %") == "gave 20 % more buds"
    with pytest.raises(MeasureError, match="lower to a higher"):
        own_measure("k", "x", "u", 5, 5, 0, "higher", "difference", "")


POINTS = tuple(Point(day, day, value) for day, value in ((0, 4.0), (7, 6.0), (14, 10.0), (28, 12.0)))


def test_summaries_take_the_right_days():
    assert summarise(POINTS, "last", "difference", 28) == (12.0, 4.0)
    assert summarise(POINTS, "change", "difference", 28) == (8.0, None)
    assert summarise(POINTS, "change", "ratio", 28) == (3.0, None)
    area, start = summarise(POINTS, "area", "difference", 28)
    assert (area, start) == (pytest.approx((7 * 8 + 14 * 11) / 21), 4.0)
    assert summarise(POINTS[:3], "last", "difference", 28) == (None, 4.0), "never carried forward"
    assert summarise(POINTS[1:], "change", "difference", 28) == (None, None), "no change without a start"
    assert summarise((Point(0, 0, 0.0), Point(28, 28, 2.0)), "change", "ratio", 28) == (None, None)


def test_a_round_read_late_counts_at_its_true_day():
    late = (*POINTS[:2], Point(14, 21, 10.0), POINTS[3])
    area, _ = summarise(late, "area", "difference", 28)
    assert area == pytest.approx((14 * 8 + 7 * 11) / 21)
    assert summarise((*POINTS[:3], Point(28, 31, 12.0)), "last", "difference", 28) == (12.0, 4.0), (
        "still the last round"
    )


@given(st.lists(st.floats(-50, 50), min_size=2, max_size=8), st.floats(-5, 5), st.floats(-5, 5))
def test_area_is_linear_and_between_the_extremes(values, a, b):
    points = [Point(3 * i, 3 * i, v) for i, v in enumerate(values)]
    mean = trapezoid_mean(points)
    assert min(values) - 1e-9 <= mean <= max(values) + 1e-9
    moved = trapezoid_mean([Point(p.planned, p.day, a + b * p.value) for p in points])
    assert moved == pytest.approx(a + b * mean, abs=1e-6)


@pytest.mark.parametrize(
    ("typed", "number"),
    [("12.5", 12.5), ("12,5", 12.5), (" −3 ", -3), ("1e3", 1000), (".5", 0.5), ("7,", 7), ("1 200", 1200)],
)
def test_numbers_as_people_type_them(typed, number):
    assert parse_number(typed) == number


@pytest.mark.parametrize("typed", ["", "abc", "1,234.5", "12..5", "nan", "inf", "0x10", "1e999", "--2", "٣"])
def test_no_numbers(typed):
    with pytest.raises(ValueError, match=r"number|large"):
        parse_number(typed)


@given(st.floats(allow_nan=False, allow_infinity=False, min_value=-1e9, max_value=1e9))
def test_what_is_shown_can_be_typed_back(number):
    assert math.isclose(parse_number(figure(number, 3)), number, abs_tol=6e-4, rel_tol=1e-12)


def test_chances_in_words():
    assert [one_in(p) for p in (0.05, 1 / 64, 0.5, 1.0)] == ["1 in 20", "1 in 64", "50 in 100", "nearly always"]
    assert figure(-0.0001, 1) == "0.0"


def test_the_garden_gives_its_truth_back(catalogue):
    plots = [Plot(f"P{i}", "AB"[i % 2], str(i // 2)) for i in range(400)]
    truth = Truth(10, 0.5, {"B": 0.2}, 0.05, 0.1, 0.02)
    grown = grow(catalogue["widest_leaf"], truth, plots, [0, 14, 28], seed=1)
    assert grown == grow(catalogue["widest_leaf"], truth, plots, [0, 14, 28], seed=1)
    assert grown != grow(catalogue["widest_leaf"], truth, plots, [0, 14, 28], seed=2)

    def gap(day):
        logs = [math.log(grown[f"P{i + 1}", day] / grown[f"P{i}", day]) for i in range(0, 400, 2)]
        return math.expm1(sum(logs) / len(logs))

    assert gap(0) == pytest.approx(0, abs=0.02)
    assert gap(28) == pytest.approx(0.2, abs=0.02)


def test_noise_follows_the_scale(catalogue):
    height, worms = catalogue["plant_height"], catalogue["surface_worms"]
    assert height.noise_on("ratio") == height.noise_cv
    quarter = height.low + (height.high - height.low) / 4
    assert height.noise_on("difference") == pytest.approx(height.noise_cv * quarter)
    assert worms.noise_on("difference") == worms.noise_sd
