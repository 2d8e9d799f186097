"""Doses and days of each treatment, water evened out; ladders whose names follow the numbers; how a visit goes."""

from dataclasses import replace
from datetime import date, timedelta

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from eproba.core.brewing.kitchen import Kit
from eproba.core.brewing.recipe import Ground
from eproba.core.catalogue import recipes
from eproba.core.planning.dosing import Course, DoseProblem, DoseRhythm, Given, dosed
from eproba.core.planning.ladder import LadderError, ladder
from eproba.core.planning.plan import PlannedPour, simple_layout
from eproba.core.planning.rates import on_recipes, on_unlike
from eproba.core.planning.visits import on_measuring, visits
from eproba.core.trial.days import days_in_words
from eproba.core.trial.doses import Dose, each_in_words, unequal
from eproba.core.trial.ground import Cut
from eproba.core.trial.model import Unit
from tests.core.cases import wanted

MONDAY = date(2026, 6, 1)
POTS = simple_layout("pots", (20, 20), 10, 6, "blocks", 3, 4).cuts
WATER = wanted("Plain water", "water control", Given("like"), DoseRhythm("like"))
NOTHING = wanted("Nothing", "untreated", Given("nothing"), DoseRhythm("once"))


def patch(number, width, length):
    return Cut("patch", number, 0, 0, number, number, 0, 0, width, length)


def course(decision=28, ground=None):
    return Course(decision, MONDAY, recipes(), lambda _: ground or Ground())


def drench(name="Whey", by="unit", amount=250.0, unit="mL", often="every", every=7, **more):
    return wanted(name, "test", Given(by, amount, unit), DoseRhythm(often, every=every), **more)


def given_to(found, letter, what="dose"):
    return {p.day: p.planned for p in found.pours if (p.letter, p.what) == (letter, what)}


def test_compost_once_beside_molasses_monthly_beside_nothing_at_all():
    """One trial: 5 L/m² once, a drench every four weeks, what stays untreated; water makes up the difference."""
    compost = wanted("Compost", "test", Given("recipe"), DoseRhythm("once"), recipe="compost-top-dressing")
    molasses = wanted("Molasses", "test", Given("recipe"), DoseRhythm("recipe"), recipe="molasses-water")
    cuts = [patch(i, 100, 50) for i in range(12)]
    found = dosed([compost, molasses, WATER, NOTHING], cuts, course(60), even=True)
    doses = [(t.amount, t.amount_unit, t.per) for t in found.treatments]
    assert doses == [(5.0, "L of compost", "m2"), (2.0, "L", "m2"), (2.0, "L", "m2"), (None, "", "unit")]
    assert given_to(found, "A") == {0: None}
    assert given_to(found, "B") == given_to(found, "C") == {0: None, 28: None, 56: None}
    assert given_to(found, "A", "water") == {0: 2.0, 28: 2.0, 56: 2.0}, "compost is no water"
    assert "D" not in {pour.letter for pour in found.pours}
    assert found.evened == ("Compost: also 2 L/m² of plain water, every 28 days, 3 times.",)
    assert "Nothing gets less water" in found.uneven[0]


def test_compost_is_measured_in_litres_but_is_no_water():
    """A litre of compost waters nothing: on day 0 the compost gets the others' water too."""
    compost = wanted("Compost", "test", Given("m2", 5.0, "L of compost"), DoseRhythm("once"))
    found = dosed([compost, drench(), WATER], POTS, course(), even=True)
    assert given_to(found, "A", "water") == {0: 0.25, 7: 0.25, 14: 0.25, 21: 0.25}


def test_the_control_follows_the_wettest_on_each_day():
    found = dosed([drench(), drench("Comfrey", amount=400.0, every=14), WATER], POTS, course(), even=True)
    assert given_to(found, "C") in (
        {0: None, 7: 250.0, 14: None, 21: 250.0}, {0: 400.0, 7: None, 14: 400.0, 21: None},
    )  # fmt: skip
    assert given_to(found, "A", "water") == {0: 0.15, 14: 0.15}
    assert given_to(found, "B", "water") == {7: 0.25, 21: 0.25}
    left = dosed([drench(), drench("Comfrey", amount=400.0, every=14), WATER], POTS, course(), even=False)
    assert not any(pour.what == "water" for pour in left.pours)
    assert left.uneven == (
        "Whey and Comfrey get less water than the wettest treatment: against plain water alone the question is fair; "
        "against Whey and Comfrey it is not.",
    )


