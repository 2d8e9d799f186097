"""What next: the advised choice by the verdict, a cheaper way, what it took, the plan that settles it, more ground."""

import re
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.applying.scaling_up import LADDER, ways
from eproba.core.applying.spent import reading_minutes, spent
from eproba.core.brewing.events import Batch
from eproba.core.brewing.kitchen import Kit
from eproba.core.brewing.mixing import MixError
from eproba.core.catalogue import equipment, recipes
from eproba.core.judging.judge import judge
from eproba.core.judging.judgement import Needed
from eproba.core.judging.next_step import CHOICES, OF_VERDICT, next_steps
from eproba.core.judging.verdicts import VERDICTS
from eproba.core.planning.chance import own_power
from eproba.core.planning.cutter import noise_without_blocks
from eproba.core.planning.outlook import fewest, noise_of
from eproba.core.planning.prospect import Prospect
from eproba.core.planning.settling import cheapest, settling_of, settling_words, with_needed
from eproba.core.quantities import METRIC, Units
from eproba.core.stats.series import Question
from eproba.core.trial.ground import Gradient, Site
from eproba.core.wording.next_step import lasted_text, reasons, spent_text
from eproba.core.wording.sentences import Wording
from tests.core.cases import made_up, small_trial
from tests.core.test_trial_to_words import grown, read


@pytest.fixture(scope="module")
def judgement():
    return judge(made_up(3, effect=6.0), Question("A", worth=2.0, ranked=True))


def with_verdicts(judgement, **verdicts):
    kept = [replace(each, verdict=verdicts[each.treatment]) for each in judgement.comparisons]
    return replace(judgement, comparisons=tuple(kept))


@pytest.mark.parametrize("verdict", VERDICTS)
def test_every_verdict_advises_one_thing_with_all_six_reasons(catalogue, judgement, verdict):
    told = with_verdicts(judgement, B=verdict, C="same")
    step = next_steps(told, {"B": 60.0, "C": 50.0})[0]
    assert step.advised == OF_VERDICT[verdict]
    took = spent(small_trial(catalogue), recipes(), Kit(), {}, {})[0]
    every = reasons(step, told.comparisons[0], told, Wording("cm"), {"B": took, "C": took}, "Take 12 of each.")
    assert {each.choice for each in every} == set(CHOICES)
    assert [each.advised for each in every] == [True] + 5 * [False]
    assert every[0].choice == step.advised
    settled = next(each.text for each in every if each.choice == "ask again")
    half = "It {}; whether by the 2 cm that matters to you is open. The same trial again, put together with this one"
    begins = {"better": half.format("gains"), "worse": half.format("harms")}
    begins |= dict.fromkeys(("cannot_tell", "seen_not_shown"), "Take 12 of each.")
    assert settled.startswith(begins.get(verdict, "It is settled for this season and place"))


@pytest.mark.parametrize(
    ("verdict", "keep", "drop"),
    [
        ("better", "It gave {gap}: whether by enough is open. Keep it if you don’t mind {took}.",
         "Nothing in the trial is a reason to."),
        ("better_trivial", "It gave {gap}: less than you wanted. Keep it if you don’t mind {took}.",
         "It gains, but less than you wanted, for {took}."),
        ("same", "It makes no difference that would matter ({gap}). Keep it only if you like doing it.", None),
        ("worse", "There’s no case for it: it gave {gap}.", None),
        ("better_matters", "It gave {gap}, beyond the 2 cm that you wanted. {all}", None),
        ("no_worse", "It is no worse within your margin: keep whichever is less work. {all}", None),
        ("cannot_tell", "This trial can’t say that it does anything: it gave {gap}.",
         "It wasn’t shown to be useless. Dropping it is your choice, not the trial’s result."),
    ],
)  # fmt: skip
def test_why_to_keep_and_why_to_drop(catalogue, judgement, verdict, keep, drop):
    told = with_verdicts(judgement, B=verdict, C="same")
    took = spent(small_trial(catalogue), recipes(), Kit(), {}, {})[0]
    spending = {"B": took, "C": took}
    for units, square in ((METRIC, "square metre"), (Units("US"), "square foot")):
        step = next_steps(told, {"B": 60.0, "C": 50.0})[0]
        every = {r.choice: r.text for r in reasons(step, told.comparisons[0], told, Wording("cm"), spending, "", units)}
        minutes = spent_text(took, units).split("): ")[1].split(",")[0]
        assert minutes.endswith(square)
        whole = {"gap": ".+", "took": re.escape(minutes), "all": re.escape(spent_text(took, units, Wording("cm").noun))}
        shape = re.escape(keep)
        for name, words in whole.items():
            shape = shape.replace(rf"\{{{name}\}}", words)
        assert re.fullmatch(shape, every["keep"]), every["keep"]
        assert drop is None or every["drop"] == drop.format(took=minutes)


