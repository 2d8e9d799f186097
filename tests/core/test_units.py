"""The units of a household: measures, amounts as typed, and our own sentences, metric on record whatever is shown."""

import pint
import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.brewing.mixing import MixError, Want
from eproba.core.measuring.measures import as_shown, value_typed
from eproba.core.quantities import (
    SIZES,
    SPOON,
    US_UNITS,
    Amount,
    QuantityError,
    Units,
    as_kept,
    as_said,
    conversion,
    converted,
    filled,
    number_typed,
    portion_shown,
    told,
)
from eproba.core.trial.doses import Dose, DoseError, amount, exceptions, metric_dose, typed_dose


def test_sizes_are_those_that_a_library_of_units_knows():
    registry = pint.UnitRegistry()
    for kept, mine in (
        ("centimetre", "length"),
        ("centimetre ** 2", "area"),
        ("gram", "mass"),
        ("millilitre", "volume"),
    ):
        for name, (kind, size) in SIZES.items():
            if kind == mine and not name.startswith(("metric_", "garden_", "uk_")):
                assert registry.Quantity(1.0, name).to(kept).magnitude == pytest.approx(size, rel=1e-9), name
    for degrees in (-40.0, 0.0, 37.5):
        there = registry.Quantity(degrees, "degree_Celsius").to("degree_Fahrenheit").magnitude
        assert conversion("°C", "US").shown(degrees) == pytest.approx(there)