@given(st.lists(st.tuples(st.floats(20, 900), st.integers(2, 20)), min_size=1, max_size=5), st.integers(10, 60))
@example([(90.0, 2), (100.0, 2)], 10)
def test_on_every_day_all_units_get_the_same_water(rows, decision):
    """Whatever is planned: with plain water made up, no treatment lies more than a can's misreading below another."""
    wanted = [drench(f"T{i}", amount=amount, every=every) for i, (amount, every) in enumerate(rows)]
    found = dosed([*wanted, WATER], POTS, course(decision), even=True)
    by_day: dict[int, dict[str, float]] = {}
    for pour in found.pours:
        usual = found.treatments["ABCDEFGH".index(pour.letter)].amount
        litres = (pour.planned or 0) if pour.what == "water" else (pour.planned or usual) / 1000
        day = by_day.setdefault(pour.day, dict.fromkeys("ABCDEFGH"[: len(wanted) + 1], 0.0))
        day[pour.letter] += litres
    assert all(not unequal(list(day.values())) for day in by_day.values())


@pytest.mark.parametrize(
    ("rhythm", "days"),
    [
        (DoseRhythm("once"), {0}),
        (DoseRhythm("every", every=3), set(range(0, 28, 3))),
        (DoseRhythm("phases", every=7, until=15, then=6), {0, 7, 14, 20, 26}),
        (DoseRhythm("weekdays", weekdays=(2, 5)), {2, 5, 9, 12, 16, 19, 23, 26}),
        (DoseRhythm("days", days=(3, 0, 10)), {0, 3, 10}),
    ],
)
def test_each_treatment_has_its_own_days(rhythm, days):
    found = dosed([replace(drench(), rhythm=rhythm), NOTHING], POTS, course(), even=False)
    assert set(given_to(found, "A")) == days


def test_the_recipe_s_days_go_by_the_place():
    """Greens juice: weekly in a poor soil's first month, else every two weeks."""
    juice = wanted("Juice", "test", Given("unit", 250), DoseRhythm("recipe"), recipe="greens-sugar-juice")
    poor = dosed([juice, NOTHING], POTS, course(42, Ground(poor=True)), even=False)
    good = dosed([juice, NOTHING], POTS, course(42), even=False)
    assert sorted(given_to(good, "A")) == [0, 14, 28]
    assert sorted(given_to(poor, "A"))[:5] == [0, 7, 14, 21, 28]


def test_controls_of_a_brew_get_what_the_brew_gets():
    boiled = wanted("Boiled", "killed brew", Given("like"), DoseRhythm("like"))
    found = dosed([drench(amount=300.0, every=10), boiled], POTS, course(), even=True)
    assert (found.treatments[1].amount, given_to(found, "B")) == (300.0, given_to(found, "A"))


def test_a_share_of_the_pot_and_a_rate_on_unlike_ground():
    pot = replace(drench(), given=Given("pot", 10.0, "mL", pot_l=5.0))
    assert dosed([pot, NOTHING], POTS, course(), even=False).treatments[0].amount == 0.5
    units = [Unit(i, "A", patch(i, *size)) for i, size in enumerate([(85, 100), (42, 120)], 1)]
    assert each_in_words(Dose(2.5, "L", "m2"), units) == [("2.12 L", ("H1",)), ("1.26 L", ("H2",))]


@pytest.mark.parametrize(
    ("wanted", "field", "said"),
    [
        (replace(drench(), given=Given("pot", 10.0)), "pot", "How much is in a pot?"),
        (replace(drench(), given=Given("m2")), "amount", "How much for the ground it is on?"),
        (replace(drench(), given=Given("recipe")), "dose", "Without a recipe nothing says how much"),
        (replace(drench(), rhythm=DoseRhythm("recipe")), "often", "Without a recipe nothing says how often"),
        (replace(drench(), rhythm=DoseRhythm("every")), "every", "Give the number of days."),
        (replace(drench(), rhythm=DoseRhythm("days", days=(0, 28))), "days", "from 0 to 27"),
        (replace(drench(), rhythm=DoseRhythm("weekdays")), "often", "Choose days of the week"),
    ],
)
def test_a_dose_that_can_t_be_says_what_would_fit(wanted, field, said):
    with pytest.raises(DoseProblem, match=said.replace("?", r"\?")) as caught:
        dosed([NOTHING, wanted], POTS, course(), even=True)
    assert (caught.value.row, caught.value.field) == (1, field)


