"""Prices as typed and kept; what a treatment cost; what a kilogram gained cost, and from what gain on it pays."""

from dataclasses import replace
from datetime import date
from math import log

import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.applying.prices import (
    HOUR,
    WATER,
    DatedPrice,
    PriceError,
    bought,
    harvest,
    harvest_worth,
    money,
    price_typed,
    prices_on,
)  # fmt: skip
from eproba.core.applying.spent import spent
from eproba.core.brewing.kitchen import Kit
from eproba.core.catalogue import recipes
from eproba.core.judging.judge import judge
from eproba.core.judging.paying import Gain, gain_of, is_weighed, pays
from eproba.core.quantities import Units
from eproba.core.stats.series import Question
from eproba.core.trial.ground import unit_noun
from eproba.core.wording.money import carried_line, money_lines
from tests.core.cases import made_up, small_trial

MAY, JULY = date(2026, 5, 1), date(2026, 7, 1)
POT = unit_noun(["pot"])


def euros(value):
    """With a usual space, to be read here."""
    return money(value, "€").replace("\N{NO-BREAK SPACE}", " ")


def test_a_price_holds_from_its_day_and_the_first_one_before_it_too():
    prices = [DatedPrice("sugar", MAY, 1.5), DatedPrice("sugar", JULY, 1.8), DatedPrice("honey", JULY, 9.0)]
    assert prices_on(prices, MAY) == prices_on(prices, date(2026, 6, 30)) == {"sugar": 1.5, "honey": 9.0}
    assert prices_on(prices, JULY) == prices_on(prices, date.max) == {"sugar": 1.8, "honey": 9.0}
    assert prices_on([*prices, DatedPrice("sugar", date(2026, 8, 1), None)], date.max) == {"honey": 9.0}, (
        "not known now"
    )


@pytest.mark.parametrize(
    ("text", "unit", "per_unit"),
    [
        ("8.90", "kg", 8.9), ("8,90 €", "kg", 8.9), ("EUR 8.90", "kg", 8.9), ("8.90 for 40 L", "L", 0.2225),
        ("12 / 25 kg", "kg", 0.48), ("12€ per 500 g", "kg", 24.0), ("0", "kg", 0.0), ("3 for 2", "piece", 1.5),
    ],
)  # fmt: skip
def test_a_price_is_read_as_it_is_said(text, unit, per_unit):
    assert price_typed(text, unit, "€") == pytest.approx(per_unit)


def test_a_price_is_for_what_the_household_weighs_in():
    assert price_typed("2", "kg", system="US") == pytest.approx(2 / 0.45359237)
    assert price_typed("2.10", "L", usual=1000) == pytest.approx(0.0021)
    assert price_typed("2.10 for 10 L", "L", usual=1000) == pytest.approx(0.21), "an amount that is said counts"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("4 $", "in another currency. All prices are in € here"), ("cheap", "is no price: write it like 8.90"),
        ("-1", "a price is 0 or more"), ("3 for 0 kg", "for an amount above 0"), ("3 for 2 cm", "is no price"),
        ("nan", "is no price"), ("9999999", "doesn’t fit"),
    ],
)  # fmt: skip
def test_what_is_no_price_says_what_to_write(text, says):
    with pytest.raises(PriceError, match=says.replace("$", r"\$").replace(".", r"\.")):
        price_typed(text, "kg", "€")
    with pytest.raises(PriceError, match="Say which currency yours is"):
        price_typed("4 €", "kg", "")


def test_money_is_said_in_cents_and_a_harvest_by_its_crops():
    assert [euros(value) for value in (3.1, 0, -2.5, 0.004)] == ["3.10 €", "0.00 €", "−2.50 €", "0.004 €"]
    assert money(3.1) == "3.10"
    prices = {harvest("Rainbow chard"): 4.0, harvest("pak choi"): 6.0, harvest(""): 1.0}
    assert harvest_worth(prices, ["rainbow  CHARD", "pak choi"]) == 5.0
    assert (harvest_worth(prices, ()), harvest_worth(prices, ["currants"])) == (1.0, None)


def test_a_treatment_costs_what_went_in_water_and_work(catalogue):
    trial = small_trial(catalogue)
    plain = {each.name: each for each in spent(trial, recipes(), Kit(), {}, {})}
    steep, water = plain["Comfrey steep"], plain["Plain water"]
    assert (steep.cost, steep.money_a_unit, water.cost) == (None, None, 0.0)
    assert (water.times, water.litres, water.kilos, water.cans) == (1, 1.5, 1.5, 1), "six pots of 250 mL"
    prices = {HOUR: 12.0, WATER: 0.002, "comfrey": 0.0, "comfrey_leaves": 0.5, "rain_water": 0.0}
    known = {each.name: each for each in spent(trial, recipes(), Kit(), prices, {})}
    water = known["Plain water"]
    assert water.money == pytest.approx(12 * water.minutes / 60 + 0.002 * water.litres)
    assert water.money_a_unit == pytest.approx(water.money / water.units)
    assert water.money_a_m2 == pytest.approx(water.money / water.area_m2)


