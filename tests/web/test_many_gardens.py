"""A plan out of one garden and into another, its result back, a whole garden out and in; what is amiss with a file."""

import io
import json
import re
import zipfile
from contextlib import contextmanager

import pytest
from sqlmodel import Session, select

from eproba.core.judging.across import together
from eproba.core.practice.garden import Truth
from eproba.store.database import engine_for
from eproba.store.demo import pour, read
from eproba.store.packages import garden_tables
from eproba.store.server import named
from eproba.store.tables import FindingRow, TrialRow
from eproba.store.together import tellings
from eproba.store.trials import load_trial
from eproba.web.verdict.findings import remember_all
from tests.conftest import demo_garden
from tests.web.steps import text
from tests.web.test_packages import packed


@pytest.fixture
def elsewhere(app, server, templates):
    """Another home, empty: whatever is asked within goes there."""
    name = server.new(templates["empty"])
    engine = engine_for(named(server.url, name))

    @contextmanager
    def there():
        here, app.extensions["engine"] = app.extensions["engine"], engine
        try:
            yield engine
        finally:
            app.extensions["engine"] = here

    yield there
    engine.dispose()
    server.drop(name)


def take(client, content, name="file.zip"):
    return client.post("/trials/take-in", {"file": (io.BytesIO(content), name)}, follow_redirects=True)


def run(engine, trial_id, gain, seed):
    """Pour and read the whole trial, as its garden would have it."""
    with Session(engine) as session:
        trial = load_trial(session, trial_id)
        letter = next(t.letter for t in trial.treatments if t.name == "Comfrey steep")
        pour(session, trial, trial.decision_day, {})
        read(session, trial, trial.rounds, "widest_leaf", Truth(6, 0.3, {letter: gain}, 0.05, 0.05, 0.02), seed)
        read(session, trial, trial.rounds, "leaf_count", Truth(4, 0.3, {}, 0.7, 0.4, 0.4), seed + 1)
        session.commit()
        remember_all(session)


def told(engine):
    """What every judged trial of a garden says, by its key."""
    with Session(engine) as session:
        rows = session.exec(select(TrialRow.key, FindingRow).join(FindingRow)).all()
        return {key: (row.lines, row.noise_sd, row.also, row.answers) for key, row in rows}


@demo_garden
def test_a_plan_is_run_elsewhere_and_its_result_joins_the_others(app, client, clock, elsewhere):
    """Out as a file, in with its own ground and lots, back without names and places, beside the first trial."""
    plan = client.get("/trials/1/plan.json").data
    for name in ("Ilse", "terrace", "Pots", "chard-terrace", '"note"', "lots", "x_cm"):
        assert name.encode() not in plan, name
    with elsewhere() as there:
        came = take(client, plan, "plan.json")
        assert "The plan is here as a draft. Draw your own ground; your lots will be dealt anew." in came.text
        draft = came.request.path.removesuffix("/ground")
        made = client.post(f"{draft}/deal", {"go": "deal"})
        trial_id = int(re.search(r"/trials/(\d+)", made.headers["Location"]).group(1))
        client.post(f"/trials/{trial_id}/declare")
        shown = text(client, f"/trials/{trial_id}")
        for kept in ("Comfrey steep, or diluted whey, makes chard leaves wider", "250 mL each", "15 %", "Diluted whey"):
            assert kept in shown, kept
        clock.forward(days=40)
        run(there, trial_id, 0.3, 5)
        assert client.get(f"/trials/{trial_id}/result.zip").status_code == 200
        result = client.get(f"/trials/{trial_id}/result.zip").data
        whole = client.get(f"/trials/{trial_id}/package.zip").data
        client.post(f"/trials/{trial_id}/note", {"note": "Behind Ilse’s shed", "seen": ""})
    opened = zipfile.ZipFile(io.BytesIO(result))
    every = b"".join(opened.read(name) for name in opened.namelist())
    assert b"Ilse" not in every
    assert b"Pots" not in every
    assert b"Ilse" in b"".join(zipfile.ZipFile(io.BytesIO(whole)).read(n) for n in opened.namelist())
    page = take(client, result).get_data(as_text=True)
    assert re.search(r"Another garden, May 2026 \([0-9a-f]{6}\)", page)
    with Session(app.extensions["engine"]) as session:
        question = next(a["question"] for a in session.get(FindingRow, 1).answers if a["treatment"] == "Comfrey steep")
        joined = together([each.told for each in tellings(session, question)])
    assert [stake.told.trial[:14] for stake in joined.stakes] == ["Comfrey and wh", "Another garden"]
    page = text(client, f"/together/{question}")
    assert "Two trials, side by side" in page
    assert "From two, nobody can tell how much gardens differ: so no joint gap is given." in page
    assert "Comfrey steep" in text(client, "/together")
    again = take(client, result)
    assert again.status_code == 400
    assert "is in this garden already: delete it first, or look at it." in again.text


