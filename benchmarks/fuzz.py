"""Ten thousand odd requests to a demo garden, and every way to damage a package: how many answers are faults of ours.

Forms get odd values, addresses odd numbers, `/entries` odd JSON; of a package each column of each table gets odd
values, parts are cut, left out and doubled. Told: how many of each, which statuses, and every answer of 500 or more.
"""

import csv
import io
import os
import random
import time
import zipfile
from collections import Counter
from collections.abc import Iterator

from sqlmodel import Session

from eproba.store.database import engine_for
from eproba.store.demo import make_demo
from eproba.store.server import connected, create, drop, named
from eproba.store.upgrading import migrate
from eproba.web.app import create_app
from eproba.web.settings import Settings
from tests.conftest import Client, Clock
from tests.databases import TODAY
from tests.web.entries import op, till
from tests.web.test_fuzz import FILES, ODD, Garden

REQUESTS = 10_000
ODD_CELLS = ["", "x", "-1", "1e308", "9" * 30, "NaN", "2026-13-01", "0001-01-01", "{}", "[null]", "\ud800x", "'=1", "Z"]
NAME = "eproba_fuzz"


class Faults:
    """What came back, and what should never."""

    def __init__(self) -> None:
        self.statuses: Counter[int] = Counter()
        self.faults: list[str] = []

    def see(self, what: str, status: int) -> None:
        self.statuses[status] += 1
        if status >= 500:
            self.faults.append(f"{status} {what}")


def odd_requests(garden: Garden, client: Client, faults: Faults, chance: random.Random) -> None:
    """Forms, addresses and entries by turns."""
    entry = op(till(client, "/trials/2/rounds/9"), 1, "H1", "5")
    for number in range(REQUESTS):
        kind = number % 4
        if kind == 0:
            address = chance.choice(garden.pages).split("?")[0]
            parts = [chance.choice(["0", "99999", str(2**31), str(2**63), "x", "%00", "²"]) if part.isdigit() else part
                     for part in address.split("/")]  # fmt: skip
            query = {chance.choice(["round", "page", "find", "unit", "litres"]): chance.choice(ODD)}
            answer = garden.client.get("/".join(parts), query_string=query, base_url="http://localhost")
            faults.see(f"GET {'/'.join(parts)} {query}", answer.status_code)
        elif kind == 1:
            changed = {name: chance.choice(ODD) for name in chance.sample(sorted(entry), 3)}
            answer = garden.client.post("/entries", json={"entries": [entry | changed]}, base_url="http://localhost")
            faults.see(f"POST /entries {changed}", answer.status_code)
        else:
            form = chance.choice(garden.forms)
            names = [*form[2], "go", "next", "seen"]
            changed = {name: chance.choice(ODD) for name in chance.sample(names, min(3, len(names)))}
            status = garden.send(form, changed, chance.choice(FILES)).status_code
            faults.see(f"{form[1]} {form[0]} {str(changed)[:200]}", status)


def damaged(package: bytes, chance: random.Random) -> Iterator[tuple[str, bytes]]:
    """Every column of every table with odd values; parts cut, left out, doubled; the whole cut and flipped."""
    with zipfile.ZipFile(io.BytesIO(package)) as whole:
        parts = {name: whole.read(name) for name in whole.namelist()}
    for name, content in parts.items():
        rest = {other: text for other, text in parts.items() if other != name}
        yield f"without {name}", _zip(rest)
        yield f"{name} empty", _zip({**rest, name: b""})
        yield f"{name} cut", _zip({**rest, name: content[: len(content) // 2]})
        yield f"{name} no text", _zip({**rest, name: b"\xff\xfe\0" + content[:50]})
        if name.endswith(".csv"):
            rows = list(csv.reader(io.StringIO(content.decode())))
            for column, title in enumerate(rows[0]) if len(rows) > 1 else ():
                value = chance.choice(ODD_CELLS)
                yield f"{name} {title} = {value[:12]!r}", _zip({**rest, name: _with(rows, column, value)})
            if len(rows) > 1:
                yield f"{name} doubled", _zip({**rest, name: _csv([*rows, *rows[1:]])})
                yield f"{name} first row alone", _zip({**rest, name: _csv(rows[:2])})
    for _ in range(40):
        flipped = bytearray(package)
        flipped[chance.randrange(len(flipped))] ^= 1 << chance.randrange(8)
        yield "a bit flipped", bytes(flipped)
        yield "cut", package[: chance.randrange(len(package))]


def _with(rows: list[list[str]], column: int, value: str) -> bytes:
    changed = [[*row[:column], value, *row[column + 1 :]] if number == 1 else row for number, row in enumerate(rows)]
    return _csv(changed)


def _csv(rows: list[list[str]]) -> bytes:
    out = io.StringIO()
    csv.writer(out).writerows(rows)
    return out.getvalue().encode(errors="surrogatepass")


def _zip(parts: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as package:
        for name, content in parts.items():
            package.writestr(name, content)
    return out.getvalue()


def main() -> None:
    url, chance, faults = os.environ["EPROBA_DATABASE_URL"], random.Random(27), Faults()
    with connected(url) as server:
        drop(server, NAME)
        create(server, NAME)
    migrate(named(url, NAME))
    engine = engine_for(named(url, NAME))
    with Session(engine) as session:
        make_demo(session, TODAY)
    app = create_app(Settings(named(url, NAME), "for the benchmark"), Clock())
    started = time.perf_counter()
    package = Client(app).get("/trials/1/package.zip").data
    garden, client = Garden(app), Client(app)
    odd_requests(garden, client, faults, chance)
    print(f"{REQUESTS} odd requests in {time.perf_counter() - started:.0f} s: {dict(sorted(faults.statuses.items()))}")
    seen = sum(faults.statuses.values())
    app.config["WTF_CSRF_ENABLED"] = False
    for what, content in damaged(package, chance):
        client.plain.post("/trials/1/delete", data={"sure": "y"}, base_url="http://localhost")
        form = {"file": (io.BytesIO(content), "x.zip")}
        answer = client.plain.post("/trials/take-in", data=form, base_url="http://localhost")
        faults.see(f"package: {what}", answer.status_code)
        faults.see(f"lists after: {what}", client.get("/trials").status_code)
    count = (sum(faults.statuses.values()) - seen) // 2
    print(f"{count} damaged packages: {dict(sorted(faults.statuses.items()))}")
    print(f"{len(faults.faults)} faults of ours")
    for fault in faults.faults[:40]:
        print(f"  {fault}")


if __name__ == "__main__":
    main()
