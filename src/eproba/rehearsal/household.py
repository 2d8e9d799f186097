"""A household that does what the list of the day says, morning and evening, through the app's own pages."""

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta

from flask import Flask
from sqlmodel import Session

from eproba.core.applying.due import Due
from eproba.core.applying.errands import Job
from eproba.core.applying.morning import DayLine
from eproba.core.applying.schedule import stock_of
from eproba.core.brewing.batches import GONE, state
from eproba.core.brewing.clock import brewed_hours
from eproba.core.brewing.events import Batch, left
from eproba.rehearsal.brews import signs
from eproba.rehearsal.garden import AHEAD, DAYS, SLOTS, lay_down
from eproba.rehearsal.pages import Form, Pages
from eproba.rehearsal.temper import Temper
from eproba.standins.weather import SimulatedStation
from eproba.store.batches import batches
from eproba.store.brewing import brewings
from eproba.store.commands.readings import add_many
from eproba.store.commands.rounds import finish_round
from eproba.store.days import day_list, ways_of
from eproba.store.trials import load_trial
from eproba.web.ui.errands import job_address

MORNING, EVENING = time(8), time(18)
STRAINED = 0.92  # of a brew is left after straining
MOST_DONE = 60  # lines in one visit: more is a ring


@dataclass(frozen=True)
class Break:
    """A law that was broken: its number, the day of the rehearsal, what happened."""

    law: int
    day: int
    what: str


@dataclass
class Diary:
    """What the household knows that it did: what went otherwise than planned, how many lines each morning had."""

    otherwise: set[tuple[str, str, int, int]] = field(default_factory=set)  # what, letter or unit, trial, day
    lines: list[int] = field(default_factory=list)
    breaks: list[Break] = field(default_factory=list)
    trials: list[int] = field(default_factory=list)
    told: dict[str, set[date]] = field(default_factory=dict)  # on which days a line was shown, by its key


