"""Trials of one question: each a stake on its interval, the joint one below, and where a next garden would lie."""

from collections.abc import Sequence
from dataclasses import dataclass

from eproba.core.judging.across import Stake, Together
from eproba.core.wording.sentences import Wording, gap_text
from eproba.web.pictures.gap_ruler import ticks_between

LEFT, RIGHT, TOP = 12.0, 640.0, 26.0
ROW, CLOSE, MANY = 52.0, 9.0, 14  # many trials stand close, without names
ROOM = 1.5  # of the trials' own reach: a string that goes beyond it runs off the ruler
FOOT = 34.0


@dataclass(frozen=True)
class StakeLine:
    """One trial in drawing units; `label` its gap in words, empty where they stand close."""

    name: str
    y: float
    bar: tuple[float, float]
    at: float
    label: str
    odd: bool
    title: str


@dataclass(frozen=True)
class JointLine:
    """What they say on the whole: the stake with its interval, and the string along which a next garden would lie,
    knotted where it ends; `supposed`: the interval if gardens differ by no more than about the worth."""

    y: float
    bar: tuple[float, float]
    at: float
    next_garden: tuple[float, float]
    knots: tuple[float, ...]
    label: str
    supposed: tuple[float, float] | None = None


@dataclass(frozen=True)
class Stakes:
    """The picture, in drawing units; `close`: too many for names."""

    height: float
    zero: float
    band: tuple[float, float] | None
    lines: tuple[StakeLine, ...]
    joint: JointLine | None
    ticks: tuple[tuple[float, str], ...]
    close: bool
    words: str


def stakes_of(pooled: Together, wording: Wording, headline: str) -> Stakes:
    """Lay the trials along one ruler."""
    scale, joint, close = pooled.asks.scale, pooled.joint, len(pooled.stakes) > MANY
    low, high = _reach(pooled)

    def x(value: float) -> float:
        return round(LEFT + (RIGHT - LEFT) * (min(max(value, low), high) - low) / (high - low), 1)

    row = CLOSE if close else ROW
    lines = [
        StakeLine(
            stake.told.trial,
            round(TOP + row * i + (row / 2 if close else row - 18), 1),
            (x(stake.low), x(stake.high)),
            x(stake.gap),
            "" if close else gap_text(stake.gap, scale, wording),
            stake.odd,
            f"{stake.told.trial}: {gap_text(stake.gap, scale, wording)}",
        )
        for i, stake in enumerate(pooled.stakes)
    ]
    foot = TOP + row * len(lines)
    drawn = None
    if joint is not None:
        drawn = JointLine(
            round(foot + 44, 1),
            (x(joint.low or 0.0), x(joint.high or 0.0)),
            x(joint.estimate),
            (x(joint.prediction_low or 0.0), x(joint.prediction_high or 0.0)),
            tuple(x(end) for end in (joint.prediction_low or 0.0, joint.prediction_high or 0.0) if low < end < high),
            gap_text(joint.estimate, scale, wording),
            None if pooled.supposed is None else (x(pooled.supposed[0]), x(pooled.supposed[1])),
        )
        foot += 92
    return Stakes(
        height=round(foot + FOOT, 1),
        zero=x(0),
        band=(x(-pooled.band), x(pooled.band)) if pooled.band else None,
        lines=tuple(lines),
        joint=drawn,
        ticks=tuple((x(at), label) for at, label in ticks_between(low, high, scale == "ratio")),
        close=close,
        words=f"{headline}. {_spoken(pooled.stakes, wording, pooled)}",
    )


def _reach(joint: Together) -> tuple[float, float]:
    """The ends of the ruler: all of the trials, as much of the joint interval and the string as leaves them readable,
    and of a trial with an endless interval what fits."""
    gaps = [stake.gap for stake in joint.stakes]
    wide = 6 * max([abs(gap) for gap in gaps] + [joint.band or 0.0]) or 1.0
    own = [0.0, *(max(-wide, min(wide, end)) for stake in joint.stakes for end in (stake.low, stake.high))]
    own += [joint.band, -joint.band] if joint.band else []
    low, high = min(own), max(own)
    more = (ROOM - 1) * (high - low)
    if joint.joint is not None:
        string = [joint.joint.prediction_low or 0.0, joint.joint.prediction_high or 0.0]
        low, high = max(low - more, min(low, string[0])), min(high + more, max(high, string[1]))
    spread = (high - low) or 1.0
    return low - 0.05 * spread, high + 0.05 * spread


def _spoken(stakes: Sequence[Stake], wording: Wording, joint: Together) -> str:
    words = [f"{stake.told.trial} {gap_text(stake.gap, joint.asks.scale, wording)}" for stake in stakes[:MANY]]
    return "; ".join(words) + ("; and more." if len(stakes) > MANY else ".")
