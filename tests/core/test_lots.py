"""Lots: every layout equally likely, the same seed the same lots for ever, and a slip that anybody can check."""

import hashlib
from collections import Counter
from itertools import permutations

import pytest
from scipy import stats

from eproba.core.trial.lots import LotsError, deal, how_to_check


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
    squares = Counter("".join(deal("Latin square", "ABC", 3, str(seed))) for seed in range(3600))
    assert evenly(squares, 12) > 0.001, "all twelve squares of three"


def test_in_a_square_each_stands_once_in_every_row_and_column():
    square = deal("Latin square", "ABCDE", 5, "roof")
    rows = [square[i : i + 5] for i in range(0, 25, 5)]
    assert all(sorted(line) == list("ABCDE") for line in [*rows, *map(list, zip(*rows, strict=True))])


def order_of(seed, places):
    """The places in order of their SHA-256, as the lot slip tells."""
    return sorted(range(places), key=lambda place: hashlib.sha256(f"{seed}:{place}".encode()).hexdigest())


def by_hand(seed, sheet):
    dealt = [""] * len(sheet)
    for place, letter in zip(order_of(seed, len(sheet)), sheet, strict=True):
        dealt[place] = letter
    return dealt


def test_the_slip_lets_anybody_deal_the_same_lots():
    assert deal("completely random", "AB", 4, "terrace") == by_hand("terrace", "AAAABBBB")
    assert "seed:0" in how_to_check("completely random")
    blocks = by_hand("terrace:block 1", "ABC") + by_hand("terrace:block 2", "ABC")
    assert deal("blocks", "ABC", 2, "terrace") == blocks
    assert "seed:block 1:0" in how_to_check("pairs")
    rows, columns, letters = (order_of(f"terrace:{part}", 4) for part in ("rows", "columns", "letters"))
    square = ["ABCD"[letters[(rows[i] + columns[j]) % 4]] for i in range(4) for j in range(4)]
    assert deal("Latin square", "ABCD", 4, "terrace") == square
    assert "seed:letters:0" in how_to_check("Latin square")


@pytest.mark.parametrize(
    ("dealing", "treatments", "units", "said"),
    [
        ("pairs", "ABC", 4, "exactly two treatments"),
        ("blocks", "A", 4, "at least two treatments"),
        ("blocks", "AB", 0, "at least one unit"),
        ("blocks", "AA", 2, "the same name"),
        ("Latin square", "ABC", 4, "3 units of each, not 4"),
    ],
)
def test_lots_that_do_not_fit_say_what_would(dealing, treatments, units, said):
    with pytest.raises(LotsError, match=said):
        deal(dealing, treatments, units, "x")
