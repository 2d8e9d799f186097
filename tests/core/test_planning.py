"""Lots, ground, days and advice."""

from collections import Counter
from dataclasses import replace
from datetime import date
from itertools import pairwise, permutations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from eproba.core.judging.shuffle import best_p
from eproba.core.planning.advice import best_reachable_p, on_days, on_treatments, on_units
from eproba.core.planning.days import Rhythm, pour_days, round_days
from eproba.core.planning.ground import Ground, places
from eproba.core.planning.lots import LotsError, deal
from eproba.core.planning.plan import Plan, PlannedTreatment, control_index, dealt_units


def evenly(counts, kinds):
    """p of the chi-square test that all `kinds` layouts come equally often."""
    assert len(counts) == kinds, "every allowed layout, and no other, must come"
    return stats.chisquare(list(counts.values())).pvalue


def test_every_allowed_layout_is_equally_likely():
    free = Counter("".join(deal("completely random", "AB", 3, str(seed))) for seed in range(6000))
    assert evenly(free, 20) > 0.001
    blocks = Counter("".join(deal("blocks", "ABC", 2, str(seed))) for seed in range(7200))
    assert evenly(blocks, 36) > 0.001
    assert set(blocks) == {"".join(a + b) for a in permutations("ABC") for b in permutations("ABC")}
    pairs = Counter("".join(deal("pairs", "AB", 4, str(seed))) for seed in range(4000))
    assert evenly(pairs, 16) > 0.001


def test_same_seed_same_lots_for_ever():
    """These very lots must come from this seed in every future version: the deal can be repeated by anybody."""
    assert "".join(deal("blocks", "ABC", 4, "terrace")) == "".join(deal("blocks", "ABC", 4, "terrace"))
    assert deal("completely random", "AB", 4, "terrace") != deal("completely random", "AB", 4, "roof")
    import hashlib

    order = sorted(range(8), key=lambda place: hashlib.sha256(f"terrace:{place}".encode()).hexdigest())
    by_hand = [""] * 8
    for place, letter in zip(order, "AAAABBBB", strict=True):
        by_hand[place] = letter
    assert deal("completely random", "AB", 4, "terrace") == by_hand


def test_lots_that_do_not_fit_say_what_would():
    with pytest.raises(LotsError, match="exactly two treatments"):
        deal("pairs", "ABC", 4, "x")
    with pytest.raises(LotsError, match="at least two treatments"):
        deal("blocks", "A", 4, "x")
    with pytest.raises(LotsError, match="at least one unit"):
        deal("blocks", "AB", 0, "x")


GROUND = Ground("pot", 25, 30, 10, 7)
PLAN = Plan(
    name="t", claim="c", note="", measures=(), worth=None, scale="difference", lower_is_better=False, summary="last",
    start_on=date(2026, 5, 1), rhythm=Rhythm(28, 7, 7),
    treatments=(PlannedTreatment("x", "test", "", 1, "L"), PlannedTreatment("w", "water control", "", 1, "L")),
    control=1, dealing="blocks", units_each=5, ground=GROUND,
)  # fmt: skip


@given(st.integers(1, 40), st.integers(1, 5), st.integers(1, 9), st.floats(0, 50))
def test_places_never_overlap_and_are_walked_once(count, block, per_row, guard):
    ground = replace(GROUND, per_row=per_row, guard_cm=guard)
    laid = places(ground, count, block)
    assert sorted(p.walk for p in laid) == list(range(1, count + 1))
    spots = [(p.x_cm, p.y_cm) for p in laid]
    for i, (x, y) in enumerate(spots):
        for other_x, other_y in spots[:i]:
            apart = max(abs(x - other_x) - ground.width_cm, abs(y - other_y) - ground.length_cm)
            assert apart >= guard - 1e-9
    for step in range(1, count):
        here, there = (next(p for p in laid if p.walk == n) for n in (step, step + 1))
        assert here.row == there.row or here.column == there.column or there.row == here.row + 1


def test_blocks_stand_together_and_hold_one_of_each():
    units = dealt_units(PLAN, "seed")
    assert [u.code for u in units] == [f"P{i}" for i in range(1, 11)]
    for block in range(1, 6):
        members = [u for u in units if u.block == str(block)]
        assert sorted(u.letter for u in members) == ["A", "B"]
        assert len({u.row for u in members}) == 1
        assert abs(members[0].column - members[1].column) == 1


@given(st.integers(1, 730), st.integers(1, 60), st.one_of(st.none(), st.integers(1, 60)))
def test_days(decision_day, every, pour_every):
    rhythm = Rhythm(decision_day, every, pour_every)
    rounds, pours = round_days(rhythm), pour_days(rhythm)
    assert rounds[-1] == decision_day
    assert rounds == sorted(set(rounds))
    assert rounds[0] == 0, "a baseline always"
    assert pours[0] == 0
    assert max(pours) < decision_day
    assert pour_every is None or all(b - a == pour_every for a, b in pairwise(pours))


def test_four_weeks_by_the_week():
    assert round_days(Rhythm(28, 7, 7)) == [0, 7, 14, 21, 28]
    assert round_days(Rhythm(30, 7, 7)) == [0, 7, 14, 21, 30], "two days before the end tells the same"
    assert pour_days(Rhythm(28, 7, 7)) == [0, 7, 14, 21]


def test_the_control_is_water_where_there_is_water():
    water, bare, test = (PlannedTreatment(r, r, "", None, "") for r in ("water control", "untreated", "test"))
    assert control_index((test, bare, water)) == 2
    assert control_index((test, bare)) == 1
    assert control_index((test, test)) == 0


def test_advice_knows_what_weakens(catalogue):
    assert "never judged" in on_units("blocks", 1, 2)[0].text
    weak = on_units("pairs", 5, 2)[0]
    assert weak.weak
    assert "1 in 16" in weak.text
    assert "From 6 of each" in weak.text
    assert not on_units("completely random", 4, 2)[0].weak
    assert on_treatments(["test", "reference"], True)[0].weak
    assert "watering" in on_treatments(["test", "untreated"], True)[0].text
    assert on_treatments(["test", "water control"], True) == []
    assert on_days(catalogue["fresh_mass"], 5)[0].weak
    assert on_days(catalogue["surface_worms"], 30)[0].weak
    assert on_days(catalogue["plant_height"], 28) == []


@pytest.mark.parametrize(("dealing", "n"), [("completely random", 3), ("completely random", 5), ("pairs", 4)])
def test_what_planning_promises_is_what_judging_can_give(dealing, n):
    import numpy as np

    treated = np.array([True, False] * n)
    blocks = [str(i // 2) if dealing == "pairs" else None for i in range(2 * n)]
    assert best_reachable_p(dealing, n) == pytest.approx(best_p(treated, blocks))
