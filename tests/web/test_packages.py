"""A whole trial out as a data package, checked by another library, and in again as it was."""

import io
import json
import re
import subprocess
import sys
import zipfile

import pytest
from sqlalchemy import text as statement
from sqlmodel import Session, select

from eproba.core.judging.from_trial import judge_trial
from eproba.exchange.judgement_json import judgement_json
from eproba.standins.pictures import jpeg, scene
from eproba.store.database import engine_for
from eproba.store.packages import TABLES, garden_tables, tables_of
from eproba.store.server import named
from eproba.store.tables import FindingRow, TrialRow
from eproba.store.trials import load_trial
from tests.conftest import demo_garden
from tests.web.steps import text

CHECK = """
import sys, frictionless
report = frictionless.Package(sys.argv[1]).validate()
print(report.valid, [(e.title, e.note) for t in report.tasks for e in t.errors][:5])
"""


def taken_in(client, content):
    return client.post("/trials/take-in", {"file": (io.BytesIO(content), "trial.zip")})


@pytest.fixture
def package(client):
    code = re.search(r'name="units" value="(\w+)"', text(client, "/trials/5/happened")).group(1)
    client.post("/trials/5/happened", {"what": "sown", "on": "2026-05-19", "units": [code], "note": "=1+1"})
    client.post("/trials/5/photos", {"file": [(io.BytesIO(jpeg(scene(0.1)[0])), "a.jpg")]})
    return client.get("/trials/5/package.zip").data


def contents(app, trial_id):
    """Everything of a trial but the numbers that a database gives."""
    engine = app.extensions["engine"]
    with Session(engine) as session:
        tables, files = tables_of(session, [trial_id])
    plain = {}
    for table in tables:
        given = {"id", *(each.name for each in table.columns if each.refers), "jpeg", "photo", "came"}
        plain[table.name] = sorted(
            json.dumps({k: str(v) for k, v in row.items() if k not in given}, sort_keys=True) for row in table.rows
        )
    return plain, sorted(files.values())


@demo_garden
def test_a_package_is_what_its_description_says(package, tmp_path):
    (tmp_path / "trial.zip").write_bytes(package)
    with zipfile.ZipFile(tmp_path / "trial.zip") as opened:
        opened.extractall(tmp_path)
        names = set(opened.namelist())
    command = [sys.executable, "-W", "ignore", "-c", CHECK, "datapackage.json"]
    checked = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True)
    assert checked.stdout.startswith("True []"), checked.stdout + checked.stderr[-2000:]
    wanted = ("trials", "units", "rounds", "readings", "pours", "batches", "pictures")
    assert {f"data/{name}.csv" for name in wanted} <= names
    assert any(name.startswith("pictures/") for name in names)
    told = json.loads((tmp_path / "datapackage.json").read_text())
    assert {each["name"].replace("-", "_") for each in told["resources"]} == set(TABLES)
    assert "'=1+1" in (tmp_path / "data" / "unit-events.csv").read_text(), "no formula for a spreadsheet"


@demo_garden
def test_it_comes_in_again_as_a_whole_trial(app, client, package):
    before, pictures = contents(app, 5)
    again = taken_in(client, package)
    assert again.status_code == 400
    assert "is in this garden already: delete it first, or look at it." in again.text
    client.post("/trials/5/delete", {"sure": "y"})
    assert client.get("/trials/5").status_code == 404
    answer = taken_in(client, package)
    number = int(re.search(r"/trials/(\d+)$", answer.headers["Location"]).group(1))
    after, same_pictures = contents(app, number)
    for name in TABLES:
        assert after[name] == before[name], name
    assert same_pictures == pictures
    assert "=1+1" in text(client, f"/trials/{number}/happened")
    assert "batch" in text(client, f"/trials/{number}/pours").lower()


@demo_garden
def test_a_finished_trial_is_judged_alike_in_another_garden(app, client, server, templates, settings):
    from eproba.exchange.data_package import read_package
    from eproba.store.commands.packages import take_package
    from eproba.store.readings import all_readings

    def verdict(session, trial_id):
        trial, readings = load_trial(session, trial_id), all_readings(session, trial_id)
        return judgement_json(judge_trial(trial, trial.asked[0], readings)), trial.declared.fingerprint

    found = read_package(client.get("/trials/1/package.zip").data)
    with Session(app.extensions["engine"]) as session:
        here = verdict(session, 1)
    other = server.new(templates["empty"])
    engine = engine_for(named(server.url, other))
    with Session(engine) as session:
        there = verdict(session, take_package(session, found.format, found.tables, found.files).trials[0])
    engine.dispose()
    server.drop(other)
    assert there == here


@demo_garden
@pytest.mark.parametrize("change", ["", "at = at + interval '1 hour'", "what = 'tasted'"])
def test_a_brew_is_the_same_only_with_all_that_happened_to_it(app, client, package, change):
    """What this garden still has of it stays one brew; with another history it comes in as one of its own."""
    connection = app.extensions["engine"].connect()
    brews = statement("SELECT id FROM batch WHERE id IN (SELECT batch_id FROM pour WHERE trial_id = 5)")
    poured, before = set(connection.scalars(brews)), connection.scalar(statement("SELECT count(*) FROM batch"))
    client.post("/trials/5/delete", {"sure": "y"})
    if change:
        connection.rollback()
        which = f"(SELECT min(id) FROM batch_event WHERE batch_id = {min(poured)})"
        connection.execute(statement(f"UPDATE batch_event SET {change} WHERE id = {which}"))
        connection.commit()
    assert taken_in(client, package).status_code == 302
    connection.rollback()
    assert connection.scalar(statement("SELECT count(*) FROM batch")) == before + bool(change)
    connection.close()


