"""Trials of one question: what makes them one, who stands aside and why, what they say together and apart."""

import math
from dataclasses import replace
from datetime import date

import pytest
from scipy import stats

from eproba.core.judging.across import answers_of, differences, together
from eproba.core.judging.answers import Answer, Asks, Told, question_key, questions_of
from eproba.core.judging.from_trial import judge_trial
from eproba.core.stats.combining import combine, one_more, supposed
from eproba.core.wording.sentences import Wording
from eproba.core.wording.together import (
    disagreement,
    few_together,
    headline_together,
    sentence_together,
    stake_text,
    weighing,
)
from eproba.core.words import figure
from tests.core.cases import small_trial
from tests.core.test_trial_to_words import grown, read

ASKS = Asks("plant_height", "water control", "difference", "last", 28, "as the recipe has it", worth=2.0)
CM = Wording("cm")


def told(name="May", gap=3.0, se=0.5, left_out="", asks=ASKS, verdict="better", held="", fingerprint="", **was):
    answer = Answer("q", "A", "Steep", "Water", asks, gap, se, 10.0, verdict, held, was, fingerprint or name)
    return Told(name, answer, left_out)


def why(*trials):
    return {each.trial: reason for each, reason in together(trials).aside}


def test_the_key_is_of_measure_thing_and_control_and_of_rungs_by_name(catalogue):
    trial = small_trial(catalogue)
    first = question_key(trial, trial.treatments[0])
    assert questions_of(trial) == {"A": first}
    renamed = replace(trial.treatments[0], name="  comfrey   STEEP")
    assert question_key(trial, renamed) == first
    brewed = replace(trial.treatments[0], recipe="comfrey-steep")
    assert question_key(trial, brewed) == question_key(trial, replace(brewed, name="What Ida makes"))
    ladder = replace(trial, treatments=(brewed, replace(brewed, name="Weaker", letter="C"), trial.treatments[1]))
    assert question_key(ladder, brewed) != question_key(ladder, ladder.treatments[1])
    bare = replace(trial, treatments=(trial.treatments[0], replace(trial.treatments[1], role="untreated")))
    assert question_key(bare, trial.treatments[0]) != first


def test_what_a_trial_says_is_its_gap_with_its_own_error(catalogue):
    trial = small_trial(catalogue)
    judgement = judge_trial(trial, trial.asked[0], read(trial, grown))
    (answer,) = answers_of(trial, judgement)
    (comparison,) = judgement.comparisons
    assert (answer.gap, answer.se, answer.df) == (comparison.estimate, comparison.own.se, comparison.own.df)
    assert answer.asks.day == 28
    assert {name: answer.was[name] for name in ("season", "place", "units", "dose", "given on")} == {
        "season": "May 2026", "place": "Pots", "units": "6 pots of each", "dose": "250 mL each",
        "given on": "once, on day 0",
    }  # fmt: skip
    ended = replace(trial, ended_on=date(2026, 5, 15), ended_reason="frost")
    (early,) = answers_of(ended, judge_trial(ended, trial.asked[0], read(trial, grown, (0, 1))))
    assert early.asks.day == 14, "it speaks of the day that was judged"


@pytest.mark.parametrize(
    ("other", "reason"),
    [
        ({"asks": replace(ASKS, scale="ratio")}, "on another scale (ratio, the others difference)"),
        ({"asks": replace(ASKS, summary="rate")}, "another number of each unit counts (last, change, rate …)"),
        ({"asks": replace(ASKS, lower_is_better=True)}, "there the other direction was the good one"),
        ({"asks": replace(ASKS, strength="1 + 5")}, "another strength (1 + 5; the others as the recipe has it)"),
        ({"asks": replace(ASKS, day=25)}, "decided on day 25; the others on day 28"),
        ({"se": None}, "described only: it has no error that could be told"),
        ({"verdict": "seen_not_shown", "held": "lots"}, "its own ledger lets it be no more than a description (lots)"),
        ({"fingerprint": "May"}, "the same plan and lots as “May”: a trial counts once"),
        ({"left_out": "the hose burst"}, "left out: the hose burst"),
    ],
)
def test_who_stands_aside_and_why(other, reason):
    assert why(told("May"), told("June"), told("July", **other)) == {"July": reason}


