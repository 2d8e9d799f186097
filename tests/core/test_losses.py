"""Units lost, few or far: what the verdict may say of them, at both sides of each rule."""

import math
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from eproba.core.applying.spent import Spent
from eproba.core.judging.from_trial import unit_values
from eproba.core.judging.judge import judge, judge_together
from eproba.core.judging.lost import LOSS_MARGIN, losses_of
from eproba.core.judging.next_step import next_steps
from eproba.core.stats.series import Question, UnitValue
from eproba.core.wording.next_step import reasons
from eproba.core.wording.sentences import Wording, headline, sentence
from tests.core.cases import made_up, reading, small_trial

CALM = [9.0, 11.0, 10.0, 9.5, 10.5, 9.8, 10.2, 10.0]


def arm(name, values, lost=0, last=None, **more):
    living = [UnitValue(f"{name}{i}", name, float(v), **more) for i, v in enumerate(values)]
    return living + [UnitValue(f"{name}lost{i}", name, None, last=last) for i in range(lost)]


def one(units, **question):
    judgement = judge(units, Question("Water", **question))
    return judgement.comparisons[0], judgement


def said(judgement, rule):
    return [(line.level, line.says, line.cap) for line in judgement.trust if line.rule == rule]


# --- Losses as an outcome --------------------------------------------------------------------------------------


def test_what_may_kill_is_no_worse_for_nobody_and_is_not_kept():
    """Three of eight are lost beside none: luck can do that, and yet nobody can call it as good."""
    units = [*arm("Water", CALM), *arm("Whey", CALM[:5], lost=3)]
    whey, judgement = one(units, no_worse=True, worth=4.0)
    assert (whey.uncapped, whey.verdict, whey.capped_by) == ("no_worse", "cannot_tell", "lost by treatment")
    assert whey.losses.p == pytest.approx(0.2)
    assert sentence(whey, judgement, Wording()).endswith(
        "Whey lost 3 of 8 units, Water none of 8. Luck can do that, but nobody can rule out that Whey did harm."
    )
    (step,) = next_steps(judgement, {})
    assert step.advised == "ask again"
    kept, _ = one([*arm("Water", CALM), *arm("Whey", CALM)], no_worse=True, worth=4.0)
    assert (kept.verdict, kept.losses) == ("no_worse", None)


@pytest.mark.parametrize(("of", "beyond"), [(10, False), (9, True)])
def test_the_margin_on_losses_is_a_tenth(of, beyond):
    units = [*arm("Water", CALM), *arm("Whey", [10.0] * (of - 1), lost=1)]
    assert losses_of(units, "Water")["Whey"].beyond_margin == beyond
    assert LOSS_MARGIN == 0.1


def test_what_is_shown_to_kill_is_no_gain_whatever_the_survivors_gave():
    units = [*arm("Water", CALM), *arm("Whey", [19.0, 20.0, 21.0], lost=7)]
    whey, judgement = one(units, worth=1.0)
    assert (whey.uncapped, whey.verdict, whey.kills) == ("better_matters", "seen_not_shown", True)
    assert headline(whey, judgement) == "More units lost"
    assert sentence(whey, judgement, Wording()).startswith(
        "Whey lost 7 of 10 units, Water none of 8: more than luck would take (p = 0.004). Whey gave"
    )
    assert next_steps(judgement, {})[0].advised == "drop"
    worse, judgement = one([*arm("Water", CALM), *arm("Whey", [1.0, 2.0, 1.5], lost=7)], worth=1.0)
    assert worse.verdict == "worse_matters", "what harms the survivors too is told as harm"
    assert headline(worse, judgement) == "More units lost; worse, and by enough to matter"


def test_a_gain_beside_losses_that_luck_can_make_is_asked_again_before_it_is_kept():
    sure, judgement = one([*arm("Water", CALM), *arm("Whey", [v + 40 for v in CALM[:7]], lost=1)], worth=1.0)
    assert (sure.verdict, sure.losses.shown, sure.may_kill) == ("better_matters", "", True)
    (step,) = next_steps(judgement, {})
    assert step.advised == "ask again"
    spent = {name: Spent(name[0], name, 8, 2.0, 1, 1, True, 5.0, 5.0, None, 1.0) for name in ("Whey", "Water")}
    first, *others = reasons(step, sure, judgement, Wording(), spent, "")
    told = "Whey lost 1 of 8 units, Water none of 8. Luck can do that, but nobody can rule out that Whey did harm."
    assert (first.choice, first.text) == ("ask again", f"{told} With units to spare, the next trial can tell.")
    assert {reason.choice: reason.text for reason in others}["keep"] == told


# --- The lost at their worst -----------------------------------------------------------------------------------


