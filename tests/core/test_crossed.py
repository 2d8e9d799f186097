"""Two things at once: known answers of the three effects, their chance, doses that both get, who gets which pour."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from eproba.core.applying.spent import spent
from eproba.core.brewing.kitchen import Kit
from eproba.core.catalogue import recipes
from eproba.core.judging.applications import applications
from eproba.core.judging.comparisons import with_trust
from eproba.core.judging.crossed import by_effects
from eproba.core.judging.judge import judge
from eproba.core.judging.trust_line import TrustLine
from eproba.core.planning.chance import chances, own_power
from eproba.core.planning.dosing import Course, DoseRhythm, Given, dosed
from eproba.core.planning.prospect import ChanceError, Prospect
from eproba.core.stats.series import Question, UnitValue
from eproba.core.trial.declaration import facts_of
from eproba.core.trial.model import Treatment
from eproba.core.wording.crossed import effect_headline, effect_sentence
from eproba.core.wording.sentences import Wording
from tests.core.cases import small_trial, wanted

NAMES = {"": "Water", "1": "Steep", "2": "Mulch", "12": "Steep and mulch"}
CROSSED = tuple((name, things) for things, name in NAMES.items())
CM = Wording("cm", "grew plants {gap} taller", "grew plants {gap} shorter")


def units(gains, noise=0.0, each=5, blocks=False, seed=1):
    rng = np.random.default_rng(seed)
    return [
        UnitValue(
            f"{name} {i}", name, 20 + gains.get(things, 0.0) + noise * float(rng.normal()), str(i) if blocks else None
        )
        for i in range(each)
        for things, name in NAMES.items()
    ]


def judged(found, worth=2.0, scale="difference", **more):
    return judge(found, Question("Water", scale, worth, crossed=CROSSED, **more))


@given(st.lists(st.floats(-5, 5), min_size=3, max_size=3), st.booleans(), st.integers(0, 99))
def test_effects_are_the_contrasts_of_the_four_means_each_on_its_own_noise(gains, blocks, seed):
    """Against the means themselves; without blocks, Welch's error of four unequal groups (Satterthwaite)."""
    found = units(dict(zip(("1", "2", "12"), gains, strict=True)), 1.0, 5, blocks, seed)
    effects = judged(found).effects
    mean = {things: np.mean([u.value for u in found if u.treatment == name]) for things, name in NAMES.items()}
    wanted = {
        "1": (mean["1"] + mean["12"]) / 2 - (mean[""] + mean["2"]) / 2,
        "2": (mean["2"] + mean["12"]) / 2 - (mean[""] + mean["1"]) / 2,
        "12": mean["12"] - mean["1"] - mean["2"] + mean[""],
    }
    assert {e.of: pytest.approx(e.estimate, abs=1e-9) for e in effects} == wanted
    if not blocks:
        variances = np.array([np.var([u.value for u in found if u.treatment == n], ddof=1) for n in NAMES.values()])
        se = np.sqrt((variances / 5).sum() / 4)
        df = (variances / 5).sum() ** 2 / ((variances / 5) ** 2 / 4).sum()
        assert (effects[0].figures.se, effects[0].figures.df) == (pytest.approx(se), pytest.approx(df))
        assert effects[0].figures.p == pytest.approx(2 * stats.t.sf(abs(effects[0].estimate) / se, df))
        assert effects[2].figures.se == pytest.approx(2 * se)
    assert all(e.figures.low_adjusted <= e.figures.low for e in effects)


@pytest.mark.parametrize(
    ("gains", "said"),
    [
        ({"1": 6.0, "2": 0.0, "12": 6.0}, ["Steep: Better, and by enough to matter",
                                           "Mulch: No difference worth having", "They add up, no more and no less"]),
        ({"1": 3.0, "2": 3.0, "12": 14.0}, ["Steep: Better, and by enough to matter",
                                            "Mulch: Better, and by enough to matter", "They help each other"]),
        ({"1": 6.0, "2": 6.0, "12": 6.0}, ["Steep: Better, and by enough to matter",
                                           "Mulch: Better, and by enough to matter", "They take from each other"]),
    ],
)  # fmt: skip
def test_what_is_said(gains, said):
    judgement = judged(units(gains, 0.3, 6))
    assert [effect_headline(each, judgement) for each in judgement.effects] == said
    first, _, both = (effect_sentence(each, judgement, CM) for each in judgement.effects)
    assert first.startswith("Steep grew plants about ")
    assert "over units with and without Mulch; the true gap is likely between " in first
    assert first.endswith("You wanted 2 cm.")
    assert both.startswith("Together they gave about ")
    assert "than the sum of both gains; the true gap is likely between" in both
    ratio = judged(units(gains, 0.3, 6), 0.1, "ratio")
    assert "than both gains multiplied" in effect_sentence(ratio.effects[2], ratio, CM)


def test_both_took_their_share_of_what_each_of_the_two_took(catalogue):
    trial = crossed_trial(catalogue)
    took = {each.letter: each for each in spent(trial, recipes(), Kit(), {}, {})}
    units = len(trial.units) // 4
    alone = units * 45 / 60 + 2 / 2  # half of what the can holds goes to those that get both
    assert (took["A"].times, took["A"].pour_minutes, took["A"].units) == (1, pytest.approx(alone), units)
    assert (took["C"].times, took["C"].pour_minutes, took["C"].units) == (2, pytest.approx(2 * alone), units)


