"""The claim as a sentence: built from what is planned or declared, wherever it is shown."""

from dataclasses import replace
from datetime import UTC, datetime

import pytest

from eproba.core.catalogue import promises
from eproba.core.planning.claims import Claim
from eproba.core.trial.claim import Asking, claim_of, compared_names, own_words
from eproba.core.trial.declaration import declare
from eproba.core.trial.worth import Worth
from tests.core.cases import small_trial

NOW = datetime(2026, 5, 1, 8, tzinfo=UTC)


USUAL = Worth(0.15, "ratio")


def asked(measure, *tested, worth=USUAL, control="plain water", day=28, **more):
    return Asking(tested, control, measure, worth, day, **more).sentence


def test_every_promise_becomes_claims_that_can_be_tested(catalogue):
    assert len(promises()) >= 8
    for claim in [claim for promise in promises().values() for claim in promise.claims]:
        assert isinstance(claim, Claim)
        measure = catalogue[claim.measure]
        worth = Worth(claim.worth, measure.scale)
        said = asked(measure, "Comfrey steep", worth=worth, day=claim.decision_day, no_worse=claim.no_worse)
        assert said.startswith(f"By day {claim.decision_day}, comfrey steep ")
        assert ("no worse than" in said) == claim.no_worse
        assert "{" not in said


def test_a_claim_says_what_how_much_when_and_against_what(catalogue):
    height, worms = catalogue["plant_height"], catalogue["surface_worms"]
    assert asked(height, "NPK") == "By day 28, NPK grew plants 15 % taller than plain water."
    assert asked(height, "Comfrey steep", "Diluted whey") == (
        "By day 28, comfrey steep or diluted whey grew plants 15 % taller than plain water."
    )
    rungs = asked(height, "Comfrey steep, 1 + 20", "Comfrey steep, 1 + 10", "Comfrey steep, neat")
    assert "comfrey steep (1 + 20, 1 + 10 or neat) grew" in rungs
    assert "comfrey steep, of the second cut; or whey grew" in asked(height, "Comfrey steep, of the second cut", "Whey")
    nothing = Worth(None, "ratio")
    assert "noticeably taller than" in asked(height, "Whey", worth=nothing)
    assert asked(height, "Whey", worth=nothing, control="untreated ground", no_worse=True) == (
        "By day 28, whey came out not noticeably worse than untreated ground (plant height)."
    )
    assert asked(height, worth=Worth(0.1, "ratio"), no_worse=True).startswith(
        "By day 28, the treatment came out no worse than plain water by more than 10 %"
    )
    assert asked(worms, "Whey", worth=Worth(1.0, "difference"), control="bare soil", turns=True, day=24) == (
        "By day 24, a place with whey had 1 worm more at the surface than with bare soil."
    )
    assert asked(height, "Mix A", "Mix B", control="the usual mix", ranked=True) == (
        "By day 28, some of mix A, mix B and the usual mix are ahead of others (plant height), by 15 % or more."
    )
    assert asked(height, "A", ranked=True, worth=nothing).endswith("ahead of others (plant height).")


def test_what_counts_of_a_measure_has_its_words(catalogue):
    height = catalogue["plant_height"]
    days = {"worth": Worth(3.0, "difference"), "lower_is_better": True, "summary": "time_to", "level": 25.0}
    assert (
        asked(height, "Whey", **days)
        == "By day 28, whey reached 25 cm of plant height 3 days earlier than plain water."
    )
    fast = asked(height, "Whey", worth=Worth(0.2, "difference"), summary="rate")
    assert fast == "By day 28, whey gained 0.2 cm a day more of plant height than plain water."


@pytest.mark.parametrize(
    ("treatments", "control", "names"),
    [
        ([("Whey", "test"), ("Plain water", "water control")], 1, (("Whey",), "plain water")),
        ([("Wool", "test"), ("Bare soil", "untreated")], 1, (("Wool",), "bare soil")),
        ([("Wool", "test"), ("", "untreated")], 1, (("Wool",), "untreated ground")),
        ([("Whey", "test"), ("Untreated", "untreated")], 1, (("Whey",), "untreated ground")),
        ([("Shade", "test"), ("Nothing done", "untreated")], 1, (("Shade",), "where nothing was done")),
        ([("Whey", "test"), ("NPK 7", "reference"), ("Tap", "water control")], 2, (("Whey",), "tap")),
        ([("One", "test"), ("Two", "test")], 0, (("Two",), "one")),
        ([("One", "reference"), ("Two", "reference")], 0, (("Two",), "one")),
    ],
)
def test_the_control_is_called_as_it_is_named(treatments, control, names):
    assert compared_names(treatments, control) == names


def test_what_was_declared_is_fixed(catalogue):
    trial = replace(small_trial(catalogue, first="plant_height"), scale="ratio", worth=0.15, decision_day=28)
    before = claim_of(trial)
    assert before.startswith("By day 28, ")
    assert "15 % taller" in before
    declared = replace(trial, declared=declare(trial, NOW))
    assert claim_of(replace(declared, decision_day=35, worth=0.3)) == before
    assert "By day 35" in claim_of(replace(trial, decision_day=35)), "nothing was declared"


def test_own_words_are_those_that_no_program_wrote():
    assert own_words(" It helps. ") == "It helps."
    assert own_words("By day 28, comfrey steep grew plants 15 % taller than plain water.") == ""
    assert own_words("By day 28 it is greener") == "By day 28 it is greener"
