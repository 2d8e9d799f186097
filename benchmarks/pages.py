"""p50 and p95 of each page with 200 trials and 100 000 readings, beside an empty page that asks PostgreSQL one row.

Runs in a database of its own on the server in EPROBA_DATABASE_URL; `./eproba bench pages` starts one.
"""

import os
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, date, datetime, timedelta
from statistics import quantiles
from typing import Any

import numpy as np
from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import Column, ColumnElement, insert, select, text
from sqlmodel import Session, SQLModel, col

from eproba.core.planning.plan import Plan, PlannedMeasure, simple_layout
from eproba.core.trial.days import regular
from eproba.core.trial.model import PlannedTreatment
from eproba.store.commands.readings import add_many
from eproba.store.commands.trials import create_trial
from eproba.store.database import engine_for
from eproba.store.server import named
from eproba.store.tables import (
    FindingRow,
    PourRow,
    ReadingRow,
    RoundRow,
    TreatmentRow,
    TrialMeasureRow,
    TrialRow,
    UnitRow,
)
from eproba.store.trials import load_trial
from eproba.store.upgrading import migrate
from eproba.web.app import create_app
from eproba.web.settings import Settings
from eproba.web.verdict.findings import remember_all

NAME, TRIALS, TODAY = "eproba_bench", 200, date(2026, 5, 20)
RUNNING = 20
FAR = 1_000_000  # between the numbers of one copy and the next
TIMES = 40
PAGES = (
    "/health", "/", "/trials", "/trials?page=3", "/trials?find=Trial+0017", "/trials/2", "/trials/2/verdict",
    "/trials/1/verdict", "/trials/2/readings", "/trials/2/pours", "/trials/1/rounds/3", "/trials/2/readings.csv",
    "/trials/2/tags", "/trials/2/sheet", "/measures", "/help", "/calendar", "/shelf", "/recipes", "/mix", "/trials/1",
    "/trials/1/pours/21", "/trials/1/mix", "/recipes/yeast-starter", "/devices",
)  # fmt: skip


def plan(i: int, running: bool) -> Plan:
    """One trial, running or over; 20 units × 5 rounds × 5 measures = 500 readings."""
    start = TODAY - timedelta(days=20 if running else 40 + i)
    others = ("leaf_count", "widest_leaf", "rod_softness", "surface_worms")
    names = (
        ("Comfrey steep", "test", "comfrey-steep"),
        ("Diluted whey", "test", "diluted-whey"),
        ("Alfalfa steep", "test", "alfalfa-pellet-steep"),
        ("Plain water", "water control", ""),
    )
    return Plan(
        f"Trial {i:04}", "It makes chard taller.", "",
        tuple(PlannedMeasure(key, 1, None) for key in ("plant_height", *others)), 0.15, "ratio", False, "last", start,
        regular(28, 7, 7),
        tuple(PlannedTreatment(name, role, "", 250, "mL", recipe=recipe) for name, role, recipe in names), 3,
        simple_layout("pots", (25, 25), 10, 8, "blocks", 4, 5),
    )  # fmt: skip


