"""Claims, days, advice, and the declared plan."""

import hashlib
import json
from collections import Counter
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.judging.departures import plan_lines
from eproba.core.judging.judgement import Judgement
from eproba.core.planning.advice import (
    best_reachable_p,
    on_days,
    on_guard,
    on_place,
    on_treatments,
    on_units,
    on_weekday,
)
from eproba.core.planning.claims import ClaimError, promise_from, questions_answered
from eproba.core.planning.plan import control_index
from eproba.core.stats.series import Question
from eproba.core.stats.shuffle import best_p
from eproba.core.stats.squares import all_squares, best_square_p
from eproba.core.trial.days import (
    DaysError,
    calendar,
    checked_pulls,
    checked_rounds,
    on_weekdays,
    pour_days,
    proposed_rounds,
    pulled,
    round_days,
    seconds_of_round,
    units_in,
)
from eproba.core.trial.declaration import declare, facts_of, short, untold
from eproba.core.trial.model import Amendment, Reading, Rules, SpareRun
from eproba.core.wording.ledger import text_of
from tests.core.cases import small_trial

MONDAY = date(2026, 5, 18)


# --- Claims -------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"measure": "magic"}, "unknown measure magic"),
        ({"worth": 0}, "worth must be above 0"),
        ({"worth": 15}, "a fraction where the measure is said in percent"),
        ({"colour": "green"}, "unknown key colour"),
        ({"tells": None}, "missing key tells"),
    ],
)
def test_a_promise_that_contradicts_itself_is_refused_by_name(catalogue, changes, said):
    claim = {"measure": "plant_height", "worth": 0.15, "decision_day": 28, "against": "untreated", "tells": "x"}
    claim = {key: value for key, value in (claim | changes).items() if value is not None}
    with pytest.raises(ClaimError, match=f"leap 1: .*{said}"):
        promise_from("leap", {"said": "…", "claims": [claim]}, catalogue)


def test_each_control_answers_its_question_or_leaves_it_open():
    found = {role: (there, words) for role, there, words in questions_answered(["test", "water control"])}
    assert found["water control"] == (True, "Does it do more than the water in it?")
    assert found["killed brew"] == (False, "whether it has to be alive")
    assert len(found) == 5


# --- Days ---------------------------------------------------------------------------------------------------


@given(st.integers(1, 730), st.integers(1, 60), st.one_of(st.none(), st.integers(1, 60)))
def test_days(decision_day, every, pour_every):
    rounds, pours = round_days(decision_day, every), pour_days(decision_day, pour_every)
    assert rounds[-1] == decision_day
    assert rounds == sorted(set(rounds))
    assert rounds[0] == 0, "a baseline always"
    assert pours[0] == 0
    assert max(pours) < decision_day
    assert pour_every is None or all(b - a == pour_every for a, b in pairwise(pours))


def test_rounds_follow_what_is_measured(catalogue):
    worms, height, mass, rod = (catalogue[k] for k in ("surface_worms", "plant_height", "fresh_mass", "rod_softness"))
    assert proposed_rounds([height], 28) == [0, 7, 14, 21, 28]
    assert proposed_rounds([height], 30) == [0, 7, 14, 21, 30], "two days before the end tells the same"
    assert proposed_rounds([worms], 14) == [0, 1, 2, 4, 7, 14], "soil life answers within days"
    assert proposed_rounds([rod], 42) == [0, 14, 28, 42]
    assert proposed_rounds([mass], 42) == [0, 42], "what ends the plant comes last"
    assert proposed_rounds([mass, worms], 14) == proposed_rounds([worms], 14)
    first = catalogue["first_seedling"]
    assert proposed_rounds([first], 21) == [3, 4, 5, 6, 7, 8, 9, 16, 21], (
        "daily about day 6; nothing to be read on day 0"
    )
    assert proposed_rounds([first], 21, 12.0) == [9, 10, 11, 12, 13, 14, 15, 21]
    assert proposed_rounds([first, height], 14) == [0, 3, 4, 5, 6, 7, 8, 9, 14]
    assert proposed_rounds([height, first], 28) == [0, 7, 14, 21, 28], "beside the first it is put down any day"
    assert proposed_rounds([replace(first, expected=None)], 63) == [*range(1, 63, 3), 63]


@given(
    st.lists(st.integers(0, 60), min_size=1, max_size=12), st.integers(0, 6),
    st.sets(st.integers(0, 6), min_size=1, max_size=7), st.integers(20, 60),
)  # fmt: skip
def test_days_move_to_the_weekdays_that_suit(days, weekday, allowed, last):
    start = MONDAY + timedelta(days=weekday)
    moved = on_weekdays(days, start, allowed, {0, last})
    assert {0, last} <= set(moved)
    assert moved == sorted(set(moved))
    assert all(0 <= day <= last for day in moved)
    assert all((start + timedelta(days=d)).weekday() in allowed for d in moved if d not in (0, last))
    assert all(min(abs(d - day) for day in days) <= 3 for d in moved if d not in (0, last))


