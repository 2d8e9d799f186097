"""A rehearsal from its first day to its last, and what it comes to."""

import os
from collections import Counter
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from statistics import quantiles

import psycopg
from psycopg import sql

from eproba.rehearsal.household import Break, Follower
from eproba.rehearsal.laws import LAWS, at_the_end, fewest, watch_morning
from eproba.rehearsal.temper import Temper
from eproba.store.commands.feeds import new_feed
from eproba.store.server import named
from eproba.store.upgrading import migrate
from eproba.web.app import create_app
from eproba.web.settings import Settings

FIRST = date(2026, 2, 2)
FEED = "rehearsal"


@dataclass(frozen=True)
class Outcome:
    """`lines` of each morning; `started` batches and the `fewest` that would do, by recipe; all `breaks`."""

    temper: Temper
    days: int
    lines: tuple[int, ...]
    batches: dict[str, tuple[int, int]]
    breaks: tuple[Break, ...]

    @property
    def median(self) -> float:
        return sorted(self.lines)[len(self.lines) // 2]

    @property
    def p95(self) -> float:
        return quantiles(self.lines, n=20)[18] if len(self.lines) > 1 else float(self.lines[0])

    @property
    def started(self) -> int:
        return sum(count for count, _ in self.batches.values())

    @property
    def fewest(self) -> int:
        return sum(count for _, count in self.batches.values())


def rehearse(days: int, temper: Temper, url: str, first: date = FIRST) -> Outcome:
    """Live through so many days from the first one on, on a database that is empty."""
    migrate(url)
    app = create_app(Settings(url, demo=True))
    app.config["WTF_CSRF_ENABLED"] = False
    household = Follower(app, temper, first)
    with household.session() as session:
        new_feed(session, FEED, datetime.now(UTC), None)
        session.commit()
    for number in range(days):
        household.live_through(
            first + timedelta(days=number), lambda lines: watch_morning(household, lines, f"/feeds/{FEED}.ics")
        )
        _cleared(household)
    at_the_end(household)
    diary = household.diary
    outcome = Outcome(temper, days, tuple(diary.lines), fewest(household), tuple(diary.breaks))
    app.extensions["engine"].dispose()
    return outcome


def _cleared(household: Follower) -> None:
    """Law 8, in the evening of a day on which everything was done."""
    if household.temper.careless:
        return
    for line in household.lines():
        if household.is_due(line):
            household.broke(8, f"“{line.words}” still stands in the evening")


def with_database(url: str, days: int, temper: Temper, first: date = FIRST) -> Outcome:
    """On a database of its own on a server, that is gone afterwards."""
    name = f"eproba_rehearsal_{os.getpid()}"
    with psycopg.connect(named(url, "postgres"), autocommit=True) as admin:
        admin.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(name)))
        admin.execute(sql.SQL("CREATE DATABASE {} TEMPLATE template0").format(sql.Identifier(name)))
        try:
            return rehearse(days, temper, named(url, name), first)
        finally:
            admin.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(name)))


def in_words(outcome: Outcome) -> str:
    """What a rehearsal came to, as a person reads it."""
    t = outcome.temper
    head = f"{outcome.days} days, brews {t.warmth}, careless {t.careless:g}, seed {t.seed}"
    lines = f"lines a morning: median {outcome.median:g}, 95 of 100 up to {outcome.p95:g}"
    brews = f"batches started: {outcome.started}; the fewest that would do: {outcome.fewest}"
    by_law = Counter(broken.law for broken in outcome.breaks)
    of_recipe = [f"  {key}: {few} would do, {count} started" for key, (count, few) in outcome.batches.items()]
    laws = [f"  law {law} ({LAWS[law]}): {count} times" for law, count in sorted(by_law.items())]
    named_breaks = [f"  day {broken.day}, law {broken.law}: {broken.what}" for broken in outcome.breaks]
    return "\n".join([head, lines, brews, *of_recipe, f"breaks: {len(outcome.breaks)}", *laws, *named_breaks])


def as_entry(outcome: Outcome) -> dict[str, object]:
    """The same for programs."""
    t = outcome.temper
    return {
        "days": outcome.days, "seed": t.seed, "warmth": t.warmth, "careless": t.careless,
        "lines": {"median": outcome.median, "p95": outcome.p95, "each": list(outcome.lines)},
        "batches": {"started": outcome.started, "fewest": outcome.fewest,
                    "by_recipe": {key: list(counts) for key, counts in outcome.batches.items()}},
        "breaks": [{"law": b.law, "day": b.day, "what": b.what} for b in outcome.breaks],
    }  # fmt: skip
