"""A trial's treatments at the mixing desk: controls mixed as the brew is, each at its own strength."""

from dataclasses import replace

import pytest

from eproba.core.applying.desk import all_added, at_the_desk, unlike
from eproba.core.brewing.kitchen import Kit
from eproba.core.catalogue import measures, recipes
from eproba.core.trial.model import Treatment
from tests.core.cases import small_trial


def trial_with(*treatments):
    trial = small_trial(measures())
    letters = "".join(treatment.letter for treatment in treatments)
    units = tuple(replace(unit, letter=letters[i % len(letters)]) for i, unit in enumerate(trial.units))
    return replace(trial, treatments=treatments, units=units)


def treatment(letter, role, amount=250.0, unit="mL", recipe="", water=None):
    return Treatment(f"{role} {letter}", role, "", amount, unit, None, recipe, water, id=1, letter=letter)


def test_controls_of_a_brew_are_mixed_as_the_brew_is():
    trial = trial_with(
        treatment("A", "test", recipe="sugar-ferment"),
        treatment("B", "water control"),
        treatment("C", "ingredient control"),
        treatment("D", "killed brew"),
        treatment("E", "untreated", None, ""),
        treatment("F", "reference", 100.0, "g", "compost-top-dressing"),
    )
    brew, water, alone, boiled, bare, compost = at_the_desk(trial, recipes(), Kit())
    assert brew.mixed.application_litres == water.mixed.application_litres == pytest.approx(0.5)
    assert boiled.boiled
    assert boiled.mixed.amounts == brew.mixed.amounts
    (sugar,) = alone.alone.alone
    assert sugar.grams == pytest.approx(0.5 / 11 * 50)
    assert bare.why_not == "Nothing is poured."
    assert compost.mixed.spread == pytest.approx(2 * 0.1 / 0.6), "litres of compost, by its density"
    strong = replace(trial, treatments=(replace(trial.treatments[0], water_parts=4.0), *trial.treatments[1:]))
    _, _, sweet, killed, *_ = at_the_desk(strong, recipes(), Kit())
    assert sweet.alone.alone[0].grams == pytest.approx(0.5 / 5 * 50), "as strong as the brew that is tested"
    assert killed.mixed.parts == (1.0, 4.0)
    loads = {each.letter: each for each in all_added(trial, [brew, water, bare], {})}
    assert loads["A"].water_l == pytest.approx(loads["B"].water_l, rel=0.02), "as the kit measures it"
    assert loads["E"].water_l == 0
    assert "No handling of all units alike" in unlike(trial)[0]


def test_a_treatment_s_own_strength_is_used():
    weak, strong = (
        at_the_desk(trial_with(treatment("A", "test", recipe="comfrey-steep", water=n)), recipes(), Kit())[0]
        for n in (19.0, 4.0)
    )
    assert strong.mixed.concentrate_litres == pytest.approx(4 * weak.mixed.concentrate_litres)
    unnamed = at_the_desk(trial_with(treatment("A", "test")), recipes(), Kit())[0]
    assert unnamed.why_not == "No recipe is named for it."
    odd = at_the_desk(trial_with(treatment("A", "test", 2.0, "handful", "stale-bread-steep")), recipes(), Kit())[0]
    assert odd.mixed is not None or odd.why_not
