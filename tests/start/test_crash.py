"""Everything is killed while a thousand readings are keyed: none lost, none doubled."""

import http.cookiejar
import itertools
import json
import os
import signal
import threading
import time
import urllib.error
import urllib.parse
import urllib.request
from pathlib import Path

import pytest

from tests.start.homes import eproba, free_port
from tests.web.entries import op, till
from tests.web.steps import fill

PATIENCE = 300  # seconds: a busy machine fails nothing
SENT_AT_ONCE = 12


class Answer:
    """What the test client's answers offer, over a real line."""

    def __init__(self, response) -> None:
        self.text, self.url = response.read().decode(), response.url

    def get_data(self, as_text):
        return self.text


class Line:
    """A phone's line to the computer: cookies, a fresh token, JSON."""

    def __init__(self, port) -> None:
        self.root = f"http://127.0.0.1:{port}"
        self.jar = http.cookiejar.CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))

    def get(self, path):
        return Answer(self.opener.open(self.root + path, timeout=120))

    def token(self):
        return json.loads(self.get("/token").text)["token"]

    def post(self, path, data=None):
        body = urllib.parse.urlencode({"csrf_token": self.token(), **(data or {})}, doseq=True).encode()
        return Answer(self.opener.open(self.root + path, data=body, timeout=120))

    def send(self, entries):
        headers = {"Content-Type": "application/json", "Accept": "application/json", "X-CSRFToken": self.token()}
        body = json.dumps({"entries": entries}).encode()
        request = urllib.request.Request(self.root + "/entries", data=body, headers=headers)
        return json.loads(self.opener.open(request, timeout=120).read())["answers"]


def dealt_trial(line):
    """Forty pots, nine readings each, three rounds; returns what the till knows of each round."""
    draft = line.post("/trials/new").url.removeprefix(line.root).rsplit("/", 1)[0]
    fill(line, draft, "claim", claim="It helps.", name="Crash")
    fill(line, draft, "measure", per_unit="9", start_on=time.strftime("%Y-%m-%d"))
    fill(line, draft, "treatments", **{"treatments-0-name": "Whey"})
    fill(line, draft, "ground", units_each="20")
    fill(line, draft, "days", rounds="0 14 28")
    trial = line.post(f"{draft}/deal", {"go": "deal"}).url.removeprefix(line.root).split("?")[0]
    page = line.get(f"{trial}/readings").text
    numbers = [part.split('"')[0] for part in page.split(f"{trial}/readings?round=")[1:4]]
    return trial, [till(line, f"{trial}/rounds/{number}") for number in numbers]


def entries_of(rounds):
    """Every reading of every round, each with a value of its own."""
    now, found = int(time.time() * 1000) - 60_000, []
    for round_ in rounds:
        for unit, n in itertools.product(round_["units"], range(1, 10)):
            number = len(found)
            found.append(
                op(round_, number, unit["code"], f"{10 + number / 10:.1f}", "plant_height", replicate=n, at=now)
            )
    return found


def pid_in(path):
    return int(path.read_text().split()[0])


def workers_of(master):
    return [int(pid) for pid in Path(f"/proc/{master}/task/{master}/children").read_text().split()]


def killed(home, what):
    """Kill -9: a worker, the master of the workers, or the postmaster."""
    try:
        master = json.loads((home / "run" / "serve.json").read_text())["server"]
        victims = {"worker": workers_of(master)[:1], "master": [master]}
        found = victims.get(what) or [pid_in(home / "cluster" / "postmaster.pid")]
        for pid in found:
            os.kill(pid, signal.SIGKILL)
    except (OSError, IndexError, ValueError):
        return  # it is down already


def brought_back(home, port, until):
    """Start again, as often as it takes, until it answers."""
    while time.monotonic() < until:
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{port}/health", timeout=5)
            return
        except (urllib.error.URLError, OSError):
            eproba(home, "serve", "--port", port, "--detach")
            time.sleep(0.5)


@pytest.mark.long
def test_a_thousand_readings_through_kill_9_of_everything(home):
    port = free_port()
    assert eproba(home, "serve", "--port", port, "--detach").returncode == 0
    until, line = time.monotonic() + PATIENCE, Line(port)
    trial, rounds = dealt_trial(line)
    todo = entries_of(rounds)
    assert len(todo) >= 1000
    acknowledged, kills, next_kill = 0, itertools.cycle(["worker", "master", "postmaster"]), 100
    while acknowledged < len(todo) and time.monotonic() < until:
        batch = todo[acknowledged : acknowledged + SENT_AT_ONCE]
        if acknowledged >= next_kill:
            next_kill += 350
            threading.Timer(0.02, killed, (home, next(kills))).start()
        try:
            statuses = {answer["status"] for answer in line.send(batch)}
            assert statuses == {"saved"}
            acknowledged += len(batch)
        except (urllib.error.URLError, OSError, http.client.HTTPException):
            brought_back(home, port, until)
    brought_back(home, port, until)
    rows = [row.split(",") for row in line.get(f"{trial}/readings.csv").text.splitlines()[1:]]
    stored = sorted((row[2], int(row[7]), row[0], row[8]) for row in rows)
    day = {round_["round"]: str(round_["day"]) for round_ in rounds}
    sent = sorted((e["unit"], e["replicate"], day[e["round"]], f"{float(e['typed']):g}") for e in todo)
    assert acknowledged == len(todo)
    assert stored == sent, "none lost, none doubled, none changed"
    eproba(home, "stop")
