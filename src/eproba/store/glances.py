"""Glances over all trials: what is due, what was found, without fetching any trial whole."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from sqlalchemy import ColumnElement, Integer, Row, ScalarSelect, and_, bindparam, cast, func, or_, select
from sqlmodel import Session, col

from eproba.core.trial.model import Role
from eproba.core.trial.stage import Stage, stage_of
from eproba.store.measures import all_measures
from eproba.store.tables import FindingRow, PourRow, RoundRow, TreatmentRow, TrialMeasureRow, TrialRow, UnitRow


@dataclass(frozen=True)
class Due:
    """A round or the pours of one day that wait; `pull`: what destroys is read in that round."""

    kind: str
    trial_id: int
    trial_name: str
    round_id: int | None
    day: int
    on: date
    letters: str
    units: int
    treatments: int = 0
    pull: bool = False


@dataclass(frozen=True)
class Glance:
    """One trial in a list."""

    id: int
    name: str
    claim: str
    start_on: date
    decision_on: date
    stage: Stage
    units: int
    treatments: tuple[tuple[str, str, Role], ...]
    readings_in: int
    rounds: int
    finding: tuple[dict[str, str], ...] | None


def due_by(session: Session, on: date, limit: int = 60, trial_id: int | None = None) -> list[Due]:
    """Rounds and pours that are due by that day in trials that run, the oldest first."""
    when = col(TrialRow.start_on) + cast(col(RoundRow.day), Integer)
    running = and_(goes_on(), col(TrialRow.id) == trial_id) if trial_id is not None else goes_on()
    units, treatments = _alive(), _counted(TreatmentRow)
    trial = (col(TrialRow.id), col(TrialRow.name))
    rounds = (
        select(*trial, col(RoundRow.id), col(RoundRow.day), when.label("on"), units, col(RoundRow.pull))
        .join(RoundRow, col(RoundRow.trial_id) == col(TrialRow.id))
        .where(running, col(RoundRow.done).is_(False), col(RoundRow.missed).is_(False), when <= bindparam("on", on))
        .order_by(when, col(TrialRow.id))
        .limit(limit)
    )
    poured_on = col(TrialRow.start_on) + cast(col(PourRow.day), Integer)
    letters = func.string_agg(col(PourRow.letter), "")
    pours = (
        select(*trial, col(PourRow.day), poured_on.label("on"), letters, units, treatments)
        .join(PourRow, col(PourRow.trial_id) == col(TrialRow.id))
        .where(running, col(PourRow.status) == "due", poured_on <= bindparam("on", on))
        .group_by(col(TrialRow.id), col(PourRow.day))
        .order_by(poured_on, col(TrialRow.id))
        .limit(limit)
    )
    connection = session.connection()
    waiting = [
        Due("round", t, name, rid, day, when, "", n, pull=pull)
        for t, name, rid, day, when, n, pull in connection.execute(rounds)
    ]
    waiting += [
        Due("pour", t, name, None, day, when, "".join(sorted(ls)), n, k)
        for t, name, day, when, ls, n, k in connection.execute(pours)
    ]
    return sorted(waiting, key=lambda due: (due.on, due.trial_id, due.kind == "pour"))


def goes_on() -> ColumnElement[bool]:
    """Neither ended early nor closed by its last round: rounds and pours can be due."""
    return and_(col(TrialRow.ended_on).is_(None), col(TrialRow.closed_at).is_(None))


def round_seconds(session: Session, ids: Collection[int]) -> dict[int, tuple[float, float]]:
    """For each trial the seconds of one unit's reading: what leaves it alive, and what destroys it."""
    known = all_measures(session)
    found = dict.fromkeys(ids, (0.0, 0.0))
    rows = session.exec(select(TrialMeasureRow).where(col(TrialMeasureRow.trial_id).in_(ids)))  # type: ignore[call-overload]
    for row in rows.scalars():
        plain, pulling = found[row.trial_id]
        measure = known[row.measure_key]
        seconds = measure.seconds * row.per_unit
        found[row.trial_id] = (plain, pulling + seconds) if measure.destructive else (plain + seconds, pulling)
    return found


def glances(session: Session, today: date, words: str = "", limit: int = 60, skip: int = 0) -> list[Glance]:
    """Trials, the running ones first, then planned, then finished by their end."""
    decision = col(TrialRow.start_on) + cast(col(TrialRow.decision_day), Integer)
    closed = and_(decision <= bindparam("today", today), col(TrialRow.closed_at).is_not(None))
    over = or_(col(TrialRow.ended_on).is_not(None), closed)
    planned = and_(col(TrialRow.start_on) > today, col(TrialRow.started_on).is_(None))
    t = TrialRow
    facts = (t.id, t.name, t.claim, t.start_on, t.decision_day, t.ended_on, t.started_on, t.closed_at)
    query = select(
        *map(col, facts),
        col(FindingRow.lines),
        _counted(UnitRow).label("units"),
        _counted(RoundRow).label("rounds"),
        _counted(RoundRow, col(RoundRow.done)).label("done"),
    ).outerjoin(FindingRow, col(FindingRow.trial_id) == col(TrialRow.id))
    if words:
        pattern = "%" + words.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
        query = query.where(or_(col(TrialRow.name).ilike(pattern), col(TrialRow.claim).ilike(pattern)))
    query = query.order_by(over, planned, decision.desc(), col(TrialRow.id)).limit(limit).offset(skip)
    rows = session.connection().execute(query).all()
    treatments = _treatments(session, [row.id for row in rows])
    return [_glance(row, today, treatments.get(row.id, [])) for row in rows]


def _counted(table: Any, *where: Any) -> ScalarSelect[int]:
    """How many rows hang on each trial."""
    return select(func.count()).where(table.trial_id == col(TrialRow.id), *where).scalar_subquery()


def _alive() -> ScalarSelect[int]:
    """How many units live in each trial."""
    living = select(func.sum(col(TreatmentRow.alive)))
    return living.where(col(TreatmentRow.trial_id) == col(TrialRow.id)).scalar_subquery()


def _treatments(session: Session, ids: Sequence[int]) -> dict[int, list[tuple[str, str, Role]]]:
    t = TreatmentRow
    query = (
        select(col(t.trial_id), col(t.letter), col(t.name), col(t.role))
        .where(col(TreatmentRow.trial_id).in_(ids))
        .order_by(col(TreatmentRow.letter))
    )
    found: dict[int, list[tuple[str, str, Role]]] = {}
    for trial_id, letter, name, role in session.connection().execute(query):
        found.setdefault(trial_id, []).append((letter, name, role))
    return found


def _glance(row: Row, today: date, treatments: Sequence[tuple[str, str, Role]]) -> Glance:
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
        claim=row.claim,
        start_on=row.start_on,
        decision_on=decision_on,
        stage=stage,
        units=row.units,
        treatments=tuple(treatments),
        readings_in=row.done,
        rounds=row.rounds,
        finding=None if row.lines is None else tuple(row.lines),
    )
