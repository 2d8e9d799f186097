"""What the core refuses, and the whole sentence that it says."""

import math
from dataclasses import replace
from datetime import date, timedelta

import pytest

from eproba.core.brewing.events import Event, check_event
from eproba.core.brewing.kitchen import Kit
from eproba.core.brewing.recipe import recipe_entry, recipe_from
from eproba.core.catalogue import cautions, ingredients, recipes
from eproba.core.errors import EprobaError
from eproba.core.measuring.formulas import breathing, coming_up, dry_down, infiltration, slurry
from eproba.core.planning.claims import promise_from
from eproba.core.planning.prospect import Prospect
from eproba.core.trial import happenings
from eproba.core.trial.happenings import what_typed
from eproba.core.trial.whole import MOST_UNITS, must_be_whole
from tests.core.brews import BREWED, brew
from tests.core.cases import reading, small_trial

COMFREY = recipes()["comfrey-steep"]
HOUR = timedelta(hours=1)


def refusal(call):
    with pytest.raises(EprobaError) as refused:
        call()
    return str(refused.value)


def own_recipe(**changes):
    return recipe_from("own", {**recipe_entry(COMFREY), **changes}, ingredients(), cautions())


def happens(what, hours, *events, mixed="mixed"):
    return check_event(brew(COMFREY, *events, what=mixed), Event(BREWED + hours * HOUR, what), BREWED + 900 * HOUR)


@pytest.mark.parametrize(
    ("call", "says"),
    [
        (lambda: Kit(syringe_ml=-0.1), "The syringe measures 0 (there is none) or more."),
        (lambda: Kit(syringe_ml=math.inf), "The syringe measures 0 (there is none) or more."),
        (lambda: happens("mixed", 5), "This batch is mixed already: correct that entry if its time is wrong."),
        (lambda: happens("water set out", 5), "Its water was set out already, or it was mixed before: "
         "correct that event."),
        (lambda: happens("water set out", 5, mixed="water set out"), "Its water was set out already, or it was mixed "
         "before: correct that event."),
        (lambda: happens("stirred", 5, mixed="water set out"), "It can’t be stirred then: its ingredients have not met "
         "yet. Put the mixing down first, or correct it."),
        (lambda: happens("stirred", -1), "It can’t be stirred then: it was mixed only 1 May, 08:00. Put the "
         "mixing down first, or correct it."),
        (lambda: own_recipe(ingredients={f"own_{n}": {} for n in range(13)}),
         "own: ingredients is a table of at most 12 own ingredients"),
        (lambda: own_recipe(ingredients={"moss": {}}),
         "own: ingredients: moss is a table, and its key begins with own_"),
        (lambda: own_recipe(ingredients={"own_moss": "green"}),
         "own: ingredients: own_moss is a table, and its key begins with own_"),
        (lambda: own_recipe(portions=[{"ingredient": "comfrey", "amount": 0, "unit": "kg"}]),
         "own: portion: amount can’t be 0: input should be greater than 0"),
        (lambda: own_recipe(portions=[{"ingredient": "moss", "amount": 1, "unit": "kg"}]).key,
         f"own: portion: unknown ingredient moss; known are {', '.join(ingredients())}"),
        (lambda: own_recipe(portions="comfrey"), "own: portions is a list of tables"),
        (lambda: slurry(100, 0.1, w=0.5), "the soil holds more water than the slurry wants: let it dry first"),
        (lambda: infiltration(60), "give depth_mm, or volume_ml and ring_mm"),
        (lambda: breathing(1.0, 20.0, 20.0), "give slope, or minutes and ppm"),
        (lambda: coming_up([1, 2], [3]), "2 days and 1 counts: give as many of each"),
        (lambda: coming_up([1, 1], [3, 4]), "the days must rise from one to the next"),
        (lambda: dry_down([1, 2], [3], 1), "2 days and 1 values: give as many of each"),
        (lambda: dry_down([2, 2], [3, 4], 1), "the days must rise from one to the next"),
        (lambda: promise_from("p", {"said": "Green."}, {}), "p: a promise has said and claims, not said"),
        (lambda: promise_from("p", {"said": 1, "claims": []}, {}),
         "p: a promise has said and claims, not claims, said"),
        (lambda: Prospect(2, 4, False, "difference", 1.0, 1.0, step=-0.1),
         "What readings are rounded to is 0 or more."),
        (lambda: what_typed("eaten"), "Say what happened: sown or set, seedlings up, thinned, a failure "
         "replaced, fed, tied or weeded or something else."),
    ],
)  # fmt: skip
def test_what_is_refused_says_why(call, says):
    assert refusal(call) == says


