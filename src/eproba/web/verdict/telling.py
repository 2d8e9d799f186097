"""What is told of a verdict, wherever it is told: on its page, in a report, in a message."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from eproba.core.judging.judgement import Judgement
from eproba.core.judging.trust_line import TrustLine
from eproba.core.trial.model import Reading, Trial
from eproba.store.beside import beside_of
from eproba.web.pictures.shared_ruler import NARROW, SharedRuler
from eproba.web.ui.session import db
from eproba.web.verdict.findings import answered
from eproba.web.verdict.page import (
    ComparisonShown,
    RankingShown,
    shown_comparisons,
    shown_effects,
    shown_ledger,
    shown_ranking,
    shown_ruler,
    shown_sentences,
    shown_trend,
)


@dataclass(frozen=True)
class Telling:
    """A judgement with its words and pictures."""

    judgement: Judgement
    ledger: Mapping[str, Sequence[tuple[TrustLine, str]]]
    ruler: SharedRuler
    narrow_ruler: SharedRuler
    comparisons: Sequence[ComparisonShown]
    ranking: RankingShown | None
    trend: str
    effects: Sequence[tuple[str, str]]


@dataclass(frozen=True)
class InShort:
    """What came out, in short: headlines with their sentences, and the ruler."""

    said: Sequence[tuple[str, str]]
    ruler: SharedRuler
    narrow_ruler: SharedRuler


def in_short(trial: Trial, readings: tuple[Reading, ...]) -> InShort:
    """The short of `telling`: what a trial’s own page shows. Raises CannotJudge."""
    judgement = answered(db(), trial, readings, beside_of(db(), trial))
    return InShort(
        shown_effects(trial, judgement) or shown_sentences(trial, judgement),
        shown_ruler(trial, judgement),
        shown_ruler(trial, judgement, NARROW),
    )


def telling(trial: Trial, readings: tuple[Reading, ...], early: int | None = None) -> Telling:
    """Everything told of the first measure; `early`: of an early look, by its day.

    Raises
    ------
    CannotJudge
        Where readings are missing.
    """
    judgement = answered(db(), trial, readings, beside_of(db(), trial), early)
    return Telling(
        judgement=judgement,
        ledger=shown_ledger(trial, judgement),
        ruler=shown_ruler(trial, judgement),
        narrow_ruler=shown_ruler(trial, judgement, NARROW),
        comparisons=shown_comparisons(trial, judgement),
        ranking=shown_ranking(trial, judgement),
        trend=shown_trend(trial, judgement),
        effects=shown_effects(trial, judgement),
    )
