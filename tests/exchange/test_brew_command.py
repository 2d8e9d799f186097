"""`./eproba brew`: batches replayed from their events; each of these was once judged wrong, or would be."""

import json
from datetime import datetime, timedelta, timezone

import pytest
from click.testing import CliRunner

from eproba.cli import main

ZONE = timezone(timedelta(hours=2))
MIXED = datetime(2026, 5, 1, 10, tzinfo=ZONE)
OWN = """
[recipe]
title = "Hay steep"
kind = "drench"
family = "your own"
said = "x"
sure = "hearsay"
needs = "x"
yields = 10.0
rate = [1, 2, 4]
minutes = 10
use = "x"
why = "x"
hours = [48, 96]
portions = [{ ingredient = "water", amount = 10, unit = "L" }]
phases = [{ days = [7, 7] }]
brew = [{ do = "Stir.", cautions = ["brew"] }]
apply = []
"""
EVENT = '[[event]]\nat = 2026-05-01T10:00:00Z\nwhat = "mixed"\n'
GOOD = {"smell": "sweet", "foam": "light"}


def seen(hours, temperature=None, **signs):
    return hours, "looked at", {"temperature": temperature, "seen": signs}


def value_of(value):
    if isinstance(value, dict):
        return "{ " + ", ".join(f'{key} = "{each}"' for key, each in value.items()) + " }"
    return f'"{value}"' if isinstance(value, str) else f"{value}"


def log_of(recipe, rows, litres=5, begun="mixed"):
    lines = [f'recipe = "{recipe}"' if "\n" not in recipe else "", f"litres = {litres}", *recipe.splitlines()[1:]]
    if "\n" in recipe:
        lines = [f"litres = {litres}", recipe]
    for hours, what, *more in [(0, begun), *rows]:
        at = (MIXED + timedelta(hours=hours)).isoformat()
        lines += ["[[event]]", f"at = {at}", f'what = "{what}"']
        lines += [f"{key} = {value_of(value)}" for key, value in (more[0] if more else {}).items() if value is not None]
    return "\n".join(lines)


@pytest.fixture
def replayed(tmp_path):
    def run(recipe, rows, **more):
        file = tmp_path / "brew.toml"
        file.write_text(log_of(recipe, rows, **more), "utf-8")
        result = CliRunner().invoke(main, ["brew", str(file), "--json"])
        assert result.exit_code == 0, result.output
        return json.loads(result.output)

    return run


def by(hours):
    return (MIXED + timedelta(hours=hours)).isoformat(timespec="seconds")


