"""Thresholds of the store at their edge: what is forgotten when, what still counts, what leaves and what does not."""

from datetime import UTC, datetime, timedelta
from types import SimpleNamespace

import pytest
from sqlalchemy import delete
from sqlmodel import select

from eproba.core.applying.due import Due
from eproba.core.trial.carrying import Carrying
from eproba.store import days as days_module
from eproba.store.anonymous import DROPPED, EMPTIED, free_words, without_names
from eproba.store.carried import carried_on
from eproba.store.commands.carrying import carry_on
from eproba.store.commands.drafts import FORGOTTEN, drop_forgotten, new_draft
from eproba.store.commands.packages import PackageRefused, take_package
from eproba.store.findings import _left_for_noise
from eproba.store.kit import household_kit
from eproba.store.measures import all_measures
from eproba.store.packages import FORMAT, TABLES, Table, columns_of, garden_tables, tables_of
from eproba.store.tables import DraftRow, PriceRow, TrialRow
from eproba.store.trials import load_trial
from tests.conftest import demo_garden
from tests.databases import TODAY

NOW = datetime(2026, 5, 20, 10, tzinfo=UTC)


def test_a_plan_without_a_name_goes_after_its_days_and_not_on_the_last_of_them(session):
    ages = (FORGOTTEN, FORGOTTEN + timedelta(seconds=1))
    for age in ages:
        new_draft(session, {}, NOW - age)
    drop_forgotten(session, NOW)
    assert [NOW - row.changed_at for row in session.exec(select(DraftRow))] == [FORGOTTEN]


@pytest.mark.parametrize(
    ("dealing", "units", "treatments", "df"),
    [("blocks", 18, 3, 10), ("pairs", 10, 2, 4), ("completely random", 10, 2, 8), ("one of each", 2, 2, 1)],
)
def test_treatments_and_blocks_take_their_degrees_of_freedom(dealing, units, treatments, df):
    assert _left_for_noise(dealing, units, treatments) == df


@demo_garden
def test_nothing_that_says_who_or_where_leaves_with_a_result(session):
    tables, _ = tables_of(session, [1])
    struck = {table.name: table for table in without_names(tables, ())}
    full = {table.name: table for table in tables}
    assert any(row["typed"] for row in full["readings"].rows), "there is something to strike"
    for name, table in struck.items():
        for row in table.rows:
            left = {column: row[column] for column in EMPTIED if row.get(column)}
            assert left == {}, name
    for one in ("typed", "note", "by", "made_by", "label", "garden"):
        assert one in EMPTIED, one
    (trial,) = struck["trials"].rows
    assert trial["name"].startswith("Another garden, April 2026 (")
    assert len(trial["name"].rsplit("(", 1)[1]) == 7, "six letters of its fingerprint"
    words = {one.key: one.what for one in free_words(load_trial(session, 1), result=True)}
    assert words["claim"] == "What you claim, in your own words"
    assert words["seed"] == "The word that the lots were dealt from"


# What a result must bear to be judged: keys, codes, kinds, units; own measures and recipes go along as such.
LEAVES = {
    "own_measures": "key name unit better scale how kind when",
    "own_recipes": "key",
    "trials": "key scale summary dealing algorithm control compared",
    "treatments": "letter name role amount_unit recipe sharing per things",
    "units": "code letter block kind",
    "measures": "measure_key",
    "rounds": "key at",
    "readings": "measure_key source",
    "corrections": "verdict_before",
    "batches": "recipe water school",
    "batch_events": "what",
    "pours": "letter status amount moisture can what per",
    "spare_runs": "letter",
    "unit_events": "what",
}


@demo_garden
def test_of_everything_that_somebody_wrote_only_what_is_judged_leaves(session):
    tables, _ = tables_of(session, [1])
    real = {table.name: table.rows[0] for table in tables if table.rows}
    for name in set(TABLES) - set(DROPPED):
        words = {column.name: "my secret" for column in columns_of(name) if column.kind == "string"}
        row = {**real.get(name, {}), **words} | ({"what": "treatments"} if name == "amendments" else {})
        (table,) = without_names([table_with(name, [row]), table_with("trials", [real["trials"]])], ())[:1]
        left = [column for column in words if "my secret" in str(table.rows[0][column])]
        assert " ".join(left) == LEAVES.get(name, ""), name


def table_with(name, rows):
    return Table(name, columns_of(name), rows)


@demo_garden
def test_a_package_of_another_make_is_refused_by_its_name(session):
    with pytest.raises(PackageRefused, match="another make \\(not told\\); eproba-package-1 can be taken in"):
        take_package(session, "", {}, {})
    with pytest.raises(PackageRefused, match="another make \\(other-2\\)"):
        take_package(session, "other-2", {}, {})


@demo_garden
def test_a_garden_of_before_brings_the_prices_of_its_kit_along(session):
    tables, files = garden_tables(session)
    before = {table.name: list(table.rows) for table in tables if table.name != "prices"}
    before["kit"] = [{**row, "prices": {"whey": 0.4, "honey": 9}} for row in before["kit"]]
    before["treatments"] = [{k: v for k, v in row.items() if k != "each_watering"} for row in before["treatments"]]
    session.exec(delete(PriceRow))
    session.exec(delete(TrialRow))
    taken = take_package(session, FORMAT, before, files)
    session.flush()
    assert household_kit(session).prices == {"whey": 0.4, "honey": 9.0}
    assert not any(t.each_watering for t in load_trial(session, taken.trials[0]).treatments)


@demo_garden
def test_a_look_again_is_decided_so_many_days_after_its_start(session):
    start = TODAY - timedelta(days=2)
    leaf = all_measures(session)["widest_leaf"]
    carry_on(session, 1, Carrying("lasted", start, leaf, 1, (14, 42)), "Ilse", NOW)
    (later,) = carried_on(session, load_trial(session, 1).key)
    assert later.decision_on == start + timedelta(days=42)
    assert (later.carried, later.said) == ("lasted", ())


def due(kind, compared="drench", days=0):
    return Due(kind, 1, "Chard", None, 0, TODAY + timedelta(days=days), "A", 6, compared=compared)


@pytest.mark.parametrize(
    ("waiting", "asked"),
    [([due("pour")], True), ([due("round")], False), ([due("pour", "mulch")], False), ([due("pour", days=1)], False)],
)
def test_the_weather_speaks_of_what_is_poured_today_and_of_nothing_else(monkeypatch, waiting, asked):
    seen = []
    monkeypatch.setattr(days_module, "from_the_weather", lambda *given: seen.append(given) or [])
    local = datetime(2026, 5, 20, 8).astimezone()
    days_module._counsel(waiting, SimpleNamespace(), local, SimpleNamespace())
    assert bool(seen) is asked
    if asked:
        assert seen[0][1].hour == days_module.POURING_HOUR.hour, "said in the morning, for the hour of pouring"
        later = local.replace(hour=21)
        days_module._counsel(waiting, SimpleNamespace(), later, SimpleNamespace())
        assert seen[1][1] == later, "and after it, for now"
