"""Many gardens, one envelope: a challenge through five homes, with one that drops out and one file that was changed."""

import io
import itertools
import json
import re
import zipfile
from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlmodel import Session, select

from eproba.core.errors import EprobaError
from eproba.core.judging.challenge import GardenStake, misfits, tally
from eproba.exchange.challenge_file import as_code, read_challenge, read_slip, write_slip
from eproba.store.tables import ChallengeGardenRow
from eproba.store.trials import load_trial
from tests.conftest import Client, demo_garden
from tests.databases import TODAY
from tests.web.steps import text
from tests.web.test_household import house, joined  # noqa: F401
from tests.web.test_together import run

KEY = bytes(range(32))


def sent(client, address, *files):
    form = {"file": [(io.BytesIO(raw), name) for raw, name in files]}
    return client.post(f"{address}/files", form)


def called(client, opens_on=TODAY + timedelta(days=60)):
    """A challenge from the demo's chard, its address and its file."""
    address = client.post("/trials/1/challenge", {"opens_on": opens_on.isoformat()}).headers["Location"]
    return address, client.get(f"{address}/challenge.json").data


def planted(client, raw):
    """A home takes the challenge up: the number of the trial that it deals."""
    came = client.post("/trials/take-in", {"file": (io.BytesIO(raw), "c.json")}, follow_redirects=True)
    draft = came.request.path.removesuffix("/sheet")
    made = client.post(f"{draft}/deal", {"go": "deal"})
    trial = int(re.search(r"/trials/(\d+)", made.headers["Location"])[1])
    client.post(f"/trials/{trial}/declare")
    return trial


@demo_garden
def test_a_challenge_goes_through_five_homes(app, client, clock, homes, monkeypatch):
    seeds = (f"lots of home {n}" for n in itertools.count())
    monkeypatch.setattr("eproba.web.new_trial.views.secrets.token_hex", lambda _: next(seeds))
    address, raw = called(client)
    assert sent(client, address, (client.get(f"{address}/slip-joined.json").data, "own.json")).status_code == 302
    results, inside = [], [homes() for _ in range(4)]
    trials = []
    for home in inside:
        with home():
            trials.append(planted(client, raw))
            slip = client.get(f"{address}/slip-joined.json").data
        assert sent(client, address, (slip, "slip.json")).status_code == 302
    assert "Called here. Its envelope opens on 19 Jul 2026." in text(client, "/challenges")
    page = text(client, address)
    assert "5 gardens took part, 0 sent an answer so far, 0 stopped, 5 still at it." in page
    with inside[3]():
        running = client.get(f"/trials/{trials[3]}/package.zip").data
    refused = sent(client, address, (running, "running.zip"))
    assert "running.zip: The trial in this file is not over" in refused.text
    clock.forward(days=45)
    for n, (home, trial) in enumerate(zip(inside, trials, strict=True)):
        with home() as there:
            run(there, trial, 0.3, 5 + n)
            results.append(client.get(f"/trials/{trial}/result.zip").data)
    tampered = changed_package(results[2])
    answer = sent(client, address, (results[0], "one.zip"), (results[1], "two.zip"), (tampered, "three.zip"))
    assert answer.status_code == 400
    assert "three.zip: This file was changed after the garden with the key" in answer.text
    twice = sent(client, address, (results[0], "one.zip"))
    assert "has sent its result already: the first one counts." in twice.text
    assert sent(client, address, (results[2], "three.zip")).status_code == 302, "as it was written, it is taken"
    with Session(app.extensions["engine"]) as session:
        assert load_trial(session, 7) is None, "nothing is taken in before the day"
    page = text(client, address)
    assert "5 gardens took part, 3 sent an answer so far" in page
    early = client.post(f"{address}/open")
    assert early.status_code == 400
    assert "The envelope opens on its day, not before" in early.text
    assert "Open the envelope" not in page
    clock.forward(days=20)
    assert client.post(f"{address}/own/5").status_code == 400, "its envelope is shut"
    assert client.post(f"{address}/own/1").status_code == 302
    twice = client.post(f"{address}/own/1")
    assert (twice.status_code, "has sent its result already" in twice.text) == (400, True)
    opened = client.post(f"{address}/open").text
    assert "5 gardens took part, 4 sent an answer, 1 dropped out." in opened
    question = re.search(r"/together/(\w+)", opened)[1]
    joint = text(client, f"/together/{question}")
    assert "4 trials that count" in joint
    late = sent(client, address, (results[3], "late.zip"))
    assert "The envelope of this challenge is open: nothing can join it any more." in late.text


