"""From a trial with readings to verdict, ledger and sentence."""

from dataclasses import replace
from datetime import date, timedelta

import pytest

from eproba.core.judging.courses import courses, in_round, mean_courses
from eproba.core.judging.from_trial import judge_trial, unit_values
from eproba.core.judging.judge import judge
from eproba.core.stats.series import CannotJudge, Question
from eproba.core.stats.summaries import Point
from eproba.core.trial.model import Reading
from eproba.core.trial.stage import stage_of
from eproba.core.wording.ledger import text_of
from eproba.core.wording.sentences import Wording, band_text, headline, sentence
from tests.core.cases import made_up, small_trial

DAY0 = date(2026, 5, 1)


@pytest.fixture
def trial(catalogue):
    return small_trial(catalogue)


def read(trial, value, rounds=(0, 1, 2), key="fresh_mass"):
    """Readings of every unit in these rounds: value(unit, round)."""
    return [Reading(100 * r + u.id, r, u.id, key, 1, value(u, r), "", "", 1) for r in rounds for u in trial.units]


def grown(unit, r):
    """A gain of about a quarter by the last round, with a little unrest of its own."""
    start = 20 + unit.id % 5 + 0.3 * (unit.id % 3)
    unrest = 1 + 0.01 * ((unit.id * unit.id * 7 + 3 * r) % 5 - 2)
    return start * unrest * (1 + 0.5 * r) * (1.24 if unit.letter == "A" and r == 2 else 1)


def test_the_gain_is_found_with_the_start_taken_out(trial):
    judgement = judge_trial(trial, trial.asked[0], read(trial, grown))
    (c,) = judgement.comparisons
    assert judgement.design == "blocks"
    assert c.percent.estimate == pytest.approx(24, abs=1.5)
    assert c.verdict == "better_matters"
    said = sentence(c, judgement, Wording.of(trial, trial.asked[0]))
    assert said.startswith("Comfrey steep grew plants about 24 % heavier than Plain water; the true gap is likely ")
    assert "You wanted 15 %" in said
    assert headline(c, judgement) == "Better, and by enough to matter"


def test_departures_stand_in_the_ledger(trial):
    readings = read(trial, grown, rounds=(1, 2))
    pours = (replace(trial.pours[0], status="skipped"), replace(trial.pours[1], status="due"))
    ended = replace(trial, pours=pours, deals=3, ended_on=DAY0 + timedelta(days=28), ended_reason="frost")
    lines = {line.rule: line for line in judge_trial(ended, trial.asked[0], readings).trust}
    assert "nobody knows whether the units began alike" in " ".join(
        text_of(line) for line in judge_trial(ended, trial.asked[0], readings).trust
    )
    assert lines["lots"].level == "caution"
    assert "frost" in text_of(lines["ended early"])
    assert "pours 1 was skipped and 1 is not on record" in text_of(lines["applied as planned"])
    bare = replace(trial.treatments[1], role="untreated")
    dry = replace(trial, treatments=(trial.treatments[0], bare))
    kind = {line.rule: line for line in judge_trial(dry, trial.asked[0], readings).trust}["control kind"]
    assert (kind.level, "water alone" in text_of(kind)) == ("caution", True)


def test_a_lost_unit_and_a_missed_last_reading_are_not_judged(trial):
    lost = replace(trial.units[0], lost_on=DAY0 + timedelta(days=20), lost_reason="slugs")
    with_loss = replace(trial, units=(lost, *trial.units[1:]))
    readings = [r for r in read(trial, grown) if not (r.unit_id == 3 and r.round_id == 2)]
    values = {v.unit: v for v in unit_values(with_loss, trial.asked[0], readings)}
    assert values["P0"].value is None
    assert values["P3"].value is None
    assert sum(v.value is not None for v in values.values()) == 10
    assert judge_trial(with_loss, trial.asked[0], readings).units == 10


def test_several_readings_of_a_unit_are_one_value_not_more_units(trial):
    leaves = trial.asked[1]
    once = read(trial, lambda u, r: 10.0 + u.id, key="leaf_count")
    twice = [replace(reading, id=reading.id + 900, replicate=2, value=reading.value + 2) for reading in once]
    course = courses(trial, leaves, once + twice)
    assert course[4] == (Point(0, 0, 15.0), Point(14, 14, 15.0), Point(28, 28, 15.0))
    assert len(unit_values(trial, leaves, once + twice)) == 12