def test_equal_losses_are_asked_too():
    """The worst two of six lost in one arm, the best two in the other: the gap is made by who is missing."""
    control, treated = [8.6, 9.2, 9.7, 10.1, 10.6, 11.4], [9.0, 9.6, 10.2, 10.6, 11.1, 11.9]
    whey, judgement = one([*arm("Water", control[:4], lost=2), *arm("Whey", treated[2:], lost=2)])
    assert whey.uncapped == "better"
    assert (whey.verdict, whey.capped_by) == ("seen_not_shown", "lost by treatment")
    assert ("cap", "turns with the lost", "described") in said(judgement, "lost by treatment")
    clear, judgement = one([*arm("Water", control[:4], lost=1), *arm("Whey", [v + 20 for v in treated], lost=0)])
    assert clear.verdict == "better"
    assert said(judgement, "lost by treatment") == [("note", "stands with the lost", None)]


def test_no_difference_and_a_gain_of_little_must_stand_with_the_lost_too():
    alike, judgement = one([*arm("Water", CALM, lost=3), *arm("Whey", [v + 0.05 for v in CALM])], worth=0.9)
    assert (alike.uncapped, alike.verdict) == ("same", "cannot_tell")
    assert ("cap", "weakens with the lost", "direction") in said(judgement, "lost by treatment")
    far, _ = one([*arm("Water", CALM, lost=1), *arm("Whey", [v + 4 for v in CALM])], worth=3.0)
    assert (far.uncapped, far.verdict) == ("better_matters", "better"), "better it stays, by enough it does not"


def test_what_one_of_two_things_does_must_stand_with_the_lost_of_all_four_arms():
    """No single comparison shows it, the effect over both does; with the lost at their worst it does not stand."""
    values = {"Water": [9, 10, 11, 10.4], "Whey": [10.6, 11.4, 12.2, 11.1], "Salt": [9.4, 10.2, 11.1, 10],
              "Both": [10.8, 11.7, 12.4, 11.2]}  # fmt: skip
    things = {"Water": "", "Whey": "1", "Salt": "2", "Both": "12"}
    units = [unit for name, group in values.items() for unit in arm(name, group)]
    question = Question("Water", crossed=tuple(things.items()))
    whole = judge(units, question)
    assert whole.effects[0].verdict == "better"
    gone = judge([*units, UnitValue("x", "Both", None), UnitValue("y", "Salt", None)], question)
    assert (gone.effects[0].uncapped, gone.effects[0].verdict) == ("better", "seen_not_shown")
    assert gone.effects[0].capped_by == "lost by treatment"
    assert [line.of for line in gone.trust if line.says == "effect with the lost"] == ["effect 1"]


def test_a_lost_unit_keeps_its_last_readings():
    """Read until it was put down as lost: that counts for the worst it may have been, and is told."""
    steady = [*arm("Water", CALM), *arm("Whey", [v + 2 for v in CALM])]
    plain, judgement = one([*steady, UnitValue("x", "Whey", None)], worth=0.5)
    assert plain.verdict.startswith("better")
    put_aside, judgement = one([*steady, UnitValue("x", "Whey", None, last=-30.0)], worth=0.5)
    assert (put_aside.uncapped[:6], put_aside.verdict) == ("better", "seen_not_shown")
    assert ("caution", "another as last seen", None) in said(judgement, "lost by treatment")


def test_the_last_readings_of_a_lost_unit_come_from_its_course(catalogue):
    trial = small_trial(catalogue, "plant_height")
    gone = replace(trial.units[0], lost_on=trial.date_of(20), lost_reason="mice")
    lost = replace(trial, units=(gone, *trial.units[1:]))
    readings = [
        reading(trial, 100 * this.day + unit.id, this, unit, "plant_height", 10.0 + this.day + unit.id)
        for this in trial.rounds
        for unit in trial.units
        if unit.id != gone.id or this.day < 20
    ]
    values = unit_values(lost, trial.asked[0], readings)
    assert (values[0].value, values[0].last) == (None, 24.0)
    assert {value.last for value in values[1:]} == {None}
    assert not any(value.unread for value in values)
    skipped = [kept for kept in readings if (kept.unit_id, kept.round_id) != (3, trial.rounds[-1].id)]
    unread = unit_values(lost, trial.asked[0], skipped)[3]
    assert (unread.value, unread.unread) == (None, True), "it lives, and nobody read it: that is no loss"
    assert losses_of([unread, *values[1:3]], "Plain water") == {}
    never = [kept for kept in readings if kept.unit_id != gone.id or kept.round_id == trial.rounds[0].id]
    assert unit_values(lost, trial.asked[0], never)[0].last is None, "a baseline alone tells nothing of it"


# --- Few and far -----------------------------------------------------------------------------------------------


def test_two_beside_eight_show_a_direction_at_most():
    two, judgement = one([*arm("Water", CALM), *arm("Whey", [19.8, 20.2])], worth=1.0)
    assert (two.uncapped, two.verdict, two.capped_by) == ("better_matters", "better", "replication")
    assert said(judgement, "replication") == [("cap", "two units", "direction")]
    three, _ = one([*arm("Water", CALM), *arm("Whey", [19.8, 20.0, 20.2])], worth=1.0)
    assert three.verdict == "better_matters"