@pytest.mark.parametrize(
    ("kept", "unit", "shown", "wanted"),
    [
        (2.54, "cm", 1.0, "in"), (30.48, "cm", 12.0, "in"), (0.3048, "m", 1.0, "ft"), (28.349523125, "g", 1.0, "oz"),
        (3.785411784, "L", 1.0, "gal"), (20.0, "°C", 68.0, "°F"), (-40.0, "°C", -40.0, "°F"),
        (0.09290304, "m²", 1.0, "sq ft"), (1.0, "L/m²", 3.141484, "fl oz/sq ft"), (7.0, "leaves", 7.0, "leaves"),
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
    assert number_typed("5 kg", "kg") == 5
    assert number_typed("500 mL", "L") == 0.5
    assert number_typed("50 cm", "m") == 0.5
    assert number_typed("0,5 kg", "g") == 500
    assert number_typed("3 in", "cm") == pytest.approx(7.62)
    assert number_typed("2 tbsp", "mL") == 30
    assert number_typed("1 cup", "L", "US") == pytest.approx(0.23659, rel=1e-4)
    assert number_typed("12", "L/m²", "US") == number_typed("12 fl oz a sq ft", "L/m²") == pytest.approx(3.81992)
    assert number_typed("1", f"mL{SPOON}", "US") == pytest.approx(4.92892)
    for typed, system, unit in (("3 kg", "US", "in"), ("3 leagues", "metric", "cm"), ("5 s", "metric", "cm"),
                                ("5 k", "metric", "cm")):  # fmt: skip
        with pytest.raises(QuantityError, match=f"does not fit here: write {unit}."):
            number_typed(typed, "cm", system)
    assert converted(8, "fl oz", "mL") == pytest.approx(236.588, abs=1e-3)


US = Units("US")


@pytest.mark.parametrize(
    ("amount", "metric", "us"),
    [
        (Amount(250, "mL"), "250 mL", "8.5 fl oz"),
        (Amount(1.27, "L"), "1.27 L", "1.35 qt"),
        (Amount(6.491, "L"), "6.5 L", "1.7 gal"),
        (Amount(7.57, "L"), "7.57 L", "2 gal"),
        (Amount(10, "mL"), "10 mL", "2 tsp"),
        (Amount.of(4, "L/m²"), "4 L/m²", "12.5 fl oz a sq ft"),
        (Amount.of(1, "L/m²", 4), "1 to 4 L/m²", "3.1 to 12.5 fl oz a sq ft"),
        (Amount.of(8, "mL/L"), "8 mL a litre", "1 fl oz a gallon"),
        (Amount.of(50, "g/kg"), "50 g a kg", "0.8 oz a lb"),
        (Amount.of(20, "g/m²", 60), "20 to 60 g/m²", "6.5 to 20 oz per 100 sq ft"),
        (Amount.of(5, "L of compost/m²"), "5 L/m² of compost", "16 fl oz a sq ft of compost"),
        (Amount(15, "°C", high=20), "15 to 20 °C", "59 to 68 °F"),
        (Amount(-2, "°C"), "−2 °C", "28 °F"),
        (Amount(5, "cm"), "5 cm", "2 in"),
        (Amount(40, "cm"), "40 cm", "16 in"),
        (Amount(1.45, "kg"), "1.45 kg", "3.2 lb"),
        (Amount(2, "handful"), "2 handful", "2 handful"),
        (Amount(1, "US gallon"), "3.8 L", "1 gal"),
        (Amount(1, "US cup"), "1 US cup", "1 cup"),
        (Amount(0, "mm"), "0 mm", "0 in"),
    ],
)
def test_an_amount_is_said_as_the_household_says_it(amount, metric, us):
    assert (str(amount), US(amount)) == (metric, us)


@pytest.mark.parametrize(
    ("number", "said"),
    [(15.6, "15.5"), (15.61, "16"), (1.953, "2"), (1.949, "1.95"), (0.0528, "0.053"), (98.7, "99"), (1234.5, "1234"),
     (23456, "23500"), (-0.333, "−0.33"), (0.0, "0")],
)  # fmt: skip
def test_no_digit_is_said_that_nobody_measures(number, said):
    assert as_said(number) == said


@given(st.floats(0.01, 900))
def test_what_is_said_is_as_good_as_what_is_meant(number):
    assert float(as_said(number)) == pytest.approx(number, rel=0.05)
    assert float(as_kept(float(f"{number:.3g}"))) == float(f"{number:.3g}"), "what has three figures keeps them"


def test_texts_of_the_catalogue_are_filled_for_the_household():
    text = "Keep {5 L/m²} at {15 to 20 °C}, {−2 °C} at night; {gap}, 1 in 20."
    assert filled(text, Units()) == "Keep 5 L/m² at 15 to 20 °C, −2 °C at night; {gap}, 1 in 20."
    assert filled(text, US) == "Keep 16 fl oz a sq ft at 59 to 68 °F, 28 °F at night; {gap}, 1 in 20."


def test_an_error_says_its_limits_in_the_units_of_who_reads_it():
    with pytest.raises(MixError) as refused:
        Want(area_m2=200_000)
    assert str(refused.value) == "200000 m² doesn’t fit: give an area above 0, up to 100000 m²."
    assert told(refused.value, US) == "2150000 sq ft doesn’t fit: give an area above 0, up to 1080000 sq ft."
    assert told(ValueError("{odd}"), US) == "{odd}"


def test_a_portion_is_written_in_the_household_s_own_measures():
    assert portion_shown(1, "kg", "US") == (pytest.approx(2.2046, rel=1e-4), "lb")
    assert portion_shown(100, "g", "US") == (pytest.approx(3.5274, rel=1e-4), "oz")
    assert portion_shown(10, "L", "US") == (pytest.approx(2.6417, rel=1e-4), "gal")
    assert portion_shown(2, "tbsp", "US") == (2, "tbsp")
    assert portion_shown(1, "US gallon", "metric") == (pytest.approx(3.7854, rel=1e-4), "L")
    assert portion_shown(3, "US cup", "metric") == (3, "US cup")
    assert portion_shown(2, "handful", "US") == (2, "handful")


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
    assert metric_dose(3, "oz", "sq ft") == (915.5, "g"), "3 oz a square foot"
    assert typed_dose(Dose(915.5, "g", "m2"), "US") == (3.0, "oz")
    assert typed_dose(Dose(236.6, "mL"), "US") == (8.0, "fl oz")
    assert typed_dose(Dose(2, "L", "m2"), "metric") == (2, "L")


def test_a_dose_is_taken_in_any_unit_of_its_kind():
    each, on_the_ground = Dose(250, "mL"), Dose(2, "L", "m2")
    assert amount("8 fl oz", each) == pytest.approx(236.588, abs=1e-3)
    assert amount("8", each, "US") == pytest.approx(236.588, abs=1e-3)
    assert amount("250", each) == amount("250 mL each", each) == amount("0,25 L", each) == 250
    assert amount("2 L/m²", on_the_ground) == amount("2", on_the_ground) == amount("2000 mL a m²", on_the_ground) == 2
    assert amount("6.283 fl oz a sq ft", on_the_ground, "US") == pytest.approx(2, rel=1e-3)
    assert amount("6.283 fl oz", on_the_ground, "US") == pytest.approx(2, rel=1e-3), "on each of its own squares"
    assert amount("2 handfuls each", Dose(1, "handful")) == 2
    for text, dose, unit in (("2 lb", each, "mL"), ("2 L/m²", each, "mL"), ("much", on_the_ground, "L/m²")):
        with pytest.raises(DoseError, match=f"is no amount: write what each unit got as a number of {unit}"):
            amount(text, dose)
    assert exceptions("P3 2", ["P3"], on_the_ground, "US") == {"P3": pytest.approx(7.5708, rel=1e-4)}, "2 gal in all"