def packed(package, **changes):
    """The package with some of its files changed."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(package)) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist():
            key = name.rsplit("/", 1)[-1].split(".")[0].replace("-", "_")
            content = changes.get(key, lambda text: text)(old.read(name).decode("latin-1"))
            if content is not None:
                new.writestr(name, content.encode("latin-1"))
    return out.getvalue()


@demo_garden
def test_what_is_no_package_or_can_not_be_is_refused_whole(client, package):
    client.post("/trials/5/delete", {"sure": "y"})
    bad = [
        (b"no zip", "This is no data package: choose the .zip"),
        (packed(package, datapackage=lambda _: None), "This ZIP holds no datapackage.json"),
        (packed(package, datapackage=lambda _: "{"), "can’t be read: it is no JSON."),
        (packed(package, datapackage=lambda _: "[]"), "names no tables."),
        (packed(package, datapackage=lambda t: t.replace("eproba-package-1", "other-9")), "of another make (other-9)"),
        (
            packed(package, trials=lambda t: t.split("\r\n")[0] + "\r\n"),
            "This package holds no trial.",
        ),
        (
            packed(package, trials=lambda t: t.replace('""plants"": ', '""watered"": 1, ""plants"": ')),
            "Its rules name watered, which this Eproba does not know: a newer one wrote it.",
        ),
        (packed(package, units=lambda _: None), "The package lacks data/units.csv"),
        (packed(package, units=lambda t: t.replace(",H1,", ",H2,", 1)), "A row of its table “units” can’t be kept"),
        (
            packed(package, readings=lambda t: re.sub(r"^(\d+),\d+,", r"\1,x,", t, count=1, flags=re.M)),
            "it can’t be read (",
        ),
        (packed(package, units=lambda t: t.replace(",patch,", ",tub,")), "units: “tub” is no kind."),
        (packed(package, rounds=lambda t: t.split("\r\n")[0] + "\r\n"), "Rows of this package don’t fit together"),
        (packed(package, treatments=lambda t: t.replace(",B,", ",Q,")), "Its control, B, is no treatment of it."),
        (packed(package, units=lambda t: re.sub(r",A,(\d+),patch", r",Z,\1,patch", t)), "is of treatment Z, which it"),
        (packed(package, trials=lambda t: re.sub(r",2026-\d\d-\d\d,28,", ",0001-01-01,28,", t)), "which can’t be."),
        (packed(package, rounds=lambda t: re.sub(r"^(\d+,\d+),\d+,", r"\1,2000000000,", t, flags=re.M)), "can’t be"),
    ]
    for content, why in bad:
        answer = taken_in(client, content)
        assert (answer.status_code, why in answer.text) == (400, True), why
    assert client.post("/trials/take-in", {}).status_code == 400
    assert client.get("/trials/6").status_code == 404, "nothing was written"
    assert taken_in(client, package).status_code == 302


def test_who_reads_blind_gets_no_package(client, draft):
    from tests.web.steps import fill, planned

    planned(client, draft)
    fill(client, draft, "treatments", blind="y")
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    refused = client.get(f"{trial}/package.zip")
    assert (refused.status_code, "The package tells who got what" in refused.text) == (403, True)
    assert "package.zip" not in text(client, trial)


def take(client, content, name="file.zip"):
    return client.post("/trials/take-in", {"file": (io.BytesIO(content), name)}, follow_redirects=True)


def told(engine):
    """What every judged trial of a garden says, by its key."""
    with Session(engine) as session:
        rows = session.exec(select(TrialRow.key, FindingRow).join(FindingRow)).all()
        return {key: (row.lines, row.noise_sd, row.also, row.answers) for key, row in rows}


@demo_garden
def test_a_whole_garden_comes_in_with_every_verdict_as_it_was(app, client, elsewhere):
    client.post("/trials/1/note", {"note": "moved", "seen": "x"})
    for number in (2, 3, 5):
        client.post(f"/trials/{number}/verdict/open", {"reason": "moving house"})
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
        assert {t.name: len(t.rows) for t in third} == {t.name: len(t.rows) for t in tables} | {"gone_trials": 1}


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


@demo_garden
def test_free_words_are_shown_first_and_leave_only_where_they_are_kept(client):
    page = text(client, "/trials/1/for-others")
    claim, handling = "Comfrey steep, or diluted whey, makes chard leaves wider within four weeks.", "Loosened"
    for one in (claim, handling, "The word that the lots were dealt from"):
        assert one in page, one
    assert "seed" not in text(client, "/trials/2/for-others"), "its envelope is shut: only the plan can leave"
    struck, kept = (client.get(f"/trials/1/plan.json{keep}").text for keep in ("", "?keep=claim&keep=handling"))
    assert (claim in struck, handling in struck) == (False, False)
    assert (claim in kept, handling in kept) == (True, True)
    for keep, said in (("", False), ("?keep=claim&keep=seed&keep=handling&keep=how-B", True)):
        package = client.get(f"/trials/1/result.zip{keep}").data
        whole = b"".join(
            zipfile.ZipFile(io.BytesIO(package)).read(n) for n in zipfile.ZipFile(io.BytesIO(package)).namelist()
        )
        for one in (claim, handling, "chard-terrace"):
            assert (one.encode() in whole) == said, one
    came = take(client, client.get("/trials/1/result.zip").data)
    assert "is in this garden already" in came.text
