"""`./eproba reckon`: every worked example, what is refused, and what is said beside a number."""

import json

import pytest
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from eproba.cli import main
from eproba.core.catalogue import calculators
from eproba.core.measuring.calculators import reckon

CHAMBER = "volume_l=3.0 area_cm2=314.16 t=20 kpa=101.325"
EXAMPLES = [
    ("slurry moist_g=20 w=0.15 ratio=4", {"dry_g": 17.391, "add_g": 66.957, "true_ratio": 4.750}),
    ("slurry moist_g=50 w=0,30 ratio=5", {"dry_g": 38.462, "add_g": 180.769}),
    ("slurry moist_g=20 ratio=4", {"dry_g": None, "add_g": None, "true_ratio": 4.750}),
    ("slurry moist_g=50 w=1 ratio=1", {"dry_g": 25, "add_g": 0, "true_ratio": 3}),
    ("conductivity ec=1.20 t=18", {"ec25": 1.3852}),
    ("conductivity ec=0.45 t=30", {"ec25": 0.4108}),
    ("infiltration depth_mm=25 seconds=180", {"depth_mm": 25, "mm_per_h": 500}),
    ("infiltration volume_ml=450 ring_mm=152 seconds=420", {"depth_mm": 24.799, "mm_per_h": 212.56}),
    (f"breathing slope=12 {CHAMBER}", {"flux": 0.79395, "carbon_g_m2_day": 0.82392, "r2": None}),
    ("breathing slope=4 volume_l=1 area_cm2=100 t=15 kpa=95", {"flux": 0.26435, "carbon_g_m2_day": 0.27433}),
    (f"breathing minutes=0,1,2,3 ppm=420,432,444,456 {CHAMBER}", {"flux": 0.79395, "r2": 1.0}),
    ("jar from_ppm=420 to_ppm=5200 volume_l=0.9 t=20 dry_g=80 hours=24", {"carbon_ug_g_day": 26.850}),
    ("jar from_ppm=450 to_ppm=2600 volume_l=1.5 t=22 dry_g=50 hours=48", {"carbon_ug_g_day": 15.994}),
    ("water wet_g=182.4 dry_g=151.9 tin_g=31.2 density=1.25", {"w": 0.25269, "by_volume": 0.31587}),
    ("water wet_g=96.0 dry_g=90.5 tin_g=20.5", {"w": 0.07857, "by_volume": None}),
    ("growth first=4.6 last=18.4 days=14", {"relative": 0.09902, "doubling_days": 7.00, "absolute": 0.9857}),
    ("growth first=6.1 last=7.9 days=7", {"relative": 0.03694, "doubling_days": 18.76}),
    ("growth first=6 last=6 days=7", {"relative": 0, "doubling_days": None}),
    ("coming-up days=3,4,5,6,8 up=2,7,13,17,18", {"t50": 4.3333, "mean_days": 4.8889}),
    ("coming-up days=2,3,4,7 up=0,5,9,20", {"t50": 4.2727, "mean_days": 5.4000}),
    ("coming-up days=3,4,5 up=0,6,5", {"t50": 3.5, "mean_days": 4}),
    ("coming-up days=3,4 up=6,6", {"t50": 3, "mean_days": 3}),
    ("coming-up days=3,4 up=0,0", {"t50": None, "mean_days": None}),
    ("root-shoot root_g=1.84 shoot_g=4.60", {"ratio": 0.4000, "root_share": 0.2857}),
    ("root-shoot root_g=0.42 shoot_g=0.30", {"ratio": 1.4000, "root_share": 0.5833}),
    ("dry-down days=3,5 values=6.2,3.5 mark=4", {"days": 4.6296}),
    ("dry-down days=3,5 values=6.2,4.5 mark=4", {"days": None}),
    ("worms dug=7", {"per_m2": 175}),
    ("lost before_g=2.05 after_g=1.31", {"percent": 36.10}),
    ("settled sunk_mm=22 above_mm=118", {"percent": 15.71}),
    ("sieved coarse_g=380 all_g=1500", {"percent": 25.33}),
]


def run(line, *more):
    return CliRunner().invoke(main, ["reckon", *line.split(), *more])


@pytest.mark.parametrize(("line", "wanted"), EXAMPLES)
def test_worked_examples(line, wanted):
    answer = run(line, "--json")
    assert answer.exit_code == 0, answer.output
    found = json.loads(answer.stdout)
    given_keys = {each.name for each in calculators()[line.split()[0]].results}
    assert set(found) == given_keys
    for key, value in wanted.items():
        digits = 0.5 * 10 ** -len(f"{value}".partition(".")[2]) if isinstance(value, float) else 1e-6
        assert found[key] == (value if value is None else pytest.approx(value, rel=2e-5, abs=digits)), key