def test_a_round_and_the_mean_of_a_treatment_are_told_of_the_units_own_values(trial):
    """Of units read twice, too, and without those that were not read."""
    leaves = trial.asked[1]
    once = [r for r in read(trial, lambda u, r: 10.0 + u.id, key="leaf_count") if (r.unit_id, r.round_id) != (3, 2)]
    twice = [replace(reading, id=reading.id + 900, replicate=2, value=reading.value + 2) for reading in once]
    by_unit = courses(trial, leaves, once + twice)
    last = in_round(trial, by_unit, 28)
    assert ("P3" in last, last["P4"], len(last)) == (False, 15.0, 11)
    for letter, course in mean_courses(trial, by_unit).items():
        own = [unit.id for unit in trial.units if unit.letter == letter]
        whole, left = (sum(ids) / len(ids) + 11 for ids in (own, [number for number in own if number != 3]))
        assert course == [(0, pytest.approx(whole)), (14, pytest.approx(whole)), (28, pytest.approx(left))]


def test_nothing_to_judge_is_said(trial):
    with pytest.raises(CannotJudge, match="no reading of fresh mass after day 0"):
        judge_trial(trial, trial.asked[0], read(trial, grown, rounds=(0,)))
    zero = read(trial, lambda u, r: 0.0 if u.id == 5 else grown(u, r))
    with pytest.raises(CannotJudge, match="P5"):
        judge_trial(trial, trial.asked[0], zero)


@pytest.mark.parametrize(
    ("effect", "worth", "words"),
    [
        (6.0, 2.0, "even the low end beats that"),
        (0.0, 8.0, "came out alike"),
        (0.0, 0.4, "units of each (8 here) would show it 8 times in 10"),
        (3.0, 50.0, "it is less than that"),
    ],
)
def test_every_verdict_has_its_words(effect, worth, words):
    judgement = judge(made_up(2, 2, 8, effect=effect), Question("A", worth=worth))
    said = sentence(judgement.comparisons[0], judgement, Wording("g"))
    assert words in said
    assert " g" in said
    assert "nan" not in said.lower()


def test_lower_is_better_turns_the_verdict_not_the_figures():
    units = made_up(2, 2, 8, effect=6)
    up, down = (judge(units, Question("A", worth=1.0, lower_is_better=turn)) for turn in (False, True))
    assert up.comparisons[0].verdict == "better_matters"
    assert down.comparisons[0].verdict == "worse_matters"
    assert up.comparisons[0].estimate == down.comparisons[0].estimate
    assert "higher" in sentence(down.comparisons[0], down, Wording())


def test_the_band_is_shown_as_it_lies():
    judgement = judge(made_up(2, 2, 5, level=100), Question("A", "ratio", 0.10))
    assert band_text(judgement.question, Wording()) == "10 % more / 9.1 % less"


@pytest.mark.parametrize(
    ("ended", "started", "closed", "on", "stage"),
    [
        (False, False, False, "2026-04-30", "planned"),
        (False, True, False, "2026-04-30", "running"),
        (False, False, False, "2026-05-01", "running"),
        (False, True, True, "2026-05-28", "running"),  # sealed until the decision day
        (False, True, False, "2026-05-29", "running"),  # the last round is not in
        (False, True, True, "2026-05-29", "finished"),
        (True, True, False, "2026-05-29", "ended early"),
    ],
)
def test_stages(ended, started, closed, on, stage):
    start, decision, today = date(2026, 5, 1), date(2026, 5, 29), date.fromisoformat(on)
    facts = {"start_on": start, "decision_on": decision, "ended_on": start if ended else None}
    assert stage_of(**facts, started=started, closed=closed, today=today) == stage


def test_what_ends_the_plant_is_measured_last(trial):
    assert [a.measure.key for a in trial.asked_in(trial.rounds[0])] == ["leaf_count"]
    assert [a.measure.key for a in trial.asked_in(trial.rounds[-1])] == ["fresh_mass", "leaf_count"]
