"""Every sentence that a verdict can end in, on both scales, as it is shown."""

import math
import re
from dataclasses import replace

import pytest

from eproba.core.judging.judgement import Comparison, GapFigures, Judgement, Needed, Percent, Trend
from eproba.core.judging.verdicts import VERDICTS
from eproba.core.stats.order import Order
from eproba.core.stats.series import Question
from eproba.core.wording.sentences import (
    HEADLINES,
    Wording,
    gap_text,
    headline,
    line,
    order_text,
    percent_text,
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
    needed = Needed(9, 14, 24) if verdict == "cannot_tell" and worth is not None else None
    own = None if low is None else GapFigures(1.0, 10.0, 0.5, low, high, 0.5, low, high)
    c = Comparison("Whey", n, n, gap, own=own, verdict=verdict, uncapped=verdict, needed=needed)
    return c, Judgement(asked, "blocks", 2 * n, 1.0, (c,), ())


DIFFERENCES = [
    ("better_matters", 1.5, 3.5, "Whey grew plants about 2.5 cm taller than Plain water; the true gap is likely "
     "between 1.5 and 3.5 cm. You wanted 1 cm: even the low end beats that."),
    ("better", 0.5, 1.5, "Whey grew plants about 1.0 cm taller than Plain water; the true gap is likely between "
     "0.50 and 1.5 cm. "
     "You wanted 1 cm."),
    ("better_trivial", 0.2, 0.8, "Whey grew plants about 0.50 cm taller than Plain water; the true gap is "
     "likely between 0.20 and 0.80 "
     "cm. You wanted 1 cm: it is less than that."),
    ("same", -0.5, 0.7, "Whey and Plain water came out alike: the true gap lies between 0.50 cm less and 0.70 "
     "cm more, inside the 1 cm that would matter."),
    ("cannot_tell", -1.0, 2.0, "Whey grew plants about 0.50 cm taller than Plain water here, but it could be "
     "anything between 1.0 "
     "cm less and 2.0 cm more, so perhaps nothing. 9 to 24, most likely 14 units of each (6 here) would show it "
     "8 times in 10, if it truly works that well."),
    ("worse_trivial", -0.8, -0.2, "Whey left plants about 0.50 cm shorter than Plain water; the true gap is "
     "likely between 0.20 and 0.80 cm. 1 cm would matter: it is less than that."),
    ("worse", -1.5, -0.5, "Whey left plants about 1.0 cm shorter than Plain water; the true gap is likely "
     "between 0.50 and 1.5 cm. 1 cm would matter."),
    ("worse_matters", -3.5, -1.5, "Whey left plants about 2.5 cm shorter than Plain water; the true gap is "
     "likely between 1.5 and 3.5 "
     "cm. 1 cm would matter: even the low end beats that."),
    ("no_worse", -0.8, 0.4, "Whey left plants about 0.20 cm shorter than Plain water here, which luck alone "
     "could do: it is no worse by more than 0.80 cm, inside the margin of 1 cm that you allowed."),
]  # fmt: skip

RATIOS = [
    ("better_matters", LOG(1.2), LOG(1.4), "Whey grew plants about 30 % taller than Plain water; the true "
     "gap is likely between 20 and 40 %. You wanted 15 %: even the low end beats that."),
    ("better", LOG(1.05), LOG(1.3), "Whey grew plants about 17 % taller than Plain water; the true gap is "
     "likely between 5.0 and 30 %. You wanted 15 %."),
    ("better_trivial", LOG(1.02), LOG(1.1), "Whey grew plants about 5.9 % taller than Plain water; the "
     "true gap is likely between 2.0 and 10 %. You wanted 15 %: it is less than that."),
    ("same", LOG(0.95), LOG(1.06), "Whey and Plain water came out alike: the true gap lies between 5.0 % less "
     "and 6.0 % more, inside the 15 % that would matter."),
    ("cannot_tell", LOG(0.8), LOG(1.5), "Whey grew plants about 9.5 % taller than Plain water here, but it "
     "could be anything between 20 % less and 50 % more, so perhaps nothing. 9 to 24, most likely 14 units of "
     "each (6 here) would show it 8 times in 10, if it truly works that well."),
    ("worse_trivial", LOG(0.9), LOG(0.98), "Whey left plants about 6.1 % shorter than Plain water; the "
     "true gap is likely between 2.0 and 10 %. 15 % would matter: it is less than that."),
    ("worse", LOG(0.8), LOG(0.95), "Whey left plants about 13 % shorter than Plain water; the true gap is "
     "likely between 5.0 and 20 %. 15 % would matter."),
    ("worse_matters", LOG(0.6), LOG(0.8), "Whey left plants about 31 % shorter than Plain water; the true "
     "gap is likely between 20 and 40 %. 15 % would matter: even the low end beats that."),
    ("no_worse", LOG(0.9), LOG(1.05), "Whey left plants about 2.8 % shorter than Plain water here, which "
     "luck alone could do: it is no worse by more than 10 %, inside the margin of 15 % that you allowed."),
]  # fmt: skip

WITH_A_MARGIN = [
    ("better", 0.5, 1.5, "Better", "The margin was 1 cm."),
    ("better_matters", 1.5, 3.5, "Better, by more than the margin", "even the low end beats that."),
    ("better_trivial", 0.2, 0.8, "Better, by less than the margin", "The margin was 1 cm: it is less than that."),
    ("worse_trivial", -0.8, -0.2, "Worse, but by less than you would give away", "it is less than that."),
    ("worse", -1.5, -0.5, "Worse; whether by more than the margin is open", "The margin was 1 cm."),
    ("worse_matters", -3.5, -1.5, "Worse, by more than the margin", "even the low end beats that."),
]


@pytest.mark.parametrize(("verdict", "low", "high", "head", "end"), WITH_A_MARGIN)
def test_with_a_margin_nothing_was_wanted(verdict, low, high, head, end):
    """Worse inside the margin is worse, and never “no worse”."""
    c, judgement = judged(verdict, low, high, no_worse=True)
    said = sentence(c, judgement, CM)
    assert headline(c, judgement) == head
    assert said.endswith(end)
    assert "wanted" not in said
    assert "may be nothing" not in said


def test_a_cap_says_what_held_the_verdict_back():
    c, judgement = judged("better_matters", 1.5, 3.5)
    held = replace(c, verdict="better", capped_by="applied as planned")
    assert sentence(held, judgement, CM).endswith(
        "You wanted 1 cm. The numbers alone say “Better, and "
        "by enough to matter”, but the check “applied as planned” limits it."
    )
    described = replace(c, verdict="seen_not_shown", capped_by="decision day")
    assert sentence(described, judgement, CM) == (
        "Whey grew plants about 2.5 cm taller than Plain water, as far as you can see. The numbers alone say "
        "“Better, and by enough to matter”, but the check “decision day” limits it."
    )


@pytest.mark.parametrize(
    ("chance", "low", "high", "verdict", "said"),
    [
        (0.78, 0.61, 0.95, "better", "In 78 of 100 pairs a unit with Whey came later than one with Plain water (ties "
     "count half); the true share is likely between 61 and 95 of 100."),
        (0.22, 0.05, 0.39, "worse", "In 78 of 100 pairs a unit with Whey came earlier than one with Plain water (ties "
     "count half); the true share is likely between 61 and 95 of 100."),
        (0.6, 0.4, 0.8, "cannot_tell", "In 60 of 100 pairs a unit with Whey came later than one with Plain "
     "water (ties "
     "count half), but it could be anything between 40 and 80 of 100, so perhaps nothing."),
    ],
)  # fmt: skip
def test_by_order_it_is_said_in_pairs(chance, low, high, verdict, said):
    order = Order(chance, low, high, 0.01, 0.01, carries=True)
    c = Comparison("Whey", 6, 6, order=order, verdict=verdict, uncapped=verdict)
    judgement = Judgement(Question("Plain water", kind="day"), "blocks", 12, None, (c,), ())
    days = Wording("days", above="came later", below="came earlier")
    assert sentence(c, judgement, days) == said
    assert order_text(c, judgement, days) == ""
    beside = replace(c, order=replace(order, carries=False))
    assert order_text(beside, judgement, days).startswith("In ")


def test_counts_say_their_percent_by_the_count_model():
    c = Comparison("Whey", 6, 6, 1.5, percent=Percent(42.0, 5.0, 93.0))
    counted = Judgement(Question("Plain water", kind="count"), "blocks", 12, 1.0, (c,), ())
    assert percent_text(c, counted) == "+42 % (likely between +5.0 % and +93 %), by a quasi-Poisson model."
    assert percent_text(c, replace(counted, question=Question("Plain water"))) == ""


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
    ("n", "said"), [(1, "with one unit of each, nobody can say why"), (2, "these units can’t show why")]
)
def test_what_is_seen_and_not_shown_says_why(n, said):
    c = Comparison("Whey", n, 6, 2.5)
    judgement = Judgement(Question("Plain water"), "one of each", n + 6, None, (c,), ())
    assert (
        sentence(c, judgement, CM)
        == f"Whey grew plants about 2.5 cm taller than Plain water, as far as you can see; {said}."
    )
    even = replace(judgement, comparisons=(level := Comparison("Whey", n, 6, 0.0),))
    assert sentence(level, even, CM) == f"Whey and Plain water came out alike, as far as you can see; {said}."
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
        (Needed(8, 17, 29), 6, "8 to 29, most likely 17 units of each (6 here) would show it 8 times in 10, if "
     "it truly works that well."),
        (Needed(8, 17, None), 6, "8 or many more, most likely 17 units of each (6 here) would show it 8 times "
     "in 10, if it truly works that well."),
        (Needed(8, 17, 29, 3, "periods"), 6, "8 to 29, most likely 17 periods of each (6 here), each read 3 times, "
     "would show it 8 times in 10, if it truly works that well."),
        (Needed(8, 8, 8), 6, "8 units of each (6 here) would show it 8 times in 10, if it truly works that well."),
        (Needed(4, 6, 9, 2), 6, "If it truly works as well as you hope, a trial of this size, each read 2 times, shows "
     "it 8 times in 10. Repeat it."),
        (Needed(4, 6, 9), 6, "If it truly works as well as you hope, a trial of this size shows it 8 times in "
     "10. Repeat it."),
    ],
)  # fmt: skip
def test_what_would_settle_it(needed, n, said):
    assert settling(Comparison("Whey", n, n + 2, 0.5, needed=needed)) == said


