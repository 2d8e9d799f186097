"""The ledger: each rule speaks when it should, keeps quiet when it should, and names its evidence."""

import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from eproba.core.judging import trust
from eproba.core.judging.judge import judge
from eproba.core.judging.trust_line import Circumstances
from eproba.core.stats.series import Question, UnitValue
from eproba.core.wording.ledger import SAID, text_of
from eproba.core.wording.sentences import settling
from tests.core.cases import made_up

Q = Question("A", worth=1.0)
FAIR = Circumstances("water control", True, 5, 0, True, 1)


def rules(units, question=Q, circumstances=FAIR):
    return {line.rule: line for line in judge(units, question, circumstances).trust}


def test_a_fair_trial_has_notes_only():
    found = rules(made_up(11, 3, 6))
    assert {line.level for line in found.values()} == {"note"}
    assert text_of(found["replication"]) == "6 units of each treatment."
    assert text_of(found["rounds missed"]) == "All 5 rounds were taken."


@pytest.mark.parametrize(
    ("change", "rule", "level", "words"),
    [
        ({"control_role": "untreated"}, "control kind", "caution", "water alone"),
        ({"control_role": "untreated", "poured": False}, "control kind", "note", "same handling"),
        ({"control_role": "reference"}, "control kind", "note", "not against plain water"),
        ({"rounds_missed": 1}, "rounds missed", "note", "1 of 5 rounds"),
        ({"rounds_missed": 3}, "rounds missed", "caution", "3 of 5 rounds"),
        ({"deals": 2}, "lots", "caution", "2 times"),
    ],
)
def test_circumstances_are_told(change, rule, level, words):
    line = rules(made_up(11, 3, 6), circumstances=replace(FAIR, **change))[rule]
    assert line.level == level
    assert words in text_of(line)


def test_no_baseline_and_a_late_one_are_told_apart():
    lines = trust.rounds(replace(FAIR, baseline_taken=False, rounds_missed=1))
    assert "before the first pour" in text_of(lines[0])
    assert len(lines) == 2


def test_few_units_and_uneven_ones():
    assert rules(made_up(1, 2, 3))["replication"].level == "caution"
    uneven = [*made_up(1, 2, 5), UnitValue("extra", "A", 10.0)]
    assert text_of(rules(uneven)["replication"]) == "Units: A 6, B 5."


def test_lost_units_weigh_by_their_share():
    units = made_up(11, 2, 12)
    one = [replace(units[0], value=None), *units[1:]]
    four = [replace(u, value=None) if u.unit in ("u0", "u2", "u4", "u6") else u for u in units]
    assert rules(one)["lost units"].level == "note"
    assert rules(four)["lost units"].level == "caution"
    assert "u0 (A), u2 (A), u4 (A) and u6 (A)" in text_of(rules(four)["lost units"])


def test_an_outlier_is_named_and_stays_in():
    units = made_up(3, 2, 10)
    wild = [replace(u, value=u.value + 40) if u.unit == "u7" else u for u in units]
    found = judge(wild, Q, FAIR)
    line = next(line for line in found.trust if line.rule == "outliers")
    assert "u7." in text_of(line)
    assert found.units == 20, "never dropped"
    assert "outliers" not in rules(made_up(11, 3, 6))


def test_unequal_noise_is_told_and_has_no_effect():
    rng = np.random.default_rng(5)
    calm = [UnitValue(f"a{i}", "A", 10 + float(v)) for i, v in enumerate(rng.normal(0, 1, 12))]
    wild = [UnitValue(f"b{i}", "B", 10 + float(v)) for i, v in enumerate(rng.normal(0, 6, 12))]
    line = rules(calm + wild)["unequal noise"]
    assert line.level == "note"
    assert text_of(line).startswith("B scattered ")
    assert "unequal noise" not in rules(made_up(11, 2, 12))


