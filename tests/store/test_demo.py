"""The demo garden as it stands in the tables: `demo.txt`, read by a person once; its own keys left out."""

import os
from itertools import groupby
from pathlib import Path

from sqlmodel import Session, SQLModel

from eproba.store.database import engine_for
from eproba.store.demo import make_demo
from eproba.store.server import named
from tests.conftest import TODAY
from tests.core.answering import told

OWN = ("entry", "key", "id", "plan", "readings", "client_id", "fingerprint", "signing_key", "store")
DEMO = Path(__file__).with_name("demo.txt")


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
