"""Trials of one question: found by what they ask, from what is kept of their judgements."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import column, func, select, true
from sqlalchemy.dialects.postgresql import JSONB
from sqlmodel import Session, col

from eproba.core.judging.answers import Answer, Asks, Told
from eproba.store.tables import FindingRow, LeftOutRow, TrialRow


@dataclass(frozen=True)
class QuestionAsked:
    """A question with how many trials have answered it."""

    question: str
    treatment: str
    control: str
    measure: str
    trials: int


@dataclass(frozen=True)
class TrialTelling:
    """One trial's answer, with the trial's number here, its start, and why it was left out (empty: it was not)."""

    trial_id: int
    name: str
    start_on: date
    answer: Answer
    left_out: str

    @property
    def told(self) -> Told:
        return Told(self.name, self.answer, self.left_out)


def tellings(session: Session, question: str) -> list[TrialTelling]:
    """Every answer to a question, by the start of its trial."""
    query = (
        select(*map(col, (TrialRow.id, TrialRow.name, TrialRow.start_on, FindingRow.answers)))
        .join(FindingRow, col(FindingRow.trial_id) == col(TrialRow.id))
        .where(col(FindingRow.answers).contains([{"question": question}]))
        .order_by(col(TrialRow.start_on), col(TrialRow.id))
    )
    rows = session.connection().execute(query).all()
    out = _left_out(session, [row.id for row in rows])
    return [
        TrialTelling(row.id, row.name, row.start_on, answer_from(answer), out.get((row.id, answer["letter"]), ""))
        for row in rows
        for answer in row.answers
        if answer["question"] == question
    ]


def answer_from(kept: Mapping[str, Any]) -> Answer:
    """An answer as it was kept."""
    return Answer(**{**kept, "asks": Asks(**kept["asks"])})


def _left_out(session: Session, trials: Collection[int]) -> dict[tuple[int, str], str]:
    query = select(*map(col, (LeftOutRow.trial_id, LeftOutRow.letter, LeftOutRow.reason)))
    rows = session.connection().execute(query.where(col(LeftOutRow.trial_id).in_(trials)))
    return {(row.trial_id, row.letter): row.reason for row in rows}


def questions_asked(session: Session, among: Collection[str] = (), least: int = 2) -> Sequence[QuestionAsked]:
    """Questions (or those `among` them) that so many trials have answered, those with most trials first."""
    every = func.jsonb_array_elements(col(FindingRow.answers)).table_valued(column("value", JSONB))
    entry = every.c.value
    names = [func.max(entry[name].astext).label(name) for name in ("treatment", "control")]
    measure = func.max(entry["asks", "measure"].astext).label("measure")
    key, trials = entry["question"].astext, func.count().label("trials")
    query = select(key.label("question"), *names, measure, trials).select_from(FindingRow).join(every, true())
    query = query.group_by(key).having(func.count() >= least).order_by(trials.desc(), key)
    rows = session.connection().execute(query.where(key.in_(among)) if among else query)
    return [QuestionAsked(**row._mapping) for row in rows]