@pytest.mark.parametrize(
    ("verdict", "begins"),
    [
        ("better", "A gain is still there, with nothing given since: "),
        ("same", "No difference worth having is there now ("),
        ("no_worse", "No difference worth having is there now ("), ("worse", "It stands behind now: "),
        ("cannot_tell", "This look can’t tell whether anything is left of it: "),
    ],
)  # fmt: skip
def test_a_look_again_says_what_is_left(judgement, verdict, begins):
    told = with_verdicts(judgement, B=verdict, C="same")
    assert lasted_text(told.comparisons[0], told, Wording("cm")).startswith(begins)


def test_the_cheaper_that_gained_as_well_is_named_and_only_then(catalogue, judgement):
    """“Compost once: a gain that can't be told apart, for 4 minutes.”"""
    both = replace(with_verdicts(judgement, B="better_matters", C="better"), ranking=None)
    steps = {each.treatment: each for each in next_steps(both, {"B": 60.0, "C": 4.0})}
    assert (steps["B"].advised, steps["B"].cheaper) == ("drop", "C")
    assert (steps["C"].advised, steps["C"].cheaper) == ("ask again", "")
    for minutes in ({"B": 60.0, "C": 48.0}, {"B": 4.0, "C": 60.0}):
        assert next_steps(both, minutes)[0].advised == "keep"
    behind = with_verdicts(judgement, B="better_matters", C="better")
    assert [each.second for each in behind.ranking.behind("B")] == ["C", "A"] or "C" in {
        each.second for each in behind.ranking.behind("B")
    }
    assert next_steps(behind, {"B": 60.0, "C": 4.0})[0].advised == "keep", "C is shown to be behind"
    took = {each.name: each for each in spent(small_trial(catalogue), recipes(), Kit(), {}, {})}
    named = {"B": took["Comfrey steep"], "C": took["Plain water"]}
    said = reasons(steps["B"], both.comparisons[0], both, Wording("cm"), named, "")[0].text
    assert said == "C, 1 pour: no clear difference in gain, for 9.0 min instead of 6.5 min."


def test_on_a_ladder_the_best_rung_is_named(judgement):
    ladder = replace(judgement.question, ladder=(("A", 0.0), ("B", 1.0), ("C", 2.0)))
    told = replace(with_verdicts(judgement, B="better_matters", C="better"), question=ladder)
    steps = {each.treatment: each for each in next_steps(told, {})}
    assert (steps["B"].advised, steps["B"].best_rung) == ("keep", "")
    assert (steps["C"].advised, steps["C"].best_rung) == ("change", "B")


def test_a_rung_that_is_not_worth_having_is_nothing_to_go_over_to(judgement):
    ladder = replace(judgement.question, ladder=(("A", 0.0), ("B", 1.0), ("C", 2.0)))
    told = replace(with_verdicts(judgement, B="better_trivial", C="same"), question=ladder)
    steps = {each.treatment: each for each in next_steps(told, {})}
    assert [(each.advised, each.best_rung) for each in steps.values()] == [("drop", ""), ("drop", "")]


@pytest.mark.parametrize(
    ("costs", "advised", "said"),
    [
        (
            {"B": 0.1, "A": 0.6},
            "keep",
            "costs 0.10 € per square metre instead of 0.60 € per ",
        ),
        ({"B": 0.6, "A": 0.6}, "drop", "for 6.5 min of work: you get as much from A."),
        ({"B": 0.1}, "drop", "for 6.5 min of work: you get as much from A."),
    ],
)
def test_as_good_and_cheaper_is_kept_with_both_prices(catalogue, judgement, costs, advised, said):
    told = with_verdicts(judgement, B="same", C="same")
    step = next_steps(told, {}, costs)[0]
    assert step.advised == advised
    took = spent(small_trial(catalogue), recipes(), Kit(), {}, {})[0]
    priced = {name: replace(took, cost=costs.get(name, 0.0) * took.area_m2) for name in "ABC"}
    reason = reasons(step, told.comparisons[0], told, Wording("cm"), priced, "", currency="€")[0]
    assert (reason.choice, said in reason.text.replace("\N{NO-BREAK SPACE}", " ")) == (advised, True), reason.text


