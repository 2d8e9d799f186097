"""What a trial takes, before its lots fall: days, pours, cans, minutes, brews and when they begin, money."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from eproba.core.applying.comparing import cost_of
from eproba.core.applying.prices import money
from eproba.core.applying.schedule import Brewing, Pouring
from eproba.core.brewing.recipe import in_batch_of, time_words
from eproba.core.planning.beforehand import UNDEALT, pours_ahead
from eproba.core.planning.plan import Plan
from eproba.core.quantities import Amount
from eproba.core.trial.compared import COMPARED
from eproba.core.words import day_words, lower_first, plural
from eproba.store.brewing import brewings_with, when
from eproba.store.kit import household_kit
from eproba.web.new_trial.steps.days import DaysPage
from eproba.web.new_trial.steps.step import Walk
from eproba.web.stations import season
from eproba.web.ui.clock import now
from eproba.web.ui.session import db
from eproba.web.ui.units import units

DAYS_A_WEEK = 7
MOSTLY = 0.5  # of a batch: where less is poured, the rest is told


@dataclass(frozen=True)
class Takes:
    """What the trial asks of a gardener, a line each; `start`: the first day on which every brew can be ready, where
    the planned one is too early."""

    lines: tuple[str, ...]
    start: date | None = None


def takes(walk: Walk, plan: Plan) -> Takes:
    """What a plan takes."""
    page = walk.steps["days"].page(walk)
    last = plan.start_on + timedelta(days=plan.rhythm.decision_day)
    lines = [f"{day_words(plan.start_on)} to {day_words(last)}."]
    if not isinstance(page, DaysPage) or page.problem:
        return Takes(tuple(lines))
    for visit in page.visits:
        given = "; ".join(f"{line.name}, {line.words}" for line in visit.lines)
        verb = COMPARED[plan.compared].noun.capitalize()
        lines.append(f"{verb} {visit.days}, about {visit.minutes:.0f} min each: {given}.")
    a_week = page.total / max(1.0, plan.rhythm.decision_day / DAYS_A_WEEK)
    minutes = f"about {a_week:.0f} min a week, {page.busiest:.0f} min on the longest day"
    lines.append(f"{plural(len(page.rounds), 'round')} of readings; {minutes}.")
    brews, start = _brews(walk, plan)
    return Takes((*lines, *brews), start)


def _brews(walk: Walk, plan: Plan) -> tuple[list[str], date | None]:
    """When to begin which brew, as the shelf will say it, and what goes into all of them costs."""
    given = max(1, walk.draft.units_given(plan.layout.cuts))
    ahead = pours_ahead(plan, walk.known.recipes, given, when)
    if not ahead:
        return [], None
    serves, needed = brewings_with(db(), now(), ahead, season())
    lines = [f"{name} for the first pours is on the shelf." for name in _served(serves, plan)]
    planned = [batch for batch in needed if any(serve.trial_id == UNDEALT for serve in batch.serves)]
    titles = dict.fromkeys(batch.recipe.title for batch in planned)
    lines += [_brew(title, [batch for batch in planned if batch.recipe.title == title]) for title in titles]
    household = household_kit(db())
    costs = [cost_of(in_batch_of(batch.recipe, batch.litres), household.prices) for batch in planned]
    if None not in costs and sum(cost or 0.0 for cost in costs) > 0:
        lines.append(f"What goes into it costs {money(sum(cost or 0.0 for cost in costs), household.currency)}.")
    late = [batch.ready_from.date() - batch.late[0].at.date() for batch in planned if batch.late]
    return lines, plan.start_on + max(late) if late else None


def _served(serves: Mapping[int, Sequence[Pouring]], plan: Plan) -> list[str]:
    """The treatments that the shelf serves."""
    letters = {serve.letter for pourings in serves.values() for serve in pourings if serve.trial_id == UNDEALT}
    return [plan.treatments[plan.letters.index(letter)].name for letter in sorted(letters)]


def _brew(title: str, planned: Sequence[Brewing]) -> str:
    first = planned[0]
    if first.late:
        return f"{title} can’t be ready before {_day(first.ready_from)}, even if you begin it now."
    amount = units()(Amount(first.litres, "L" if first.recipe.liquid else first.recipe.yields_unit))
    begins = f"Begin {lower_first(title)} {'now' if first.hurried else f'by {_day(first.stand or first.start)}'}"
    water = " (its water stands a day first)" if first.stand is not None else ""
    again = f", and {plural(len(planned) - 1, 'time')} more" if len(planned) > 1 else ""
    return f"{begins}{water}: {amount}{again}.{_left_over(first)}"


def _left_over(brewing: Brewing) -> str:
    """What becomes of the rest, where the smallest batch is much more than the plan pours."""
    used = sum(pouring.litres for pouring in brewing.serves)
    recipe, unit = brewing.recipe, "L" if brewing.recipe.liquid else brewing.recipe.yields_unit
    if used >= brewing.litres * MOSTLY or not used:
        return ""
    keeps = "" if recipe.keeps_hours is None else f" and keeps {time_words((recipe.keeps_hours, recipe.keeps_hours))}"
    return f" The trial takes {units()(Amount(used, unit))} of it; the rest is left over{keeps}."


def _day(at: datetime) -> str:
    return day_words(at.date())
