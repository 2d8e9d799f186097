"""The practice garden: scenes that deceive in the way they say, judged honestly; what one learns; plots and plans."""

import itertools
from collections import Counter
from dataclasses import replace
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.catalogue import CatalogueError, lessons, measures
from eproba.core.catalogue import made as catalogue_made
from eproba.core.judging.judge import judge_together
from eproba.core.planning.chance import chances
from eproba.core.planning.prospect import Prospect
from eproba.core.practice.deck import EITHER, Card, deck, next_card
from eproba.core.practice.learning import Kind, Said, by_kind, calibration, overconfidence, standing
from eproba.core.practice.plots import OwnPlan, PlotError, Task, best_plan, garden, harvest, minutes_of, task_of
from eproba.core.practice.scenes import EYE, caught, right, scene_of, seed_for, told_facts
from eproba.core.practice.traps import FAIR, TRAPS
from eproba.core.stats.series import Question

HEIGHT = measures()["plant_height"]
SEEDS = range(12)


@pytest.mark.parametrize("trap", TRAPS)
def test_each_trap_deceives_the_eye_and_not_the_judging(trap):
    """What is false looks like a gain, and judging never calls it one; a true gain is mostly found."""
    scenes = [scene_of(trap, seed, measures()) for seed in SEEDS]
    assert scenes[3] == scene_of(trap, 3, measures()), "the same seed grows the same"
    assert len({scene.gap for scene in scenes}) == len(scenes)
    verdicts = Counter(scene.verdict for scene in scenes)
    if trap == "true gain":
        assert all(scene.works for scene in scenes)
        assert verdicts["better"] + verdicts["better_matters"] >= 8
        return
    if trap == "nothing":
        assert not any(scene.works for scene in scenes)
        return
    assert all(scene.gap >= EYE for scene in scenes)
    assert all(scene.open or scene.verdict == "same" for scene in scenes), verdicts


@pytest.mark.parametrize("trap", TRAPS)
def test_every_scene_has_its_story_with_its_own_numbers(trap):
    lesson, scene = lessons()[trap], scene_of(trap, 7, measures())
    story, fooled = lesson.told(told_facts(scene)), lesson.revealed(told_facts(scene))
    assert "{" not in story + fooled
    assert scene.thing.lower() in story.lower()
    others = [value for unit in scene.seen for value in unit.values]
    assert (None in others) == (trap == "drop-outs")


def test_a_lesson_of_no_scene_is_refused():
    from eproba.core.catalogue import lesson_from

    with pytest.raises(CatalogueError, match="there is no such scene"):
        catalogue_made("lessons.toml", {"luck": {"title": "", "story": "", "fooled": "", "against": ""}}, lesson_from)


def test_right_is_the_truth_or_that_nobody_can_tell():
    beds = next(scene for scene in (scene_of("one bed each", seed, measures()) for seed in range(40)) if scene.works)
    assert [right(beds, says) for says in ("works", "does nothing", "can’t tell")] == [True, False, True]
    assert [caught(beds, says) for says in ("works", "does nothing", "can’t tell")] == [True, True, False], "by luck"
    gain = next(scene for scene in (scene_of("true gain", seed, measures()) for seed in SEEDS) if not scene.open)
    assert [right(gain, says) for says in ("works", "does nothing", "can’t tell")] == [True, False, False]
    assert [caught(gain, says) for says in ("works", "does nothing", "can’t tell")] == [False, True, True]


def said(trap, caught=False, sure=80, right=True):
    return Said(trap, sure, right, caught)


def test_a_trap_stands_by_its_last_rounds():
    history = [said("peeking", caught=True), said("gradient"), said("nothing")]
    assert [standing(history, trap) for trap in ("peeking", "gradient", "colouring")] == [
        "catches", "once seen through", "not met",
    ]  # fmt: skip
    seen = [*history, said("peeking"), said("regression"), said("peeking")]
    assert standing(seen, "peeking") == "seen through"
    assert standing([*seen, said("peeking", caught=True)], "peeking") == "catches"


@given(st.text(max_size=8), st.integers(0, 50), st.sets(st.sampled_from(TRAPS)))
def test_a_deck_holds_every_kind_within_twelve_and_half_of_it_works(by, number, catching):
    cards = deck(by, number, [said(trap, caught=True) for trap in sorted(catching)])
    assert {card.trap for card in cards[:12]} == set(TRAPS)
    assert 2 * sum(card.works for card in cards) == len(cards)
    assert all(card.works == (card.trap == "true gain") for card in cards if card.trap not in EITHER)
    pairs = [(one.trap, two.trap) for one, two in pairwise(cards)]
    assert sum(one == two for one, two in pairs) <= 1, "the last of a long deck alone"
    others = [card.trap in catching for card in cards if card.trap != "true gain"]
    assert others == sorted(others, reverse=True), "what still catches comes first"