def test_without_a_worth_nothing_is_said_of_wanting():
    said = sentence(*judged("better", 0.5, 1.5, worth=None), CM)
    assert (
        said == "Whey grew plants about 1.0 cm taller than Plain water; the true gap is likely between 0.50 and 1.5 cm."
    )


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
    assert gap_text(gap, judgement.question.scale, CM) == said


@pytest.mark.parametrize(
    ("p", "said"),
    [
        (0.0004, "stronger mixes did more, or less, p below 0.001"),
        (0.001, "stronger mixes did more, or less, p = 0.001"),
        (0.0499, "stronger mixes did more, or less, p = 0.050"),
        (0.05, "a flat ladder fits as well, p = 0.050"),
    ],
)
def test_the_ladder_in_one_sentence(p, said):
    _, judgement = judged("same", -0.1, 0.1)
    trend = Trend((("Plain water", 0), ("1 in 10", 1)), 0.6, 0.1, 10, 0.4, 0.8, p)
    told = trend_sentence(trend, judgement, CM)
    assert told == f"Each step up the ladder: +0.60 cm (likely between +0.40 cm and +0.80 cm); {said}."


def test_names_stand_as_they_were_written():
    c, judgement = judged("better", 0.5, 1.5)
    for control in ("Plain water", "NPK, half", "Bed of the neighbour"):
        assert f"taller than {control};" in sentence(c, replace(judgement, question=Question(control)), CM)


