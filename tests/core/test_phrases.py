"""What is said in the slots of the sheet: read as a gardener means it, said again as it was meant, refused by name."""

from contextlib import suppress
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.catalogue import crops, measures, recipes
from eproba.core.planning.crops import CropError, crop_kind_from, kind_tried, usual_measures
from eproba.core.planning.phrases import (
    PhraseError,
    days_said,
    days_words,
    ground_said,
    site_words,
    worth_said,
    worth_shown,
)
from eproba.core.quantities import METRIC, Units

US = Units("US")


@pytest.mark.parametrize(
    ("text", "count", "size"),
    [
        ("two beds", 2, (240, 120)),
        ("2 beds of 1.2 × 2.4 m", 2, (120, 240)),
        ("I have 2 raised beds of 4 x 8 ft.", 2, (121.92, 243.84)),
        ("a bed of 50 cm by 3 m", 1, (50, 300)),
        ("3 patches 1x2", 3, (100, 200)),
    ],
)
def test_beds_stand_side_by_side_in_their_size(text, count, size):
    places = ground_said(text, METRIC).site.places
    assert [(place.width_cm, place.length_cm) for place in places] == [pytest.approx(size)] * count
    assert all(place.x_cm >= before.x_cm + before.width_cm for before, place in pairwise(places))


def test_a_size_without_its_unit_is_in_the_household_s():
    place = ground_said("a bed of 4 x 8", US).site.places[0]
    assert (place.width_cm, place.length_cm) == pytest.approx((121.92, 243.84))
    assert site_words(ground_said("2 beds of 4 x 8", US).site, US) == "2 beds of 4 × 8 ft"


@pytest.mark.parametrize(("text", "pots"), [("12 pots", 12), ("two terracotta pots", 2), ("200 buckets", 200)])
def test_pots_are_counted(text, pots):
    assert ground_said(text, METRIC).pots == pots


def test_a_tray_has_as_many_cells_as_are_said():
    for text, cells in (("a tray of 40", 40), ("24 cells", 24), ("tray", 24)):
        tray = ground_said(text, METRIC).site.places[0]
        assert tray.rows * tray.columns == cells
        assert site_words(ground_said(text, METRIC).site, METRIC) == f"a tray of {cells}"


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("my roof", "“my roof” is no ground that can be read: write 12 pots, 2 beds of 1.2 × 2.4 m, or a tray of 40."),
        ("1 pot", "1 pot can’t be shared out: say 2 to 800, best twelve or more."),
        ("801 pots", "801 pots can’t be shared out"),
        ("a bed of 2 x 3 miles", "“miles” is no length: write m, cm, ft or in."),
        ("a bed of 1.2.3 x 4 m", "“1.2.3” is not a number"),
        ("a bed of 10 cm x 4 m", "A place is between 20 cm and 200 m long and wide."),
        ("13 beds", "13 are too many to draw at once"),
        ("a tray of 201", "A tray holds 2 to 200 cells."),
    ],
)
def test_other_ground_is_refused_with_what_would_fit(text, said):
    with pytest.raises(PhraseError) as refused:
        ground_said(text, METRIC)
    assert str(refused.value).startswith(said)


@given(
    st.sampled_from(["bed", "lawn"]), st.integers(2, 12), st.floats(0.2, 200).map(lambda side: round(side, 1)),
    st.floats(0.2, 200).map(lambda side: round(side, 1)), st.sampled_from([METRIC, US]),
)  # fmt: skip
def test_ground_is_read_as_it_is_said(kind, count, width, length, units):
    unit = "m" if units == METRIC else "ft"
    if unit == "ft" and min(width, length) < 0.7:
        return
    text = f"{count} {kind}s of {width:g} × {length:g} {unit}"
    assert site_words(ground_said(text, units).site, units) == text


@given(st.text(max_size=40))
def test_whatever_is_said_is_read_or_refused_in_words(text):
    for read in (lambda: ground_said(text, METRIC), lambda: days_said(text), lambda: worth_said(text)):
        with suppress(PhraseError):  # and nothing else
            read()


@pytest.mark.parametrize(
    ("text", "days"), [("4 weeks", 28), ("a month", 30), ("28", 28), ("ten days", 10), ("730 days", 730)]
)
def test_time_is_read_in_days(text, days):
    assert days_said(text) == days
    assert days_said(days_words(days)) == days


@pytest.mark.parametrize("text", ["", "soon", "0 days", "731 days", "9999 months"])
def test_no_time_is_refused(text):
    with pytest.raises(PhraseError):
        days_said(text)


@pytest.mark.parametrize(
    ("text", "worth", "shown"),
    [("15 %", (15.0, "%"), "15 %"), ("2,5 cm", (2.5, "cm"), "2.5 cm"), ("15 percent", (15.0, "%"), "15 %"),
     ("1.25 cm", (1.25, "cm"), "1.2 cm"), ("2.0 points", (2.0, "points"), "2 points"),
     *((word, (None, ""), "anything") for word in ("anything", "", "any", "Any gap", "nothing"))],
)  # fmt: skip
def test_a_worth_brings_its_unit(text, worth, shown):
    assert worth_said(text) == worth
    assert worth_shown(*worth) == shown


def test_a_worth_that_is_no_number_says_how_to_write_it():
    with pytest.raises(PhraseError) as refused:
        worth_said("a bit")
    told = "“a bit” is not a number; write it like 12.5 or 12,5, with % or the measure’s unit."
    assert str(refused.value) == told


@pytest.mark.parametrize(
    ("crop", "measure"),
    [("Rainbow chard", "widest_leaf"), ("sunflowers", "plant_height"), ("strawberries", "fruits"),
     ("black tomatoes", "plant_height"), ("radishes", "yield_g"), ("moonweed", ""), ("", "")],
)  # fmt: skip
def test_a_crop_leads_to_the_measure_that_is_usually_the_first(crop, measure):
    assert usual_measures(crop, crops())[:1] == ((measure,) if measure else ())


def test_a_kind_of_crop_is_checked_when_it_is_loaded():
    for kind in crops.__wrapped__().values():
        entry = {"names": list(kind.names), "measures": list(kind.measures)}
        assert crop_kind_from(kind.key, entry, measures()) == kind
    with pytest.raises(CropError, match="no measure that can be the first"):
        crop_kind_from("x", {"names": ["x"], "measures": ["gone"]}, measures())


@pytest.mark.parametrize(
    ("thing", "kind"),
    [("Wool-fibre mulch", "mulch"), ("Comfrey steep", "drench"), ("Alfalfa-pellet steep", "drench"),
     ("Alfalfa pellets", "dry"), ("compost", "dry"), ("straw", "mulch"), ("peat-free potting mix", "media"),
     ("shading at noon", "way"), ("Sweet secret", "drench")],
)  # fmt: skip
def test_what_is_tried_tells_the_kind_of_trial(thing, kind):
    recipe = next((recipe for recipe in recipes().values() if recipe.title.casefold() == thing.casefold()), None)
    assert kind_tried(thing, recipe) == kind
