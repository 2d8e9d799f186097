"""Both demo gardens as they stand in the tables: `demo.txt`, and the crowded year in short, `demo_crowded.txt`, each
read by a person once; their own keys left out."""

import os
from itertools import groupby
from pathlib import Path

from sqlalchemy import text
from sqlmodel import Session, SQLModel

from eproba.store.database import engine_for
from eproba.store.demo import make_demo
from eproba.store.server import named
from tests.conftest import crowded_garden
from tests.core.answering import told
from tests.databases import TODAY

OWN = ("entry", "key", "id", "plan", "readings", "client_id", "fingerprint", "signing_key", "store")
DEMO, CROWDED = (Path(__file__).with_name(name) for name in ("demo.txt", "demo_crowded.txt"))
IN_SHORT = ("trial", "treatment", "trial_measure", "batch", "look", "amendment")  # of the crowded year, row by row


def rows_of(session, table):
    for row in session.execute(table.select().order_by(*table.primary_key)).mappings():
        yield {name: told(value) for name, value in row.items() if name not in OWN and value not in (None, "", {}, [])}


def lines_of(session):
    for table in SQLModel.metadata.sorted_tables:
        rows = list(rows_of(session, table))
        if table.name != "reading":
            yield from (f"{table.name}: {' | '.join(f'{k} {v}' for k, v in row.items())}" for row in rows)
            continue
        for row in rows:
            row["unit_id"] = f"{row['unit_id']}: {row.pop('value')}" + row.pop("typed").join(" ‹›")
        for rest, same in groupby(rows, lambda row: {name: v for name, v in row.items() if name != "unit_id"}):
            yield f"reading: {rest} {' · '.join(row['unit_id'] for row in same)}"


def test_the_demo_is_made_as_it_stands_here(server, database):
    engine = engine_for(named(server.url, database))
    with Session(engine) as session:
        make_demo(session, TODAY)
        made = list(lines_of(session))
    engine.dispose()
    if os.environ.get("EPROBA_ANSWERS") == "write":
        DEMO.write_text("\n".join(made) + "\n", "utf-8")
    assert made == DEMO.read_text("utf-8").splitlines()


def year_in_short(session):
    """Trials with what they compare row by row; rounds, pours, units and readings of each by what they come to."""
    tables = SQLModel.metadata.tables
    for name in IN_SHORT:
        for row in rows_of(session, tables[name]):
            row.pop("declaration", None)
            yield f"{name}: {' | '.join(f'{k} {v}' for k, v in row.items())}"
    sums = {
        "units": "SELECT trial_id, kind, letter, count(*), sum(x_cm + 2 * y_cm) FROM unit GROUP BY 1, 2, 3",
        "rounds": "SELECT trial_id, string_agg(day::text || CASE WHEN done THEN '' ELSE '?' END, ' ' ORDER BY day)"
        " FROM round GROUP BY 1",
        "pours": "SELECT trial_id, letter, what, status, string_agg(day::text, ' ' ORDER BY day) FROM pour"
        " GROUP BY 1, 2, 3, 4",
        "readings": "SELECT r.trial_id, measure_key, letter, count(*), round(sum(value)::numeric, 3)::float"
        " FROM reading r JOIN unit u ON u.id = unit_id GROUP BY 1, 2, 3",
    }
    for name, query in sums.items():
        for row in session.execute(text(f"{query} ORDER BY 1, 2")):
            yield f"{name}: {' | '.join(told(value) for value in row)}"


@crowded_garden
def test_the_crowded_year_is_made_as_it_stands_here(server, database):
    engine = engine_for(named(server.url, database))
    with Session(engine) as session:
        made = list(year_in_short(session))
    engine.dispose()
    if os.environ.get("EPROBA_ANSWERS") == "write":
        CROWDED.write_text("\n".join(made) + "\n", "utf-8")
    assert made == CROWDED.read_text("utf-8").splitlines()