@pytest.mark.parametrize(
    ("verdict", "low", "high", "said"),
    [
        ("better", 0.5, 1.5, "Whey grew plants about 1.0 cm taller; the true gap is likely between 0.50 and 1.5 cm."),
        ("same", -0.5, 0.7, "Whey and Plain water came out alike: the true gap lies between 0.50 cm less and "
     "0.70 cm more."),
        ("cannot_tell", -1.0, 2.0, "Whey grew plants about 0.50 cm taller here, but it could be anything "
     "between 1.0 cm less and 2.0 "
     "cm more."),
    ],
)  # fmt: skip
def test_one_line_a_treatment(verdict, low, high, said):
    assert line(*judged(verdict, low, high), CM) == said


TURNED = {"grew": "left", "left": "grew", "taller": "shorter", "shorter": "taller", "more": "less", "less": "more"}


def turned(said):
    """The same sentence with the gap on the other side."""
    return re.sub(r"\b(grew|left|taller|shorter)\b|(?<=cm )(more|less)\b(?= and|,)", lambda m: TURNED[m.group()], said)


@pytest.mark.parametrize(("verdict", "low", "high", "said"), DIFFERENCES)
def test_where_less_is_better_the_same_is_said_of_less(verdict, low, high, said):
    c, judgement = judged(verdict, -high, -low, lower_is_better=True)
    told, wanted = sentence(c, judgement, CM), turned(said)
    if verdict in ("same", "cannot_tell"):  # the span goes from the lower end to the higher one
        assert (told.count("less and"), told.split(" between ")[0]) == (1, wanted.split(" between ")[0])
    else:
        assert told == wanted
    assert headline(c, judgement) == HEADLINES[verdict]
