"""A garden laid down by the first version comes up through every migration with all that was typed."""

import json

import pytest
from alembic import command
from sqlalchemy import text
from sqlmodel import Session

from eproba.core.brewing.events import left
from eproba.core.brewing.recipe import recipe_entry
from eproba.core.catalogue import recipes as catalogue
from eproba.core.judging.from_trial import judge_trial
from eproba.exchange.judgement_json import judgement_json
from eproba.store.batches import batches
from eproba.store.database import engine_for
from eproba.store.findings import unjudged
from eproba.store.household import devices
from eproba.store.measures import all_measures
from eproba.store.readings import readings_of
from eproba.store.recipes import own_recipes
from eproba.store.server import named
from eproba.store.trials import load_trial
from eproba.store.upgrading import alembic_config, migrate
from eproba.web.app import create_app
from eproba.web.settings import Settings
from eproba.web.verdict.findings import remember_all
from tests.conftest import demo_garden
from tests.databases import THIRD
from tests.web.steps import typed as typed_in

FIRST = {
    "trial": "INSERT INTO trial (id, name, claim, note, worth, scale, lower_is_better, summary, start_on, "
    "decision_day, dealing, seed, algorithm, deals, dealt_at, ground_kind, width_cm, length_cm, guard_cm, per_row, "
    "control, ended_reason) VALUES (1, 'Old trial', 'It helps.', '', 0.1, 'ratio', false, 'last', '2026-04-01', 14, "
    "'blocks', 'old-seed', 'eproba-lots-1', 1, '2026-03-31T18:00Z', :kind, 30, 40, 10, 4, 'B', '')",
    "treatment": "INSERT INTO treatment (trial_id, letter, name, role, how, amount, amount_unit) VALUES "
    "(1, 'A', 'Nettle', 'test', '', 250, 'mL'), (1, 'B', 'Water', 'water control', '', 250, 'mL')",
    "trial_measure": "INSERT INTO trial_measure (trial_id, position, measure_key, per_unit) VALUES "
    "(1, 0, 'plant_height', 1)",
    "round": "INSERT INTO round (id, trial_id, day, done, note) VALUES (1, 1, 0, true, ''), (2, 1, 14, true, 'windy')",
    "pour": "INSERT INTO pour (trial_id, letter, day, status, amount, note, by) VALUES "
    "(1, 'A', 0, 'poured', '250 mL each', '', 'Ben'), (1, 'B', 0, 'poured', 'a good splash', '', 'Ben')",
    "draft": "INSERT INTO draft (id, changed_at, answers) VALUES (7, now(), :answers)",
}


first_garden = pytest.mark.parametrize("garden", ["first"], indirect=True)


@pytest.fixture
def old(apart, server, database):
    """The connection string of the test's database."""
    return named(server.url, database)