def test_days_in_words():
    told = [(0,), (), (0, 7, 14), (3, 6, 9), (0, 1, 2), (0, 9), (0, 3, 10)]
    assert [days_in_words(days) for days in told] == [
        "once, on day 0", "never", "every 7 days, 3 times", "every 3 days from day 3 on, 3 times", "daily, 3 times",
        "on days 0 and 9", "on days 0, 3 and 10",
    ]  # fmt: skip


# --- Ladders ------------------------------------------------------------------------------------------------


FIRST = {"name": "Molasses", "stem": "", "amount": "100", "unit": "g", "dose": "m2", "water_parts": "", "times": "1"}


def names(by, numbers, recipe=None):
    return [rung["name"] for rung in ladder(FIRST, by, numbers, recipe, 6)]


def test_names_of_rungs_follow_their_numbers():
    known = recipes()
    assert names("parts", [20, 5, 10], known["comfrey-steep"]) == [
        "Molasses, 1 + 20", "Molasses, 1 + 10", "Molasses, 1 + 5",
    ]  # fmt: skip
    assert names("litre", [24, 6, 12], known["molasses-water"]) == [
        "Molasses, 6 mL a litre", "Molasses, 12 mL a litre", "Molasses, 24 mL a litre",
    ]  # fmt: skip
    assert names("dose", [200, 50]) == ["Molasses, 50 g/m²", "Molasses, 200 g/m²"]
    assert names("litre", [], known["molasses-water"])[1] == "Molasses, 12 mL a litre"
    assert [r["times"] for r in ladder(FIRST, "litre", [6, 24], known["molasses-water"], 6)] == ["0.5", "2"]


def test_ladders_that_can_t_be():
    known = recipes()
    for by, numbers, recipe, said in (
        ("parts", [5, 10], "molasses-water", "is not diluted: more water in it is another recipe"),
        ("litre", [5, 10], "comfrey-steep", "suit a recipe that stirs one thing into water"),
        ("dose", [5], "", "has 2 to 6 steps"),
        ("dose", [0, 5], "", "each above 0"),
        ("dose", [1, 2, 3, 4, 5, 6, 7], "", "has 2 to 6 steps"),
    ):
        with pytest.raises(LadderError, match=said):
            ladder(FIRST, by, numbers, known.get(recipe), 6)


# --- How a visit goes ---------------------------------------------------------------------------------------


def test_a_visit_begins_with_the_control_and_tells_its_cans():
    found = dosed([drench(amount=2000.0), WATER], POTS, course(14), even=True)
    (first,) = visits(found.treatments, found.pours, POTS, 6, recipes(), Kit())
    assert first.days == "on days 0 and 7"
    assert [(line.letter, line.name) for line in first.lines] == [("B", "Plain water"), ("A", "Whey")]
    assert first.lines[0].words == "2000 mL each, 2 cans of 6 L"
    assert first.minutes == pytest.approx(2 * 2 + 1 * 2 + 12 * 45 / 60)


def test_what_the_kit_can_t_tell_apart_is_told_with_a_way():
    """One part in five hundred of one small can: two rungs the same spoonful, or more than a tenth off."""

    def told(one, other, each=150.0):
        rungs = [drench(f"Juice {p}", "unit", each, recipe="greens-sugar-juice", water_parts=p) for p in (one, other)]
        found = dosed([*rungs, WATER], POTS, course(), even=True)
        return [each.text for each in on_measuring(found.treatments, POTS[:4], recipes(), Kit())]

    assert told(500.0, 510.0)[-1] == (
        "Juice 500.0 and Juice 510.0 come out alike with your kit (¼ tsp (1.25 mL)). Mix a larger lot, or make a stock "
        "of the stronger and dilute it by steps."
    )
    assert told(500.0, 100.0, 3000.0) == []
    assert told(799.0, 20.0, 200.0) == [
        "Your kit can’t measure so little juice 799.0: ¾ tsp (3.75 mL) for 4 times as much, of which you use a "
        "quarter. Or make a stock of 1 + 9 first, and take 1 + 79 of that: the same strength, ten times as much to "
        "measure."
    ]