@pytest.mark.parametrize(
    ("held", "verdict", "title"),
    [
        ("lots", "seen_not_shown", "Ask again, with lots dealt before day 0"),
        ("applied as planned", "better", "Ask again, and give it as planned"),
        ("blind", "better", "Ask again"),
        ("", "cannot_tell", "Ask again with more units"),
        ("", "better", "Ask again"),
    ],
)
def test_how_it_is_asked_again_follows_what_was_to_blame(catalogue, judgement, held, verdict, title):
    told = with_verdicts(judgement, B=verdict, C="same")
    first = replace(told.comparisons[0], capped_by=held, needed=None)
    step = next_steps(replace(told, comparisons=(first, told.comparisons[1])), {})[0]
    took = spent(small_trial(catalogue), recipes(), Kit(), {}, {})[0]
    every = reasons(step, first, told, Wording("cm"), {"B": took, "C": took}, "")
    assert next(each.title for each in every if each.choice == "ask again") == title


def test_what_it_took_is_reckoned_from_what_was_given(catalogue):
    trial = small_trial(catalogue)
    steep = replace(trial.treatments[0], recipe="comfrey-steep")
    trial = replace(trial, treatments=(steep, trial.treatments[1]))
    recipe = recipes()["comfrey-steep"]
    by_recipe = spent(trial, recipes(), Kit(), {}, {})[0]
    assert (by_recipe.times, by_recipe.brews, by_recipe.from_record, by_recipe.cost) == (1, 0, False, None)
    assert by_recipe.pour_minutes == pytest.approx(6 * 45 / 60 + 2)
    brewed = replace(trial, pours=(replace(trial.pours[0], batch=7), trial.pours[1]))
    batch = Batch(7, recipe, 2 * recipe.yields)
    prices = {each.ingredient.key: 2.0 for each in recipe.portions}
    by_record = spent(brewed, recipes(), Kit(), prices, {7: batch})[0]
    assert (by_record.brews, by_record.from_record) == (1, True)
    assert by_record.brew_minutes == pytest.approx(recipe.minutes * 1.5)
    grams = sum(each.grams for each in recipe.portions if each.ingredient.key != "water")  # a price of its own
    assert by_record.cost == pytest.approx(2 * 2.0 * grams / 1000)
    shared = replace(trial, pours=tuple(replace(each, batch=7) for each in trial.pours))
    assert spent(shared, recipes(), Kit(), prices, {7: batch})[0].cost == pytest.approx(2.0 * grams / 1000)
    skipped = replace(trial, pours=tuple(replace(each, status="skipped") for each in trial.pours))
    nothing = spent(skipped, recipes(), Kit(), {}, {})[0]
    assert (nothing.minutes, nothing.cost, nothing.per_m2) == (0.0, 0.0, 0.0)
    assert spent_text(nothing) == "Nothing of it is on record as given, so nobody knows what it took."
    weekly = replace(trial, pours=tuple(replace(trial.pours[0], id=i, day=7 * i) for i in range(4)))
    assert spent(weekly, recipes(), Kit(), {}, {})[0].a_season == pytest.approx(26)
    assert reading_minutes(trial, read(trial, grown)) == pytest.approx(36 * catalogue["fresh_mass"].seconds / 60)


@pytest.mark.parametrize(
    ("like", "dealings"),
    [
        (Prospect(2, 2, False, "ratio", 0.12, 0.15), {"pairs", "completely random"}),
        (Prospect(4, 2, False, "ratio", 0.12, 0.15, crossed=True), {"blocks", "completely random"}),
        (Prospect(2, 6, False, "ratio", 0.06, 0.15, turns=True), {"on and off"}),
    ],
)
def test_the_cheapest_plan_is_just_enough_and_no_cheaper_one_is(catalogue, like, dealings):
    height = replace(catalogue["plant_height"], reading_cv=1e-9)
    plan = cheapest(like, height)
    step = 2 if like.turns else 1
    asked = replace(like, units=plan.units, blocks=plan.dealing in ("pairs", "blocks"))
    assert plan.dealing in dealings
    assert plan.chance == own_power(asked) >= 0.8
    if plan.units > (6 if like.turns else 2):
        assert own_power(replace(asked, units=plan.units - step)) < 0.8
    assert plan.minutes == pytest.approx(like.treatments * plan.units * (height.seconds + 45) / 60)
    assert cheapest(replace(like, noise=1.4, worth=0.001), height) is None