def lay_down(url, kind):
    """Four pairs with readings of a real gain."""
    engine = engine_for(url)
    answers = json.dumps({"claim": {"name": ["Half a plan"], "claim": [""]}, "units": {"units_each": ["5"]}})
    with engine.begin() as connection:
        for statement in FIRST.values():
            connection.execute(text(statement), {"kind": kind, "answers": answers})
        code = {"pot": "P", "patch": "H", "cell": "Z"}[kind]
        for i in range(8):
            place = {"code": f"{code}{i + 1}", "letter": "AB"[i % 2], "block": str(i // 2 + 1), "i": i}
            place |= {"row": i // 4, "column": i % 4, "x": 40.0 * (i % 4), "y": 50.0 * (i // 4)}
            connection.execute(
                text(
                    "INSERT INTO unit (id, trial_id, code, letter, block, grid_row, grid_column, walk, x_cm, y_cm, "
                    "lost_reason) VALUES (:i + 1, 1, :code, :letter, :block, :row, :column, :i + 1, :x, :y, '')"
                ),
                place,
            )
            for round_id in (1, 2):
                gain = 6 if round_id == 2 and i % 2 == 0 else 0
                reading = {"r": round_id, "u": i + 1, "v": 10 + 10 * round_id + gain + 0.3 * (i * i % 5)}
                connection.execute(
                    text(
                        "INSERT INTO reading (trial_id, round_id, unit_id, measure_key, replicate, value, skip_reason, "
                        "by, at, client_id, version) VALUES (1, :r, :u, 'plant_height', 1, :v, '', 'Ben', now(), "
                        "'old-' || :r || '-' || :u, 1)"
                    ),
                    reading,
                )
    engine.dispose()


@first_garden
@pytest.mark.parametrize(("kind", "place"), [("pot", "pots"), ("patch", "bed"), ("cell", "tray")])
def test_an_old_trial_is_whole_and_judged_as_before(old, kind, place):
    lay_down(old, kind)
    migrate(old)
    engine = engine_for(old)
    with Session(engine) as session:
        trial = load_trial(session, 1)
        readings = readings_of(session, 1)
        (comparison,) = judge_trial(trial, trial.asked[0], readings).comparisons
    engine.dispose()
    assert [unit.code[1:] for unit in trial.units] == [str(n) for n in range(1, 9)]
    assert {unit.cut.kind for unit in trial.units} == {kind}
    assert {(unit.cut.width_cm, unit.cut.length_cm) for unit in trial.units} == {(30.0, 40.0)}
    (ground,) = trial.site.places
    assert ground.kind == place
    assert all(ground.x_cm <= unit.cut.x_cm for unit in trial.units)
    assert all(unit.cut.x_cm + 30 <= ground.x_cm + ground.width_cm + 1e-6 for unit in trial.units)
    assert len(readings) == 16
    assert comparison.verdict == "better_matters"
    assert trial.rounds[1].note == "windy"
    assert trial.declared is None, "nobody declared in those days: the ledger says so"
    assert [(pour.amount, pour.amount_each) for pour in trial.pours] == [
        ("250 mL each", 250.0),
        ("a good splash", None),
    ]


@first_garden
def test_a_plan_half_made_in_the_old_app_can_be_gone_on_with(old, client):
    lay_down(old, "pot")
    migrate(old)
    page = client.get("/trials/new/7/claim").get_data(as_text=True)
    assert "Half a plan" in page
    for step in ("measure", "treatments", "ground", "chance", "days", "rules"):
        assert client.get(f"/trials/new/7/{step}").status_code == 200, step
    assert client.get("/trials/1").status_code == 200
    assert "Old trial" in client.get("/").get_data(as_text=True)


def test_one_amount_for_all_becomes_that_of_each_treatment(server, database, client):
    """A plan typed before migration 0008: its amount and rhythm stand in every row that got something."""
    url = named(server.url, database)
    command.downgrade(alembic_config(url), "0007")
    rows = {"name": ("Whey", "Water", "Bare"), "role": ("test", "water control", "untreated")}
    typed = {f"treatments-{i}-{name}": [row[i]] for name, row in rows.items() for i in range(3)}
    answers = {"treatments": typed | {"amount": ["1,5"], "amount_unit": ["L"], "pour_every": ["10"], "batches": ["1"]}}
    engine = engine_for(url)
    with engine.begin() as connection:
        told = {"answers": json.dumps(answers)}
        connection.execute(
            text("INSERT INTO draft (id, changed_at, answers, versions) VALUES (3, now(), :answers, '{}')"), told
        )
    migrate(url)
    kept = typed_in(client, "/trials/new/3/treatments")
    names = ("name", "dose", "amount", "unit", "often", "every")
    assert [[kept[f"treatments-{i}-{name}"] for name in names] for i in range(3)] == [
        ["Whey", "unit", "1,5", "L", "every", "10"],
        ["Water", "unit", "1,5", "L", "every", "10"],
        ["Bare", "nothing", "", "L", "every", "10"],
    ]
    command.downgrade(alembic_config(url), "0007")
    with engine.connect() as connection:
        again = connection.execute(text("SELECT answers FROM draft WHERE id = 3")).scalar()["treatments"]
    engine.dispose()
    assert (again["amount"], again["amount_unit"], again["pour_every"]) == (["1,5"], ["L"], ["10"])
    assert again["treatments-2-role"] == ["untreated"]
    migrate(url)


@first_garden
def test_and_down_again_for_those_who_must(old):
    lay_down(old, "pot")
    migrate(old)
    command.downgrade(alembic_config(old), "0001")
    engine = engine_for(old)
    with engine.connect() as connection:
        kept = connection.execute(text("SELECT ground_kind, width_cm, length_cm FROM trial")).one()
        counted = connection.execute(text("SELECT count(*) FROM reading")).scalar()
    engine.dispose()
    assert tuple(kept) == ("pot", 30.0, 40.0)
    assert counted == 16


# --- The demo of revision 0003, as that version made it on 20 May 2026 ----------------------------------------


@pytest.fixture
def garden_0003(server, templates):
    """That garden in a database of its own, brought up to date."""
    name = server.new(templates["third"])
    url = named(server.url, name)
    yield url
    server.drop(name)


def held(old, new, where="") -> list[str]:
    """What stood in the old file and does not in the new one; new things do not count, nor does the catalogue."""
    if where.endswith("/measure"):
        return [] if new["key"] == old["key"] else [f"{where}: another measure"]
    if isinstance(old, dict):
        return [each for key, value in old.items() for each in held(value, new.get(key), f"{where}/{key}")]
    if isinstance(old, list) and len(old) == len(new):
        return [each for i, value in enumerate(old) for each in held(value, new[i], f"{where}/{i}")]
    return [] if old == new else [f"{where}: {old} is now {new}"]


def told_alike(now, before):
    """The same verdicts and counts, and figures that agree to nine digits, or to 1 in ten million where they are less
    than that; how the ledger puts it may be bettered."""
    if isinstance(before, dict):
        return now.keys() == before.keys() and all(told_alike(now[key], before[key]) for key in before if key != "text")
    if isinstance(before, list):
        return len(now) == len(before) and all(map(told_alike, now, before))
    return now == (pytest.approx(before, rel=1e-9, abs=1e-7) if isinstance(before, float) else before)


def test_the_demo_of_the_third_version_comes_up_unchanged(garden_0003, clock):
    """Same verdicts, same exports but for the new fields, and without letters while an envelope is shut."""
    app = create_app(Settings(garden_0003, "for tests only"), clock)
    client, engine = app.test_client(), app.extensions["engine"]
    for number, before in json.loads((THIRD / "expected.json").read_text("utf-8")).items():
        told = client.get(f"/trials/{number}/readings.csv", base_url="http://localhost").get_data(as_text=True)
        rows, first = ([line.split(",")[:12] for line in text.splitlines()] for text in (told, before["csv"]))
        shut = any(row[4] == "" for row in rows)
        if shut:
            first = [first[0], *([*row[:4], "", "", *row[6:]] for row in first[1:])]
        assert sorted(rows) == sorted(first)
        kept = client.get(f"/trials/{number}/export.json", base_url="http://localhost").get_json()
        if shut:
            before["json"]["trial"] |= {"seed": "", "declared": kept["trial"]["declared"]}
            for unit in before["json"]["trial"]["units"]:
                unit["letter"] = ""
        for side in (before["json"], kept):
            side["readings"].sort(key=lambda each: each["id"])
        assert held(before["json"], kept) == []
        with Session(engine) as session:
            trial = load_trial(session, int(number))
            if "judgement" in before:
                judgement = json.loads(
                    judgement_json(judge_trial(trial, trial.asked[0], readings_of(session, trial.id)))
                )
                # Since then each treatment is judged on its own noise too, and the ledger has other rules.
                for side in (judgement, before["judgement"]):
                    side.pop("trust")
                    side["comparisons"] = [
                        {key: told for key, told in each.items() if key not in ("own", "units_needed", "order")}
                        for each in side["comparisons"]
                    ]
                assert told_alike(judgement, before["judgement"])
    engine.dispose()


def test_facts_that_lists_need_are_there_in_an_old_garden(garden_0003):
    """What was re-derived at each look is stored: started, closed, missed, pulled; keys; what is left of a batch."""
    engine = engine_for(garden_0003)
    with Session(engine) as session:
        trials = [load_trial(session, number) for number in range(1, 6)]
        assert [trial.started for trial in trials] == [True, True, True, False, True]
        assert [trial.closed for trial in trials] == [True, False, True, False, False]
        assert [trial.pulls for trial in trials] == [(28,), (21,), (42,), (35,), (28,)]
        assert len({each.key for trial in trials for each in (trial, *trial.rounds)}) == 5 + sum(
            len(trial.rounds) for trial in trials
        )
        assert {reading.read_at for reading in readings_of(session, 1)} == {None}, "nobody kept it: as planned"
        there = {batch.id: (left(batch), [event.what for event in batch.events]) for batch in batches(session)}
    engine.dispose()
    assert there == {
        1: (1.0, ["mixed", "looked at"]),
        2: (0.0, ["mixed", "looked at", "strained", "taken from"]),
        3: (1.6, ["mixed", "looked at", "looked at"]),
        4: (8.0, ["mixed", "looked at", "thrown away"]),
        5: (9.0, ["water set out"]),
    }, "water that had stood was taken for mixed, and never was"


def test_living_units_are_counted_and_devices_are_in_since_they_were_seen(garden_0003):
    engine = engine_for(garden_0003)
    with engine.connect() as connection:
        counted = connection.execute(text("SELECT trial_id, sum(alive) FROM treatment GROUP BY 1 ORDER BY 1")).all()
        living = "SELECT trial_id, count(*) FROM unit WHERE lost_on IS NULL GROUP BY 1 ORDER BY 1"
        assert counted == connection.execute(text(living)).all()
        assert len(counted) == 5
    engine.dispose()


def test_own_recipes_that_broke_every_page_are_mended(server):
    """They came from files, before a field was looked at: times of nothing or less, a phase with one number of days."""
    name = server.new()
    url = named(server.url, name)
    command.upgrade(alembic_config(url), "0004")
    bad = {**recipe_entry(catalogue()["yeast-starter"]), "keeps_hours": -3, "stir_hours": 0, "phases": [{"days": [7]}]}
    engine = engine_for(url)
    with engine.begin() as connection:
        row = {"entry": json.dumps(bad)}
        own = "INSERT INTO own_recipe (key, version, entry, made_at) VALUES ('mine', 1, CAST(:entry AS jsonb), now())"
        connection.execute(text(own), row)
        device = "INSERT INTO device (id, who, pours, seen_at) VALUES ('x', 'Ben', false, '2026-05-01T10:00Z')"
        connection.execute(text(device))
    migrate(url)
    with Session(engine) as session:
        mended = own_recipes(session)["mine"]
        (device,) = devices(session)
    engine.dispose()
    server.drop(name)
    assert (mended.keeps_hours, mended.stir_hours, mended.phases[0].days) == (None, None, (7, 7))
    assert device.came_at == device.seen_at


def test_an_old_garden_goes_down_with_its_litres(garden_0003):
    command.downgrade(alembic_config(garden_0003), "0003")
    engine = engine_for(garden_0003)
    with engine.connect() as connection:
        kept = connection.execute(text('SELECT id, "left", used_up_at IS NULL FROM batch ORDER BY id')).all()
    engine.dispose()
    assert [tuple(row) for row in kept] == [
        (1, 1.0, True),
        (2, 0.0, False),
        (3, 1.6, True),
        (4, 8.0, True),
        (5, 9.0, True),
    ]


def test_own_measures_and_dug_worms_of_before_stay_what_they_were(server):
    """An own measure was a number; a dug block ended the plant, so it was asked on the day of pulling alone."""
    name = server.new()
    url = named(server.url, name)
    command.upgrade(alembic_config(url), "0003")
    engine = engine_for(url)
    with engine.begin() as connection:
        connection.exec_driver_sql((THIRD / "garden.sql").read_text("utf-8"))
    command.upgrade(alembic_config(url), "0008")
    with engine.begin() as connection:
        own = "INSERT INTO own_measure VALUES ('own_buds', 'Buds', 'buds', 0, 40, 0, 'higher', 'difference', 'Count.')"
        connection.exec_driver_sql(own)
        connection.exec_driver_sql(
            "UPDATE trial_measure SET measure_key = 'dug_worms' WHERE trial_id = 2 AND position = 1"
        )
    migrate(url)
    with Session(engine) as session:
        buds, trial = all_measures(session)["own_buds"], load_trial(session, 2)
    engine.dispose()
    server.drop(name)
    assert (buds.kind, buds.seconds, buds.noise, buds.when) == ("quantity", 20, 4.0, "every round")
    asked = [[each.measure.key for each in trial.asked_in(this)] for this in trial.rounds]
    assert ["dug_worms" in each for each in asked] == [this.pull for this in trial.rounds]


@demo_garden
def test_what_was_found_is_told_anew_in_the_words_of_now(server, database):
    url = named(server.url, database)
    engine = engine_for(url)
    with Session(engine) as session:
        session.execute(text("UPDATE finding SET lines = '[]'"))
        session.commit()
        command.downgrade(alembic_config(url), "0028")
        command.stamp(alembic_config(url), "0026")
        migrate(url)
        assert unjudged(session), "its words are forgotten"
        remember_all(session)
        kept = str(session.execute(text("SELECT lines FROM finding")).all())
    engine.dispose()
    assert "the true gap lies between" in kept
