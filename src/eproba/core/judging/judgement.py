"""What a judgement is made of: frozen figures that the page, the command line and the tests all read."""

from dataclasses import dataclass

from eproba.core.judging.levels import Levels
from eproba.core.judging.lost import Losses
from eproba.core.judging.ranking import Ranking
from eproba.core.judging.trust_line import TrustLine
from eproba.core.judging.verdicts import Verdict
from eproba.core.stats.order import Order
from eproba.core.stats.series import Design, Question
from eproba.core.stats.shuffle import ShuffleTest


@dataclass(frozen=True)
class Percent:
    """A gap in percent; bounds None where there is no interval."""

    estimate: float
    low: float | None
    high: float | None


@dataclass(frozen=True)
class Dot:
    """One unit on the gap ruler: its gap to the control once blocks and baseline are taken out."""

    unit: str
    treatment: str
    gap: float


@dataclass(frozen=True)
class GapFigures:
    """The error of a gap, its degrees of freedom, and its intervals, alone and among all; logs on the ratio scale."""

    se: float
    df: float
    p: float
    low: float
    high: float
    p_adjusted: float
    low_adjusted: float
    high_adjusted: float


@dataclass(frozen=True)
class Needed:
    """Units of each that would find a true worth in 8 of 10: the likely number, and the range that the noise leaves.

    `high` None: beyond all reason, should the noise be at its largest. `readings` of each unit; `parts`: what a unit is
    called, units or (on and off) periods. `pairs`: by order, the pairs of 100 in which it truly stands above, instead
    of a worth.
    """

    low: int
    likely: int
    high: int | None
    readings: int = 1
    parts: str = "units"
    pairs: int | None = None


@dataclass(frozen=True)
class Comparison:
    """One treatment against the control. What does not exist is None. On the ratio scale all gaps are logs.

    `own`: on the noise of these two alone, which carries the verdict; `pooled`: if all treatments were equally noisy,
    which carries it where there is no own noise. `order`: how often a treated unit stands above a control unit; it
    carries the verdict of classes, and of days where something has not happened yet. `verdict` is the one shown;
    `uncapped` what it was before the ledger, `capped_by` the rule that lowered it. `losses`: the units
    lost beside those of the control, where any unit was.
    """

    treatment: str
    n: int
    n_control: int
    estimate: float | None = None
    pooled: GapFigures | None = None
    own: GapFigures | None = None
    order: Order | None = None
    percent: Percent | None = None
    shuffle: ShuffleTest | None = None
    shuffle_p_adjusted: float | None = None
    shuffle_reason: str | None = None
    verdict: Verdict = "seen_not_shown"
    uncapped: Verdict = "seen_not_shown"
    capped_by: str = ""
    needed: Needed | None = None
    dots: tuple[Dot, ...] = ()
    losses: Losses | None = None

    @property
    def carrying(self) -> GapFigures | None:
        """The figures of the gap that carry the verdict."""
        return self.own or self.pooled

    @property
    def by_order(self) -> bool:
        """Whether order carries the verdict, and no gap."""
        return self.order is not None and self.order.carries

    @property
    def kills(self) -> bool:
        """Whether it is shown to lose more units than the control."""
        return self.losses is not None and self.losses.shown == "more"

    @property
    def may_kill(self) -> bool:
        """Whether it lost so many more units that nobody can call it harmless."""
        return self.losses is not None and self.losses.beyond_margin

    @property
    def p_adjusted(self) -> float | None:
        """Among all comparisons, of what carries the verdict."""
        if self.order is not None and self.order.carries:
            return self.order.p_adjusted
        return None if self.carrying is None else self.carrying.p_adjusted


@dataclass(frozen=True)
class Effect:
    """Of two things at once: what one of them does on the average over with and without the other (`of` "1", "2"), or
    how far both together go beyond their sum (`of` "12"); on the ratio scale beyond their product, in logs.

    `figures` among the three of them, each on the noise of its own; None: it can't be told. Verdicts as in
    `Comparison`.
    """

    of: str
    name: str
    estimate: float
    figures: GapFigures | None
    verdict: Verdict
    uncapped: Verdict
    capped_by: str = ""


EFFECT_TURNS = "effect with the lost"  # the line that speaks of one effect alone


def effect_key(of: str) -> str:
    """What a line of the ledger that speaks of one effect alone is `of`."""
    return f"effect {of}"


@dataclass(frozen=True)
class Trend:
    """The ladder as one question: the straight line over the scores of its rungs, by step of the score.

    A contrast of the same model, with its share of the 5 %: rungs and trend are asked at once. On the ratio scale the
    slope is a log.
    """

    scores: tuple[tuple[str, float], ...]
    slope: float
    se: float
    df: float
    low: float
    high: float
    p: float


@dataclass(frozen=True)
class Judgement:
    """All comparisons of one measure with the trust in them.

    `units` counts the units judged, `residuals` what the model leaves of each; `levels`: whether it holds for every
    crop or batch; `day`: the planned day of the round that was judged; `start_taken`: what units began with is taken
    out.
    """

    question: Question
    design: Design
    units: int
    noise_sd: float | None
    comparisons: tuple[Comparison, ...]
    trust: tuple[TrustLine, ...]
    trend: Trend | None = None
    ranking: Ranking | None = None
    residuals: tuple[tuple[str, float], ...] = ()
    levels: tuple[Levels, ...] = ()
    effects: tuple[Effect, ...] = ()
    day: int | None = None
    start_taken: bool = False
