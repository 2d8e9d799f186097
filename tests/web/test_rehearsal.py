"""A household that lives by Today for forty days; and the laws notice where the list is untrue."""

import json
import time
from datetime import date

import pytest
from click.testing import CliRunner

from eproba.cli import main
from eproba.core.applying import morning
from eproba.rehearsal.run import in_words, with_database
from eproba.rehearsal.temper import Temper

LONG = pytest.mark.long
IN_MARCH = date(2026, 3, 12)


@pytest.fixture
def summer_time(monkeypatch):
    """A place whose clocks go forward on 29 March."""
    monkeypatch.setenv("TZ", "Europe/Berlin")
    time.tzset()
    yield
    monkeypatch.undo()
    time.tzset()


@pytest.mark.usefixtures("summer_time")
@pytest.mark.parametrize(
    "temper",
    [
        Temper(2, "mild", 0.2, waters_every=2),
        *(pytest.param(t, marks=LONG) for t in (Temper(2, "mild", 0.2), Temper(1, "cool"), Temper(3, "warm"))),
    ],
    ids=str,
)
def test_forty_days_break_no_law(server, temper, long):
    """Every second day a fresh extract in place of plain water: no other watering is asked for between."""
    outcome = with_database(server.url, 40 if long else 12, temper, IN_MARCH)
    assert outcome.breaks == (), in_words(outcome)
    assert outcome.median <= 3
    assert outcome.started <= 1.15 * outcome.fewest or outcome.started - outcome.fewest <= 1
    assert outcome.started >= (1 if temper.waters_every else 3), "comfrey, ferment, and what is fresh"


@pytest.mark.long
def test_a_list_that_is_untrue_is_noticed(server, monkeypatch):
    """A tick that nothing comes of: what was done is asked again, and still stands in the evening."""
    monkeypatch.setattr(morning, "_is_ticked", lambda *_: False)
    assert {broken.law for broken in with_database(server.url, 14, Temper()).breaks} == {1, 8}


def test_the_command_tells_lines_batches_and_breaks(server, monkeypatch):
    monkeypatch.setenv("EPROBA_DATABASE_URL", server.url)
    told = CliRunner().invoke(main, ["rehearse", "--days", "3"])
    assert told.exit_code == 0
    assert told.output.splitlines() == [
        "3 days, brews mild, careless 0, seed 1", "lines a morning: median 0, 95 of 100 up to 1.8",
        "batches started: 1; the fewest that would do: 0", "  comfrey-steep: 0 would do, 1 started", "breaks: 0",
    ]  # fmt: skip
    entry = json.loads(CliRunner().invoke(main, ["rehearse", "--days", "1", "--warmth", "warm", "--json"]).output)
    assert (entry["days"], entry["warmth"], entry["lines"]["each"], entry["breaks"]) == (1, "warm", [1], [])
