"""What was really poured stands in the ledger."""

from dataclasses import replace
from datetime import date, timedelta

import pytest

from eproba.core.judging.applications import applications
from eproba.core.trial.amendments import NOTHING_BESIDE, Beside
from eproba.core.trial.ground import Gradient, unblocked_gradient
from eproba.core.wording.ledger import text_of
from tests.core.cases import small_trial

DAY0 = date(2026, 5, 1)


def logged(catalogue, a=None, b=None):
    """The small trial with one application of each treatment, changed as told."""
    trial = small_trial(catalogue)
    usual = [replace(pour, amount_each=250.0, alike=True, can="own") for pour in trial.pours]
    return replace(trial, pours=(replace(usual[0], **(a or {})), replace(usual[1], **(b or {}))))


def texts(trial, beside=NOTHING_BESIDE):
    return [f"{line.rule} ({line.level}): {text_of(line)}" for line in applications(trial, beside)]


def test_all_as_planned_is_one_note(catalogue):
    assert texts(logged(catalogue)) == ["applied as planned (note): All 2 pours are on record."]


def test_after_an_early_end_nothing_was_to_be_given(catalogue):
    trial = logged(catalogue)
    later = [replace(pour, id=90 + pour.id, day=14, status="due", done_on=None) for pour in trial.pours]
    planned = replace(trial, pours=(*trial.pours, *later))
    (missing,) = texts(planned)
    assert "Of 4 pours 2 are not on record (A and B on day 14): more than a third" in missing
    for ended, said in ((13, "All 2 pours are on record."), (14, "Of 4 pours 2 are not on record")):
        (line,) = texts(replace(planned, ended_on=DAY0 + timedelta(days=ended)))
        assert said in line
    late = replace(trial.pours[0], done_on=DAY0 + timedelta(days=4))
    ended = replace(planned, pours=(late, *planned.pours[1:]), ended_on=DAY0 + timedelta(days=13))
    assert any("1 of 2 pours came late" in text for text in texts(ended)), "of those that were to be given"


@pytest.mark.parametrize(
    ("a", "b", "said"),
    [
        ({"done_on": DAY0 + timedelta(days=4)}, {}, "1 of 2 pours came late, by up to 4 days (A on day 0)"),
        ({"done_on": DAY0 + timedelta(days=1)}, {}, "All 2 pours are on record"),
        ({"amount_each": 100.0}, {"amount_each": 100.0}, "poured short once, down to 40 % of the plan"),
        ({"unit_amounts": {"P2": 200.0}}, {}, "Comfrey steep: poured short once, down to 80 %"),
        ({}, {"amount_each": 225.0}, "All 2 pours are on record"),
        ({"amount_each": 300.0}, {}, "Unequal water on day 0: a gap may be the watering alone"),
        ({}, {"amount_each": 270.0}, "All 2 pours are on record"),
        (
            {"unit_amounts": {"P2": 1180.0}},
            {},
            "Comfrey steep got more than the plan gives once, up to 472 % of it: P2",
        ),
        ({"unit_amounts": {"P2": 1180.0}}, {}, "another amount of water than the rest of their treatment: P2 on day 0"),
        ({}, {"status": "skipped"}, "Unequal water on day 0: a gap may be the watering alone"),
        ({"alike": False}, {}, "Not every unit got the same handling on day 0"),
        ({}, {"can": "after"}, "the control was poured from the brew’s can afterwards"),
        ({"override": "foul, but there was no other"}, {}, "should not be poured: foul, but there was no other"),
        (
            {"status": "skipped"},
            {"status": "due"},
            "1 was skipped and 1 is not on record (A and B on day 0): more than a third",
        ),
    ],
)
def test_each_departure_is_told(catalogue, a, b, said):
    found = texts(logged(catalogue, a, b))
    assert any(said in text for text in found), found
    assert "All 2" in said or any("caution" in text or "(cap)" in text for text in found)


def test_the_verdict_says_of_how_many_brews_it_speaks(catalogue):
    trial = logged(catalogue, {"batch": 7})
    again = replace(trial.pours[0], id=9, day=14, done_on=DAY0 + timedelta(days=14))
    one = replace(trial, pours=(*trial.pours, again))
    assert "came from one batch: the verdict speaks of one brew" in texts(one)[-1]
    two = replace(trial, pours=(*trial.pours, replace(again, batch=8)))
    assert "2 batches of Comfrey steep were poured one after the other" in texts(two)[-1]


def later(trial, place=0, day=14, done=None, **more):
    """The trial with one more application of the first treatment, done on its day or another one."""
    on = DAY0 + timedelta(days=day if done is None else done)
    return replace(trial, pours=(*trial.pours, replace(trial.pours[place], id=9 + day, day=day, done_on=on, **more)))


def test_what_was_caught_up_on_is_told_with_letter_and_day(catalogue):
    trial = logged(catalogue, {"done_on": DAY0 + timedelta(days=9)})
    twice = later(trial, day=7, done=9)
    assert any("Two pours of one treatment were given on one day: A on day 9." in text for text in texts(twice))
    assert not any("on one day" in text for text in texts(later(trial, day=7, done=10)))
    beside = Beside(least_days=(("A", ((9, 14.0), (20, 11.0), (21, 14.0))),))
    said = "Given sooner after the last time than the recipe allows: A on day 21."
    assert any(said in text for text in texts(later(trial, day=21), beside))
    assert not any("sooner" in text for text in texts(later(trial, day=20), beside)), "eleven days are enough there"


def test_brews_that_are_unknown_or_another_s_are_told(catalogue):
    trial = logged(catalogue, {"batch": 7})
    assert not any("brew" in text for text in texts(trial, Beside(brewed=("A",))))
    unknown = replace(trial, pours=(replace(trial.pours[0], batch=None), trial.pours[1]))
    assert any("which brew these came: A on day 0." in text for text in texts(unknown, Beside(brewed=("A",))))
    assert not any("which brew" in text for text in texts(unknown)), "it needs none"
    whey = tuple(replace(t, recipe="comfrey-steep" if t.letter == "A" else "") for t in trial.treatments)
    swapped = Beside(made_by=((7, ("diluted-whey", "Diluted whey")),))
    told = texts(replace(trial, treatments=whey), swapped)
    assert any("On day 0 Comfrey steep (A) was poured from a batch of Diluted whey." in text for text in told)
    own = Beside(made_by=((7, ("comfrey-steep", "Comfrey steep")),))
    assert not any("batch of" in text for text in texts(replace(trial, treatments=whey), own))


def test_a_gradient_is_across_only_where_the_lots_fell_anywhere(catalogue):
    site = replace(small_trial(catalogue).site, gradient=Gradient("shade", 90.0))
    dealings = ("completely random", "one of each", "blocks", "pairs", "Latin square", "on and off")
    across = [dealing for dealing in dealings if unblocked_gradient(site, dealing)]
    assert across == ["completely random", "one of each"]
    assert unblocked_gradient(replace(site, gradient=None), "completely random") == ""
