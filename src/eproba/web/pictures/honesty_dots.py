"""Simulated trials in which nothing works: one dot for each kind, by how often it is called something all the same."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

WIDTH, LEFT, RIGHT, TOP = 360.0, 12.0, 348.0, 26.0
LANE, STEP, RADIUS = 26.0, 9.0, 4.0
MEANT, BAR, MOST = 5.0, 7.5, 20.0  # in 100
TICKS = (0, 5, 10, 15, 20)


@dataclass(frozen=True)
class DotShown:
    """One kind of trial: false alarms in 100, whether that is beyond its bar, and what it is."""

    share: float
    beyond: bool
    title: str


@dataclass(frozen=True)
class AlarmDot:
    """A dot in drawing units; `off`: further right than the ruler reaches."""

    x: float
    y: float
    beyond: bool
    off: bool
    title: str


@dataclass(frozen=True)
class DotLane:
    """The dots of a group under its name."""

    name: str
    y: float
    dots: tuple[AlarmDot, ...]


@dataclass(frozen=True)
class HonestyDots:
    """The picture in drawing units, with words for those who can't see it."""

    height: float
    meant: float
    bar: float
    lanes: tuple[DotLane, ...]
    ticks: tuple[tuple[float, str], ...]
    words: str


def honesty_dots(groups: Mapping[str, Sequence[DotShown]]) -> HonestyDots:
    """Lay a lane for each group; dots that would lie on one another stand in a pile."""
    lanes, y = [], TOP
    for name, shown in groups.items():
        piles: dict[int, int] = {}
        dots = []
        for dot in sorted(shown, key=lambda one: one.share):
            x = _x(min(dot.share, MOST))
            place = round(x / STEP)
            piles[place] = piles.get(place, 0) + 1
            dots.append(AlarmDot(round(x, 1), piles[place] * STEP, dot.beyond, dot.share > MOST, dot.title))
        height = max(piles.values()) * STEP
        base = y + LANE + height - STEP / 2
        lanes.append(DotLane(name, y + 16, tuple(_placed(dot, base) for dot in dots)))
        y = base + STEP
    every = [dot for shown in groups.values() for dot in shown]
    within = sum(dot.share <= BAR for dot in every)
    words = f"{len(every)} kinds of trials in which nothing works: in {within} at most {BAR:g} in 100 are called"
    ticks = tuple((_x(at), f"{at}") for at in TICKS)
    return HonestyDots(y + 36, _x(MEANT), _x(BAR), tuple(lanes), ticks, f"{words} better or worse all the same.")


def _placed(dot: AlarmDot, base: float) -> AlarmDot:
    return AlarmDot(dot.x, round(base - dot.y + STEP / 2, 1), dot.beyond, dot.off, dot.title)


def _x(share: float) -> float:
    return LEFT + (RIGHT - LEFT) * share / MOST
