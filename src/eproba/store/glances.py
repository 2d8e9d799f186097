"""Glances over all trials: what is due, what was found, without fetching any trial whole."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cache
from typing import Any

from sqlalchemy import (
    ColumnElement,
    Integer,
    Row,
    ScalarSelect,
    Select,
    and_,
    bindparam,
    cast,
    distinct,
    func,
    or_,
    select,
)
from sqlalchemy.dialects.postgresql import ARRAY
from sqlmodel import Session, col

from eproba.core.applying.due import Due
from eproba.core.errors import EprobaError
from eproba.core.measuring.measures import Measure
from eproba.core.trial.claim import Asking, as_declared, compared_names, own_words
from eproba.core.trial.ground import UNIT, UnitKind, unit_noun
from eproba.core.trial.model import Asked, Role
from eproba.core.trial.stage import Stage, is_sealed, stage_of
from eproba.core.trial.worth import Worth, shown_worth
from eproba.store.database import once
from eproba.store.mapping import asked_from, round_time
from eproba.store.measures import all_measures
from eproba.store.tables import FindingRow, PourRow, RoundRow, TreatmentRow, TrialMeasureRow, TrialRow, UnitRow

MOST_OF_ONE = 2000  # that is due in one trial
UNREADABLE = (
    "This trial can’t be read: parts of it don’t fit together. Restore a backup of before, or delete it on its page."
)


@dataclass(frozen=True)
class Glance:
    """One trial in a list; `units`: how many, by what they are called."""

    id: int
    name: str
    claim: str
    own_words: str
    start_on: date
    decision_on: date
    stage: Stage
    units: str
    treatments: tuple[tuple[str, str, Role], ...]
    readings_in: int
    rounds: int
    finding: tuple[dict[str, str], ...] | None
    crops: tuple[str, ...] = ()
    garden: str = ""

    @property
    def unjudged(self) -> bool:
        """The envelope is open, and nothing is kept of what was in it."""
        return self.finding is None and not is_sealed(self.stage)


def due_by(session: Session, on: date, limit: int = 60, trial_id: int | None = None) -> list[Due]:
    """Rounds and pours that are due by that day in trials that run, the oldest first."""
    if trial_id is None:
        return _due(session, {"on": on, "most": limit})
    all_waiting = {"on": date.max, "most": MOST_OF_ONE, "trial_id": trial_id}
    of_trial = once(session, ("due", trial_id), lambda: _due(session, all_waiting))
    return [due for due in of_trial if due.on <= on]


def _due(session: Session, asked: Mapping[str, object]) -> list[Due]:
    rounds, pours = (statement("trial_id" in asked) for statement in (_due_rounds, _due_pours))
    connection = session.connection()
    waiting = [
        Due(
            "round",
            t,
            name,
            rid,
            day,
            when,
            "",
            n,
            pull=pull,
            time=round_time(*hour),
            last=last,
            noun=unit_noun(kinds or ()),
        )
        for t, name, rid, day, when, n, pull, last, kinds, *hour in connection.execute(rounds, asked)
    ]
    waiting += [
        Due("pour", t, name, None, day, when, "".join(sorted(set(ls))), n, k, pour_id=first, compared=compared)
        for t, name, day, when, ls, n, k, first, compared in connection.execute(pours, asked)
    ]
    return sorted(waiting, key=lambda due: (due.on, due.trial_id, due.kind == "pour"))


# A statement is made once: to make one takes as long as PostgreSQL takes to answer it.


@cache
def _due_rounds(of_one: bool) -> Select:
    when = col(TrialRow.start_on) + cast(col(RoundRow.day), Integer)
    return (
        select(
            col(TrialRow.id), col(TrialRow.name), col(RoundRow.id), col(RoundRow.day), when.label("on"), _alive(),
            col(RoundRow.pull), col(RoundRow.day) >= col(TrialRow.decision_day), _kinds(), col(RoundRow.at),
            col(RoundRow.after_hours), col(RoundRow.within),
        )
        .join(RoundRow, col(RoundRow.trial_id) == col(TrialRow.id))
        .where(*_running(of_one), col(RoundRow.done).is_(False), col(RoundRow.missed).is_(False))
        .where(when <= bindparam("on"))
        .order_by(when, col(TrialRow.id))
        .limit(bindparam("most"))
    )  # fmt: skip


@cache
def _due_pours(of_one: bool) -> Select:
    when = col(TrialRow.start_on) + cast(col(PourRow.day), Integer)
    letters = func.string_agg(col(PourRow.letter), "")
    return (
        select(
            col(TrialRow.id), col(TrialRow.name), col(PourRow.day), when.label("on"), letters, _alive(),
            _counted(TreatmentRow), func.min(col(PourRow.id)), col(TrialRow.compared),
        )
        .join(PourRow, col(PourRow.trial_id) == col(TrialRow.id))
        .where(*_running(of_one), col(PourRow.status) == "due", when <= bindparam("on"))
        .group_by(col(TrialRow.id), col(PourRow.day))
        .order_by(when, col(TrialRow.id))
        .limit(bindparam("most"))
    )  # fmt: skip


def _running(of_one: bool) -> tuple[ColumnElement[bool], ...]:
    return (goes_on(), col(TrialRow.id) == bindparam("trial_id")) if of_one else (goes_on(),)


def goes_on() -> ColumnElement[bool]:
    """Neither ended early nor closed by its last round: rounds and pours can be due."""
    return and_(col(TrialRow.ended_on).is_(None), col(TrialRow.closed_at).is_(None))


def asked_of(session: Session, ids: Collection[int]) -> dict[int, list[Asked]]:
    """What each trial asks, in which of its rounds."""
    known = all_measures(session)
    asked_by_trial: dict[int, list[Asked]] = {number: [] for number in ids}
    rows = session.exec(select(TrialMeasureRow).where(col(TrialMeasureRow.trial_id).in_(ids)))  # type: ignore[call-overload]
    for row in rows.scalars():
        asked_by_trial[row.trial_id].append(asked_from(row, known))
    return asked_by_trial


def glances(session: Session, today: date, words: str = "", limit: int = 60, skip: int = 0) -> list[Glance]:
    """Trials, the running ones first, then planned, then finished by their end."""
    pattern = "%" + words.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
    asked = {"today": today, "most": limit, "skip": skip, "pattern": pattern}
    rows = session.connection().execute(_list(bool(words)), asked).all()
    treatments, measures = _treatments(session, [row.id for row in rows]), _first_measures(session, rows)
    return [_glance_or_mark(row, today, treatments.get(row.id, []), measures) for row in rows]


@cache
def _list(as_list: bool) -> Select:
    decision = col(TrialRow.start_on) + cast(col(TrialRow.decision_day), Integer)
    closed = and_(decision <= bindparam("today"), col(TrialRow.closed_at).is_not(None))
    over = or_(col(TrialRow.ended_on).is_not(None), closed)
    planned = and_(col(TrialRow.start_on) > bindparam("today"), col(TrialRow.started_on).is_(None))
    order = (over, planned, decision.desc(), col(TrialRow.id))
    # Only numbers are put in order; the rest is fetched for those that are shown.
    place = func.row_number().over(order_by=order).label("place")
    page = select(col(TrialRow.id), place).order_by(*order).limit(bindparam("most")).offset(bindparam("skip"))
    if as_list:
        texts = (TrialRow.name, TrialRow.claim, TrialRow.garden)
        page = page.where(or_(*(col(text).ilike(bindparam("pattern")) for text in texts)))
    shown = page.subquery()
    t = TrialRow
    facts = (
        t.id, t.name, t.claim, t.start_on, t.decision_day, t.ended_on, t.started_on, t.closed_at, t.worth, t.scale,
        t.lower_is_better, t.summary, t.no_worse, t.ranked, t.dealing, t.control, t.rules, t.declaration,
        t.garden,
    )  # fmt: skip
    query = select(
        *map(col, facts),
        col(FindingRow.lines),
        _counted(UnitRow).label("units"),
        _kinds().label("kinds"),
        _counted(RoundRow).label("rounds"),
        _counted(RoundRow, col(RoundRow.done)).label("done"),
    ).join(shown, shown.c.id == col(TrialRow.id))
    return query.outerjoin(FindingRow, col(FindingRow.trial_id) == col(TrialRow.id)).order_by(shown.c.place)


def _counted(table: Any, *where: Any) -> ScalarSelect[int]:
    """How many rows hang on each trial."""
    return select(func.count()).where(table.trial_id == col(TrialRow.id), *where).scalar_subquery()


def _kinds() -> ScalarSelect[list[UnitKind]]:
    """The kinds of units of each trial."""
    kinds = select(func.array_agg(distinct(col(UnitRow.kind))))
    return kinds.where(col(UnitRow.trial_id) == col(TrialRow.id)).scalar_subquery()


def _alive() -> ScalarSelect[int]:
    """How many units live in each trial."""
    living = select(func.sum(col(TreatmentRow.alive)))
    return living.where(col(TreatmentRow.trial_id) == col(TrialRow.id)).scalar_subquery()


TREATMENTS = (
    select(col(TreatmentRow.trial_id), col(TreatmentRow.letter), col(TreatmentRow.name), col(TreatmentRow.role))
    .where(col(TreatmentRow.trial_id) == func.any(bindparam("ids", type_=ARRAY(Integer))))
    .order_by(col(TreatmentRow.letter))
)


def _treatments(session: Session, ids: Sequence[int]) -> dict[int, list[tuple[str, str, Role]]]:
    treatments: dict[int, list[tuple[str, str, Role]]] = {}
    for trial_id, letter, name, role in session.connection().execute(TREATMENTS, {"ids": ids}):
        treatments.setdefault(trial_id, []).append((letter, name, role))
    return treatments


FIRST = (
    select(col(TrialMeasureRow.trial_id), col(TrialMeasureRow.measure_key))
    .where(col(TrialMeasureRow.trial_id) == func.any(bindparam("ids", type_=ARRAY(Integer))))
    .order_by(col(TrialMeasureRow.position).desc())
)


def _first_measures(session: Session, rows: Sequence[Row]) -> dict[int, Measure]:
    """The measure that carries the verdict, by trial."""
    known = all_measures(session) if rows else {}
    asked = session.connection().execute(FIRST, {"ids": [row.id for row in rows]})
    return {trial_id: known[key] for trial_id, key in asked if key in known}


def _claim(row: Row, treatments: Sequence[tuple[str, str, Role]], first: Measure) -> str:
    """As `claim_of` says it of a whole trial."""
    letters = [letter for letter, _, _ in treatments]
    tested, control = compared_names([(name, role) for _, name, role in treatments], letters.index(row.control))
    kept, day = as_declared(row.declaration or {}, row.worth, row.decision_day)
    level = row.rules.get("level")
    return Asking(
        tested, control, first, Worth(shown_worth(kept, row.scale, row.summary, first), row.scale), day, row.no_worse,
        row.ranked, row.lower_is_better, row.summary, None if level is None else first.conversion.shown(level),
        row.dealing == "on and off", row.rules.get("carried") == "lasted",
    ).sentence  # fmt: skip


def _glance_or_mark(
    row: Row, today: date, treatments: Sequence[tuple[str, str, Role]], measures: Mapping[int, Measure]
) -> Glance:
    """One trial in a list; one whose rows don't fit together says so, and takes no other with it."""
    try:
        return _glance(row, today, treatments, measures[row.id])
    except (KeyError, ValueError, TypeError, AttributeError, OverflowError, StopIteration, EprobaError):
        start_on = row.start_on
        return Glance(row.id, row.name, UNREADABLE, "", start_on, start_on, "finished", UNIT(row.units), (), row.done,
                      row.rounds, ())  # fmt: skip


def _glance(row: Row, today: date, treatments: Sequence[tuple[str, str, Role]], first: Measure) -> Glance:
    decision_on = row.start_on + timedelta(days=row.decision_day)
    stage = stage_of(
        start_on=row.start_on,
        decision_on=decision_on,
        ended_on=row.ended_on,
        started=row.started_on is not None,
        closed=row.closed_at is not None,
        today=today,
    )
    return Glance(
        id=row.id,
        name=row.name,
        claim=_claim(row, treatments, first),
        own_words=own_words(row.claim),
        start_on=row.start_on,
        decision_on=decision_on,
        stage=stage,
        units=unit_noun(row.kinds or ())(row.units),
        treatments=tuple(treatments),
        readings_in=row.done,
        rounds=row.rounds,
        finding=None if row.lines is None else tuple(row.lines),
        crops=tuple(row.rules.get("crops") or ()),
        garden=row.garden,
    )