def test_near_days_another_worth_and_another_dose_count_and_are_told():
    joined = together([
        told("May", dose="1 L", season="May 2026"),
        told("June", asks=replace(ASKS, day=26, worth=3.0), dose="1 L", season="June 2026"),
        told("July", dose="2 L", season="July 2026"),
    ])  # fmt: skip
    assert joined.aside == ()
    assert joined.asks.worth == 2.0
    assert joined.differs == {"season": ("May 2026", "June 2026", "July 2026"), "dose": ("1 L", "1 L", "2 L")}
    assert list(differences([{"dose": "1", "season": "a"}, {"dose": "2", "season": "b"}])) == ["season", "dose"]


def test_three_agree_and_say_where_the_next_garden_lies():
    joined = together([told("May", 3.0), told("June", 3.4), told("July", 2.9)])
    assert (joined.verdict, joined.distance) == ("better", None)
    assert headline_together(joined) == "Better; whether by enough is open, over 3 trials"
    said = sentence_together(joined, CM)
    assert said == (
        "On the whole Steep gave +3.1 cm against Water; the true gap is likely between 1.9 cm more and 4.3 cm "
        "more. In another garden, expect anything from 0.57 cm less to 6.8 cm more."
    )
    assert stake_text(joined.stakes[0], joined, CM) == "+3.0 cm (likely between +1.9 cm and +4.1 cm)"
    assert disagreement(joined) == "No trial disagrees: their gaps differ as much as luck alone makes them."


def test_three_say_how_little_they_show_and_what_a_fourth_adds():
    """The verdict stays with the bound that supposes nothing; the other one is marked as a supposition."""
    joined = together([told("May", 1.6, 0.6), told("June", 2.2, 0.6), told("July", 1.9, 0.6)])
    assert joined.verdict == "better"
    gaps, errors = [1.6, 2.2, 1.9], [0.6] * 3
    assert one_more(3) == pytest.approx(stats.t.ppf(0.975, 3) * math.sqrt(3 / 4) / stats.t.ppf(0.975, 2))
    plain, low_high = combine(gaps, errors), supposed(gaps, errors, 2.0)
    assert joined.supposed == low_high
    assert plain.low < low_high[0] < plain.estimate < low_high[1] < plain.high
    low, high = map(figure, low_high)
    assert few_together(joined, CM) == (
        "Three trials show only a large gap, since how much gardens differ is hardly known yet. One more trial like "
        "these takes the span to about 64 % of this one.",
        f"If gardens differ by no more than about 2 cm, "
        f"the true gap is likely between {low} cm more and {high} cm more. "
        "That is a supposition "
        "(dashed); the verdict does not go by it.",
    )
    assert few_together(together([told(str(n), 2.0, 0.5) for n in range(6)]), CM)[0].startswith("If gardens differ")
    without = replace(ASKS, worth=None)
    assert len(few_together(together([told(str(n), 2.0, 0.5, asks=without) for n in range(3)]), CM)) == 1


def test_a_supposition_that_gardens_hardly_differ_is_the_plain_mean_and_a_wide_one_is_wider():
    """A scatter of nothing gives the mean of equal errors by the normal; the more is supposed, the wider it is."""
    gaps, errors = [1.0, 2.0, 3.0], [1.0] * 3
    low, high = supposed(gaps, errors, 1e-4)
    assert (low, high) == pytest.approx((2 - 1.959964 / 3**0.5, 2 + 1.959964 / 3**0.5), abs=1e-3)
    spans = [high - low for low, high in (supposed(gaps, errors, scale) for scale in (0.1, 1.0, 10.0))]
    assert spans == sorted(spans)
    doubled = supposed([10 * gap for gap in gaps], [10.0] * 3, 10.0)
    assert doubled == pytest.approx([10 * end for end in supposed(gaps, errors, 1.0)])


