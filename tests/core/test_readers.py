"""What readings of the same thing differ by, told apart from what the units differ by."""

import math
from dataclasses import replace

import numpy as np
import pytest

from eproba.core.judging.readers import readers
from eproba.core.stats.reader_noise import noise_between, reader_noise, readings_for, share_of_reading
from eproba.core.trial.model import Rules
from eproba.core.trial.rounds import asked_again
from eproba.core.wording.readers import advice, readers_told
from tests.core.cases import reading, small_trial


def test_one_reader_is_dahlbergs_and_two_may_lean():
    differences = [0.2, -0.4, 0.1, 0.3]
    one = reader_noise(differences, one_reader=True)
    assert (one.sd, one.df) == (pytest.approx(math.sqrt(0.30 / 8)), 4)
    two = reader_noise([each + 1 for each in differences], one_reader=False)
    assert (two.lean, two.df) == (pytest.approx(1.05), 3)
    assert two.sd == pytest.approx(math.sqrt(sum((each - 0.05) ** 2 for each in differences) / 6))
    assert two.lean_se == pytest.approx(np.std(differences, ddof=1) / 2)
    assert reader_noise([0.5], one_reader=True).lean_se is None
    for few, single in (([], True), ([0.1], False)):
        with pytest.raises(ValueError, match="too few pairs"):
            reader_noise(few, single)


def test_what_lies_between_units_is_without_treatments_and_blocks():
    values = [1.0, 11.0, 2.0, 12.0, 3.0, 13.6]
    assert noise_between(values, list("ABABAB"), list("112233")) == pytest.approx(0.2449, abs=1e-4)
    assert noise_between([1.0, 2.0], list("AB"), [None, None]) is None


def test_more_readings_bring_the_share_down_or_nothing_does():
    assert share_of_reading(1.0, 2.0, 1) == 0.25
    assert share_of_reading(1.0, 2.0, 2) == 0.125
    assert share_of_reading(1.0, 0.0, 1) == share_of_reading(3.0, 1.0, 1) == 1
    assert readings_for(1.0, 2.0, 1, 0.2) == 2
    assert readings_for(1.0, 5**0.5, 1, 0.2) == 1, "a fifth of it is what there is"
    assert readings_for(3.0, 13**0.5, 1, 0.36) == 4, "just four, though 4.0000000001 comes out"
    assert readings_for(1.0, 1.29, 1, 0.2) is None, "seven nobody takes"
    assert readings_for(1.0, 1.3, 1, 0.2) == 6
    assert readings_for(1.0, 1.2, 1, 0.2) is None, "ten would be needed"
    assert readings_for(1.0, 1.0, 1, 0.2) is None, "all of it is the reader's"


@pytest.fixture
def made(catalogue):
    return small_trial(catalogue, first="plant_height")


def read(made, again, by="Nele"):
    """First readings of the last round, and second ones of its first units."""
    last = made.rounds[-1]
    units = zip(made.units, SPREAD, strict=True)
    first = [reading(made, n, last, unit, "plant_height", value) for n, (unit, value) in enumerate(units)]
    first = [replace(each, by="Ben") for each in first]
    twice = zip(first, again, strict=False)
    return first, [replace(each, id=100 + each.id, value=value, by=by) for each, value in twice]


SPREAD = [20.0, 26.0, 22.0, 24.0, 25.0, 21.0, 20.5, 25.5, 23.0, 22.5, 24.0, 21.0]


@pytest.mark.parametrize(
    ("again", "told", "what"),
    [
        ([20.1, 25.9, 22.1, 23.9, 25.1, 20.9], "Plant height, read by Ben and Nele on 6 units: one reading is off by",
         "The units themselves differ: more units help, reading plant height more often gains next to nothing."),
        ([22.0, 23.5, 24.0, 22.0, 27.0, 19.0], "; that is ", "readings of each unit bring it below 20 %"),
        ([30.0, 16.0, 32.0, 14.0, 35.0, 12.0], "; that is 100 % of what units differ by.",
         "Reading more often would not mend it: a better tool for plant height"),
        ([21.0, 27.3, 23.1, 25.2, 26.2, 22.1], "Nele reads 5.0 % higher than Ben throughout: let one of them read",
         "The units themselves differ"),
        ([20.1, 25.9], "on 2 units", "(2 pairs are few: a first hint.)"),
    ],
)  # fmt: skip
def test_noise_of_the_reading_is_told_with_what_would_help(made, again, told, what):
    (found,) = readers(made, *read(made, again))
    assert told in readers_told(found)
    assert what in advice(found)


def test_one_reader_asked_again_is_told_as_such_and_one_pair_is_none(made):
    (found,) = readers(made, *read(made, [20.2, 25.8, 22.2], by="Ben"))
    assert "read by Ben twice on 3 units" in readers_told(found)
    assert readers(made, *read(made, [20.2])) == []


def test_a_share_of_units_is_asked_again_by_lot_the_same_each_time(made):
    without, made = made, replace(made, rules=Rules(repeats=0.1))
    this = made.rounds[-1]
    again = asked_again(made, this)
    assert len(again) == 2 * 2, "two of twelve for each of two measures"
    assert again == asked_again(made, this)
    assert {key for _, key in again} == {"plant_height", "leaf_count"}
    assert asked_again(without, this) == []
    other = {tuple(asked_again(made, replace(this, key=f"round-{n}"))) for n in range(20)}
    assert len(other) > 5, "another round asks others"