@pytest.mark.parametrize(
    ("recipe", "rows", "state", "said"),
    [
        # poured minutes after it was mixed: judged at that hour
        ("compost-extract", [(1 / 3, "taken from", {"litres": 3})], "ready", "poured at once"),
        ("compost-extract", [(6.1, "asked")], "too old", "it kept until 1 May, 16:00"),
        ("molasses-water", [(1 / 3, "asked")], "ready", "poured at once"),
        ("rice-water", [(1 / 3, "asked")], "ready", "poured at once"),
        ("rice-rinse-ferment", [seen(25, smell="mildly sour"), (25.5, "asked")], "ready", "mildly sour"),
        ("grounds-rice-water", [seen(3, colour="cloudy"), (3.4, "asked")], "ready", "rested some hours"),
        # the four hours of an aerated brew run from air off, not from the look
        ("aerated-compost-brew", [seen(30, smell="earthy"), (40, "air off"), (43.9, "asked")], "ready", "earthy"),
        ("aerated-compost-brew", [seen(30, smell="earthy"), (40, "air off"), (44.1, "asked")], "too old", "kept until"),
        # what was planned to serve two weekly pours serves them, until the end of the seventh day
        ("sugar-ferment", [seen(125, 27, **GOOD), (125 + 170, "asked")], "ready", "light foam"),
        ("sugar-ferment", [seen(125, 27, **GOOD), (125 + 178, "asked")], "too old", "it kept until 13 May, 23:59"),
        # the clock stops when it is ready: day 10 of 30, and three hours in the fridge
        (
            "greens-sugar-juice",
            [
                seen(48, 27.5, smell="sweet", bubbles="few"),
                (49, "strained", {"litres": 4.8}),
                (50, "put cool", {"temperature": 8}),
                seen(240, smell="sweet"),
            ],
            "strained",
            "can be poured",
        ),
        ("yeast-starter", [seen(0.4, 35, foam="thick"), (0.5, "put cool"), (3.5, "asked")], "ready", "it foams"),
        # an own steep without signs of its own has the usual ones
        (OWN, [seen(60, smell="foul", mould="coloured", slime="yes")], "throw away", "Foul smell, coloured mould"),
        (OWN, [seen(60, smell="earthy", mould="none")], "ready", "nothing looks wrong"),
        (OWN, [seen(60, 20)], "brewing", "look at mould, slime and smell too"),
        # away stays, whatever is seen next
        ("sugar-ferment", [seen(100, smell="foul"), seen(126, 27, **GOOD)], "throw away", "Foul smell"),
        # ready needs the shortest time, and all of its signs
        (
            "scrap-steep-layered",
            [seen(84, 20, smell="strong", colour="dark")],
            "brewing",
            "brewed for 3.5 days of at least 7 days",
        ),
        ("sugar-ferment", [seen(126, 27, smell="sweet")], "brewing", "look at foam too"),
        ("sugar-ferment", [(126, "stirred")], "brewing", "nobody has looked yet"),
        ("sugar-ferment", [seen(126, 27, smell="sweet", foam="none")], "brewing", "Ready would be a light foam"),
        # where no warmth is, nothing brews; where too much is, nothing lives
        ("yeast-starter", [seen(0.4, 70, foam="light")], "throw away", "That was too hot for what should live in it"),
        ("yeast-starter", [seen(0.4, 46, foam="light")], "brewing", "counts as 0 minutes of at least 15 minutes"),
        ("comfrey-steep", [seen(1, 4), (400, "asked")], "brewing", "Leave it"),
        ("comfrey-steep", [seen(264, 5, colour="dark")], "brewing", "so this counts as 5.5 days of at least 10"),
        # inside its range the calendar's hours count, within a tenth; also where the clocks went forward
        ("sugar-woken-compost", [seen(25, 22, smell="earthy")], "ready", "earthy smell"),
        ("sugar-woken-compost", [seen(23, 18, smell="earthy")], "ready", "earthy smell"),
        (
            "sugar-woken-compost",
            [seen(21.5, 22, smell="earthy")],
            "brewing",
            "for 21.5 hours of at least 24 hours",
        ),
        # a quick brew may go unseen for some hours
        ("yeast-starter", [seen(1.6, 35, foam="light")], "ready", "it foams"),
        ("yeast-starter", [seen(6.6, 35, foam="light")], "throw away", "past the time"),
        # foam that is gone does not come again
        ("greens-sugar-juice", [seen(100, 27, smell="sweet", bubbles="none")], "throw away", "past its time"),
        ("clippings-sugar-yeast", [seen(60, 25, smell="foul", foam="light")], "throw away", "Foul smell"),
        # straining ends the air; what went without is not brought back; ten hours without condemn
        ("aerated-compost-brew", [seen(29, smell="earthy"), (30, "strained"), (174, "asked")], "too old", "kept until"),
        (
            "aerated-compost-brew",
            [seen(30, smell="earthy"), (31, "air off"), (41, "air on"), (42, "asked")],
            "too old",
            "kept until",
        ),
        (
            "aerated-compost-brew",
            [(5, "air off"), (15, "air on"), seen(30, smell="earthy")],
            "throw away",
            "without air",
        ),
        ("aerated-compost-brew", [(5, "air off"), (8, "air on"), seen(30, smell="earthy")], "ready", "earthy"),
        # litres are a ledger
        ("diluted-whey", [(1, "taken from", {"litres": 4.92})], "used up", "used up"),
        ("diluted-whey", [(1, "taken from", {"litres": 4.88})], "ready", "poured at once"),
        ("diluted-whey", [(2, "thrown away", {"note": "the dog was in it"})], "thrown away", "the dog was in it."),
        # forgotten for three times its longest time
        ("clippings-sugar-yeast", [(216.1, "asked")], "throw away", "past the time in which its signs can be trusted"),
    ],
)
def test_a_batch_is_what_its_events_make_it(replayed, recipe, rows, state, said):
    last = replayed(recipe, rows)[-1]
    assert last["state"] == state, last
    assert said in last["rule"], last
    assert "refused" not in last


