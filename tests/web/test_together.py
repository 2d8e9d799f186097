"""Trials of one question, also of other gardens: put together, left out, changed by hand."""

import io
import re
import zipfile

from sqlmodel import Session, select

from eproba.core.judging.across import together
from eproba.core.practice.garden import Truth
from eproba.store.demo import pour, read
from eproba.store.tables import FindingRow, TrialRow
from eproba.store.together import tellings
from eproba.store.trials import load_trial
from eproba.web.verdict.findings import remember_all
from tests.conftest import demo_garden
from tests.web.steps import text
from tests.web.test_packages import packed

WHEY = "Diluted whey"


def question_of(app, trial_id, treatment):
    with Session(app.extensions["engine"]) as session:
        answers = session.get(FindingRow, trial_id).answers
    return next(each["question"] for each in answers if each["treatment"] == treatment)


@demo_garden
def test_a_trial_is_left_out_with_its_reason_and_counts_again(app, client):
    question = question_of(app, 1, WHEY)
    page = text(client, f"/together/{question}")
    assert "One trial so far: ask again" in page
    assert page.count("stake-bar") == 1
    form = {"which": "1-C"}
    assert '<option value="1-C">' in page, "each trial by the letter that it gave"
    refused = client.post(f"/together/{question}/leave-out", {**form, "reason": " "})
    assert (refused.status_code, "Say why it does not count" in refused.text) == (400, True)
    client.post(f"/together/{question}/leave-out", {**form, "reason": "the hose burst"})
    page = text(client, f"/together/{question}")
    assert "Comfrey and whey on rainbow chard</a> stands aside: left out: the hose burst." in page
    assert "None of these trials can be put with others" in page
    client.post(f"/together/{question}/count-again", form)
    assert text(client, f"/together/{question}").count("stake-bar") == 1
    assert client.get("/together/0123456789abcdef").status_code == 404
    assert client.post("/together/0123456789abcdef/leave-out", form).status_code == 404
    assert client.post(f"/together/{question}/leave-out", {"which": "x-C", "reason": "why"}).status_code == 400


def test_an_empty_garden_says_what_to_do(client):
    assert "You haven’t asked any question twice yet." in text(client, "/together")


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


@demo_garden
def test_a_plan_is_run_elsewhere_and_its_result_joins_the_others(app, client, clock, elsewhere):
    """Out as a file, in with its own ground and lots, back without names and places, beside the first trial."""
    plan = client.get("/trials/1/plan.json?keep=claim").data
    for name in ("Ilse", "terrace", "Pots", "chard-terrace", '"note"', "lots", "x_cm"):
        assert name.encode() not in plan, name
    with elsewhere() as there:
        came = take(client, plan, "plan.json")
        assert (
            "The plan is here as a draft. Say in its sentence what you have; your lots will be dealt anew." in came.text
        )
        draft = came.request.path.removesuffix("/sheet")
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
def test_a_result_changed_by_hand_is_marked_and_stands_aside(app, client, elsewhere):
    package = client.get("/trials/1/package.zip").data
    better = packed(package, readings=lambda t: re.sub(r"(?<=,)1([0-9]\.[0-9])(?=,)", r"2\1", t))
    with elsewhere() as there:
        page = take(client, better).get_data(as_text=True)
        assert "Something in it (readings) is not as it was written: what came in bears that mark." in page
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
def test_what_a_garden_knows_is_every_open_answer_by_what_was_tried(client):
    page = text(client, "/known")
    comfrey, whey = page.index('<h2 class="title is-5">Comfrey steep'), page.index(">Diluted whey</h2>")
    assert page.index(">Aquarium water</h2>") < comfrey < whey
    assert "Better, and by enough to matter</strong> Comfrey steep grew leaves about 22 % wider" in page[comfrey:whey]
    assert "Seen, not shown</strong> Aquarium water" in page, "as proudly as the others"
    assert "Wool mulch" not in page, "its envelope is shut"
    assert page.count('href="/trials/1/verdict"') == 2
    assert 'href="/known"' in text(client, "/trials")
    crops = text(client, "/known?by=crop")
    assert ">No crop was named</h2>" in crops
    assert "Comfrey steep: <strong>Better, and by enough to matter</strong>" in crops


def test_a_garden_that_knows_nothing_yet_says_so(client):
    assert "No trial is over yet." in text(client, "/known")