@pytest.mark.parametrize(
    ("days", "said"),
    [
        ([7, 14], "Add 0"),
        ([0, 7, 21], "decide on day 21, or end the rounds with day 14"),
        ([0, 7], "add 14, or decide on day 7"),
    ],
)
def test_rounds_that_do_not_fit_say_what_would(days, said):
    with pytest.raises(DaysError, match=said):
        checked_rounds(days, 14)


def test_who_is_pulled_when_falls_by_lot():
    assert checked_rounds([14, 0, 7, 7], 14) == (0, 7, 14)
    assert checked_pulls([], (0, 7, 14), 1) == (14,)
    with pytest.raises(DaysError, match="needs a round on that day; the rounds are on 0, 7, 14"):
        checked_pulls([9], (0, 7, 14), 3)
    with pytest.raises(DaysError, match="Grow more in each, or pull on day 14 only"):
        checked_pulls([7, 14], (0, 7, 14), 1)
    first = Counter(pulled(f"seed {i}", "P1", 3, (7, 14))[7] for i in range(900))
    assert sorted(first) == [1, 2, 3]
    assert min(first.values()) > 240
    one = pulled("seed", "P1", 3, (7, 14))
    assert one[7] != one[14], "nothing that was pulled is measured later"


def test_the_calendar_counts_its_minutes(catalogue):
    height, mass = catalogue["plant_height"], catalogue["fresh_mass"]
    asked = [(height, 2), (mass, 1)]
    loads = calendar((0, 7, 14), {0: 4.5, 7: 4.5}, MONDAY, asked, 12, (14,))
    assert [(load.day, load.round, load.pour, load.pull) for load in loads] == [
        (0, True, True, False), (7, True, True, False), (14, True, False, True),
    ]  # fmt: skip
    assert loads[0].minutes == pytest.approx((12 * 2 * height.seconds + 6 * 45) / 60)
    assert loads[2].minutes == pytest.approx(12 * (2 * height.seconds + mass.seconds) / 60)
    most = units_in(20, asked, 2)
    assert seconds_of_round(asked, 2 * most, True) <= 20 * 60 < seconds_of_round(asked, 2 * (most + 1), True)


# --- Advice -------------------------------------------------------------------------------------------------


def test_the_control_is_water_where_there_is_water():
    assert control_index(["test", "untreated", "water control"]) == 2
    assert control_index(["test", "untreated", "water control"], "untreated") == 1, "it was asked against that"
    assert control_index(["test", "untreated", "water control"], "test") == 2
    assert control_index(["test", "untreated"], "water control") == 1
    assert control_index(["test", "test"]) == 0


def test_advice_knows_what_weakens(catalogue):
    assert "never judged" in on_units("blocks", 1, 2)[0].text
    weak = on_units("pairs", 5, 2)[0]
    assert weak.weak
    assert "1 in 16" in weak.text
    assert "From 6 of each" in weak.text
    assert not on_units("completely random", 4, 2)[0].weak
    small, large = (on_units("Latin square", side, side)[0] for side in (3, 4))
    assert (small.weak, large.weak) == (True, False)
    assert "its lots alone can’t pass 1 in 20" in small.text
    assert "The whole square is dealt again" in large.text
    cyclic = {side: np.add.outer(np.arange(side), np.arange(side)) % side for side in (3, 4)}
    deals = {side: len(all_squares(square.tobytes(), side)) for side, square in cyclic.items()}
    assert best_square_p(3, deals[3]) > 0.05 > best_square_p(4, deals[4])
    assert on_treatments(["test", "reference"], True)[0].weak
    assert "watering" in on_treatments(["test", "untreated"], True)[0].text
    assert "that brew or bag" in on_treatments(["test", "water control"], True)[0].text
    assert on_treatments(["test", "water control"], True, 3) == []
    assert on_days(catalogue["fresh_mass"], 5)[0].weak
    assert on_days(catalogue["surface_worms"], 30)[0].weak
    assert on_days(catalogue["plant_height"], 28) == []
    assert "60 cm or more" in on_guard(catalogue["surface_worms"], 20, "patch")[0].text
    assert on_guard(catalogue["surface_worms"], 20, "pot") == []
    assert on_place(catalogue["surface_worms"])[0].text.startswith("The baseline will show")
    (near,) = on_weekday(MONDAY, 26, {0, 4})
    assert near.text == "The decision day is a Sat, not one of your days; Fri 12 Jun would be (day 25)."
    assert on_weekday(MONDAY, 28, {0, 4}) == []