class Follower:
    """`app` on a database of its own, with this household's clock."""

    def __init__(self, app: Flask, temper: Temper, first: date) -> None:
        self.app, self.temper, self.first = app, temper, first
        self.now = datetime.combine(first, MORNING).astimezone()
        self.pages, self.diary = Pages(app), Diary()
        self.turns: list[tuple[int, date]] = []
        app.config["CLOCK"] = lambda: self.now

    @property
    def today(self) -> date:
        return self.now.astimezone().date()

    @property
    def day(self) -> int:
        return (self.today - self.first).days

    @contextmanager
    def session(self) -> Iterator[Session]:
        with Session(self.app.extensions["engine"]) as session:
            yield session

    def lines(self) -> list[DayLine]:
        with self.session() as session:
            return day_list(session, self.now, SimulatedStation(), self.today)

    def shelf(self) -> list[Batch]:
        with self.session() as session:
            return batches(session)

    def broke(self, law: int, what: str) -> None:
        self.diary.breaks.append(Break(law, self.day, what))

    def plan_ahead(self) -> None:
        """Lay down the next trial of a slot as soon as the one before it is so far that it follows in time."""
        for slot in range(len(SLOTS)):
            turn, ends = self.turns[slot] if slot < len(self.turns) else (-1, self.today)
            if ends - AHEAD <= self.today:
                start_on = max(ends + timedelta(days=1), self.today + AHEAD)
                with self.session() as session:
                    self.diary.trials.append(
                        lay_down(session, slot, turn + 1, start_on, self.now, self.temper.waters_every)
                    )
                planned = (turn + 1, start_on + timedelta(days=DAYS))
                self.turns[slot : slot + 1] = [planned]

    def live_through(self, on: date, watch: Callable[[list[DayLine]], None]) -> None:
        """One day: the list is read in the morning, `watch` looks at it then, and it is done."""
        self.now = datetime.combine(on, MORNING).astimezone()
        self.plan_ahead()
        morning = self.lines()
        self.diary.lines.append(len(morning))
        for line in morning:
            self.diary.told.setdefault(line.key, set()).add(on)
        watch(morning)
        if self.temper.is_away(self.day):
            return
        for hour in (MORNING, EVENING):
            self.now = datetime.combine(on, hour).astimezone()
            if not self.temper.slips(f"busy at {hour}", on):
                self.visit()

    def is_due(self, line: DayLine) -> bool:
        """Whether a line is done at this hour; pours are for the evening."""
        if line.sort == "know":
            return False
        if line.due and line.due[0].kind == "pour" and line.sort == "do":
            return self.now.astimezone().time() >= EVENING
        return line.at is None or line.at <= self.now

    def visit(self) -> None:
        """Do what is due, line by line, until nothing is."""
        left_alone: set[str] = set()
        for _ in range(MOST_DONE):
            line = next((line for line in self.lines() if self.is_due(line) and line.key not in left_alone), None)
            if line is None:
                return
            if line.sort == "do" and self.temper.slips(line.key, self.today, 0.3):
                left_alone.add(line.key)
                continue
            said = self.do(line)
            if said:
                self.broke(3, f"“{line.words}” could not be done: {said}")
                left_alone.add(line.key)
            elif any(self.is_due(again) and _same(again, line) for again in self.lines()):
                self.broke(1, f"“{line.words}” was done and is asked again")
                left_alone.add(line.key)
        self.broke(8, "the list has no end")

    def do(self, line: DayLine) -> str:
        """Do one line; what is in the way, empty where nothing is."""
        if line.sort == "choose":
            return self.choose(line)
        if line.due:
            return self.do_due(line.due[0])
        job = line.jobs[0]
        if job.kind in ("stand", "stir", "water"):
            return self.pages.post("/done", {"line": line.key})
        return self.do_job(job)

    def choose(self, line: DayLine) -> str:
        """The first way out, as it is offered."""
        way = line.ways[0].to
        if way == "measure":
            return self.do_due([due for due in line.due if due.kind == "round"][-1])
        if way == "forward":
            trial_id = line.due[0].trial_id
            self.skips(trial_id)
            return self.pages.post(f"/trials/{trial_id}/pours/overdue", {"go": "forward"})
        job = line.jobs[0]
        if job.batch_id is None:
            return self.do_job(job)
        return self.put_off(line, job)

    def put_off(self, line: DayLine, job: Job) -> str:
        """Move a pour whose brew is not ready, or skip it where its recipe leaves no day."""
        pour, move = job.late[0], next((way for way in line.ways if way.to == "move"), None)
        path = f"/trials/{pour.trial_id}/pours/{pour.day}"
        if move is not None and move.on is not None:
            path = f"/trials/{pour.trial_id}/pours/{move.day}/move"
            return self.pages.fill_in(path, to=move.on.isoformat(), reason="its brew was not ready")
        fields = Form(self.pages.get(path)).fields
        rows = [name.removeprefix("status-") for name in fields if name.startswith("status-")]
        with self.session() as session:
            trial = load_trial(session, pour.trial_id)
        for due in trial.pours if trial is not None else ():
            if due.day == pour.day and due.status == "due":
                self.diary.otherwise.add(("skipped", due.letter, pour.trial_id, due.day))
        skipped = {
            f"{name}-{row}": value for row in rows for name, value in (("status", "skipped"), ("note", "no brew"))
        }
        return self.pages.post(path, {**fields, **skipped})

    def skips(self, trial_id: int) -> None:
        """Note down what the first way out leaves out."""
        with self.session() as session:
            way = ways_of(session, {trial_id: self.today}, self.now, batches(session))[trial_id]
            trial = load_trial(session, trial_id)
        if trial is not None:
            for pour in trial.pours:
                if pour.day in way.skipped and pour.status == "due":
                    self.diary.otherwise.add(("skipped", pour.letter, trial_id, pour.day))

    def do_due(self, due: Due) -> str:
        if due.kind == "round":
            return self.read(due)
        path, changed = f"/trials/{due.trial_id}/pours/{due.day}", {}
        if self.temper.slips(f"litres {due.uid}", self.today, 0.5):
            changed = self.spill(due)
        fields = Form(page := self.pages.get(path)).fields
        if "None of it is on the shelf" in page or any(name[:6] == "batch-" and not fields[name] for name in fields):
            self.without_a_brew(due, fields)
        return self.pages.post(path, {**fields, "heard": "1", **changed})

    def without_a_brew(self, due: Due, fields: Mapping[str, str]) -> None:
        """A pour whose page proposes no brew: who follows the list never comes there."""
        if not self.temper.careless:
            self.broke(3, f"no brew was proposed for “{due.words}” of {due.trial_name}")

    def spill(self, due: Due) -> dict[str, str]:
        """One unit gets half of what it should."""
        with self.session() as session:
            trial = load_trial(session, due.trial_id)
        if trial is None or due.compared != "drench":
            return {}
        pour = next(p for p in trial.pours if p.day == due.day and p.status == "due" and p.letter != trial.control)
        code = next(unit.code for unit in trial.units if unit.letter == pour.letter)
        self.diary.otherwise.add(("short", code, due.trial_id, due.day))
        return {f"exceptions-{pour.id}": f"{code} 100", f"note-{pour.id}": "spilled"}

    def read(self, due: Due) -> str:
        """Read every unit, and close the round."""
        with self.session() as session:
            trial = load_trial(session, due.trial_id)
            if trial is None or due.round_id is None:
                return "no such round"
            rows = [
                {
                    "round_id": due.round_id, "unit_id": unit.id, "measure_key": trial.asked[0].measure.key,
                    "replicate": 1, "value": 20.0 + n + due.day, "typed": f"{20 + n + due.day}", "by": "",
                    "at": self.now, "read_at": self.now, "source": "till", "client_id": f"{due.uid}-{unit.code}",
                }
                for n, unit in enumerate(trial.units)
            ]  # fmt: skip
            add_many(session, trial.id, rows, self.now)
            finish_round(session, trial.id, due.round_id, self.now)
            session.commit()
        return ""

    def do_job(self, job: Job) -> str:
        if job.batch_id is None:
            return self.start(job)
        batch = next(batch for batch in self.shelf() if batch.id == job.batch_id)
        warm, happened = f"{self.temper.degrees(batch.recipe):g}", f"/batches/{batch.id}/happened"
        if job.kind == "mix":
            return self.pages.post(happened, {"what": "mixed", "temperature": warm})
        if job.kind == "strain":
            return self.pages.post(happened, {"what": "strained", "litres": f"{STRAINED * left(batch):.3f}"})
        if job.kind == "throw away":
            return self.pages.post(f"/batches/{batch.id}/thrown", {"throw-reason": "spoiled"})
        seen = signs(self.temper, batch, brewed_hours(batch, self.now))
        return self.pages.post(f"/batches/{batch.id}", {"temperature": warm, **seen})

    def start(self, job: Job) -> str:
        """Begin a brew where the list leads; nobody begins one that a brew under way would cover."""
        if job.recipe is None:
            return "there is no recipe"
        wanted = job.serves[0].at
        idle = [batch for batch in self.shelf() if batch.recipe.key == job.recipe.key and self._is_idle(batch, wanted)]
        if idle:
            self.broke(2, f"“{job.words}”, and {idle[0].title} (batch {idle[0].id}) serves nothing")
        with self.app.test_request_context():
            address = job_address(job)
        warm = f"{self.temper.degrees(job.recipe):g}"
        return self.pages.fill_in(address, start="now", temperature=warm, water="rain")

    def _is_idle(self, batch: Batch, wanted: datetime) -> bool:
        """Whether a brew would do for a pour, nothing was taken from it, and it is kept for no other."""
        with self.session() as session:
            serves, _ = brewings(session, self.now)
        gone = state(batch, self.now) in (*GONE, "throw away")
        stock = stock_of(batch, self.now)
        would_do = stock is not None and (stock.until is None or stock.until >= wanted)
        return would_do and not gone and batch.id not in serves and batch.last("taken from") is None


def _same(one: DayLine, other: DayLine) -> bool:
    """Whether two lines ask for the same: what of several things is done no longer stands in a line."""
    return (one.key, one.due, [job.batch_id for job in one.jobs]) == (
        other.key,
        other.due,
        [job.batch_id for job in other.jobs],
    )