def test_what_next_goes_by_the_effects_unless_the_two_are_shown_to_help_or_hinder_each_other():
    added = judged(units({"1": 3.0, "2": 0.0, "12": 3.0}, 1.0, 6))
    steep, mulch, both = by_effects(added).comparisons
    assert (steep.estimate, steep.carrying) == (added.effects[0].estimate, added.effects[0].figures)
    assert (steep.verdict, mulch.verdict) == (added.effects[0].verdict, added.effects[1].verdict)
    assert steep.carrying.df > 1.5 * added.comparisons[0].carrying.df, "all units speak of it"
    assert both == added.comparisons[2], "both together stand against the control"
    helped = judged(units({"1": 3.0, "2": 3.0, "12": 14.0}, 0.3, 6))
    assert by_effects(helped) == helped, "no average says what one of them does"


def test_a_cap_holds_all_three_and_fewer_than_four_have_no_effects():
    judgement = judged(units({"1": 6.0, "2": 0.0, "12": 6.0}, 0.3))
    held = with_trust(judgement, [TrustLine("lots", "cap", "dealt after the start", {"day": 3}, "described")])
    assert {each.verdict for each in held.effects} == {"seen_not_shown"}
    assert {each.capped_by for each in held.effects} == {"lots"}
    assert "as far as you can see. The check “lots” limits it." in effect_sentence(held.effects[0], held, CM)
    three = [unit for unit in units({}, 0.3) if unit.treatment != "Mulch"]
    assert judged(three).effects == ()
    assert judge(units({}, 0.3), Question("Water")).effects == ()


@pytest.mark.parametrize("blocks", [False, True])
def test_the_chance_of_one_of_the_two_is_that_of_twice_the_units(blocks):
    """The formula against the simulation through the judging itself, and against gaps to the control."""
    prospect = Prospect(4, 6, blocks, "ratio", 0.15, 0.15, crossed=True)
    found = chances(prospect, 6_000)
    shown = sum(share for verdict, share in found.shares["worth"].items() if verdict.startswith("better"))
    assert shown == pytest.approx(found.own, abs=4 * found.error)
    assert found.family_false_alarm <= 0.05 + 3 * found.error, "effects and comparisons together"
    exact = judged(units({"1": 2.0}, 1.0, 6, blocks)).effects[0].figures
    sidak = exact.se * stats.t.isf((1 - 0.95 ** (1 / 6)) / 2, exact.df)
    assert (exact.high_adjusted - exact.low_adjusted) / 2 == pytest.approx(sidak), "three effects, three comparisons"
    assert found.own > own_power(replace(prospect, crossed=False)) + 0.1
    with pytest.raises(ChanceError, match="each alone, both, neither"):
        Prospect(3, 6, False, "ratio", 0.15, 0.15, crossed=True)


def thing(name, things, amount, role="test"):
    given_as = Given("nothing") if amount is None else Given("unit", amount, "mL")
    if role == "water control":
        given_as = Given("like")
    return wanted(
        name, role, given_as, DoseRhythm("like" if role == "water control" else "every", every=7), things=things
    )


def test_both_get_the_doses_of_the_other_two_and_water_evens_out(catalogue):
    cuts = [unit.cut for unit in small_trial(catalogue).units][:8]
    course = Course(14, small_trial(catalogue).start_on, {}, lambda _: None)
    found = dosed([thing("Steep", "1", 250), thing("Whey", "2", 100), thing("Both", "12", None),
                   thing("Water", "", None, "water control")], cuts, course, True)  # fmt: skip
    given_on_0 = [(p.letter, p.what, p.planned) for p in found.pours if p.day == 0]
    assert given_on_0 == [("A", "dose", None), ("A", "water", 0.1), ("B", "dose", None), ("B", "water", 0.25),
                          ("D", "dose", None)]  # fmt: skip
    assert found.treatments[3].amount == 350
    assert found.uneven == ()


def crossed_trial(catalogue):
    trial = small_trial(catalogue)
    treatments = (
        Treatment("Steep", "test", "", 250, "mL", things="1", id=1, letter="A"),
        Treatment("Whey", "test", "", 250, "mL", things="2", id=2, letter="B"),
        Treatment("Both", "test", "", None, "", things="12", id=3, letter="C"),
        Treatment("Water", "water control", "", 500, "mL", id=4, letter="D"),
    )
    dealt = tuple(replace(unit, letter="ABCD"[i % 4]) for i, unit in enumerate(trial.units))
    pours = (trial.pours[0], replace(trial.pours[1], letter="B"), replace(trial.pours[0], id=9, letter="D"))
    return replace(trial, treatments=treatments, units=dealt, pours=pours, control="D", dealing="completely random")


def test_a_pour_goes_to_its_own_units_and_to_those_that_get_both(catalogue):
    trial = crossed_trial(catalogue)
    assert {unit.letter for unit in trial.given_to("A")} == {"A", "C"}
    assert {unit.letter for unit in trial.given_to("A", "water")} == {"A"}
    assert {unit.letter for unit in trial.given_to("D")} == {"D"}
    assert {unit.letter for unit in small_trial(catalogue).given_to("A")} == {"A"}
    assert facts_of(trial)["things"] == [["A", "1"], ["B", "2"], ["C", "12"], ["D", ""]]
    assert "things" not in facts_of(small_trial(catalogue)), "old plans stay what they were"
    each = {"A": 250.0, "B": 250.0, "D": 500.0}
    full = replace(trial, pours=tuple(replace(p, amount_each=each[p.letter]) for p in trial.pours))
    assert [line.rule for line in applications(full) if line.rule == "equal volume"] == ["equal volume"]
    water = tuple(replace(p, id=20 + i, what="water", planned=0.25, amount_each=0.25)
                  for i, p in enumerate(full.pours[:2]))  # fmt: skip
    even = replace(full, pours=(*full.pours, *water))
    assert [line.rule for line in applications(even) if line.rule == "equal volume"] == []