def changed_cut(trial, n, **changes):
    units = list(trial.units)
    units[n] = replace(units[n], cut=replace(units[n].cut, **changes))
    return replace(trial, units=tuple(units))


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda t: replace(t, units=()), "It has no units."),
        (lambda t: replace(t, rounds=()), "It has no rounds."),
        (lambda t: replace(t, asked=()), "It has no measures."),
        (lambda t: replace(t, treatments=t.treatments[:1]), "It has fewer than two treatments."),
        (lambda t: replace(t, units=t.units[:1] * (MOST_UNITS + 1)), "It has more than 2000 units."),
        (lambda t: replace(t, treatments=(t.treatments[0], replace(t.treatments[1], letter="B1"))),
         "A treatment has no letter."),
        (lambda t: replace(t, treatments=(t.treatments[0], replace(t.treatments[1], letter="A"))),
         "The letter A stands in it twice."),
        (lambda t: replace(t, units=(*t.units, t.units[3])), "The unit P3 stands in it twice."),
        (lambda t: replace(t, units=(replace(t.units[0], letter="D"), *t.units[1:])),
         "Something in it is of treatment D, which it does not have."),
        (lambda t: replace(t, treatments=(*t.treatments, replace(t.treatments[0], letter="C"))),
         "No unit of it got treatment C."),
        (lambda t: changed_cut(t, 0, block=None), "It was dealt in blocks, and one of its units is in none."),
        (lambda t: replace(t, start_on=date(1989, 12, 31)), "It starts on 1989-12-31, which can’t be."),
        (lambda t: replace(t, start_on=date(2150, 1, 2)), "It starts on 2150-01-02, which can’t be."),
        (lambda t: replace(t, decision_day=-1), "One of its days lies years away."),
        (lambda t: replace(t, decision_day=3661), "One of its days lies years away."),
        (lambda t: replace(t, rounds=(t.rounds[0], replace(t.rounds[1], day=0))),
         "The round of day 0 stands in it twice."),
        (lambda t: replace(t, worth=math.inf), "One of its numbers is none."),
        (lambda t: changed_cut(t, 2, x_cm=math.nan), "One of its numbers is none."),
    ],
)  # fmt: skip
def test_a_trial_whose_parts_do_not_fit_together_says_which(catalogue, change, says):
    trial = small_trial(catalogue)
    must_be_whole(trial)
    must_be_whole(replace(trial, start_on=date(1990, 1, 1), decision_day=3660))
    assert refusal(lambda: must_be_whole(change(trial))) == says


def test_readings_are_of_what_the_trial_has(catalogue):
    trial = small_trial(catalogue)
    whole = reading(trial, 1, trial.rounds[0], trial.units[0], "leaf_count", 4.0)
    must_be_whole(trial, [whole])
    for strange in ({"unit_id": 99}, {"round_id": 99}, {"measure_key": "worms"}):
        says = refusal(lambda change=strange: must_be_whole(trial, [replace(whole, **change)]))
        assert says == "One of its readings is of a unit, a round or a measure that it does not have."
    assert refusal(lambda: must_be_whole(trial, [replace(whole, value=math.nan)])) == "One of its numbers is none."


def test_what_happened_must_have_been_possible(catalogue):
    trial = small_trial(catalogue)
    day = trial.start_on
    rules = replace(trial.rules, seeds=5, plants=1, replace_until=None)
    trial = replace(trial, rules=rules)
    until = replace(trial, rules=replace(rules, replace_until=7))
    lost = replace(trial.units[0], lost_on=day + timedelta(days=3))

    def happened(what, days=0, count=None, of=trial, units=trial.units[:1], today=60):
        on, now = day + timedelta(days=days), day + timedelta(days=today)
        return happenings.check_event(of, units, what, on, count, now)

    happened("replaced", 7, of=until)
    happened("up", 4, 5)
    happened("thinned", 9, 1)
    happened("up", 2, units=[lost])
    for call, says in (
        (lambda: happened("up", units=[]), "Say to which units it happened."),
        (lambda: happened("up", 1, today=0), "That day is still to come: note it when it has happened."),
        (lambda: happened("sown", -500), "That is long before the trial: check the day."),
        (lambda: happened("up", 3, units=[lost]),
         "P0: down as lost by then. Choose an earlier day, or other units."),
        (lambda: happened("replaced", 5),
         "The plan says that failures are never replaced: put the unit down as lost instead."),
        (lambda: happened("replaced", 8, of=until),
         "The plan replaces failures up to day 7; this is day 8: later gaps are losses."),
        (lambda: happened("up", 4, 6), "6 seedlings of 5 sown can’t be up."),
        (lambda: happened("thinned", 9, 2), "The plan thins to 1 plant a unit; type how many were left."),
    ):  # fmt: skip
        assert refusal(call) == says
