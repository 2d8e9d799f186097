"""What was fetched of a trial is true as long as its stamp stands: every change, whoever makes it, gives a new one."""

import pytest
from sqlmodel import Session

from eproba.core.catalogue import recipes
from eproba.store.brewing import brews_due
from eproba.store.database import engine_for
from eproba.store.readings import all_readings, readings_of
from eproba.store.tables import SQLModel
from eproba.store.trials import load_trial, stamps_of
from tests.conftest import demo_garden
from tests.databases import TODAY

HANGING = sorted(t.name for t in SQLModel.metadata.tables.values() if "trial_id" in t.c and t.name != "stamp")
TRIALS = (1, 2, 3, 4, 5)
NEW = (
    '{"id": 900, "key": "new", "client_id": "new", "day": 99, "letter": "Z", "code": "Z1", "replicate": 99,'
    ' "measure_key": "new"}'
)
FRESH = {
    "trial": "UPDATE trial SET name = 'New' WHERE id = 2",
    "amendment": "INSERT INTO amendment VALUES (900, 2, '2026-05-01', 'worth', 'a', 'b', 'c', '')",
    "look": "INSERT INTO look VALUES (900, 2, 9, '2026-05-01', '', 'why')",
    "spare_run": "INSERT INTO spare_run VALUES (900, 2, 'A', '2026-05-01', true, '', '')",
}
UNSTAMPED = {
    "finding",
    "guess",
    "helper",
    "label_answer",
    "left_out",
    "picture",
    "repeat",
    "sample",
    "shared_link",
    "unit_event",
}  # these stand beside the trial; whoever shows them asks for them


def ran(session, statement):
    done = session.connection().exec_driver_sql(statement).rowcount
    session.commit()
    return done


@demo_garden
@pytest.mark.parametrize("table", ["trial", *(name for name in HANGING if name not in UNSTAMPED)])
def test_any_change_to_a_table_of_a_trial_gives_a_new_stamp(session, table):
    """A row put in, changed, taken away: the stamp of its own trial is new each time, and no other one."""
    key = "id" if table == "trial" else "trial_id"
    which = 1 if table == "reading" else 0
    copied = f"INSERT INTO {table} SELECT (jsonb_populate_record(t, '{NEW}')).* FROM {table} t WHERE {key} = 2 LIMIT 1"
    fresh = FRESH.get(table, copied)
    stamps = [stamps_of(session, each) for each in TRIALS]
    for statement in (fresh, f"UPDATE {table} SET id = id WHERE {key} = 2", f"DELETE FROM {table} WHERE {key} = 2"):
        assert ran(session, statement)
        before, stamps = stamps, [stamps_of(session, each) for each in TRIALS]
        same = [was == now for was, now in zip(before, stamps, strict=True)]
        assert same == [True, False, True, True, True], statement
        assert stamps[1] is None or stamps[1][which] != before[1][which], statement
        assert table != "reading" or stamps[1][0] == before[1][0], "a reading leaves the plan as it is"


@demo_garden
def test_a_trial_is_fetched_once_and_again_after_a_change_of_anybody(session, settings):
    first, readings = load_trial(session, 2), all_readings(session, 2)
    assert load_trial(session, 2) is first
    assert all_readings(session, 2) is readings
    assert readings == tuple(readings_of(session, 2))
    other = engine_for(settings.database_url)
    with Session(other) as another:
        ran(another, "UPDATE reading SET value = value + 1 WHERE trial_id = 2 AND value IS NOT NULL")
    other.dispose()
    session.commit()
    assert load_trial(session, 2) is first, "its plan is the same"
    assert [each.value for each in all_readings(session, 2)] == [each.value and each.value + 1 for each in readings]
    ran(session, "UPDATE trial SET note = 'Hail.' WHERE id = 2")
    assert load_trial(session, 2).note == "Hail."
    assert (load_trial(session, 99), all_readings(session, 99)) == (None, ())


@demo_garden
def test_what_was_rolled_back_is_never_shown(session):
    session.connection().exec_driver_sql("UPDATE trial SET note = 'Never.' WHERE id = 2")
    assert load_trial(session, 2).note == "Never."
    session.rollback()
    assert load_trial(session, 2).note != "Never."


@demo_garden
@pytest.mark.parametrize(
    "change",
    [
        "UPDATE pour SET day = day + 1 WHERE status = 'due'",
        "UPDATE treatment SET amount = 2 * amount WHERE trial_id = 1",
        "DELETE FROM trial WHERE id = 4",
        "INSERT INTO own_recipe VALUES (DEFAULT, 'own', 1, '{}', '2026-05-01', false)",
        "UPDATE garden SET time_zone = 'Pacific/Auckland'",
    ],
)
def test_what_pours_ask_for_is_fetched_once_and_again_after_a_change(session, change, monkeypatch):
    monkeypatch.setattr("eproba.store.brewing.all_recipes", lambda _session: recipes())
    asked = brews_due(session, TODAY)
    assert asked
    assert brews_due(session, TODAY) is asked
    assert ran(session, change)
    assert brews_due(session, TODAY) is not asked
