"""Fifty gardeners at once for half a minute, over real lines to the app as `./eproba serve` runs it.

Each looks at Today, a trial, a round, saves readings one by one, opens a verdict and the list, with pauses of about
half a second. Told: errors, p50 and p95 of pages and saves, PostgreSQL's connections and the memory of the workers.
"""

import http.client
import itertools
import json
import os
import random
import re
import subprocess
import threading
import time
from contextlib import contextmanager
from datetime import UTC, datetime
from html import unescape
from pathlib import Path
from statistics import quantiles

import psycopg

from benchmarks.pages import TRIALS, garden
from eproba.start.app import AT_WORK, answers
from eproba.start.machine import free_port
from eproba.start.program import program_for

GARDENERS = 50
SECONDS = 30.0
PAUSE = 0.5
WARM = 10.0  # the statistics load behind the first answers of a new server


class Line:
    """A browser's line: kept open, with its cookies."""

    def __init__(self, port: int) -> None:
        self.link = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
        self.cookies: dict[str, str] = {}

    def ask(self, method: str, path: str, body: bytes | None = None, **headers: str) -> tuple[int, str]:
        sent = {**headers, "Cookie": "; ".join(f"{k}={v}" for k, v in self.cookies.items())}
        try:
            self.link.request(method, path, body, sent)
            answer = self.link.getresponse()
        except (http.client.HTTPException, OSError):
            self.link.close()  # gunicorn closes idle lines: a browser asks again
            self.link.request(method, path, body, sent)
            answer = self.link.getresponse()
        for each in answer.headers.get_all("Set-Cookie") or []:
            name, _, value = each.split(";")[0].partition("=")
            self.cookies[name] = value
        return answer.status, answer.read().decode()


class Gardener(threading.Thread):
    """One person: a round in a trial of their own, and looks at everything else."""

    def __init__(self, number: int, port: int, until: float) -> None:
        super().__init__(daemon=True)
        self.number, self.until, self.line = number, until, Line(port)
        self.pages: list[float] = []
        self.saves: list[float] = []
        self.errors: list[str] = []
        self.kinds: dict[str, list[float]] = {}
        self.chance = random.Random(number)

    def run(self) -> None:
        running = 1 + 10 * (self.number % (TRIALS // 10))
        over = 2 + self.number
        while time.monotonic() < self.until:
            for page in ("/", f"/trials/{running}", f"/trials/{over}/verdict", "/trials"):
                self.look(page)
            self.read(running)

    def look(self, path: str) -> str:
        time.sleep(self.chance.uniform(0.5, 1.5) * PAUSE)
        started = time.monotonic()
        status, text = self.line.ask("GET", path)
        self.pages.append(1000 * (time.monotonic() - started))
        self.kinds.setdefault(re.sub(r"\d+", "N", path), []).append(self.pages[-1])
        if status != 200:
            self.errors.append(f"{status} {path}")
        return text

    def read(self, trial: int) -> None:
        page = self.look(f"/trials/{trial}/readings")
        numbers = sorted({int(each) for each in re.findall(rf"/trials/{trial}/readings\?round=(\d+)", page)})
        if not numbers:
            return
        page = self.look(f"/trials/{trial}/rounds/{numbers[-1]}")
        found = re.search(r'id="round-data">(.*?)</script>', page, re.S)
        told = json.loads(unescape(found[1])) if found else {}
        token = json.loads(self.line.ask("GET", "/token")[1])["token"]
        for unit in itertools.islice(told.get("units", []), 4):
            time.sleep(self.chance.uniform(0.5, 1.5) * PAUSE)
            entry = {
                "id": f"crowd-{self.number}-{time.monotonic_ns()}", "trial": told["trial"], "round": told["round"],
                "unit": unit["code"], "measure": "leaf_count", "replicate": 1, "typed": "7", "skip": "", "seen": 0,
                "replaces": "", "sure": True, "at": int(datetime.now(UTC).timestamp() * 1000),
            }  # fmt: skip
            body = json.dumps({"entries": [entry]}).encode()
            headers = {"Content-Type": "application/json", "Accept": "application/json", "X-CSRFToken": token}
            started = time.monotonic()
            status, text = self.line.ask("POST", "/entries", body, **headers)
            self.saves.append(1000 * (time.monotonic() - started))
            if status != 200:
                self.errors.append(f"{status} {text[:80]}")


@contextmanager
def served(url: str):
    """The app as the start script runs it, and the number of its port."""
    port = free_port()
    env = {**os.environ, "EPROBA_DATABASE_URL": url, "EPROBA_SECRET": "for the benchmark"}
    bound = ["--bind", f"127.0.0.1:{port}", "--worker-tmp-dir", "/dev/shm"]
    command = program_for(None).module("gunicorn", *AT_WORK, *bound, "eproba.web.wsgi:app")
    server = subprocess.Popen(command, env=env, stderr=subprocess.DEVNULL)
    while not answers(f"http://127.0.0.1:{port}"):
        time.sleep(0.1)
    time.sleep(WARM)
    try:
        yield port, server.pid
    finally:
        server.terminate()
        server.wait()


def memory(master: int) -> float:
    """Megabytes that the workers hold for themselves alone."""
    children = Path(f"/proc/{master}/task/{master}/children").read_text().split()
    kept = [Path(f"/proc/{pid}/smaps_rollup").read_text() for pid in children]
    return sum(int(n) for text in kept for n in re.findall(r"^Private_\w+:\s+(\d+)", text, re.M)) / 1024


def told(name: str, times: list[float]) -> str:
    cuts = quantiles(times, n=20)
    return f"{name:24}{len(times):8}{cuts[9]:10.0f}{cuts[18]:10.0f}{max(times):10.0f}"


def main() -> None:
    with garden() as (url, readings), served(url) as (port, master):
        print(f"{GARDENERS} gardeners, {SECONDS:.0f} s, {TRIALS} trials, {readings} readings")
        until = time.monotonic() + SECONDS
        crowd = [Gardener(number, port, until) for number in range(GARDENERS)]
        for each in crowd:
            each.start()
        seen = []
        with psycopg.connect(url, autocommit=True) as admin:
            while any(each.is_alive() for each in crowd):
                time.sleep(3)
                query = "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database()"
                seen.append((admin.execute(query).fetchone()[0] - 1, memory(master)))
        pages, saves = ([t for each in crowd for t in getattr(each, kind)] for kind in ("pages", "saves"))
        print(f"{'ms':24}{'number':>8}{'p50':>10}{'p95':>10}{'most':>10}")
        print(told("pages", pages))
        print(told("saves", saves))
        for kind in crowd[0].kinds:
            print(told(kind, [t for each in crowd for t in each.kinds.get(kind, ())]))
        errors = [error for each in crowd for error in each.errors]
        print(f"{(len(pages) + len(saves)) / SECONDS:.0f} requests a second, {len(errors)} errors {errors[:3]}")
        print("connections " + " ".join(str(count) for count, _ in seen))
        print("memory, MB  " + " ".join(f"{size:.0f}" for _, size in seen))


if __name__ == "__main__":
    main()