@demo_garden
def test_a_whole_garden_comes_in_with_every_verdict_as_it_was(app, client, elsewhere):
    client.post("/trials/1/note", {"note": "moved", "seen": "x"})
    garden = client.get("/garden.zip").data
    here = told(app.extensions["engine"])
    assert len(here) >= 2
    with Session(app.extensions["engine"]) as session:
        tables, files = garden_tables(session)
    with elsewhere() as there:
        assert "trials are in this garden now, with all that is on record" in take(client, garden).get_data(
            as_text=True
        )
        assert told(there) == here
        with Session(there) as session:
            again, same_files = garden_tables(session)
        assert {t.name: len(t.rows) for t in again} == {t.name: len(t.rows) for t in tables}
        assert sorted(same_files.values()) == sorted(files.values())
        twice = take(client, garden)
        assert twice.status_code == 400
        assert "All 5 trials of this package are in this garden already" in twice.text
        client.post("/trials/2/delete", {"sure": "y"})
        part = take(client, garden).get_data(as_text=True)
        assert "Here already, and left as they are: “Comfrey and whey on rainbow chard”" in part
        with Session(there) as session:
            third, _ = garden_tables(session)
        assert {t.name: len(t.rows) for t in third} == {t.name: len(t.rows) for t in tables}


@demo_garden
def test_a_result_changed_by_hand_is_marked_and_stands_aside(app, client, elsewhere):
    package = client.get("/trials/1/package.zip").data
    better = packed(package, readings=lambda t: re.sub(r"(?<=,)1([0-9]\.[0-9])(?=,)", r"2\1", t))
    with elsewhere() as there:
        page = take(client, better).get_data(as_text=True)
        assert "This file was changed after it was written (readings): what came in bears that mark." in page
        with Session(there) as session:
            number = session.exec(select(TrialRow.id)).one()
            question = session.get(FindingRow, number).answers[0]["question"]
        verdict = text(client, f"/trials/{number}/verdict")
        assert (
            "was changed after it was written (readings): nobody can tell what else. Described, not judged." in verdict
        )
        assert "Seen, not shown" in verdict
        aside = text(client, f"/together/{question}")
        assert "its own ledger lets it be no more than a description (file)" in aside
    amended = packed(package, trials=lambda t: t.replace(",0.15,ratio", ",0.10,ratio"))
    with elsewhere():
        client.post("/trials/1/delete", {"sure": "y"})
        take(client, amended)
        number = max(map(int, re.findall(r"/trials/(\d+)", text(client, "/trials"))))
        assert "Differs from the declared plan without an amendment: worth" in text(client, f"/trials/{number}/verdict")


@demo_garden
def test_a_forged_declaration_is_told_though_the_file_is_whole(client, elsewhere):
    """Worth and declaration changed alike, and the file’s own sums made anew: the fingerprint still tells."""
    package = client.get("/trials/1/package.zip").data
    forged = packed(
        package, trials=lambda t: t.replace(",0.15,ratio", ",0.1,ratio").replace('""worth"": 0.15', '""worth"": 0.1')
    )
    assert forged != package
    told = json.loads(zipfile.ZipFile(io.BytesIO(package)).read("datapackage.json"))
    bare = json.dumps({**told, "resources": [{k: v for k, v in r.items() if k != "hash"} for r in told["resources"]]})
    sums = packed(forged, datapackage=lambda _: bare)
    with elsewhere():
        number = re.search(r"/trials/(\d+)$", take(client, sums).request.path).group(1)
        assert "written (declaration): nobody can tell what else" in text(client, f"/trials/{number}/verdict")


