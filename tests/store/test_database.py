"""Migrations keep the data and are complete; the demo garden has its known truth."""

from datetime import date

import pytest
from alembic import command
from sqlalchemy import text
from sqlmodel import Session

from eproba.core.judging.from_trial import judge_trial
from eproba.store.database import engine_for
from eproba.store.demo import make_demo
from eproba.store.preparing import prepare_demo, prepare_own
from eproba.store.readings import readings_of
from eproba.store.restoring import begin_restore, end_restore
from eproba.store.server import named
from eproba.store.trials import load_trial
from eproba.store.upgrading import alembic_config, migrate
from eproba.web.verdict.findings import remember_all
from tests.conftest import demo_garden
from tests.databases import TODAY


@pytest.fixture
def url(apart, server, database):
    return named(server.url, database)


def test_migrations_lead_to_exactly_the_tables(url):
    command.check(alembic_config(url))
    migrate(url)


def test_down_and_up_again(url):
    command.downgrade(alembic_config(url), "base")
    migrate(url)
    command.check(alembic_config(url))


@demo_garden
def test_deleting_a_trial_takes_all_that_hangs_on_it(url):
    engine = engine_for(url)
    with engine.begin() as connection:
        connection.execute(text("DELETE FROM trial"))
        tables = (
            "treatment",
            "unit",
            "round",
            "reading",
            "correction",
            "pour",
            "trial_measure",
            "finding",
            "amendment",
            "spare_run",
        )
        left = {t: connection.execute(text(f"SELECT count(*) FROM {t}")).scalar() for t in tables}
    engine.dispose()
    assert set(left.values()) == {0}


@demo_garden
def test_the_demo_garden_gives_its_truth_back(url):
    engine = engine_for(url)
    with Session(engine) as session:
        chard, currants, sunflowers, pak_choi = (load_trial(session, i) for i in (1, 2, 3, 4))
        verdicts = {c.treatment: c for c in judge_trial(chard, chard.asked[0], readings_of(session, 1)).comparisons}
        single = judge_trial(sunflowers, sunflowers.asked[0], readings_of(session, 3))
    engine.dispose()
    assert verdicts["Comfrey steep"].verdict.startswith("better")
    assert verdicts["Comfrey steep"].percent.low < 21 < verdicts["Comfrey steep"].percent.high
    assert verdicts["Diluted whey"].verdict in ("same", "cannot_tell")
    assert single.comparisons[0].verdict == "seen_not_shown"
    assert [t.stage(TODAY) for t in (chard, currants, sunflowers, pak_choi)] == [
        "finished",
        "running",
        "finished",
        "planned",
    ]
    assert currants.day_of(TODAY) == 9
    assert currants.decision_day == 21


@pytest.mark.long
def test_the_demo_is_the_same_every_day_but_for_its_dates(url):
    engine = engine_for(url)
    with Session(engine) as session:
        make_demo(session, TODAY)
        make_demo(session, date(2027, 1, 31))
        first, later = (load_trial(session, i) for i in (1, 6))
        assert [u.letter for u in first.units] == [u.letter for u in later.units]
        values = [[r.value for r in readings_of(session, i)] for i in (1, 6)]
    engine.dispose()
    assert values[0] == values[1]


def test_databases_are_made_restored_and_set_aside(server, url, database):
    assert prepare_own(url, remember_all) == url
    demo = prepare_demo(url, TODAY, remember_all)
    engine = engine_for(demo)
    with engine.begin() as connection:
        connection.execute(text("DELETE FROM trial WHERE id = 1"))
    engine.dispose()
    engine = engine_for(prepare_demo(url, TODAY, remember_all))
    with engine.connect() as connection:
        assert connection.execute(text("SELECT count(*) FROM trial")).scalar() == 5, "always fresh"
        assert connection.execute(text("SELECT count(*) FROM finding")).scalar() == 2, "what is over is judged"
    engine.dispose()
    into = begin_restore(url)
    migrate(into)
    from datetime import datetime

    aside = end_restore(url, datetime(2026, 5, 20, 12))
    assert aside == f"{database}_before_20260520_120000"
    for name in ("eproba_demo", aside):
        server.drop(name)
    for (name,) in server.admin.execute(
        "SELECT datname FROM pg_database WHERE datname LIKE 'eproba_template_%'"
    ).fetchall():
        server.drop(name)


@demo_garden
def test_a_garden_of_the_second_version_comes_up_whole(url):
    """Down to the tables of 0002 and up again: what was typed then is there, and told in the new columns."""
    command.downgrade(alembic_config(url), "0002")
    engine = engine_for(url)
    with engine.begin() as connection:
        counted = "SELECT (SELECT count(*) FROM reading), (SELECT count(*) FROM pour), (SELECT count(*) FROM unit)"
        before = connection.execute(text(counted)).one()
        odd = "UPDATE pour SET amount = '180 mL, by eye' WHERE trial_id = 1 AND letter = 'C' AND day = 7"
        connection.execute(text(odd))
    migrate(url)
    with engine.connect() as connection:
        assert connection.execute(text(counted)).one() == before
        kept = "SELECT letter, amount_each FROM pour WHERE trial_id = 1 AND day = 7 ORDER BY letter"
        assert connection.execute(text(kept)).all() == [("A", 250.0), ("B", 250.0), ("C", None)]
        assert connection.execute(text("SELECT count(*) FROM treatment WHERE recipe <> ''")).scalar() == 0
    engine.dispose()
