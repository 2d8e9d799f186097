"""The pictures of brewing: vessels as full as they are, rulers true to their figures, brews and sky on one axis."""

from dataclasses import replace
from datetime import date, datetime, timedelta

import pytest

from eproba.core.applying.comparing import Added
from eproba.core.brewing.weather import Day
from eproba.core.catalogue import measures, recipes
from eproba.web.pictures.added import added_rulers
from eproba.web.pictures.day_strip import Brewed, day_strip
from eproba.web.pictures.shelf import BOTTOM, TOP, shelf, vessel
from eproba.web.ui.looks import looks
from tests.core.brews import BREWED, brew, look
from tests.core.cases import small_trial

T0 = BREWED
FERMENT = recipes()["sugar-ferment"]
LOOKS = looks([("A", "Ferment", "test"), ("B", "Water", "water control")])


# --- The shelf ----------------------------------------------------------------------------------------------


def test_a_vessel_is_as_full_as_its_batch():
    whey, later = recipes()["diluted-whey"], T0 + timedelta(hours=2)
    took = ((), ((1, "taken from", {"litres": 5.0}),), ((1, "taken from", {"litres": 10.0}),))
    full, half, empty = (vessel(brew(whey, *rows, litres=10.0), later).level for rows in took)
    assert TOP < full < half < empty == BOTTOM
    assert half - full == pytest.approx(empty - half, abs=0.2)


def test_only_what_brews_bubbles():
    brewing = vessel(brew(FERMENT, litres=10.0), T0 + timedelta(hours=3))
    assert len(brewing.bubbles) == 7
    assert all(brewing.level < y < BOTTOM for _, y, _ in brewing.bubbles)
    assert vessel(brew(FERMENT, what="water set out"), T0).bubbles == ()
    assert brewing.words.startswith("Unrefined-sugar ferment, 10 of 10 L, brewing.")


def test_what_wants_something_now_stands_first():
    foul = brew(FERMENT, look(1, 20, smell="foul"))
    made = [replace(each, id=n) for n, each in enumerate((brew(FERMENT), foul, brew(FERMENT)), 1)]
    row = shelf(made, T0 + timedelta(hours=5))
    assert [each.batch.id for each in row] == [2, 1, 3]
    assert row[0].next.words == "Throw it away"


# --- What is really added -----------------------------------------------------------------------------------


def added(letter="A", carbon=20.0, cost=0.1):
    return Added(letter, LOOKS[letter].name, 2.0, carbon, (0.1, 0.4), cost, 30.0, 4)


def test_the_rulers_are_true_to_their_figures():
    water, carbon, nitrogen, cost, minutes = added_rulers([added(), added("B", 5.0)], LOOKS, total=False)
    assert [ruler.title for ruler in (water, carbon, nitrogen, cost, minutes)] == [
        "Water, L/m²", "Easy carbon, g/m²", "Nitrogen, g/m²", "Cost, /m²", "Minutes",
    ]  # fmt: skip
    long, short = carbon.bars
    assert long.length == pytest.approx(4 * short.length, rel=0.01)
    small, limit = carbon.marks
    assert limit[0] - 34 == pytest.approx(4 * (small[0] - 34), rel=0.01), "10 and 40 g"
    assert 34 + long.length == pytest.approx(34 + 2 * (small[0] - 34), rel=0.01)
    assert nitrogen.bars[0].thin == pytest.approx(4 * nitrogen.bars[0].length, rel=0.01)
    assert nitrogen.bars[0].label == "0.1 to 0.4"
    assert "Easy carbon, g/m²: Ferment 20, Water 5." in carbon.words


def test_over_the_trial_all_is_times_the_applications():
    once, total = (added_rulers([added()], LOOKS, total=each)[1] for each in (False, True))
    assert once.bars[0].label == "20"
    assert total.bars[0].label == "80"
    assert total.marks == (), "the yardstick is one of a single pour"
    assert len(added_rulers([added(cost=None)], LOOKS, total=False)) == 4, "no cost without prices"


# --- The day strip ------------------------------------------------------------------------------------------


def test_brews_and_weather_lie_on_the_same_axis():
    trial = small_trial(measures())
    day0 = datetime.combine(trial.start_on, datetime.min.time()).astimezone()
    brew = Brewed("Ferment", day0 + timedelta(days=7), day0 + timedelta(days=14), day0 + timedelta(days=21))
    early = Brewed("Early", day0 - timedelta(days=30), day0, day0 + timedelta(days=90))
    sky = [Day(trial.start_on + timedelta(days=n), 8.0, 15.0 + n, 10.0 if n == 14 else 0.0) for n in range(-3, 29)]
    strip = day_strip(trial, trial.start_on, [brew, early], sky)
    assert (strip.brews[0].start - strip.start) / (strip.end - strip.start) == pytest.approx(0.25, abs=0.001)
    assert strip.brews[0].ready == pytest.approx((strip.start + strip.end) / 2, abs=0.2)
    assert strip.brews[1].start >= strip.start - 12, "what began long before stays on the strip"
    assert strip.brews[1].end <= strip.end
    ((x, _, wide, tall),) = strip.sky.rain
    assert x + wide / 2 == pytest.approx((strip.start + strip.end) / 2, abs=0.2)
    assert tall == pytest.approx(17, abs=0.1), "ten of twenty millimetres"
    assert strip.sky.warmth.count("L") == 28, "from day 0 to the decision day"
    assert "2 brews: Ferment, begun Fri 8 May, ready Fri 15 May" in strip.words
    assert day_strip(trial, date(2026, 5, 3)).sky is None