def test_one_that_disagrees_is_named_with_what_it_has_alone():
    four = [told(name, 3.0 + i / 10, place="plot") for i, name in enumerate(("May", "June", "July", "August"))]
    joined = together([*four, told("Roof", 5.2, place="roof")])
    assert disagreement(joined) == (
        "The combined result disagrees with 1 trial of 5: “Roof”. Only that trial differs from the others in place. "
        "That is a hint, no more."
    )
    seasons = [told(name, 3.0 + i / 10, season=name) for i, name in enumerate(("May", "June", "July", "August"))]
    each_its_own = together([*seasons, told("Roof", 5.2, season="September")])
    assert disagreement(each_its_own).endswith(
        "Only season differs there, and that differs in every trial, which explains nothing."
    )
    both_its_own = together(
        [*(told(name, 3.0 + n / 10, season=name, crops=f"chard {n}") for n, name in enumerate("abcd")),
         told("Roof", 5.2, season="September", crops="kale")]
    )  # fmt: skip
    assert "Only season and crops differ there, and those differ in every trial" in disagreement(both_its_own)
    unmarked = together([*four, told("Roof", 5.2, place="plot")])
    assert disagreement(unmarked).endswith("Nothing in the records explains why.")
    two = [told("Roof", 5.0, place="roof"), told("Shed", 5.1, place="shed")]
    both = disagreement(together([*four, *(told(f"{n}", 3.1 + n / 10, place="plot") for n in range(4)), *two]))
    assert "2 trials of 10" in both
    hint = "Only those trials differ from the others in place. That is a hint, no more."
    assert both.endswith(hint), "each in a place of its own"
    many = [told(f"{n}", 3.0 + n / 50 if n < 30 else 6.0 + n / 10, place="plot") for n in range(36)]
    assert "15 trials of 36: “0”, “1”, “2”, “3” and “4” and more. Nothing" in disagreement(together(many))
    spread = together([told("May", -9.0), told("June", 0.0), told("July", 9.0, 0.4), told("August", 5.0, 0.4)])
    assert disagreement(spread).startswith("They all disagree with one another")


def test_two_are_told_side_by_side_and_never_averaged_alone():
    apart = together([told("May", 3.0), told("June", 6.0)])
    assert (apart.joint, apart.verdict) == (None, "seen_not_shown")
    assert headline_together(apart) == "Two trials, side by side"
    assert sentence_together(apart, CM) == (
        "The second lies 3.0 cm more than the first; the true difference is likely between 1.6 cm more and 4.4 cm "
        "more, so they do not "
        "agree. From two, nobody can tell how much gardens differ: so no joint gap is given."
    )
    near = together([told("May", 3.0), told("June", 3.5)])
    assert "so luck alone can put them so far apart" in sentence_together(near, CM)
    assert headline_together(together([told("May")])) == "One trial so far: ask again"
    assert headline_together(together([told("May", left_out="x")])) == "None of these trials can be put with others"


def test_over_a_third_held_back_hold_the_whole_back():
    """One of three may be held to its direction; two of four are too many."""
    strong = [told(name, 9.0 + i / 10, 0.3) for i, name in enumerate(("a", "b", "c", "d"))]
    held = [replace(each, answer=replace(each.answer, held="applied as planned")) for each in strong]
    assert together([held[0], *strong[1:3]]).verdict == "better_matters"
    assert together([*held[:2], *strong[2:]]).verdict == "better"


def test_a_trial_that_its_own_ledger_holds_back_is_marked_and_the_rule_is_told():
    plain = [told(name, 3.0 + i / 10) for i, name in enumerate(("May", "June", "July"))]
    assert weighing(together(plain)) == ""
    one = together([*plain, told("Roof", 3.2, held="blind", **{"held back by": "blind"})])
    assert weighing(one).startswith("1 of 4 is held back by its own ledger (marked below). They weigh by how sure")
    assert one.differs["held back by"] == ("", "", "", "blind")
    two = together([*plain, *(told(name, 3.2, held="blind") for name in ("Roof", "Shed"))])
    assert weighing(two).startswith("2 of 5 are held back by their own ledgers")
    assert two.verdict == "better", "more than a third: it goes no further"