def test_every_calculator_is_worked_through():
    assert {line.split()[0] for line, _ in EXAMPLES} == set(calculators())


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("flux t=1", "there is no calculator flux; there are slurry"),
        ("water wet_g=90 dry_g=96", "dry is heavier than wet"),
        ("water wet_g=90 dry_g=20 tin_g=20", "no soil is left beside the tin"),
        ("water wet_g=90", "give dry_g: tin with dry soil, in g"),
        ("water wet_g=90 dry_g=1e999", "too large"),
        ("water wet_g=ninety dry_g=1", "Tin with moist soil: “ninety” is not a number"),
        ("water wet_g=90 dry_g=80 rain=2", "rain is no input; they are wet_g, dry_g, tin_g and density"),
        ("water wet_g", "write each input as NAME=VALUE"),
        ("slurry moist_g=4 ratio=4 w=0.1", "Moist soil: 4 g doesn’t fit: give 5 to 500 g"),
        ("infiltration seconds=10 volume_ml=3", "give ring_mm: ring across, in mm"),
        ("infiltration seconds=10 depth_mm=3 ring_mm=100", "ring_mm belongs to another way of measuring"),
        ("jar from_ppm=900 to_ppm=800 volume_l=1 t=20 dry_g=80 hours=24", "the CO₂ falls: the jar leaks"),
        (f"breathing slope=-2 {CHAMBER}", "the CO₂ falls: the chamber leaks"),
        (f"breathing slope=2 meter=eCO2-SGP30 {CHAMBER}", "works from alcohol in the air"),
        (f"breathing minutes=0,1 ppm=400,410 {CHAMBER}", "a slope needs three readings"),
        (f"breathing minutes=0,1,1 ppm=400,410,420 {CHAMBER}", "the times must rise"),
        (f"breathing minutes=0,1,2 ppm=400,410 {CHAMBER}", "3 times and 2 values"),
        ("lost before_g=1 after_g=2", "heavier than before"),
        ("settled sunk_mm=0 above_mm=0", "the jar is empty"),
        ("sieved coarse_g=2 all_g=1", "more than all stayed"),
        ("growth first=0 last=1 days=3", "Size at the first round: 0 as measured doesn’t fit"),
        ("coming-up days=3,4 up=1", "2 days and 1 counts"),
    ],
)
def test_what_can_not_be_is_one_line_and_exit_2(line, said):
    answer = run(line)
    assert (answer.exit_code, answer.stdout) == (2, "")
    assert said in answer.stderr
    assert answer.stderr.count("\n") == 1


@pytest.mark.parametrize(
    ("line", "said"),
    [
        (
            "slurry moist_g=20 ratio=4",
            "With 4 times its mass of water it is truly about 1 : 4.75, if the soil holds 15 %",
        ),
        ("infiltration depth_mm=25 seconds=180 gone=0", "it goes in slower than that"),
        (f"breathing minutes=0,1,2,3 ppm=400,440,390,430 {CHAMBER}", "lie badly on a line (R²"),
        (f"breathing minutes=0,1,2,3,4,5,6,7 ppm=400,420,440,460,480,485,488,489 {CHAMBER}", "only the first 5 of 8"),
        ("coming-up days=3,4,5 up=0,6,5", "Fewer than before: the highest count so far is taken."),
        ("coming-up days=3,4 up=0,0", "None came up"),
        ("dry-down days=3,5 values=6.2,4.5 mark=4", "Not down to 4.0 by day 5.0: later than that."),
        ("growth first=6 last=5 days=7", "It did not grow"),
        ("water wet_g=182.4 dry_g=151.9 tin_g=31.2", "Water: 0.25269 g per g dry (± 0.001 by the tools)"),
    ],
)
def test_what_is_said_beside_the_number(line, said):
    answer = run(line)
    assert answer.exit_code == 0
    assert said in answer.stdout


@given(st.floats(0.1, 1000), st.floats(0.1, 1000), st.floats(0, 50))
def test_water_is_found_again(dry, wet, tin):
    """What was put in comes out: tin, dry soil and water weighed together."""
    typed = {"wet_g": f"{tin + dry + wet:.15g}", "dry_g": f"{tin + dry:.15g}", "tin_g": f"{tin:.15g}"}
    assert reckon(calculators()["water"], typed).results["w"] == pytest.approx(wet / dry, rel=1e-6)