def test_baselines_apart_are_told_with_their_side():
    units = made_up(4, 2, 8, baseline=True)
    apart = [replace(u, baseline=u.baseline + (1.5 if u.treatment == "B" else 0)) for u in units]
    assert "B above the control by" in text_of(rules(apart)["baseline alike"])
    wholly = [replace(u, baseline=u.baseline + (9 if u.treatment == "B" else 0)) for u in units]
    assert rules(wholly)["baseline alike"].cap == "described"
    (held,) = judge([replace(u, value=u.value + 9 * (u.treatment == "B")) for u in wholly], Q).comparisons
    assert (held.verdict, held.capped_by) == ("seen_not_shown", "baseline alike")
    same = [replace(u, baseline=10.0 + i // 2) for i, u in enumerate(units)]
    assert rules(same)["baseline alike"].level == "note"


def test_model_and_shuffle_on_different_sides_are_told():
    """One far value: the model sees noise, the ranks of the deals see a clean split."""
    values = {"A": [1.0, 1.1, 1.2, 1.3, 1.4, 1.5], "B": [1.6, 1.7, 1.8, 1.9, 2.0, 60.0]}
    units = [UnitValue(f"{t}{i}", t, v) for t, vs in values.items() for i, v in enumerate(vs)]
    found = judge(units, Q, FAIR)
    (c,) = found.comparisons
    assert c.shuffle_p_adjusted < 0.05 < c.p_adjusted
    line = next(line for line in found.trust if line.rule == "model and shuffle disagree")
    assert "borderline" in text_of(line)
    reach = rules(made_up(1, 2, 3))
    assert "1 in 10" in text_of(reach["shuffle reach"]), "three against three can't pass 1 in 20"
    assert "model and shuffle disagree" not in reach


def test_settling_counts_what_is_still_missing():
    small = judge(made_up(7, 2, 4), Question("A", worth=0.8)).comparisons[0]
    assert small.verdict == "cannot_tell"
    assert small.needed.low < small.needed.likely < small.needed.high
    assert f"most likely {small.needed.likely} units of each (4 here)" in settling(small)
    assert settling(replace(small, needed=None)) == ""


def test_a_verdict_that_hangs_on_the_lost_is_held_back():
    """The lowest third of one arm is gone: with the worst seen in their place, nothing is shown."""
    units = made_up(20, 2, 9)
    low = sorted((u for u in units if u.treatment == "B"), key=lambda u: u.value)[:4]
    gone = [replace(u, value=None) if u in low else u for u in units]
    wide = [replace(u, value=u.value + 1.2 * (u.treatment == "B")) if u.value is not None else u for u in gone]
    found = judge(wide, Question("A"))
    (c,) = found.comparisons
    assert (c.uncapped, c.verdict, c.capped_by) == ("better", "seen_not_shown", "lost by treatment")
    clear = [replace(u, value=u.value + 20 * (u.treatment == "B")) if u.value is not None else u for u in gone]
    assert judge(clear, Question("A")).comparisons[0].verdict == "better", "even so"
    one = [
        replace(u, value=None) if u == low[0] else replace(u, value=u.value + 4 * (u.treatment == "B")) for u in units
    ]
    stands = judge(one, Question("A"))
    assert stands.comparisons[0].verdict == "better"
    assert any(line.says == "stands with the lost" for line in stands.trust)


def test_the_verdict_without_the_far_is_told_beside_it():
    units = [
        replace(u, value=u.value + (40 if u.unit == "u7" else 4 * (u.treatment == "B"))) for u in made_up(3, 2, 10)
    ]
    found = judge(units, Question("A"))
    assert found.comparisons[0].verdict == "cannot_tell"
    told = [text_of(line) for line in found.trust if line.says == "another without"]
    assert told == ["Without the units far off the verdict on B would be “Better; whether by enough is open”."]


def test_every_sentence_of_the_ledger_is_said_by_some_rule_and_the_other_way_round():
    """Rules and words are apart: a rule without words, or words without a rule, is found here."""
    rules = Path(trust.__file__).parent
    said = {key for path in rules.glob("*.py") for key in re.findall(r'"([a-z][a-z ,]+)"', path.read_text("utf-8"))}
    assert set(SAID) - said == set()
    told = re.findall(
        r'TrustLine\(\s*[^,]+,\s*[^,]+,\s*"([^"]+)"', "".join(p.read_text("utf-8") for p in rules.glob("*.py"))
    )
    assert len(told) > 30
    assert set(told) - set(SAID) == set()


def test_values_that_scatter_the_more_the_larger_they_are_want_percent():
    rng = np.random.default_rng(2)
    skewed = [UnitValue(f"u{i}", "AB"[i % 2], float(v)) for i, v in enumerate(np.exp(rng.normal(0, 1, 24)))]
    assert rules(skewed)["scale"].level == "note"
    assert "scale" not in rules(skewed, Question("A", "ratio", 0.5)), "they are in percent"
    fired = sum("scale" in rules(made_up(seed, 2, 12)) for seed in range(100))
    assert fired <= 5
