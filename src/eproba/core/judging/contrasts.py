"""What one trial asks at once: its comparisons, and with a ladder the trend, with two things at once their effects.

All of it shares one risk of a false alarm, so it stands in one place which they are and how many.

References
----------
Yates, F. (1937). The design and analysis of factorial experiments. Imperial Bureau of Soil Science, Technical
Communication 35: main effects and their interaction as contrasts of the same four means.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from eproba.core.stats.linear import Array
from eproba.core.stats.series import Question
from eproba.core.trial.model import CROSSED

# Over the gaps to the control of those that get the first thing, the second, both: each thing over with and without the
# other, and what both do beyond their sum.
EFFECTS = ("1", "2", "12")
EFFECT_ROWS: Array = np.array([[0.5, -0.5, 0.5], [-0.5, 0.5, 0.5], [-1.0, -1.0, 1.0]])


@dataclass(frozen=True)
class Contrasts:
    """Mixtures of the k gaps to the control, one row each.

    `judged`: positions of the treatments that the first rows compare with the control. `trend`: one more row, the
    slope over the ladder. `effects`: the last three rows, in the order of `EFFECTS`.
    """

    rows: Array
    judged: tuple[int, ...]
    trend: bool
    effects: bool

    @property
    def trend_row(self) -> int | None:
        return len(self.judged) if self.trend else None

    @property
    def effect_rows(self) -> range:
        return range(len(self.rows) - len(EFFECTS), len(self.rows)) if self.effects else range(0)


def asked_at_once(comparisons: int, ladder: bool = False, crossed: bool = False) -> int:
    """How many gaps share the 5 %: so many comparisons, one more for a trend, three more for two things at once."""
    return comparisons + (1 if ladder else 0) + (len(EFFECTS) if crossed else 0)


def contrasts_of(question: Question, others: Sequence[str], judged: Sequence[int]) -> Contrasts:
    """All that a question asks of the treatments that can be judged; `others`: those beside the control, in order."""
    trend = _trend(question, others, judged)
    effects = _effects(question, others, judged)
    rows = [np.eye(len(others))[list(judged)], *(part for part in (trend, effects) if part is not None)]
    return Contrasts(np.vstack(rows), tuple(judged), trend is not None, effects is not None)


def _trend(question: Question, others: Sequence[str], judged: Sequence[int]) -> Array | None:
    """The slope over the ladder's scores, where all its rungs can be judged: (1, k)."""
    scores = dict(question.ladder)
    rungs = [i for i, name in enumerate(others) if name in scores]
    if question.control not in scores or len(rungs) < 2 or len(rungs) + 1 < len(scores):
        return None
    if any(i not in judged for i in rungs):
        return None
    mean = sum(scores.values()) / len(scores)
    spread = sum((score - mean) ** 2 for score in scores.values())
    row = np.zeros((1, len(others)))
    row[0, rungs] = [(scores[others[i]] - mean) / spread for i in rungs]  # the control's own gap is 0
    return row


def _effects(question: Question, others: Sequence[str], judged: Sequence[int]) -> Array | None:
    """The three effects of two things at once, where all four treatments can be judged: (3, k)."""
    named = {things: name for name, things in question.crossed}
    if set(named) != set(CROSSED) or len(judged) < len(others) or len(others) != len(EFFECTS):
        return None
    rows = np.zeros_like(EFFECT_ROWS)
    rows[:, [others.index(named[things]) for things in EFFECTS]] = EFFECT_ROWS
    return rows