def test_readings_are_added_where_they_are_cheaper_than_units(catalogue):
    height, like = catalogue["plant_height"], Prospect(2, 2, False, "ratio", 0.12, 0.15)
    plan = cheapest(like, height)
    several = cheapest(like, replace(height, reading_cv=3 * height.noise_cv, seconds=10))
    assert (plan.per_unit, several.per_unit > 1, several.units < plan.units) == (1, True, True)
    assert settling_words(plan, "patch").startswith(
        f"The cheapest plan that would settle it: {plan.units} patches per treatment, dealt anywhere. A round and"
    )


@pytest.mark.parametrize(
    ("summary", "scale", "worth"), [("last", "ratio", 0.15), ("rate", "ratio", 0.01), ("time_to", "difference", 3.0)]
)
def test_where_no_trial_tells_a_noise_the_usual_one_of_what_counts_is_taken(catalogue, summary, scale, worth):
    """A rate a day differs by less than what is read on the last day; days of reaching a level differ by days."""
    trial = replace(small_trial(catalogue), summary=summary, worth=worth, scale=scale)
    noise = noise_of(trial.asked[0].measure, scale, None, None, summary, trial.decision_day).value
    like = Prospect(2, 2, False, scale, noise, worth)
    plan = settling_of(trial, None)
    assert replace(plan, low=0, high=None) == cheapest(like, trial.asked[0].measure)
    assert plan.low < plan.units < plan.high, "quiet ground takes fewer, restless ground more"
    graded = settling_of(replace(trial, site=replace(trial.site, gradient=Gradient("slope", 0))), None)
    free = cheapest(like, trial.asked[0].measure, graded=noise_without_blocks(Site((), Gradient("slope", 0))))
    assert replace(graded, low=0, high=None) == free
    assert free.dealing == "pairs", "where something runs across the ground, blocks are cheaper"


def test_verdict_and_what_next_name_one_number(catalogue, judgement):
    plan = settling_of(small_trial(catalogue), None)
    told = with_needed(with_verdicts(judgement, B="cannot_tell", C="better"), plan).comparisons
    assert (told[0].needed, told[1].needed) == (Needed(plan.low, plan.units, plan.high, plan.per_unit), None)
    assert with_needed(judgement, None).comparisons[0].needed is None


def test_two_things_at_once_are_settled_by_half_the_units():
    """Each of the two is asked by all units, but shares the 5 % with five more: two thirds or so of what one treatment
    alone against the control takes."""
    alone = fewest(Prospect(2, 2, False, "ratio", 0.2, 0.1))
    crossed = fewest(Prospect(4, 2, False, "ratio", 0.2, 0.1, crossed=True))
    assert alone / 2 <= crossed <= 0.8 * alone


@given(st.floats(0.1, 5_000))
def test_more_ground_takes_more_and_what_stays_in_the_vessel_is_mixed_too(area):
    steep = recipes()["comfrey-steep"]
    tools = [equipment()[key] for key in LADDER]
    can, backpack, tank, drip = ways(steep, area, 2.0, 10.0, tools)
    for way in (can, backpack, tank, drip):
        assert way.litres == pytest.approx(2.0 * area)
        assert way.mixed == pytest.approx(way.litres + way.lost)
        assert way.concentrate == pytest.approx(way.mixed / 11)
        assert way.fills * (way.equipment.litres - way.equipment.lost) >= way.litres * (1 - 1e-9)
        assert way.cautions
    assert can.lost == 0
    assert can.fills >= backpack.fills >= tank.fills >= drip.fills
    assert ways(steep, area, 2.0, 500.0, tools)[3].too_weak.startswith("Drip injection gives 1 + 200 at most")


def test_no_ground_is_refused():
    with pytest.raises(MixError, match="an area above 0"):
        ways(recipes()["comfrey-steep"], 0.0, 2.0, None, [equipment()["can"]])