def test_decks_follow_one_another_and_no_round_comes_twice():
    history = []
    for _ in range(40):
        history.append(said(next_card(history, "Ann").trap))
    first, second = deck("Ann", 0, []), deck("Ann", 1, history[: len(deck("Ann", 0, []))])
    assert [past.trap for past in history[: len(first) + len(second)]] == [card.trap for card in first + second]
    assert [next_card([], by) for by in "abcdef"] != [next_card([], "a")] * 6


def test_a_seed_grows_the_truth_of_its_card():
    for card in (Card("gradient", True), Card("gradient", False), Card("true gain", True)):
        scene = scene_of(card.trap, seed_for(card, itertools.count(), measures()), measures())
        assert (scene.trap, scene.works) == (card.trap, card.works)


def test_calibration_is_share_right_by_sureness():
    history = [said("nothing", sure=90, right=i < 2) for i in range(4)] + [said("gradient", sure=50)]
    assert [(each.sure, each.rounds, each.right) for each in calibration(history)] == [(50, 1, 1), (90, 4, 2)]
    assert overconfidence(history) == pytest.approx((4 * 90 + 50 - 300) / 5)
    assert (calibration([]), overconfidence([])) == ([], 0.0)
    assert by_kind(history) == [Kind("Fair trials", 4, 2, 90.0), Kind("Trials with a trap", 1, 1, 50.0)]
    assert by_kind(history[4:]) == [Kind("Trials with a trap", 1, 1, 50.0)]


TASK = Task(1, 18, 12.0, 0.2, 0.1, 0.0)


@pytest.mark.parametrize(("treatments", "units", "blocks"), [(3, 6, True), (2, 6, False)])
def test_simulated_false_alarms_and_finds_are_those_of_the_chance_page(treatments, units, blocks):
    """The simulator, judged garden by garden, against planning: within the Monte Carlo error of both."""
    gardens = 300
    flat = replace(TASK, pots=treatments * units, reading_sd=1e-9)
    plan = OwnPlan(treatments, units, 1, blocks)
    noise = chances(Prospect(treatments, units, blocks, "ratio", 0.1003, flat.worth), trials=2_000)
    question = Question("Plain water", "ratio", flat.worth, dealt=False)
    shares = {}
    for effect in (0.0, flat.worth):
        trials = [garden(flat, plan, HEIGHT, effect, number, light=0.0) for number in range(gardens)]
        judged = judge_together(trials, question, in_full=False)
        mine = [next(c for c in j.comparisons if c.treatment == "Comfrey steep").verdict for j in judged]
        alarm = [any(c.verdict.startswith(("better", "worse")) for c in j.comparisons) for j in judged]
        shares[effect] = (sum(alarm) / gardens, sum(v.startswith("better") for v in mine) / gardens)
    error = 3 * (0.25 / gardens) ** 0.5
    assert shares[0.0][0] == pytest.approx(noise.family_false_alarm, abs=3 * (0.05 * 0.95 / gardens) ** 0.5 + 0.012)
    assert shares[flat.worth][1] == pytest.approx(noise.own, abs=error)


def test_a_plot_refuses_what_it_does_not_hold():
    assert task_of(4) == task_of(4)
    for plan, why in (
        (OwnPlan(2, 10, 1, True), "2 × 10 = 20 pots; there is room for 18."),
        (OwnPlan(2, 9, 9, True), "Reading 18 pots 9 times each takes 32.4 minutes; you have 12"),
        (OwnPlan(5, 2, 1, True), "2 to 4 treatments, the control counted."),
        (OwnPlan(2, 0, 1, True), "At least one unit of each"),
    ):
        with pytest.raises(PlotError) as refused:
            harvest(TASK, plan, HEIGHT)
        assert why in str(refused.value)


def test_the_best_plan_fits_and_finds_more_than_a_thin_one():
    task = task_of(4)
    best = best_plan(task, HEIGHT)
    assert minutes_of(best, HEIGHT) <= task.minutes
    assert 2 * best.units <= task.pots
    thin = harvest(task, OwnPlan(3, 3, 1, False), HEIGHT)
    assert harvest(task, best, HEIGHT).found > thin.found + 10
    alone = harvest(task, OwnPlan(2, 1, 1, False), HEIGHT)
    assert (alone.found, dict(alone.works)) == (0, {"seen_not_shown": 100})
    assert set(FAIR) < set(TRAPS)