def test_water_between_has_its_own_line():
    compost = wanted("Compost", "test", Given("m2", 1.0, "kg"), DoseRhythm("once"))
    found = dosed([compost, drench(), WATER], POTS, course(14), even=True)
    later = visits(found.treatments, found.pours, POTS, 4, recipes(), Kit())[-1]
    assert [line.name for line in later.lines] == ["Plain water", "Compost: plain water", "Whey"]
    assert PlannedPour("A", 7, "water", 0.25, "unit") in found.pours
    assert date(2026, 6, 1) + timedelta(days=7) == MONDAY + timedelta(days=7)


def against_recipes(doses, cuts, letters="AB"):
    days = [[p.day for p in doses.pours if p.letter == letter and p.what == "dose"] for letter in letters]
    return [line.text for line in on_recipes(doses.treatments, days, cuts, recipes(), lambda _: Ground())]


def test_what_a_recipe_would_never_do_is_told_for_dose_days_and_sugar():
    """20 L/m² of undiluted ferment every two days, and a fortieth of what the recipe gives."""
    strong = wanted(
        "Ferment", "test", Given("m2", 20.0, "L"), DoseRhythm("every", 2), recipe="sugar-ferment", water_parts=0.0
    )
    told = against_recipes(dosed([strong, WATER], POTS, course(14), True), POTS)
    assert [line.split(".")[0] for line in told] == [
        "Ferment: 20 L/m²; its recipe gives 1 to 4 L/m², usually 2 L/m²",
        "Ferment: poured again after 2 days, on day 2; its recipe wants 14 at least: every week (a poor soil’s first "
        "month); every 2 to 3 weeks (else)",
        "Ferment: 347 g/m² of easy carbon in one pour is beyond the safe band of 40 g/m²: the soil may turn airless",
        "Ferment: much carbon, little nitrogen: microbes may lock up about 17 g/m² of nitrogen for a while, and leaves "
        "turn pale",
        "Ferment: 7 times 347 g/m² of easy carbon make 2426 g/m² over the trial",
    ]
    thin = wanted("Ferment", "test", Given("m2", 0.025, "L"), DoseRhythm("once"), recipe="sugar-ferment")
    (line,) = against_recipes(dosed([thin, WATER], POTS, course(14), True), POTS)
    assert line.startswith("Ferment: 0.025 L/m²; its recipe gives 1 to 4 L/m²")


def test_what_is_said_of_all_rungs_is_said_once():
    rungs = [
        wanted(
            f"Ferment, 1 + {n}",
            "test",
            Given("m2", 2.0, "L"),
            DoseRhythm("every", 7),
            recipe="sugar-ferment",
            water_parts=float(n),
        )
        for n in (20, 10)
    ]
    told = against_recipes(dosed([*rungs, WATER], POTS, course(28), True), POTS, "ABC")
    assert [line for line in told if "poured again" in line] == [
        "Ferment, 1 + 20 and Ferment, 1 + 10: poured again after 7 days, on day 7; its recipe wants 14 at least: every "
        "week (a poor soil’s first month); every 2 to 3 weeks (else)."
    ]


def test_a_dose_far_from_what_its_recipe_gives_is_told():
    """The yeast starter's recipe gives 2 L/m²; units of 0.05 and 0.1 m²."""
    within = drench(amount=100, recipe="yeast-starter", every=14)
    far = drench(amount=2, unit="L", recipe="yeast-starter", every=14)
    cuts = [Cut("patch", n, 0, 0, n, n, 0, 0, 25, 20) for n in range(4)]
    told = [against_recipes(dosed([each, WATER], cuts, course(), True), cuts) for each in (within, far)]
    assert told[0] == []
    assert told[1][0].startswith("Whey: 40 L/m²; its recipe gives 2 L/m². Another dose")
    unequal_cuts = [*cuts[:3], Cut("patch", 3, 0, 0, 3, 3, 0, 0, 50, 20)]
    (advice,) = on_unlike(dosed([within, WATER], unequal_cuts, course(), True), unequal_cuts)[:1]
    assert "whey" in advice.text
    assert "1 to 2 L/m²" in advice.text or "1000 to 2000 mL/m²" in advice.text