def fill(session: Session, trials: int = TRIALS, running: int = RUNNING) -> None:
    """Trials with all readings up to today, every so-many-th of them running; beyond 200, those that are over again."""
    rng = np.random.default_rng(1)
    at = datetime(2026, 5, 1, tzinfo=UTC)
    fresh = min(trials, TRIALS)
    for i in range(fresh):
        drawn = plan(i, i % max(1, fresh // running) == 0)
        trial = load_trial(session, create_trial(session, drawn, f"seed {i}", at))
        keys = [asked.measure.key for asked in trial.asked]
        rounds = [r for r in trial.rounds if trial.date_of(r.day) <= TODAY]
        places = [(r.id, u.id, key) for r in rounds for u in trial.units for key in keys]
        levels = rng.lognormal(2, 0.2, len(places)).round(1)
        add_many(
            session,
            trial.id,
            (
                {
                    "round_id": r,
                    "unit_id": u,
                    "measure_key": k,
                    "replicate": 1,
                    "value": float(v),
                    "by": "",
                    "at": at,
                    "client_id": f"bench-{r}-{u}-{k}",
                }
                for (r, u, k), v in zip(places, levels, strict=True)
            ),
            at,
        )
    session.commit()
    remember_all(session)
    for copy in range(1, trials // fresh):
        again(session, copy)
    session.connection().execute(text("ANALYZE"))
    session.commit()


def again(session: Session, copy: int) -> None:
    """Everything that is over once more, as it stands, under numbers and keys of its own."""
    over = select(col(TrialRow.id)).where(col(TrialRow.closed_at).is_not(None), col(TrialRow.id) <= TRIALS)
    for row in (TrialRow, TreatmentRow, UnitRow, TrialMeasureRow, RoundRow, PourRow, ReadingRow, FindingRow):
        table = SQLModel.metadata.tables[str(row.__tablename__)]
        trial = table.c.id if row is TrialRow else table.c.trial_id
        copied = select(*(_copied(column, copy) for column in table.c)).where(trial.in_(over))
        session.connection().execute(insert(table).from_select(list(table.c), copied))
    session.commit()


def _copied(column: Column[Any], copy: int) -> ColumnElement[Any]:
    if column.name in ("key", "client_id"):
        return column + f" {copy}"
    return column + copy * FAR if column.name == "id" or column.foreign_keys else column


@contextmanager
def garden(trials: int = TRIALS, running: int = RUNNING) -> Iterator[tuple[str, int]]:
    """A database of its own, full; gone afterwards."""
    url = os.environ["EPROBA_DATABASE_URL"]
    admin = engine_for(named(url, "postgres")).execution_options(isolation_level="AUTOCOMMIT")
    with admin.connect() as connection:
        connection.execute(text(f"DROP DATABASE IF EXISTS {NAME} WITH (FORCE)"))
        connection.execute(text(f"CREATE DATABASE {NAME} TEMPLATE template0"))
    migrate(named(url, NAME))
    engine = engine_for(named(url, NAME))
    with Session(engine) as session:
        fill(session, trials, running)
        count = session.connection().execute(text("SELECT count(*) FROM reading")).scalar() or 0
    engine.dispose()
    yield named(url, NAME), count
    with admin.connect() as connection:
        connection.execute(text(f"DROP DATABASE {NAME} WITH (FORCE)"))
    admin.dispose()


def app_for(settings: Settings) -> Flask:
    return create_app(settings, lambda: datetime(2026, 5, 20, 12, tzinfo=UTC))


def figures(client: FlaskClient, page: str) -> tuple[float, float, float]:
    """Milliseconds of the first look, and p50 and p95 of those after it."""
    first = milliseconds(client, page)
    cuts = quantiles([milliseconds(client, page) for _ in range(TIMES)], n=20)
    return first, cuts[9], cuts[18]


def main() -> None:
    with garden() as (url, readings):
        print(f"{TRIALS} trials, {readings} readings; milliseconds on the server, {TIMES} requests a page")
        app = app_for(Settings(url))
        client = app.test_client()
        print(f"{'page':34}{'first':>8}{'p50':>8}{'p95':>8}")
        for page in PAGES:
            first, p50, p95 = figures(client, page)
            print(f"{page + (' (one row)' if page == '/health' else ''):34}{first:8.1f}{p50:8.1f}{p95:8.1f}")
        unseen = [milliseconds(client, f"/trials/{i}/verdict") for i in range(3, 43) if i % 10 != 1]
        cuts = quantiles(unseen, n=20)
        print(f"{'verdicts never seen before':34}{unseen[0]:8.1f}{cuts[9]:8.1f}{cuts[18]:8.1f}")
        app.extensions["engine"].dispose()


def milliseconds(client: FlaskClient, page: str) -> float:
    start = time.perf_counter()
    response = client.get(page, base_url="http://localhost")
    response.get_data()
    assert response.status_code == 200, page
    return 1000 * (time.perf_counter() - start)


if __name__ == "__main__":
    main()
