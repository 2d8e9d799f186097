"""Every sentence that a verdict can end in, on both scales, as it is shown."""

import math

import pytest

from eproba.core.judging.judge import Comparison, Judgement, Trend
from eproba.core.judging.verdicts import VERDICTS
from eproba.core.stats.series import Question
from eproba.core.wording.sentences import (
    HEADLINES,
    Wording,
    gap_text,
    headline,
    sentence,
    settling,
    trend_sentence,
    worth_text,
)

CM = Wording("cm", "grew plants {gap} taller", "left plants {gap} shorter")
LOG = math.log


def judged(verdict, low, high, scale="difference", worth=1.0, n=6, **question):
    """A judgement of one comparison; the gap lies in the middle of its interval."""
    asked = Question("Plain water", scale, worth, **question)
    gap = None if low is None else (low + high) / 2
    needed = {"units_needed": 14} if verdict == "cannot_tell" and worth is not None else {}
    c = Comparison("Whey", n, n, gap, verdict=verdict, low_adjusted=low, high_adjusted=high, **needed)
    return c, Judgement(asked, "blocks", 2 * n, 1.0, (c,), ())


DIFFERENCES = [
    ("better_matters", 1.5, 3.5, "Whey grew plants about 2.5 cm taller than plain water; anything from 1.5 to 3.5 cm "
     "fits. You wanted 1 cm: even the cautious end is beyond that."),
    ("better", 0.5, 1.5, "Whey grew plants about 1.0 cm taller than plain water; anything from 0.50 to 1.5 cm fits. "
     "You wanted 1 cm."),
    ("better_trivial", 0.2, 0.8, "Whey grew plants about 0.50 cm taller than plain water; anything from 0.20 to 0.80 "
     "cm fits. You wanted 1 cm: it is less than that."),
    ("same", -0.5, 0.7, "Whey and plain water came out alike: only gaps from 0.50 cm less to 0.70 cm more fit, "
     "inside the 1 cm that would matter."),
    ("cannot_tell", -1.0, 2.0, "Whey grew plants about 0.50 cm taller than plain water here, but anything from 1.0 "
     "cm less to 2.0 cm more fits, so it may be nothing. About 14 units of each, 8 more than here, would settle it "
     "(8 times in 10, with noise as here)."),
    ("worse_trivial", -0.8, -0.2, "Whey left plants about 0.50 cm shorter than plain water; anything from 0.20 to "
     "0.80 cm fits. You wanted 1 cm: it is less than that."),
    ("worse", -1.5, -0.5, "Whey left plants about 1.0 cm shorter than plain water; anything from 0.50 to 1.5 cm "
     "fits. You wanted 1 cm."),
    ("worse_matters", -3.5, -1.5, "Whey left plants about 2.5 cm shorter than plain water; anything from 1.5 to 3.5 "
     "cm fits. You wanted 1 cm: even the cautious end is beyond that."),
    ("no_worse", -0.8, 0.4, "Whey left plants about 0.20 cm shorter than plain water, which may be nothing: it is no "
     "worse by more than 0.80 cm, inside the margin of 1 cm that you allowed."),
]  # fmt: skip

RATIOS = [
    ("better_matters", LOG(1.2), LOG(1.4), "Whey grew plants about 30 % taller than plain water; anything from 20 to "
     "40 % fits. You wanted 15 %: even the cautious end is beyond that."),
    ("better", LOG(1.05), LOG(1.3), "Whey grew plants about 17 % taller than plain water; anything from 5.0 to 30 % "
     "fits. You wanted 15 %."),
    ("better_trivial", LOG(1.02), LOG(1.1), "Whey grew plants about 5.9 % taller than plain water; anything from 2.0 "
     "to 10 % fits. You wanted 15 %: it is less than that."),
    ("same", LOG(0.95), LOG(1.06), "Whey and plain water came out alike: only gaps from 5.0 % less to 6.0 % more "
     "fit, inside the 15 % that would matter."),
    ("cannot_tell", LOG(0.8), LOG(1.5), "Whey grew plants about 9.5 % taller than plain water here, but anything "
     "from 20 % less to 50 % more fits, so it may be nothing. About 14 units of each, 8 more than here, would settle "
     "it (8 times in 10, with noise as here)."),
    ("worse_trivial", LOG(0.9), LOG(0.98), "Whey left plants about 6.1 % shorter than plain water; anything from 2.0 "
     "to 10 % fits. You wanted 15 %: it is less than that."),
    ("worse", LOG(0.8), LOG(0.95), "Whey left plants about 13 % shorter than plain water; anything from 5.0 to 20 % "
     "fits. You wanted 15 %."),
    ("worse_matters", LOG(0.6), LOG(0.8), "Whey left plants about 31 % shorter than plain water; anything from 20 to "
     "40 % fits. You wanted 15 %: even the cautious end is beyond that."),
    ("no_worse", LOG(0.9), LOG(1.05), "Whey left plants about 2.8 % shorter than plain water, which may be nothing: "
     "it is no worse by more than 10 %, inside the margin of 15 % that you allowed."),
]  # fmt: skip