def test_a_direction_that_hangs_on_one_unit_of_a_noisy_arm_is_described():
    quiet = [10.0, 10.1, 9.9, 10.05, 9.95, 10.0]
    lone = [10.6, 10.9, 11.4, 10.3, 12.2, 10.2]
    wild, judgement = one([*arm("Water", quiet), *arm("Whey", lone)])
    assert ("caution", "much noisier", None) in said(judgement, "one noisier")
    assert (wild.uncapped, wild.verdict) == ("better", "seen_not_shown")
    assert wild.capped_by == "one noisier"
    sure, judgement = one([*arm("Water", quiet), *arm("Whey", [v + 10 for v in lone])])
    assert sure.verdict == "better"
    assert said(judgement, "one noisier") == [("caution", "much noisier", None)]
    _, judgement = one([*arm("Water", CALM), *arm("Whey", [v + 1.3 for v in CALM])])
    assert said(judgement, "one noisier") == []


def test_three_that_lie_close_by_luck_are_asked_for_the_noise_of_all():
    lucky = [*arm("Water", [10, 10.2, 9.8, 10.1]), *arm("Whey", [11, 11.02, 11.04]), *arm("Comfrey", [7.0, 13, 10])]
    whey, _ = one(lucky)
    assert (whey.uncapped, whey.verdict, whey.capped_by) == ("better", "seen_not_shown", "own noise")
    many = [*arm("Water", [10.0, 10.2, 9.8, 10.1]), *arm("Whey", [11.0, 11.02, 11.04, 11.03]), *lucky[-3:]]
    assert one(many)[0].verdict == "better"


def test_noise_that_is_borrowed_shows_a_direction_at_most():
    """Anywhere, and in blocks, where the third arm's noise leaks into the others: a pair alike in every block."""
    flat = [*arm("Water", [3.0] * 4), *arm("Whey", [9.0] * 4), *arm("Comfrey", [3.0, 4.0, 5.0, 3.2])]
    assert (one(flat, worth=1.0)[0].uncapped, one(flat, worth=1.0)[0].verdict) == ("better_matters", "better")
    level = {"0": 0.0, "1": 5.0, "2": 2.0, "3": 9.0}
    blocked = [replace(unit, block=unit.unit[-1], value=unit.value + level[unit.unit[-1]]) for unit in flat]
    whey, _ = one(blocked, worth=1.0)
    assert whey.own is not None, "the model has noise for it, all of it the third arm’s"
    assert (whey.uncapped, whey.verdict, whey.capped_by) == ("better_matters", "better", "own noise")


# --- All of it at once -----------------------------------------------------------------------------------------

OPTIONS = (
    {"ranked": True},
    {"worth": 1.0, "no_worse": True},
    {"ladder": (("A", 0.0), ("B", 1.0), ("C", 2.0), ("D", 3.0))},
    {"crossed": (("A", ""), ("B", "1"), ("C", "2"), ("D", "12"))},
    {"kind": "count"},
    {"kind": "class"},
    {"scale": "ratio", "worth": 0.1, "lower_is_better": True, "ranked": True},
    {"worth": 1.0, "confidence": 0.9, "dealt": False, "usual_sd": 2.0},
)


@pytest.mark.parametrize("options", OPTIONS, ids=lambda options: "-".join(options))
@settings(max_examples=2, deadline=None)
@given(seed=st.integers(0, 99), lost=st.integers(0, 2), blocks=st.booleans())
def test_many_measures_at_once_are_judged_as_one_by_one(options, seed, lost, blocks):
    series = []
    for k in range(3):
        units = made_up(seed + k, treatments=4, blocks=blocks, effect=3.0 * k)
        series.append([replace(u, value=None if n < lost else round(u.value)) for n, u in enumerate(units)])
    together = judge_together(series, Question("A", **options))
    for units, judgement in zip(series, together, strict=True):
        assert told(judgement) == told(judge(units, Question("A", **options)))


def told(judgement):
    """Everything that is said, figures to nine digits."""
    ranking = judgement.ranking
    return (
        [(c.treatment, c.verdict, c.uncapped, c.capped_by, rounded(c.own), rounded(c.pooled), c.order, c.losses)
         for c in judgement.comparisons],
        None if ranking is None else [(p.first, p.second, round(p.gap, 9), round(p.high, 9)) for p in ranking.pairs],
        [(effect.of, effect.verdict, rounded(effect.figures)) for effect in judgement.effects],
        None if judgement.trend is None else round(judgement.trend.high, 9),
        [(line.rule, line.says, line.of) for line in judgement.trust],
    )  # fmt: skip


def rounded(figures):
    return None if figures is None else {name: round(value, 9) for name, value in vars(figures).items()}


def test_the_largest_numbers_that_can_be_typed_are_judged_in_percent():
    units = [*arm("Water", [1.7e308, 1e-300, 1.2e308]), *arm("Whey", [1e-308, 1e-300, 1e308])]
    whey, judgement = one(units, scale="ratio", worth=0.1)
    assert whey.verdict == "cannot_tell"
    assert all(math.isfinite(end) for end in vars(whey.percent).values())
    assert sentence(whey, judgement, Wording())