def changed(plan, **more):
    return json.dumps({**json.loads(plan), **more}).encode()


@demo_garden
def test_a_plan_that_cant_be_is_refused_and_one_that_names_the_unknown_asks(client):
    plan = client.get("/trials/1/plan.json").data
    whole = json.loads(plan)
    bad = [
        (b"{", "This is no plan: choose the .json"),
        (b"{}", "This is no plan of Eproba’s"),
        (changed(plan, format="eproba-plan-9"), "This plan is of another version (eproba-plan-9); this Eproba reads"),
        (changed(plan, rounds="none"), "Parts of this plan are missing: ask for the file again."),
        (changed(plan, units_each=0), "Parts of this plan are missing"),
        (changed(plan, treatments=whole["treatments"][:1]), "This plan lacks measures, treatments or rounds"),
        (changed(plan, question={**whole["question"], "control": "Q"}), "names no control among its treatments"),
        (changed(plan, question={**whole["question"], "scale": "wild"}), "A part of this plan can’t be: scale"),
        (changed(plan, rounds=[{"day": "soon"}]), "A part of this plan can’t be: day"),
        (changed(plan, question={**whole["question"], "rules": {"x": 1}}), "A rule of this plan can’t be read"),
        (changed(plan, own_measures=[{"key": "own_x", "name": "X"}]), "A part of this plan can’t be: "),
    ]
    for content, why in bad:
        answer = take(client, content, "plan.json")
        assert (answer.status_code, why in answer.get_data(as_text=True)) == (400, True), why
    assert "/trials/new/1" not in text(client, "/trials"), "no draft was begun"
    measures = [{**each, "measure_key": each["measure_key"].replace("leaf", "lobe")} for each in whole["measures"]]
    treatments = [{**each, "recipe": "own-brew" if each["recipe"] else ""} for each in whole["treatments"]]
    asked = take(client, changed(plan, measures=measures, treatments=treatments), "plan.json")
    page = asked.get_data(as_text=True)
    assert asked.status_code == 400
    assert "does not bring it along: widest_lobe, lobe_count, own-brew." in page
    assert "What is meant by these?" in page
    chosen = {"measure-widest_lobe": "widest_leaf", "measure-lobe_count": "leaf_count", "recipe-own-brew": "none"}
    sent = {"plan": changed(plan, measures=measures, treatments=treatments).decode(), **chosen}
    page = client.post("/trials/take-in", sent, follow_redirects=True).get_data(as_text=True)
    assert "This plan was changed after it was written: look whether it still asks what you were told" in page
    assert "The plan is here as a draft." in page


@demo_garden
def test_own_measures_and_recipes_come_along_with_a_plan(app, client, elsewhere):
    plan = json.loads(client.get("/trials/1/plan.json").data)
    own = {"key": "own_scent", "name": "Scent", "unit": "points", "low": 0, "high": 9, "decimals": 0,
           "better": "higher", "scale": "difference"}  # fmt: skip
    plan |= {"measures": [{**plan["measures"][0], "measure_key": "own_scent"}], "own_measures": [own]}
    plan["question"] |= {"scale": "difference", "worth": 2}
    with elsewhere():
        page = take(client, json.dumps(plan).encode(), "plan.json").get_data(as_text=True)
        assert "The plan is here as a draft." in page
        assert "Scent" in text(client, "/measures")


@demo_garden
def test_a_sealed_trial_gives_no_result(client):
    sealed = client.get("/trials/2/result.zip")
    assert (sealed.status_code, "A result leaves once the envelope is open." in sealed.text) == (404, True)
