"""The chance of a clear answer: what moves it, where its noise comes from, what would help."""

import re

import pytest
from click.testing import CliRunner

from eproba.cli import main
from tests.conftest import demo_garden
from tests.web.steps import begun, fill, planned, text, typed


def test_the_chance_moves_with_units_noise_worth_and_blocks(client, draft):
    planned(client, draft)

    def chance(**moved):
        page = client.post(f"{draft}/chances", moved).get_data(as_text=True)
        assert page.count('class="garden') >= 300, "three times a hundred marks"
        return int(re.search(r"in <strong>(\d+) of 100", page).group(1))

    usual = chance()
    assert chance(units="12") > usual
    assert chance(worth="30") > usual
    assert chance(noise="40") < usual
    assert chance(blocks="no") >= usual, "without blocks more is left for the noise"
    assert "up to 150 % fits" in client.post(f"{draft}/chances", {"noise": "300"}).get_data(as_text=True)
    page = text(client, f"{draft}/chance")
    assert "the catalogue’s usual for this measure" in page
    assert "would take 28 units of each" in page
    wrong = fill(client, draft, "chance", noise="lots", units="6").get_data(as_text=True)
    assert 'value="lots"' in wrong, "what was typed stays where it was typed"


def test_what_was_moved_goes_into_the_plan_and_back_to_the_ground(client, draft):
    planned(client, draft)
    assert fill(client, draft, "chance").headers["Location"].endswith("/days"), "nothing was moved"
    fill(client, draft, "chance", worth="20.05")
    assert typed(client, f"{draft}/measure")["worth"] == "20.05"
    assert 'value="20.05"' in text(client, f"{draft}/chance"), "no digit is lost on the way there and back"
    moved = fill(client, draft, "chance", units="8", worth="25")
    assert moved.headers["Location"].endswith("/ground")
    assert typed(client, f"{draft}/ground")["units_each"] == "8"
    assert typed(client, f"{draft}/measure")["worth"] == "25"
    assert "8 of each, 16 in all" in text(client, f"{draft}/deal")


@demo_garden
def test_noise_comes_from_the_gardener_s_own_finished_trials(client):
    client.get("/trials")  # the finished trials are judged
    again = client.post("/trials/1/copy").headers["Location"].rsplit("/", 1)[0]
    assert "from 1 finished trial of your own and the catalogue, each by how much is known from it" in text(
        client, f"{again}/chance"
    )


def test_what_would_help_is_one_tap(client):
    draft = begun(client, "Whey", thing="Whey")
    page = text(client, f"{draft}/chance")
    assert "What would help most" in page
    helps = re.findall(r'value="(help-[\w-]+)"', page)
    assert 1 <= len(helps) <= 3
    units = next(each for each in helps if each.startswith("help-units-")).rsplit("-", 1)[1]
    assert fill(client, draft, "chance", go=f"help-units-{units}").headers["Location"].endswith("/ground")
    assert typed(client, f"{draft}/ground")["units_each"] == units
    fill(client, draft, "chance", go="help-readings-3")
    assert typed(client, f"{draft}/measure")["per_unit"] == "3"
    assert "by how noisy your units may be" in text(client, f"{draft}/chance")
    assert "the verdict uses each treatment’s own noise" in text(client, f"{draft}/chance")


@pytest.mark.parametrize(
    ("measure", "options"),
    [
        ({}, ("--measure", "plant_height", "--worth", "15%")),
        pytest.param(
            {"per_unit": "3"},
            ("--measure", "plant_height", "--worth", "15%", "--readings", "3"),
            marks=pytest.mark.long,
        ),
        (
            {"measure": "fresh_mass", "scale": "difference", "typical": "400", "worth": "90"},
            ("--measure", "fresh_mass", "--worth", "90", "--typical", "400"),
        ),
        ({"measure": "surface_worms", "worth": "3"}, ("--measure", "surface_worms", "--worth", "3")),
    ],
)
def test_the_page_and_the_command_line_know_one_chance(client, draft, measure, options):
    planned(client, draft)
    fill(client, draft, "measure", **measure)
    told = CliRunner().invoke(main, ["plan", "--treatments", "2", "--units", "6", "--blocks", *options]).output
    page = text(client, f"{draft}/chance")
    share = re.search(r"The worth is found in (\d+) of 100", told).group(1)
    assert f"in <strong>{share} of 100</strong>" in page
    own = re.search(r"own noise: ([\d.]+) degrees", told).group(1)
    assert f"with {float(own):g} degrees of freedom" in page
