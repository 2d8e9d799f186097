"""Back-scheduling: from the applications of all running trials to standing water, start, ready, strain, use-by.

Greedy and optimal in the number of batches (interval stabbing): the first pour not yet served gets a batch that is
ready for it, and that batch serves every later pour of the same recipe for as long as it keeps.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from itertools import groupby

from eproba.core.brewing.batches import GONE, STANDING_HOURS, standing
from eproba.core.brewing.clock import keeps_until, oldest, ready_at, ready_window, use_by
from eproba.core.brewing.events import Batch, left
from eproba.core.brewing.recipe import Recipe
from eproba.core.brewing.warmth import Warmth, hours_here
from eproba.core.trial.model import Sharing

SHARINGS: dict[Sharing, str] = {
    "shared": "one brew for as long as it keeps", "fresh": "a fresh brew for each pour",
    "parallel": "two brews side by side, dealt to the blocks",
}  # fmt: skip
ENOUGH = 0.95  # of what a pour needs: the rest is within a can’s rounding
KEPT = 0.75  # of its keeping a brew may have stood by its pour, where a place that is thought cool turns out warm
MARGIN_HOURS = 9.0  # a brew is planned to be ready so long before its pour, or a quarter of what it brews or keeps
STRAINING = 0.08  # of a brew stays in the cloth (5 to 10 %)
LEAST = 0.5  # litres: less ferments unevenly, and can’t be measured
PARALLEL = 2  # brews side by side
QUICK = 12.0  # hours: what brews for no longer is made on the day itself, and needs no calendar
AT_HOME = (8, 18)  # o’clock: a longer brew begins before work or after it


@dataclass(frozen=True)
class Pouring:
    """One application that needs a brew: `litres` of concentrate at a time; `water` is what dilutes it. `id` names it
    however its day moves; `each_watering`: it stands in for plain water."""

    trial_id: int
    trial: str
    letter: str
    at: datetime
    litres: float
    day: int = 0
    sharing: Sharing = "shared"
    water: float = 0.0
    id: int = 0
    each_watering: bool = False


@dataclass(frozen=True)
class Brewing:
    """One batch to be made: when water stands, when it starts, is ready (from, and at the latest), until when it keeps,
    how much, what it serves. `hurried`: it should have begun already; `late`: the pours whose day is over before it can
    be ready; `warmth`: what it was reckoned with."""

    recipe: Recipe
    stand: datetime | None
    start: datetime
    ready_from: datetime
    ready: datetime
    until: datetime | None
    litres: float
    serves: tuple[Pouring, ...]
    late: tuple[Pouring, ...] = ()
    hurried: bool = False
    side: int = 0
    warmth: Warmth = field(default_factory=Warmth)

    @property
    def trials(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(serve.trial for serve in self.serves))


def margin(recipe: Recipe) -> timedelta:
    """How long before its pour a brew is planned to be ready."""
    keeps = (recipe.keeps_hours,) if recipe.keeps_hours is not None else ()
    return timedelta(hours=min(MARGIN_HOURS, *(hours / 4 for hours in (recipe.hours[0], *keeps))))


def to_brew(recipe: Recipe, litres: float) -> float:
    """How much is brewed for so much to be poured: a share stays in the cloth, and too little is no brew."""
    if not recipe.brews:
        return litres
    strained = litres / (1 - STRAINING) if recipe.strain and recipe.liquid else litres
    least = recipe.least if recipe.least is not None else min(LEAST, recipe.yields) if recipe.liquid else 0.0
    return max(strained, least)


def back_schedule(
    needs: Iterable[tuple[Recipe, Pouring]],
    stands: bool = True,
    now: datetime | None = None,
    warmth: Warmth | None = None,
) -> list[Brewing]:
    """Batches for all pours, the first to start first. `stands`: the water is tap water that stands for a day; what
    should have begun before `now` begins at once, and the pours whose day is over before it can be ready are told.
    `warmth`: how warm brews stand here; None: as their recipes want it.

    Several pours of one recipe share a batch while it keeps, over all trials; the verdict then speaks of one brew.
    """
    groups: dict[tuple[str, int, Sharing], tuple[Recipe, list[Pouring]]] = {}
    for recipe, pouring in needs:
        whose = 0 if pouring.sharing == "shared" else pouring.trial_id
        groups.setdefault((recipe.key, whose, pouring.sharing), (recipe, []))[1].append(pouring)
    place = warmth or Warmth()
    planned = [
        batch
        for (_, _, sharing), (recipe, pours) in groups.items()
        for batch in _of_one(recipe, sorted(pours, key=lambda pour: pour.at), sharing, stands, now, place)
    ]
    return sorted(planned, key=lambda batch: (batch.stand or batch.start, batch.recipe.key, batch.side))


def _of_one(
    recipe: Recipe, pours: Sequence[Pouring], sharing: Sharing, stands: bool, now: datetime | None, warmth: Warmth
) -> Iterator[Brewing]:
    left_over = list(pours)
    while left_over:
        brewing = _timed(recipe, left_over[0].at, stands, now, warmth)
        last = brewing.until if sharing == "shared" else left_over[0].at
        served = [
            pouring for pouring in left_over if last is None or pouring.at <= last or pouring.at < brewing.ready_from
        ]
        late = tuple(pouring for pouring in served if is_over(pouring, brewing.ready_from)) if brewing.hurried else ()
        sides = PARALLEL if sharing == "parallel" else 1
        litres = to_brew(recipe, sum(pouring.litres for pouring in served) / sides)
        brewing = replace(brewing, litres=litres, serves=tuple(served), late=late)
        yield from (replace(brewing, side=side) for side in (range(1, sides + 1) if sides > 1 else (0,)))
        left_over = left_over[len(served) :]


def is_over(pouring: Pouring, at: datetime) -> bool:
    """Whether the day of a pour is over at a moment: only then it is late."""
    return pouring.at.date() < at.astimezone(pouring.at.tzinfo).date()


def _timed(recipe: Recipe, first: datetime, stands: bool, now: datetime | None, warmth: Warmth) -> Brewing:
    """The days of one batch whose first pour is at a moment, by its longest time at the warmth of this place."""
    watered = stands and recipe.brews and recipe.liquid and any(p.ingredient.key == "water" for p in recipe.portions)
    standing_time = timedelta(hours=STANDING_HOURS)
    shortest, longest = (timedelta(hours=hours) for hours in hours_here(recipe, warmth))
    start = first - margin(recipe) - longest
    if recipe.keeps_hours is not None and warmth.measured.get(recipe.key) is None:
        # Where the warmth is a guess, a brew that keeps shortly must still be good if it stands as warm as it wants.
        start = max(start, first - timedelta(hours=recipe.hours[1] + KEPT * recipe.keeps_hours))
    earlier = at_home(start)
    if recipe.hours[1] > QUICK and keeps_for(recipe, earlier + longest, first):
        start = earlier
    hurried = now is not None and start < now and recipe.brews
    if hurried and now is not None:
        start = now
    ready = start + longest
    stand = start - standing_time if watered and not hurried else None
    return Brewing(
        recipe=recipe,
        stand=stand,
        start=start,
        ready_from=start + shortest,
        ready=ready,
        until=max(first, keeps_until(recipe, ready) or first) if recipe.keeps_hours is not None else None,
        litres=0.0,
        serves=(),
        hurried=hurried,
        warmth=warmth,
    )


def keeps_for(recipe: Recipe, ready: datetime, pour: datetime) -> bool:
    """Whether a brew that is ready at a moment is still good at its pour; air keeps what it runs through."""
    until = keeps_until(recipe, ready)
    return until is None or until >= pour or recipe.keeps_from == "air off"


def at_home(at: datetime) -> datetime:
    """The last hour up to a moment at which people are at home and up."""
    hours = [at.replace(hour=hour, minute=0, second=0, microsecond=0) for hour in AT_HOME]
    fits = [hour for hour in hours if hour <= at]
    return fits[-1] if fits else hours[-1] - timedelta(days=1)


@dataclass(frozen=True)
class Stock:
    """A batch that is there, ready or under way: when it is ready at the latest, until when it can be poured, its
    litres, and the days on which something was taken from it."""

    batch_id: int
    recipe_key: str
    ready: datetime
    until: datetime | None
    litres: float
    poured_on: frozenset[date] = frozenset()


def stock_of(batch: Batch, now: datetime, warmth: Warmth | None = None) -> Stock | None:
    """What a batch on the shelf can still serve; None for what is gone, or to be thrown away."""
    if standing(batch, now).state in (*GONE, "throw away"):
        return None
    then = batch.until(now)
    ready, until = ready_at(then), use_by(then)
    if ready is None:
        ready = _ready_at_the_latest(then, now, warmth or Warmth())
        until = _until_at_the_latest(then, ready)
    poured_on = frozenset(event.at.astimezone(now.tzinfo).date() for event in then.events if event.what == "taken from")
    return Stock(batch.id, batch.recipe.key, ready, until, left(then), poured_on)


def _ready_at_the_latest(batch: Batch, now: datetime, warmth: Warmth) -> datetime:
    """When a batch that is under way is ready, by its own warmth, else by that of the place."""
    window, look = ready_window(batch), batch.last("looked at")
    if window is None:
        set_out = batch.first("water set out")
        mixing = now if set_out is None else max(now, set_out + timedelta(hours=STANDING_HOURS))
        return mixing + timedelta(hours=hours_here(batch.recipe, warmth)[1])
    return max(window[1], now) if look is not None and look.at >= window[1] else window[1]


def _until_at_the_latest(batch: Batch, ready: datetime) -> datetime | None:
    """Until when it keeps; while air runs through it, for as long as its signs can be trusted."""
    if batch.recipe.keeps_from == "air off" and batch.mixed_at is not None:
        return max(ready, batch.mixed_at + timedelta(hours=oldest(batch.recipe)))
    return keeps_until(batch.recipe, ready)


def served_by(
    needs: Iterable[tuple[Recipe, Pouring]], stock: Sequence[Stock], now: datetime
) -> tuple[dict[int, list[Pouring]], list[tuple[Recipe, Pouring]]]:
    """Which pours the shelf serves, by batch, the oldest batch first; and the needs that are left.

    A pour that is overdue is poured now. What is under way covers its pour, also where it is ready after it: nobody
    starts a second brew that would be ready later still.
    """
    shelf = _Shelf(sorted(stock, key=lambda batch: (batch.ready, batch.batch_id)))
    open_needs = [
        (recipe, pouring)
        for recipe, pouring in sorted(needs, key=lambda need: need[1].at)
        if not shelf.serves(recipe, pouring, max(pouring.at, now))
    ]
    return shelf.served, open_needs


class _Shelf:
    """What is left of each batch while the pours are given out, the first pour first."""

    def __init__(self, stock: Sequence[Stock]) -> None:
        self.stock = stock
        self.litres = {batch.batch_id: batch.litres for batch in stock}
        self.days = {batch.batch_id: batch.poured_on for batch in stock}
        self.served: dict[int, list[Pouring]] = {}

    def serves(self, recipe: Recipe, pouring: Pouring, at: datetime) -> bool:
        """Give a pour its batch, or its two where it is brewed side by side; whether there is one."""
        sides = PARALLEL if pouring.sharing == "parallel" else 1
        litres = pouring.litres / sides
        fit = [batch.batch_id for batch in self.stock if self._fits(batch, recipe, pouring, at, litres)][:sides]
        if len(fit) < sides:
            return False
        for batch_id in fit:
            self.litres[batch_id] -= litres
            self.days[batch_id] |= {pouring.at.date()}
            self.served.setdefault(batch_id, []).append(pouring)
        return True

    def _fits(self, batch: Stock, recipe: Recipe, pouring: Pouring, at: datetime, litres: float) -> bool:
        if batch.recipe_key != recipe.key or self.litres[batch.batch_id] < litres * ENOUGH:
            return False
        alone = pouring.sharing == "shared" or self.days[batch.batch_id] <= {pouring.at.date()}
        return alone and (batch.until is None or at <= batch.until)


@dataclass(frozen=True)
class Standby:
    """Water that stands for the pours of one day: to dilute with, and for controls."""

    at: datetime
    dilution: float
    control: float
    pours: tuple[Pouring, ...]

    @property
    def litres(self) -> float:
        return self.dilution + self.control

    @property
    def id(self) -> int:
        """Names it however its day moves."""
        return min(pour.id for pour in self.pours)


def water_to_stand(pours: Iterable[tuple[Pouring, bool]]) -> list[Standby]:
    """Tap water to be set out a day before each day’s pours; each pour with whether it is plain water."""
    ordered = sorted(pours, key=lambda pour: pour[0].at)
    waters = []
    for at, together in groupby(ordered, key=lambda standing: standing[0].at):
        same = [(pour, plain) for pour, plain in together if pour.water > 0]
        if same:
            control = sum(pour.water for pour, plain in same if plain)
            dilution = sum(pour.water for pour, plain in same if not plain)
            own = tuple(pour for pour, _ in same)
            waters.append(Standby(at - timedelta(hours=STANDING_HOURS), dilution, control, own))
    return waters