@pytest.mark.parametrize(("verdict", "low", "high", "said"), DIFFERENCES)
def test_a_verdict_in_the_measure_s_unit(verdict, low, high, said):
    assert sentence(*judged(verdict, low, high), CM) == said


@pytest.mark.parametrize(("verdict", "low", "high", "said"), RATIOS)
def test_a_verdict_in_percent(verdict, low, high, said):
    assert sentence(*judged(verdict, low, high, "ratio", 0.15), CM) == said


def test_no_verdict_is_left_out():
    told = {row[0] for row in DIFFERENCES} | {"seen_not_shown"}
    assert told == set(VERDICTS) == set(HEADLINES)
    assert {row[0] for row in RATIOS} | {"seen_not_shown"} == told
    assert len(set(HEADLINES.values())) == len(HEADLINES), "no two verdicts share a headline"


@pytest.mark.parametrize(
    ("n", "said"), [(1, "with a single unit, nobody can say why"), (2, "these units can’t show why")]
)
def test_what_is_seen_and_not_shown_says_why(n, said):
    c = Comparison("Whey", n, 6, 2.5)
    judgement = Judgement(Question("Plain water"), "one of each", n + 6, None, (c,), ())
    assert (
        sentence(c, judgement, CM)
        == f"Whey grew plants about 2.5 cm taller than plain water, as far as the eye goes: {said}."
    )
    gone = Comparison("Whey", 0, 6)
    assert sentence(gone, judgement, CM) == "Whey could not be compared."


@pytest.mark.parametrize(
    ("verdict", "worth", "said"),
    [("better", None, "Better"), ("better", 1.0, "Better; whether by enough is open"), ("worse", None, "Worse"),
     ("cannot_tell", None, "Can’t tell"), ("same", 1.0, "No difference worth having")],
)  # fmt: skip
def test_the_headline_promises_no_more_than_was_asked(verdict, worth, said):
    c, judgement = judged(verdict, -0.5, 0.5, worth=worth)
    assert headline(c, judgement) == said
    assert worth_text(judgement, CM) == ("" if worth is None else "1 cm")


@pytest.mark.parametrize(
    ("needed", "n", "said"),
    [
        (None, 6, ""),
        (14, 6, "About 14 units of each, 8 more than here, would settle it (8 times in 10, with noise as here)."),
        (7, 6, "About 7 units of each, 1 more than here, would settle it (8 times in 10, with noise as here)."),
        (6, 6, "A trial of this size settles it 8 times in 10 if the gap is what you wanted: repeat it."),
        (3, 6, "A trial of this size settles it 8 times in 10 if the gap is what you wanted: repeat it."),
    ],
)
def test_what_would_settle_it(needed, n, said):
    assert settling(Comparison("Whey", n, n + 2, 0.5, units_needed=needed)) == said


def test_without_a_worth_nothing_is_said_of_wanting():
    said = sentence(*judged("better", 0.5, 1.5, worth=None), CM)
    assert said == "Whey grew plants about 1.0 cm taller than plain water; anything from 0.50 to 1.5 cm fits."


def test_no_worse_counts_from_the_side_that_hurts():
    """Where less is better, what might still be given away lies at the upper end."""
    said = sentence(*judged("no_worse", -0.4, 0.8, lower_is_better=True), CM)
    assert "no worse by more than 0.80 cm" in said


@pytest.mark.parametrize(
    ("gap", "scale", "said"),
    [(0.5, "difference", "+0.50 cm"), (-12.0, "difference", "−12 cm"), (0.0, "difference", "0 cm"),
     (LOG(1.1), "ratio", "+10 %"), (LOG(0.5), "ratio", "−50 %")],
)  # fmt: skip
def test_a_signed_gap_with_its_unit(gap, scale, said):
    _, judgement = judged("same", -0.1, 0.1, scale, 0.15)
    assert gap_text(gap, judgement, CM) == said


@pytest.mark.parametrize(
    ("p", "said"), [(0.0499, "more strength went with a change"), (0.05, "a flat ladder fits as well")]
)
def test_the_ladder_in_one_sentence(p, said):
    _, judgement = judged("same", -0.1, 0.1)
    trend = Trend((("Plain water", 0), ("1 in 10", 1)), 0.6, 0.1, 10, 0.4, 0.8, p)
    told = trend_sentence(trend, judgement, CM)
    assert told == f"Each step up the ladder: +0.60 cm (anything from +0.40 cm to +0.80 cm fits); {said}, p = {p:.3f}."


def test_the_control_s_name_stands_inside_the_sentence():
    c = Comparison("NPK", 6, 6, 1.0, verdict="better", low_adjusted=0.5, high_adjusted=1.5)
    for control, told in (("Plain water", "plain water"), ("NPK, half", "NPK, half")):
        assert f"taller than {told};" in sentence(c, Judgement(Question(control), "blocks", 12, 1.0, (c,), ()), CM)
