"""Meters behind one interface: when a value is steady, what a run is worth, and stand-ins with the faults of real."""

import statistics
from datetime import UTC, datetime, timedelta

import pytest

from eproba.core.catalogue import calculators
from eproba.core.measuring.calculators import reckon
from eproba.core.measuring.measures import as_shown
from eproba.core.measuring.meters import (
    Filling,
    MeterDoubt,
    MeterError,
    MeterValue,
    RecordedMeter,
    as_run,
    check_name,
    checked,
    filling,
    fits,
    in_unit,
    steady,
)
from eproba.standins.meters import meters_at

AT = datetime(2026, 5, 20, 10, tzinfo=UTC)


def recorded(*pairs, doubt=0.5):
    """A meter with values so many seconds before the hour."""
    values = [MeterValue(AT - timedelta(seconds=back), value) for back, value in sorted(pairs, reverse=True)]
    return RecordedMeter("probe", "", "°C", MeterDoubt(doubt), values)


@pytest.mark.parametrize(
    ("pairs", "said"),
    [
        (((40, 15.0), (20, 15.4), (0, 15.9)), 15.433),
        (((40, 15.0), (20, 15.4), (0, 16.0)), 15.467),  # just twice its doubt apart
        (((40, 15.0), (20, 15.4), (0, 16.01)), None),
        (((59, 1.0), (40, 15.0), (20, 15.0), (0, 15.0)), 15.0),  # what was before is over
        (((599, 12.0),), 12.0),  # a slow one has averaged by itself
        (((601, 12.0),), None),
        ((), None),
    ],
)
def test_a_value_holds_steady_or_one_waits(pairs, said):
    found = steady(recorded(*pairs), AT)
    assert found == said if said is None else found == pytest.approx(said, abs=0.001)


def test_a_meter_fits_where_its_unit_is_asked():
    probe, moisture = recorded(), next(each for each in meters_at("P1") if each.measure == "moisture_meter")
    assert fits(probe, "soil_temperature", "°C")
    assert not fits(probe, "plant_height", "cm")
    assert fits(moisture, "moisture_meter", "points")
    assert not fits(moisture, "own_points", "points"), "it gives one measure alone"


def test_a_meter_is_read_in_the_unit_of_the_household(catalogue):
    warm = as_shown(catalogue["soil_temperature"], "US")
    probe = in_unit(recorded((0, 15.0)), warm)
    assert (probe.unit, probe.now(AT).value, probe.doubt.own) == ("°F", 59.0, pytest.approx(0.9))
    assert [each.value for each in probe.run(AT, AT)] == [59.0]
    assert fits(probe, "soil_temperature", "°F")
    assert (probe.name, probe.measure, probe.simulated) == ("probe", "", False)
    plain = recorded((0, 15.0))
    assert in_unit(plain, catalogue["soil_temperature"]) is plain
    assert in_unit(plain, as_shown(catalogue["plant_height"], "US")) is plain, "it is asked in inches, not in degrees"


def test_a_meter_fills_the_value_or_inputs_or_a_run(catalogue):
    by_unit = {each.name: each for each in meters_at("P1")}
    assert filling(by_unit["soil thermometer"], catalogue["soil_temperature"]) == Filling(("",))
    assert filling(by_unit["scale"], catalogue["water_weighed"]) == Filling(("wet_g", "dry_g", "tin_g"))
    assert filling(by_unit["CO₂ meter"], catalogue["breathing"]) == Filling((), ("minutes", "ppm"))
    assert filling(by_unit["scale"], catalogue["plant_height"]) is None
    assert filling(by_unit["scale"], catalogue["breathing"]) is None


def test_a_run_is_minutes_and_values_for_the_calculator():
    assert as_run(recorded((60, 420.0), (30, 426.5), (0, 432.0)).values) == ("0;0.5;1", "420;426.5;432")
    with pytest.raises(MeterError, match=r"gave 2 values in that time; 3 are the fewest"):
        as_run(recorded((60, 420.0), (0, 432.0)).values)


def test_what_smells_alcohol_and_what_comes_from_the_future_is_refused():
    for name in ("eCO2 stick", "Air TVOC/eCO2"):
        with pytest.raises(MeterError, match="smells alcohol, not CO₂"):
            check_name(name)
    check_name("CO₂ meter, infrared")
    assert checked(1.0, AT + timedelta(minutes=10), AT).value == 1.0
    with pytest.raises(MeterError, match="still to come: set the meter’s clock right"):
        checked(1.0, AT + timedelta(minutes=10, seconds=1), AT)
    with pytest.raises(MeterError, match="no number"):
        checked(float("nan"), AT, AT)


def values_of(name, spot, minutes=10, **more):
    meter = next(each for each in meters_at(spot, **more) if each.name == name)
    return [each.value for each in meter.run(AT, AT + timedelta(minutes=minutes))]


def test_the_stand_ins_have_the_faults_of_real_ones():
    assert values_of("scale", "P1") == values_of("scale", "P1") != values_of("scale", "P2")
    cold = values_of("CO₂ meter", "P1", 2, switched_on=AT)
    assert statistics.mean(cold) < statistics.mean(values_of("CO₂ meter", "P1", 2)) - 40, "it warms up"
    assert max(values_of("CO₂ meter", "P1", 60 * 24)) == 5000
    wet = [max(values_of("moisture probe", f"P{n}")) for n in range(60)]
    assert max(wet) <= 10
    assert all(each.simulated for each in meters_at("P1"))
    later = next(each for each in meters_at("P1") if each.name == "scale").run(AT + timedelta(hours=10), AT)
    assert later == [MeterValue(AT + timedelta(hours=10), later[0].value)]
    assert later[0].value > values_of("scale", "P1")[0] + 0.2, "a scale drifts"


def test_a_run_of_the_stand_in_gives_a_breath_with_a_good_line():
    meter = meters_at("P3")[0]
    minutes, ppm = as_run(meter.run(AT, AT + timedelta(minutes=10)))
    typed = {"minutes": minutes, "ppm": ppm, "volume_l": "3", "area_cm2": "314.16", "t": "20"}
    found = reckon(calculators()["breathing"], typed)
    assert 0.3 < found.results["flux"] < 1.5
    assert found.results["r2"] > 0.8