@pytest.mark.parametrize(
    ("recipe", "rows", "why"),
    [
        ("sugar-ferment", [(1 / 12, "strained")], "Strain it when it is ready: "),
        ("sugar-ferment", [(-1, "looked at")], "It can’t be looked at then: its ingredients have not met yet."),
        ("diluted-whey", [(1, "taken from", {"litres": 5.3})], "holds 5 L by its ledger, not 5.3: take less"),
        ("diluted-whey", [(1, "taken from", {"litres": 0})], "0 L doesn’t fit: give more than 0"),
        ("diluted-whey", [(1, "taken from")], "Say how much was taken."),
        ("diluted-whey", [(1, "mixed")], "mixed already"),
        ("diluted-whey", [(1, "thrown away"), (2, "stirred")], "This batch was thrown away by then."),
        ("diluted-whey", [(1, "thrown away"), (1, "stirred")], "This batch was thrown away by then."),
        ("diluted-whey", [(1, "looked at", {"seen": {"smell": "divine"}})], "“divine” is no smell: choose none"),
        ("diluted-whey", [(1, "looked at", {"temperature": 700})], "700 °C doesn’t fit"),
    ],
)
def test_what_can_not_have_happened_is_left_out_and_said(replayed, recipe, rows, why):
    refused = [each["refused"] for each in replayed(recipe, rows) if "refused" in each]
    assert len(refused) == 1
    assert why in refused[0]


def test_nothing_is_mixed_by_waiting(replayed):
    rows = [(30, "asked"), (31, "mixed"), (31 + 121, "asked")]
    states = [each["state"] for each in replayed("sugar-ferment", rows, begun="water set out")]
    assert states == ["standing", "standing", "brewing", "brewing"]


def test_keeping_runs_from_when_it_was_ready_not_from_when_somebody_looked(replayed):
    """Its longest time is three days; who looks on day 8 for the first time gets no five days more."""
    (late,) = replayed("greens-sugar-juice", [seen(192, 27.5, smell="sweet", bubbles="many")])[1:]
    assert (late["state"], late["use_by"]) == ("ready", "2026-06-03T23:59:59+02:00")
    slow = replayed("greens-sugar-juice", [seen(100, 27.5, smell="sweet", bubbles="none"),
                                           seen(192, 27.5, smell="sweet", bubbles="many")])[-1]  # fmt: skip
    assert slow["use_by"] == "2026-06-04T23:59:59+02:00", "on day 5 somebody saw that it was not ready"


def test_the_window_moves_with_the_warmth_and_the_ledger_with_what_is_taken(replayed):
    cool = [seen(24, 12), (48, "asked")]
    first, looked, asked = replayed("sugar-ferment", cool)
    assert (first["ready_from"], first["ready_to"]) == (by(120), by(168))
    assert (looked["ready_from"], looked["ready_to"]) == (by(240), by(336)), "ten degrees cooler, twice as long"
    assert asked["ready_from"] == by(240)
    assert [first["use_by"], first["left_litres"]] == [None, 5]
    took = replayed("diluted-whey", [(1, "taken from", {"litres": 1.25}), (2, "taken from", {"litres": 3})])
    assert [each["left_litres"] for each in took] == [5, 3.75, 0.75]


@pytest.mark.parametrize(("zone", "until"), [("", "2026-05-09T23:59:59+02:00"), ("UTC", "2026-05-08T23:59:59+00:00")])
def test_last_days_go_by_the_calendar_of_the_place_however_a_zone_was_written(tmp_path, zone, until):
    file = tmp_path / "zones.toml"
    zone_line = f'zone = "{zone}"\n' if zone else ""
    file.write_text(
        f'\ufeff{zone_line}recipe = "clippings-sugar-yeast"\nlitres = 5\n'
        '[[event]]\nat = 2026-05-03T10:00:00+02:00\nwhat = "mixed"\n'
        '[[event]]\nat = 2026-05-05T22:30:00Z\nwhat = "looked at"\ntemperature = 25\n'
        'seen = { foam = "light", smell = "yeasty" }\n',
        "utf-8",
    )
    last = json.loads(CliRunner().invoke(main, ["brew", str(file), "--json"]).output)[-1]
    assert (last["state"], last["use_by"]) == ("ready", until)


