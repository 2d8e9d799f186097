"""The list of a day: what to do, what to choose, what to know; one list for pages, calendar files and feeds.

Every line can be cleared: by doing it, by ticking it, by choosing, or by the end of its day where it only tells.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from itertools import groupby
from typing import Literal

from eproba.core.applying.at_the_pour import Counsel
from eproba.core.applying.catching_up import CatchUp
from eproba.core.applying.due import Due
from eproba.core.applying.errands import Job, half_litres
from eproba.core.quantities import METRIC, Amount, Units
from eproba.core.trial.compared import COMPARED
from eproba.core.trial.hours import at_clock
from eproba.core.trial.model import Asked
from eproba.core.words import count_words, day_words, listed, lower_first

Sort = Literal["do", "choose", "know"]
SORTS: tuple[Sort, ...] = ("choose", "know", "do")
WayTo = Literal["forward", "poured", "skipped", "measure", "leave out", "go", "move", "skip", "recipe"]
ENOUGH_WATER = 0.25  # litres: so much more is no reason to fetch the can again


@dataclass(frozen=True)
class Choice:
    """One way out of what can’t be as planned; `on`: the day it leads to, `day` the planned one that moves there."""

    to: WayTo
    words: str
    on: date | None = None
    day: int | None = None


@dataclass(frozen=True)
class DayLine:
    """One line of a day’s list. `key` names it however its day moves; `at` where it has an hour; `due` and `jobs` what
    it stands for; `ways` what can be chosen, the best first."""

    sort: Sort
    key: str
    on: date
    words: str
    at: datetime | None = None
    minutes: float = 0.0
    more: str = ""
    trials: tuple[str, ...] = ()
    due: tuple[Due, ...] = ()
    jobs: tuple[Job, ...] = ()
    ways: tuple[Choice, ...] = ()

    @property
    def trial_ids(self) -> frozenset[int]:
        """The trials that it is for."""
        pours = [pour.trial_id for job in self.jobs for pour in (*job.serves, *job.late)]
        return frozenset([*pours, *(due.trial_id for due in self.due)])

    @property
    def kind_of_job(self) -> str:
        """Which errand it is; empty for what is no errand."""
        return self.jobs[0].kind if self.jobs else ""

    @property
    def kind(self) -> str:
        """What kind of work it is, as a calendar draws it."""
        return self.due[0].kind if self.due else "brew"


def lines(
    today: date,
    waiting: Sequence[Due],
    jobs: Sequence[Job],
    asked: Mapping[int, Sequence[Asked]],
    ticked: Mapping[str, float],
    ways_out: Mapping[int, CatchUp],
    counsel: Sequence[tuple[Counsel, str]] = (),
    units: Units = METRIC,
) -> list[DayLine]:
    """All lines from today on, by day, the first of each day first.

    `asked` by trial; `ticked` litres (or 0) by errand; `ways_out` by trial where pours can’t be on their days;
    `counsel` what speaks for or against today’s pours, each with its trial.
    """
    begun = {job.key.replace(job.kind, "stand", 1) for job in jobs if job.kind == "start" and job.at.date() <= today}
    open_jobs = [job for job in jobs if not _is_ticked(job, ticked) and job.key not in begun]
    listed_lines = [
        *_overdue(today, [due for due in waiting if due.on < today], ways_out),
        *_comes_late(today, [job for job in open_jobs if job.kind == "late"], waiting, ways_out),
        *(_of_due(due, asked.get(due.trial_id, ())) for due in waiting if due.on >= today),
        *_of_jobs(today, [job for job in open_jobs if job.kind != "late"], units),
        *_to_know(today, counsel),
    ]
    return sorted(listed_lines, key=lambda line: (line.on, SORTS.index(line.sort), _place(line), line.key))


def _place(line: DayLine) -> tuple[int, float]:
    """Rounds first, since a pour changes what they read; then brews by their hours; then what is poured of them."""
    kinds = ("round", "brew", "pour")
    return kinds.index(line.kind), line.at.timestamp() if line.at is not None else 0.0


def _is_ticked(job: Job, ticked: Mapping[str, float]) -> bool:
    """Whether it is done: water only if as much was set out as it needs by now."""
    return job.key in ticked and (job.kind != "stand" or job.litres <= ticked[job.key] + ENOUGH_WATER)


def _of_due(due: Due, asked: Sequence[Asked]) -> DayLine:
    words, at = f"{due.words}: {due.trial_name}", at_clock(due.time, due.on)
    return DayLine("do", due.uid, due.on, words, at, due.minutes(asked), trials=(due.trial_name,), due=(due,))


def _overdue(today: date, late: Sequence[Due], ways_out: Mapping[int, CatchUp]) -> list[DayLine]:
    """One line a trial for all whose day is over."""
    of_trial: dict[int, list[Due]] = {}
    for due in late:
        of_trial.setdefault(due.trial_id, []).append(due)
    return [_choice(today, waiting, ways_out.get(trial_id)) for trial_id, waiting in of_trial.items()]


def _choice(today: date, waiting: Sequence[Due], way_out: CatchUp | None) -> DayLine:
    pours, rounds = ([due for due in waiting if due.kind == kind] for kind in ("pour", "round"))
    first = waiting[0]
    ways = [*_ways_for_pours(pours, way_out, today), *_ways_for_rounds(rounds)]
    what = f"{first.words.lower()}," if len(waiting) == 1 else f"{count_words(len(waiting))} jobs"
    words = f"{what[:1].upper()}{what[1:]} overdue since {day_words(first.on)}: {first.trial_name}"
    return DayLine(
        "choose", f"choose-{first.trial_id}", today, words, trials=(first.trial_name,), due=tuple(waiting),
        ways=tuple(ways),
    )  # fmt: skip


def _ways_for_pours(pours: Sequence[Due], way_out: CatchUp | None, today: date) -> list[Choice]:
    if not pours or way_out is None:
        return []
    spoken, all_of_them = COMPARED[pours[0].compared], "It was" if len(pours) == 1 else "All were"
    forward, left_out = forward_words(pours, way_out, today), f"{all_of_them} left out"
    return [
        Choice("forward", forward),
        Choice("poured", f"{all_of_them} {spoken.done} as planned"),
        Choice("skipped", left_out),
    ]


def forward_words(pours: Sequence[Due], way_out: CatchUp, today: date) -> str:
    """The first way out in words: “Skip these two, pour today”."""
    verb = "pour" if pours[0].compared == "drench" else "do"
    day_0 = pours[0].on.toordinal() - pours[0].day
    when = None if way_out.to is None else date.fromordinal(day_0 + way_out.to)
    goes = "" if when is None else "today" if when == today else f"on {day_words(when)}"
    if way_out.moved is None:
        noun = COMPARED[pours[0].compared].noun
        skip = f"Skip the {noun}" if len(pours) == 1 else f"Skip these {count_words(len(pours))}"
        if not goes:
            return f"{skip}: no other is planned"
        return f"{skip}, {verb} {'' if verb == 'pour' else 'the next '}{goes}"
    if not way_out.skipped:
        return f"{verb.capitalize()} it {goes}"
    fewer = "the first" if len(way_out.skipped) == 1 else f"the first {count_words(len(way_out.skipped))}"
    return f"Skip {fewer}, {verb} the last {goes}"


def _ways_for_rounds(rounds: Sequence[Due]) -> list[Choice]:
    """The latest is measured now, since the days of those before it are gone; the last round is never left out."""
    if not rounds:
        return []
    latest, open_ones = rounds[-1], [due for due in rounds if not due.last]
    missed = "" if len(rounds) == 1 else ", and miss those before it"
    ways = [Choice("measure", f"Measure the {lower_first(latest.words)} now{missed}")]
    left = lower_first(open_ones[0].words) if len(open_ones) == 1 else f"{count_words(len(open_ones))} rounds"
    return [*ways, Choice("leave out", f"Leave out the {left}")] if open_ones else ways


def _comes_late(
    today: date, late: Sequence[Job], waiting: Sequence[Due], ways_out: Mapping[int, CatchUp]
) -> list[DayLine]:
    """One line a trial whose pour no brew can meet; a trial that has pours overdue chooses about those first."""
    overdue = {due.trial_id for due in waiting if due.on < today and due.kind == "pour"}
    of_trial: dict[int, Job] = {}
    for job in sorted(late, key=lambda job: job.late[0].at):
        of_trial.setdefault(job.late[0].trial_id, job)
    return [
        _late_line(today, job, ways_out.get(trial_id)) for trial_id, job in of_trial.items() if trial_id not in overdue
    ]


def _late_line(today: date, job: Job, way_out: CatchUp | None) -> DayLine:
    """What can be done where no brew meets a pour: it moves to the day that its recipe allows, if there is one."""
    one, title = len(job.late) == 1, "" if job.recipe is None else lower_first(job.recipe.title)
    which = "the pour" if one else "the first"
    go = "Open the batch" if job.batch_id is not None else "Start it now"
    moves = [] if way_out is None or way_out.moved is None or way_out.to is None else [_moved(job, way_out.to)]
    skip = Choice("skip", "Skip it" if one else f"Skip {which}")
    ways = (Choice("go", go), *moves, skip, Choice("recipe", "Another recipe"))
    trials = tuple(dict.fromkeys(pour.trial for pour in job.late))
    key = f"choose-{job.late[0].trial_id}"
    words = f"{job.words}: {f'the {title} is not' if job.batch_id is not None else f'no {title} is'} ready"
    return DayLine("choose", key, today, words, None, job.minutes, job.more, trials, jobs=(job,), ways=ways)


def _moved(job: Job, to: int) -> Choice:
    """The last of the pours that come late moves: those before it lie closer to others."""
    pour = max(job.late, key=lambda pour: pour.day)
    on = pour.at.date() + timedelta(days=to - pour.day)
    which = "the pour" if len(job.late) == 1 else "the last"
    return Choice("move", f"Move {which} to {day_words(on)}", on, pour.day)


def _of_jobs(today: date, jobs: Sequence[Job], units: Units) -> list[DayLine]:
    """Each errand on its day; what should have been done before today stands on today. Stirrings of a day are one line,
    and so is its water."""
    dated = sorted(((_day_of(job, today), job) for job in jobs), key=lambda dated: (dated[0], dated[1].kind))
    gathered: list[DayLine] = []
    for (on, kind), together in groupby(dated, key=lambda dated: (dated[0], dated[1].kind)):
        same = [job for _, job in together]
        if kind == "stir":
            gathered.append(_stirring(on, same))
        elif kind == "stand":
            gathered.append(_water(on, same, units))
        elif kind == "water":
            of_trial = {job.serves[0].trial_id: job for job in same}
            gathered += [_of_job(on, job, job.words) for job in of_trial.values()]
        else:
            gathered += [_of_job(on, job, _told_apart(job, same)) for job in same]
    return gathered


def _told_apart(job: Job, together: Sequence[Job]) -> str:
    """The words of an errand, with the number of its batch where two brews have one name."""
    alike = sum(other.words == job.words for other in together) > 1 and job.batch_id is not None
    return f"{job.words} (batch {job.batch_id})" if alike else job.words


def _day_of(job: Job, today: date) -> date:
    return max(today, job.at.date())


def _of_job(on: date, job: Job, words: str) -> DayLine:
    sort: Sort = "know" if job.kind == "use by" else "do"
    return DayLine(sort, job.key, on, words, job.at, job.minutes, job.more, _trials([job]), jobs=(job,))


def _trials(jobs: Iterable[Job]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(pour.trial for job in jobs for pour in job.serves))


def _stirring(on: date, jobs: Sequence[Job]) -> DayLine:
    """One line for all that is stirred on a day."""
    brews = list({job.key.split("-", 2)[2]: job for job in jobs}.values())  # twice a day is one line too
    named = listed(list(dict.fromkeys(job.words.removeprefix("Stir ") for job in brews)))
    minutes = sum(job.minutes for job in brews)
    at = min(job.at for job in jobs)
    return DayLine("do", f"stir-{on:%Y%m%d}", on, f"Stir {named}", at, minutes, "", _trials(jobs), jobs=tuple(jobs))


def _water(on: date, jobs: Sequence[Job], units: Units) -> DayLine:
    """All water that is set out on a day, in half litres, as a can is filled."""
    litres = units(Amount(half_litres(sum(job.litres for job in jobs)), "L"))
    parts = [
        f"{units(Amount(job.litres, 'L'))} for {lower_first(job.recipe.title)}" if job.recipe else lower_first(job.more)
        for job in jobs
    ]
    more = listed([part.rstrip(".") for part in parts])
    first = min(jobs, key=lambda job: job.key)
    text = f"{more[:1].upper()}{more[1:]}."
    at = min(job.at for job in jobs)
    minutes = max(job.minutes for job in jobs)
    return DayLine("do", first.key, on, f"Set {litres} of water out to stand", at, minutes, text, _trials(jobs),
                jobs=tuple(jobs))  # fmt: skip


def _to_know(today: date, counsel: Sequence[tuple[Counsel, str]]) -> list[DayLine]:
    """What the weather has to do with today’s pours, once for all trials that it is told of."""
    of_text: dict[str, list[str]] = {}
    for advice, trial in counsel:
        of_text.setdefault(advice.text, []).append(trial)
    return [
        DayLine("know", f"know-{today:%Y%m%d}-{n}", today, text, trials=tuple(dict.fromkeys(trials)))
        for n, (text, trials) in enumerate(of_text.items(), 1)
    ]


def only_of(trial_id: int, every: Iterable[DayLine]) -> list[DayLine]:
    """The lines of one trial, each with what of it is the trial’s own."""
    return [
        replace(line, due=tuple(due for due in line.due if due.trial_id == trial_id))
        for line in every
        if trial_id in line.trial_ids
    ]