@pytest.mark.parametrize(("dealing", "n"), [("completely random", 3), ("completely random", 5), ("pairs", 4)])
def test_what_planning_promises_is_what_judging_can_give(dealing, n):
    treated = np.array([True, False] * n)
    blocks = [str(i // 2) if dealing == "pairs" else None for i in range(2 * n)]
    assert best_reachable_p(dealing, n) == pytest.approx(best_p(treated, blocks))


# --- The declared plan --------------------------------------------------------------------------------------


def lines_of(trial, readings=()):
    found = {}
    judgement = Judgement(Question("Plain water"), "blocks", 12, None, (), (), day=trial.decision_day)
    for line in plan_lines(trial, trial.asked[0], readings, judgement, []):
        found.setdefault(line.rule, []).append(line)
    return found


def test_the_fingerprint_is_that_of_the_facts(catalogue):
    trial = small_trial(catalogue)
    declared = declare(trial, datetime(2026, 4, 30, 18, tzinfo=UTC))
    text = json.dumps(facts_of(trial), sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    assert declared.fingerprint == hashlib.sha256(text.encode()).hexdigest()
    assert short(declared.fingerprint).replace(" ", "") == declared.fingerprint[:12]
    for change in ({"worth": 0.2}, {"decision_day": 35}, {"seed": "other"}, {"units": trial.units[::-1]}):
        other = declare(replace(trial, **change), declared.at).fingerprint
        assert (other == declared.fingerprint) == (change.get("units") is not None), change


def test_what_changes_after_declaring_stands_in_the_ledger(catalogue):
    bare = small_trial(catalogue)
    assert lines_of(bare)["declared"][0].level == "caution"
    trial = replace(bare, declared=declare(bare, datetime(2026, 4, 30, 18, tzinfo=UTC)))
    assert "Declared on 30 Apr 2026, fingerprint" in text_of(lines_of(trial)["declared"][0])
    quietly = replace(trial, worth=0.05)
    assert untold(quietly) == ["worth"]
    assert "without an amendment: worth" in text_of(lines_of(quietly)["amendment"][0])
    told = replace(
        quietly, amendments=(Amendment(date(2026, 5, 8), "worth", "15 %", "5 %", "seen cheaper elsewhere", "Ilse"),)
    )
    assert untold(told) == []
    (line,) = lines_of(told)["amendment"]
    assert line.level == "caution"
    assert text_of(line) == "On day 7 worth was changed from 15 % to 5 %: seen cheaper elsewhere."


def test_the_plan_s_own_weaknesses_stand_in_the_ledger(catalogue):
    trial = small_trial(catalogue)
    lines = lines_of(trial)
    assert "that one, not of the recipe" in text_of(lines["batches"][0])
    assert "border crossing" not in lines, "pots do not touch"
    several = replace(trial, batches=6)
    assert "it speaks of the recipe" in text_of(lines_of(several)["batches"][0])
    assert lines_of(replace(trial, batches=4))["batches"][0].level == "caution"
    crops = replace(trial, rules=Rules(crops=("chard", "pak choi")))
    assert "Crops (chard, pak choi) are blocks here" in text_of(lines_of(crops)["crops"][0])
    assert [crops.crop_of(unit) for unit in crops.units][:4] == ["chard", "chard", "pak choi", "pak choi"]
    assert [several.batch_of(unit) for unit in several.units][::2] == [1, 2, 3, 4, 5, 6]
    tried = replace(trial, spare_runs=(SpareRun("A", date(2026, 4, 20), False, "wilted", "Ilse"),))
    assert "Comfrey steep: suffered" in text_of(lines_of(tried)["spare plant"][0])
    assert "did not name" in text_of(lines_of(replace(trial, blind=True))["blind"][0])


def test_a_place_without_worms_can_not_answer_about_worms(catalogue):
    trial = small_trial(catalogue, first="surface_worms")
    none = [Reading(u.id, 0, u.id, "surface_worms", 1, 0.0, "", "", 1) for u in trial.units]
    some = [replace(reading, value=4.0) for reading in none]
    (line,) = lines_of(trial, none)["able to answer"]
    assert (line.level, "12 of 12 units could hardly answer" in text_of(line)) == ("caution", True)
    assert "able to answer" not in lines_of(trial, some)


def test_treated_beside_control_is_counted_with_its_guard(catalogue):
    trial = small_trial(catalogue, first="surface_worms", kind="bed")
    (line,) = lines_of(trial)["border crossing"]
    assert line.level == "caution"
    assert "with a guard of 10 cm where 60 cm is advised" in text_of(line)
    wide = replace(trial, guard_cm=80.0)
    assert lines_of(wide)["border crossing"][0].level == "note"