def test_two_clocks_in_one_brew_are_one_time(tmp_path):
    """Mixed before the clocks went forward, looked at after: 108 hours, nine tenths of 120, are 108 hours."""
    file = tmp_path / "summer.toml"
    file.write_text(
        'zone = "Europe/Berlin"\nrecipe = "sugar-ferment"\nlitres = 5\n'
        '[[event]]\nat = 2026-03-27T10:00:00+01:00\nwhat = "mixed"\n'
        '[[event]]\nat = 2026-03-31T22:59:00+02:00\nwhat = "looked at"\ntemperature = 27\n'
        'seen = { smell = "sweet", foam = "light" }\n'
        '[[event]]\nat = 2026-03-31T23:00:00+02:00\nwhat = "looked at"\ntemperature = 27\n'
        'seen = { smell = "sweet", foam = "light" }\n'
    )
    moments = json.loads(CliRunner().invoke(main, ["brew", str(file), "--json"]).output)
    assert [each["state"] for each in moments] == ["brewing", "brewing", "ready"]
    told = CliRunner().invoke(main, ["brew", str(file)]).output
    assert "2026-03-31 23:00  looked at      ready, 5 left\n    As it should be: a light foam" in told
    assert "use by 2026-04-07 23:59" in told


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("recipe = 1", "litres: how much was made, above 0"),
        ("litres = 5", "recipe: one of "),
        ('litres = 5\nrecipe = "diluted-whey"', "at least one [[event]] with at and what"),
        ('litres = "5"\nrecipe = "diluted-whey"', "the log: litres is a number"),
        ("litres = ", "this is no TOML"),
        ('litres = 5\nrecipe = "diluted-whey"\n[[event]]\nat = 2026-05-01\nwhat = "mixed"', "event 1: at is a moment"),
        ('litres = 5\nrecipe = "diluted-whey"\n[[event]]\nat = 2026-05-01T10:00:00Z\nwhat = "sung to"', "or asked"),
        ('litres = 5\nrecipe = "diluted-whey"\n[[event]]\nwhere = 1', "event 1: knows at, what"),
        ("a." * 5000 + "b = 1", "nested deeper"),
        ('litres = inf\nrecipe = "diluted-whey"', "above 0 and up to 10000"),
        ('litres = 5\nrecipe = "aquarium-water"\nschool = "mine"', "made in one way alone"),
        ('litres = 5\nrecipe = "sugar-ferment"\nschool = "mine"', "school: one of "),
        ('litres = 5\nzone = "Atlantis"\nrecipe = "diluted-whey"\n' + EVENT, 'such as "Europe/Paris"'),
        ('litres = 5\nrecipe = "diluted-whey"\n' + EVENT.replace("2026", "9999"), "the year 9999 is outside"),
        ('litres = 5\nrecipe = "diluted-whey"\n' + 501 * EVENT, "501 events: no batch has more than 500"),
    ],
)
def test_a_log_that_is_none_is_refused_in_words(tmp_path, text, why):
    file = tmp_path / "bad.toml"
    file.write_text(text)
    result = CliRunner().invoke(main, ["brew", str(file)])
    assert result.exit_code == 2
    assert why in result.output


def test_the_example_of_the_documents_is_a_log(tmp_path):
    from pathlib import Path

    page = (Path(__file__).parents[2] / "docs" / "brew-log.md").read_text("utf-8")
    file = tmp_path / "example.toml"
    file.write_text(page.split("```toml\n")[1].split("```")[0], "utf-8")
    moments = json.loads(CliRunner().invoke(main, ["brew", str(file), "--json"]).output)
    assert [each["state"] for each in moments] == [
        "standing", "brewing", "brewing", "brewing", "ready", "strained", "strained", "strained", "too old"
    ]  # fmt: skip