def changed_package(raw):
    """The package with one value of its readings made larger, its digests left as they were."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(raw)) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist():
            content = old.read(name)
            new.writestr(name, content.replace(b",1", b",2", 1) if name.endswith("readings.csv") else content)
    return out.getvalue()


@demo_garden
def test_what_does_not_belong_is_refused_by_name(app, client, clock, elsewhere):
    address, raw = called(client)
    clock.forward(days=40)
    other = client.get("/trials/5/package.zip").data
    refused = sent(client, address, (other, "ferment.zip"))
    assert "ferment.zip: This is the result of another plan: it is decided by plant height" in refused.text
    assert "Choose the files that the other gardens sent." in sent(client, address).text
    foreign = write_slip("another", "joined", 3, KEY)
    assert "This slip is for another challenge." in sent(client, address, (foreign, "s.json")).text
    forged = json.loads(write_slip(address.rsplit("/", 1)[1], "joined", 3, KEY)) | {"units": 300}
    page = sent(client, address, (json.dumps(forged).encode(), "s.json")).text
    assert "Ask for it again: an envelope of many gardens needs files as written." in page
    with Session(app.extensions["engine"]) as session:
        assert session.exec(select(ChallengeGardenRow)).all() == []
    with elsewhere():
        assert client.post("/trials/take-in", {"file": (io.BytesIO(raw), "c.json")}).status_code == 302
        assert sent(client, address, (raw, "c.json")).status_code == 400, "it was not called here"
        again = client.post("/trials/take-in", {"file": (io.BytesIO(raw), "c.json")}, follow_redirects=True)
        assert "This challenge is here already." in again.text


@demo_garden
def test_a_challenge_comes_in_by_its_code_and_never_changed(client, elsewhere):
    _, raw = called(client)
    code = as_code(raw)
    assert code.startswith("EPROBA1.")
    assert read_challenge(code.encode()).name == "Comfrey and whey on rainbow chard"
    for name in ("Ilse", "terrace", "Loosened"):
        assert name.encode() not in raw, name
    better = raw.replace(b"2026-07-19", b"2026-06-19")
    with elsewhere():
        refused = client.post("/trials/take-in", {"file": (io.BytesIO(better), "c.json")})
        assert "was changed after the garden with the key" in refused.text
        cut = client.post("/trials/take-in", {"plan": code[:-30]})
        assert "This can’t be read: choose the file, or paste the whole code." in cut.text
        came = client.post("/trials/take-in", {"plan": code}, follow_redirects=True)
        assert "Its envelope opens on 19 Jul 2026" in came.text


@demo_garden
def test_another_garden_hands_in_by_a_link_and_sees_nothing_else(house):  # noqa: F811
    ilse = joined(house, "Ilse", "pours")
    address = ilse.post("/trials/1/challenge", {"opens_on": "2026-07-19"}).headers["Location"]
    ilse.post(f"{address}/link")
    page = ilse.get(address).text
    link = re.search(r"http://localhost(/hand-in/[\w-]+)<", page)[1]
    assert link not in ilse.get(address).text, "shown once"
    guest = Client(house)
    assert guest.get(address).status_code == 302, "the challenge itself asks for the passcode"
    page = guest.get(link).text
    token = re.search(r'name="csrf_token"[^>]*value="([^"]+)"', page)[1]
    slip = write_slip(address.rsplit("/", 1)[1], "joined", 12, KEY)
    form = {"csrf_token": token, "file": [(io.BytesIO(slip), "slip.json")]}
    handed = guest.plain.post(link, data=form, base_url="http://localhost")
    assert "Taken in: 1. It stays shut until the envelope opens on 19 Jul 2026." in handed.text
    assert "1 garden took part" not in handed.text
    assert "1 garden took part" in " ".join(ilse.get(address).text.split())
    assert guest.get("/hand-in/nowhere").status_code == 404
    assert "Other gardens hand in to Comfrey and whey on rainbow chard" in ilse.get("/devices").text
    ilse.post("/devices/revoke", {"key": f"challenge:{address.rsplit('/', 1)[1]}"})
    assert guest.get(link).status_code == 404, "the key is taken back"


@demo_garden
@pytest.mark.parametrize("day", ["2026-05-20", "soon", ""])
def test_the_envelope_of_a_challenge_opens_on_a_day_to_come(client, day):
    refused = client.post("/trials/1/challenge", {"opens_on": day})
    assert refused.status_code == 400
    assert f'value="{day}"' in refused.text


@given(st.binary(max_size=300))
def test_no_slip_is_read_out_of_anything(raw):
    with pytest.raises(EprobaError):
        read_slip(raw)
    with pytest.raises(EprobaError):
        read_challenge(b"EPROBA1." + raw)


def test_gardens_are_counted_those_that_stopped_too():
    gardens = [GardenStake("A", "returned", 12), GardenStake("B", "left", 0), GardenStake("C", "joined", 8)]
    assert tally(gardens, False) == "3 gardens took part, 1 sent an answer so far, 1 stopped, 1 still at it."
    assert tally(gardens, True) == "3 gardens took part, 1 sent an answer, 2 dropped out."
    assert tally(gardens[:1], True) == "1 garden took part, 1 sent an answer."


@demo_garden
def test_what_makes_it_another_question_is_told(app):
    from dataclasses import replace

    with Session(app.extensions["engine"]) as session:
        trial, other = load_trial(session, 1), load_trial(session, 5)
    assert misfits(trial, trial) == []
    assert misfits(trial, replace(trial, decision_day=30)) == ["it is decided on day 30, the challenge on day 28"]
    assert misfits(trial, replace(trial, scale="difference")) == ["another number of each unit counts"]
    assert misfits(trial, replace(trial, lower_is_better=True)) == ["the other direction is the good one"]
    assert misfits(trial, other)[0] == "it is decided by plant height, the challenge by widest leaf"
    twice = tuple(replace(t, times=2.0) for t in trial.treatments)
    assert misfits(trial, replace(trial, treatments=twice)) == ["its brews are of another strength"]
    killed = tuple(replace(t, recipe="") if t.recipe else t for t in trial.treatments)
    assert misfits(trial, replace(trial, treatments=killed)) == ["it has other treatments, or another kind of control"]
