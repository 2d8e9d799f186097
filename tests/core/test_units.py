"""The units of a household: measures, amounts as typed, and our own sentences, metric on record whatever is shown."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.measuring.measures import as_shown, value_typed
from eproba.core.quantities import (
    US_UNITS,
    QuantityError,
    conversion,
    converted,
    in_words_of,
    number_typed,
)
from eproba.core.trial.doses import DoseError, amount, metric_dose


@pytest.mark.parametrize(
    ("kept", "unit", "shown", "wanted"),
    [
        (2.54, "cm", 1.0, "in"), (30.48, "cm", 12.0, "in"), (0.3048, "m", 1.0, "ft"), (28.349523125, "g", 1.0, "oz"),
        (3.785411784, "L", 1.0, "gal"), (20.0, "°C", 68.0, "°F"), (-40.0, "°C", -40.0, "°F"),
        (0.09290304, "m²", 1.0, "sq ft"), (1.0, "L/m²", 0.024543, "gal/sq ft"), (7.0, "leaves", 7.0, "leaves"),
    ],
)  # fmt: skip
def test_what_is_kept_is_shown_as_the_household_has_it(kept, unit, shown, wanted):
    how = conversion(unit, "US")
    assert (how.shown(kept), how.unit) == (pytest.approx(shown, rel=1e-4), wanted)
    assert conversion(unit, "metric").shown(kept) == kept


@given(st.sampled_from(sorted(US_UNITS)), st.decimals(0, 500, places=2))
def test_what_is_typed_comes_back_as_it_was(unit, number):
    how = conversion(unit, "US")
    assert how.shown(how.kept(float(number))) == pytest.approx(float(number), rel=1e-10, abs=1e-9)
    assert how.kept(how.shown(float(number))) == float(number)
    assert how.apart_kept(how.apart_shown(float(number))) == float(number)


def test_numbers_are_typed_with_or_without_their_unit():
    assert number_typed("16", "cm", "US") == pytest.approx(40.64)
    assert number_typed("16.5", "cm", "metric") == 16.5
    assert number_typed("40 cm", "cm", "US") == 40
    assert number_typed("1,5 ft", "cm", "metric") == pytest.approx(45.72)
    assert number_typed("68 °F", "°C", "metric") == pytest.approx(20)
    for typed, unit in (("3 kg", "cm"), ("3 leagues", "cm")):
        with pytest.raises(QuantityError, match=f"does not fit here: write {unit}."):
            number_typed(typed, unit, "US")
    assert converted(8, "fl oz", "mL") == pytest.approx(236.588, abs=1e-3)


@pytest.mark.parametrize(
    ("ours", "told"),
    [
        ("250 mL each, 2.5 L/m² on day 3.", "8.45 fl oz each, 0.0614 gal/sq ft on day 3."),
        (
            "A block of 20 × 20 × 20 cm; 5–45 °C, 5 to 45 °C.",
            "A block of 7.87 × 7.87 × 7.87 in; 41–113 °F, 41 to 113 °F.",
        ),
        ("Down to -2 °C within a day.", "Down to 28.4 °F within a day."),
        ("Down to -20 °C, 10-20 cm.", "Down to −4 °F, 10-20 cm."),
        ("Down to −2 °C, 0 °C at night.", "Down to 28.4 °F, 32 °F at night."),
        ("“40 cm” does not fit; 40 cm would.", "“40 cm” does not fit; 15.7 in would."),
        ("21 mm/h, 4 mg, P3 g, 12 g a g dry, 30 s", "21 mm/h, 4 mg, P3 g, 0.423 oz a g dry, 30 s"),
        ("1.8 oz (51 g), ¼ cup of it (59 mL); 51 g", "1.8 oz (51 g), ¼ cup of it (59 mL); 1.8 oz"),
        ("1 m of row, 10 kg", "3.28 ft of row, 22 lb"),
    ],
)
def test_our_sentences_are_told_in_its_units_and_what_was_typed_stays(ours, told):
    assert in_words_of(ours, "US") == told
    assert in_words_of(ours, "metric") == ours


def test_a_measure_is_shown_with_all_that_hangs_on_its_unit(catalogue):
    height = as_shown(catalogue["plant_height"], "US")
    assert (height.unit, height.kept_in, height.decimals) == ("in", "cm", catalogue["plant_height"].decimals + 1)
    assert height.high == pytest.approx(catalogue["plant_height"].high / 2.54, rel=1e-3)
    assert height.noise_cv == catalogue["plant_height"].noise_cv
    assert (value_typed(height, "5"), value_typed(height, "12,7 cm")) == (5, pytest.approx(5))
    warm = as_shown(catalogue["soil_temperature"], "US")
    assert warm.unit == "°F"
    assert warm.noise_sd == pytest.approx(1.8 * catalogue["soil_temperature"].noise_sd)
    assert warm.possible[0] == pytest.approx(1.8 * catalogue["soil_temperature"].possible[0] + 32, rel=1e-3)
    for key in ("leaf_count", "infiltration", "cover", "soil_smell", "nitrogen_kit"):
        assert as_shown(catalogue[key], "US") is catalogue[key], key
    assert as_shown(catalogue["plant_height"], "metric") is catalogue["plant_height"]
    assert value_typed(catalogue["plant_height"], "2 in") == pytest.approx(5.08)


def test_a_dose_in_us_units_is_kept_metric_to_four_figures():
    assert metric_dose(8, "fl oz") == (236.6, "mL")
    assert metric_dose(1, "lb") == (0.4536, "kg")
    assert (metric_dose(250, "mL"), metric_dose(None, "gal")) == ((250, "mL"), (None, "L"))


def test_a_dose_is_taken_in_any_unit_of_its_kind():
    assert amount("8 fl oz", "mL") == pytest.approx(236.588, abs=1e-3)
    assert amount("250 mL", "mL") == 250
    assert amount("0.25 L each", "mL") == 250
    with pytest.raises(DoseError, match="is no amount: write what each unit got as a number of mL"):
        amount("2 lb", "mL")
