"""Trials that carry another one on, with the same units."""

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from datetime import date, timedelta

from sqlmodel import Session, col, select

from eproba.core.trial.model import Carried
from eproba.store.mapping import rules_from
from eproba.store.tables import FindingRow, TrialRow


@dataclass(frozen=True)
class CarriedOn:
    """A trial that goes on with the units of another; `said`: headline and sentence of each treatment once it is
    judged."""

    id: int
    name: str
    carried: Carried
    decision_on: date
    said: tuple[tuple[str, str], ...]


def carried_on(session: Session, *keys: str) -> list[CarriedOn]:
    """The trials that carry those with these keys on, in their order."""
    query = (
        select(TrialRow, FindingRow.lines)
        .join(FindingRow, col(FindingRow.trial_id) == col(TrialRow.id), isouter=True)
        .where(col(TrialRow.rules)["after"].astext.in_(keys))
        .order_by(col(TrialRow.id))
    )
    return [_carried(row, lines or ()) for row, lines in session.exec(query)]


def looked_at_again(session: Session, trials: Collection[int]) -> list[CarriedOn]:
    """The looks again at any of these trials."""
    keys = session.exec(select(TrialRow.key).where(col(TrialRow.id).in_(trials))).all()
    return [trial for trial in carried_on(session, *keys) if trial.carried == "lasted"] if keys else []


def _carried(row: TrialRow, lines: Iterable[Mapping[str, str]]) -> CarriedOn:
    said = tuple((line["headline"], line["sentence"]) for line in lines)
    how = rules_from(row.rules).carried
    return CarriedOn(row.id, row.name, how, row.start_on + timedelta(days=row.decision_day), said)


def earlier(session: Session, key: str) -> tuple[int, str] | None:
    """Number and name of the trial that another carries on; None: it is gone."""
    return session.exec(select(TrialRow.id, TrialRow.name).where(col(TrialRow.key) == key)).first()