def test_what_is_bought_ready_costs_what_was_given_of_it(catalogue):
    trial = small_trial(catalogue)
    first, control = trial.treatments
    named = replace(first, name="Wool mulch", recipe="", amount=50.0, amount_unit="g")
    mulched = replace(trial, treatments=(named, control))
    took = spent(mulched, recipes(), Kit(), {bought("wool MULCH"): 8.0}, {})[0]
    assert took.cost == pytest.approx(8.0 * 0.05 * took.units * took.times)
    assert took.kilos == pytest.approx(0.05 * took.units * took.times)
    assert spent(mulched, recipes(), Kit(), {}, {})[0].cost is None


def gaining(verdict, estimate=200.0, low=50.0, high=350.0):
    comparison = judge(made_up(3, effect=6.0), Question("A", worth=2.0)).comparisons[0]
    own = replace(comparison.own, low_adjusted=low, high_adjusted=high)
    return replace(comparison, verdict=verdict, estimate=estimate, own=own)


def test_only_what_is_weighed_at_the_end_is_a_gain_in_grams(catalogue):
    trial = small_trial(catalogue)
    assert trial.asked[0].measure.key == "fresh_mass"
    assert [is_weighed(replace(trial, summary=summary)) for summary in ("last", "change", "area", "rate")] == [
        True, True, False, False,
    ]  # fmt: skip
    assert not is_weighed(replace(trial, asked=(replace(trial.asked[0], measure=catalogue["plant_height"]),)))


def test_a_gain_is_in_kilograms_with_the_range_of_its_verdict():
    better = gaining("better")
    assert gain_of(better, "difference", None, False) == Gain(0.2, 0.05, 0.35)
    half = gaining("better", log(1.5), log(1.2), log(2.0))
    share = gain_of(half, "ratio", 400.0, False)
    assert (share.likely, share.low, share.high) == pytest.approx((0.2, 0.08, 0.4))
    assert gain_of(half, "ratio", None, False) is None
    assert gain_of(gaining("seen_not_shown"), "difference", None, False) is None
    assert gain_of(better, "difference", None, True) is None, "where less is better nothing is picked"


@given(st.floats(0.01, 50), st.floats(0.01, 5), st.floats(0, 3), st.floats(0.1, 20))
def test_it_pays_exactly_where_the_gain_is_worth_more_than_it_costs(more, likely, spread, worth):
    beyond = pays(more, Gain(likely, likely - spread, likely + spread), worth, 500.0)
    sure, never = (likely - spread) * worth > more, (likely + spread) * worth < more
    assert beyond.answer is (True if sure else False if never else None)
    assert beyond.share == pytest.approx(beyond.break_even * 1000 / 500)
    cost, least, most = beyond.a_kilo
    assert least <= cost
    assert (most is None) == (likely <= spread)


def test_the_words_of_money(catalogue):
    steep, water = spent(small_trial(catalogue), recipes(), Kit(), {}, {})
    steep = replace(steep, name="Comfrey steep", cost=6.0, units=4, area_m2=2.0, times=3)
    water = replace(water, name="Plain water", cost=2.0, units=4, area_m2=2.0)

    def said(verdict, mine=steep, worth=10.0, mean=400.0, **ends):
        comparison = gaining(verdict, **ends)
        gain = gain_of(comparison, "difference", None, False)
        beyond = pays(mine.money_a_unit - water.money_a_unit, gain, worth, mean) if mine.cost is not None else None
        return money_lines(mine, water, comparison, beyond, euros, POT)

    cost = "It cost 1.50 € per pot, 3.00 € per square metre; plain water cost 0.50 € per pot."
    kilo = "A kilogram gained cost about 5.00 €, likely between 2.86 € and 20.00 €."
    even = (
        "It pays if each pot brings more than 100 g (25 %) beyond the control. This trial can’t tell whether it does."
    )
    assert said("better") == [cost, kilo, even]
    assert said("better", low=101.0)[2].endswith("This trial shows more than that.")
    assert said("better", high=99.0, estimate=60.0)[2].endswith("This trial shows that it gains less.")
    may = "A kilogram gained cost at least 2.86 €; it may also have gained nothing."
    assert said("cannot_tell", low=-20.0, worth=None) == [cost, may]
    assert said("worse", estimate=-50.0, low=-90.0, high=-10.0, worth=None)[1].startswith("No gain in weight was seen")
    alike = "Both do as well. Plain water costs less: keep that."
    assert said("same") == [cost, alike]
    assert said("no_worse", replace(steep, cost=1.0))[1] == "Both do as well. Comfrey steep costs less: keep that."
    about = "Both do as well and cost about as much: keep whichever you like better."
    assert said("same", replace(steep, cost=2.08))[1] == about
    assert said("better", replace(steep, cost=1.0))[1:] == ["It costs no more than the control, and it gains: keep it."]
    assert said("cannot_tell", replace(steep, cost=1.0))[1:] == []
    assert said("better", replace(steep, cost=None)) == [
        "What comfrey steep cost is not known yet: a price is missing."
    ]
    assert said("better", replace(steep, times=0))[0].startswith("Nothing of it is on record as given")
    assert carried_line(replace(steep, cans=12, kilos=84.4)) == "You carried 12 cans, 84 kg in all."
    assert carried_line(replace(steep, cans=0, kilos=84.4), Units("US")) == "You carried 185 lb in all."
    assert carried_line(replace(steep, kilos=0.0)) == ""
