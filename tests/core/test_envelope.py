"""The envelope: what a look costs, what is left for the decision day, and days that can't stand in for each other."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from scipy import stats

from eproba.core.judging.envelope import confidence_at, price_of, spent
from eproba.core.judging.from_trial import confidence_of, judge_trial
from eproba.core.trial.amendments import Beside, Correction
from eproba.core.trial.declaration import declare
from eproba.core.trial.model import EarlyLook, Reading
from eproba.core.trial.stage import no_look
from eproba.core.wording.envelope import ending_told, price_figures, price_told
from eproba.core.wording.ledger import text_of
from tests.core.cases import small_trial

NOON = datetime(2026, 5, 15, 12, tzinfo=UTC)


@pytest.fixture
def trial(catalogue):
    return small_trial(catalogue, first="leaf_count")


def look(day):
    return EarlyLook(day, day, NOON, "Ann", "frost")


def read(trial, rounds=(0, 1, 2), lift=4.0):
    def value(u, r):
        unrest = 0.6 * float(np.random.default_rng([u.id, r]).normal())
        return 10.0 + u.id // 2 + r + unrest + lift * (u.letter == "A") * (r > 0)

    return [
        Reading(100 * r + u.id, r, u.id, "leaf_count", 1, value(u, r), "", "", 1) for r in rounds for u in trial.units
    ]


def test_it_is_spent_by_days_passed_as_o_brien_and_fleming_would():
    assert spent(1.0) == pytest.approx(0.05)
    assert spent(0.5) == pytest.approx(2 * stats.norm.sf(stats.norm.ppf(0.975) / 0.5**0.5))
    assert [spent(0.0), spent(-0.1)] == [0.0, 0.0]
    looks = [5, 10, 20]
    paid = [1 - confidence_at(day, 28, looks) for day in (*looks, 28)]
    assert sum(paid) == pytest.approx(0.05), "all looks together spend the 5 %, and no more"
    assert confidence_at(28, 28, []) == pytest.approx(0.95)
    assert confidence_at(10, 28, [10, 10]) == confidence_at(10, 28, []), "a second look on a day is the first"


def test_the_price_is_said_before_it_is_paid(trial):
    """Six pairs: 5 df. At half of the time a gap must be 4.7 standard errors, as the t table has it."""
    price = price_of(trial, 14)
    assert price.unlooked == pytest.approx(stats.t.ppf(0.975, 5), abs=1e-6)
    assert price.now == pytest.approx(stats.t.ppf(1 - spent(0.5) / 2, 5), abs=1e-6)
    assert price_told(price) == (
        "Today only a gap 1.8 times as clear as on the decision day would count. On the decision day a gap must then "
        "be 4 % clearer than without this look."
    )
    assert price_figures(price).startswith(
        "In standard errors, a gap must be: 4.7 at day 14 of 28; 2.67 on the decision day after this look, 2.57 without"
    )
    assert price_told(price_of(trial, 2)) == (
        "Today no gap could count, however large. Looking costs the decision day almost nothing."
    )
    assert ending_told(price) == (
        "If it ends on day 14 of 28, only a gap 1.8 times as clear as on the decision day would count."
    )


def test_a_look_is_judged_on_its_day_and_paid_for_later(trial):
    readings = read(trial)
    plain = judge_trial(trial, trial.asked[0], readings)
    looked = replace(trial, looks=(look(20),))
    early, late = judge_trial(looked, trial.asked[0], readings, 20), judge_trial(looked, trial.asked[0], readings)
    assert (early.day, late.day, plain.day) == (14, 28, 28)
    assert early.question.confidence == pytest.approx(1 - spent(20 / 28))
    assert late.question.confidence == pytest.approx(1 - (0.05 - spent(20 / 28)))
    own = [each.comparisons[0].own for each in (plain, late)]
    assert own[1].high_adjusted - own[1].low_adjusted > own[0].high_adjusted - own[0].low_adjusted
    assert [line.says for line in late.trust if line.rule == "early looks"] == ["looked before"]
    assert not any(line.rule == "decision day" for line in early.trust), "it is the look's own question"


def test_ended_early_is_paid_for_too(trial):
    ended = replace(trial, ended_on=trial.start_on + timedelta(days=14), ended_reason="hail", closed_at=None)
    assert confidence_of(ended, 14) == pytest.approx(1 - spent(0.5))
    assert judge_trial(ended, trial.asked[0], read(trial)).question.confidence == pytest.approx(1 - spent(0.5))


@pytest.mark.parametrize(
    ("day", "level", "cap"),
    [(28, "note", None), (26, "caution", None), (25, "cap", "described"), (14, "cap", "described")],
)  # fmt: skip
def test_another_day_stands_in_only_within_a_tenth_of_the_trial(trial, day, level, cap):
    """Of 28 days, 2.8: day 26 may, day 25 may not, whatever it shows."""
    rounds = (*trial.rounds[:2], replace(trial.rounds[2], day=day)) if day != 14 else trial.rounds
    found = judge_trial(replace(trial, rounds=rounds), trial.asked[0], read(trial, (0, 1) if day == 14 else (0, 1, 2)))
    (line,) = [line for line in found.trust if line.rule == "decision day"]
    assert (line.level, line.cap) == (level, cap)
    assert found.comparisons[0].uncapped.startswith("better")
    assert (found.comparisons[0].verdict == "seen_not_shown") == (cap is not None)


def test_what_was_settled_late_caps(trial):
    readings = read(trial)
    for change, rule in (
        ({"dealt_at": NOON}, "lots"),
        ({"declared": declare(trial, datetime(2026, 5, 20, tzinfo=UTC))}, "declared"),
    ):
        held = judge_trial(replace(trial, **change), trial.asked[0], readings).comparisons[0]
        assert (held.verdict, held.capped_by) == ("seen_not_shown", rule)
    in_time = replace(trial, declared=declare(trial, datetime(2026, 5, 14, tzinfo=UTC)))
    assert judge_trial(in_time, trial.asked[0], readings).comparisons[0].capped_by == ""
    past = judge_trial(replace(trial, made_at=NOON), trial.asked[0], readings)
    assert [line.level for line in past.trust if line.says == "laid down late"] == ["caution"]


def test_a_third_of_the_applications_missing_leaves_the_direction(trial):
    readings = read(trial, lift=9.0)
    wanted = replace(trial, worth=0.5, scale="difference")
    pours = tuple(replace(trial.pours[0], id=n, day=7 * n) for n in range(9))
    for missing, verdict in ((3, "better_matters"), (4, "better")):
        given = tuple(replace(pour, status="skipped") if pour.id < missing else pour for pour in pours)
        found = judge_trial(replace(wanted, pours=given), trial.asked[0], readings).comparisons[0]
        assert found.verdict == verdict, missing
        assert found.uncapped == "better_matters"


def test_a_round_that_some_units_missed_is_not_all_rounds(trial):
    readings = [each for each in read(trial) if each.round_id != 2 or each.unit_id < 4]
    said = [line.says for line in judge_trial(trial, trial.asked[0], readings).trust if line.rule == "rounds missed"]
    assert said == ["partly read"]


@pytest.mark.parametrize(
    ("day", "sealed", "said"),
    [(0, True, "nothing to see yet"), (1, True, ""), (27, True, ""), (28, True, "opens for nothing"),
     (27, False, "open already")],
)  # fmt: skip
def test_when_there_is_something_to_look_at_early(day, sealed, said):
    why = no_look(day, 28, sealed)
    assert bool(why) == bool(said)
    assert said in why


def test_what_stands_beside_the_readings_is_judged_with_them(trial):
    """What was changed with the envelope open, and a recipe that acts on the reading, are in the judgement itself."""
    measure = replace(trial.asked[0].measure, misled_by=("dark: a dark drench colours what is seen",))
    asked = replace(trial.asked[0], measure=measure)
    trial = replace(trial, asked=(asked, *trial.asked[1:]))
    changed = Correction(1, 5.0, "", "slip", "Ilse", trial.closed_at, sealed=False, verdict_before="Better")
    beside = Beside((changed,), (), (("A", ("dark",)), ("B", ("dark",))))
    rules = {line.rule: line for line in judge_trial(trial, asked, read(trial), beside=beside).trust}
    assert text_of(rules["changed after the opening"]).startswith("Changed with the envelope open, by Ilse: 1 reading")
    assert rules["a reading misled"].evidence["treatment"] == "Comfrey steep", "and not the control"
    plain = {line.rule for line in judge_trial(trial, asked, read(trial)).trust}
    assert not plain & {"changed after the opening", "a reading misled"}
