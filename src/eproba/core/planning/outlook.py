"""What a plan can show: the noise that it reckons with, its chances as a range, and what would help most.

References
----------
Gelman, A. et al. (2013). Bayesian Data Analysis, 3rd ed., 2.6: a variance with a scaled inverse-χ² prior, so that one
small trial of one's own moves the catalogue's usual noise by as much as is known from it, and no further.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from scipy import stats

from eproba.core.errors import EprobaError
from eproba.core.judging.from_trial import KINDS
from eproba.core.measuring.measures import CATALOGUE_DF, OWN_NOISE, Measure, OwnNoise
from eproba.core.planning.chance import Chances, chances, own_power, table
from eproba.core.planning.cutter import GRADIENT_SHARE, Proposal, noise_after_sorting, noise_without_blocks
from eproba.core.planning.draft import MeasurePart
from eproba.core.planning.prospect import MOST_CV, MOST_UNITS, ChanceError, Prospect
from eproba.core.stats.periods import FEWEST as FEWEST_PERIODS
from eproba.core.stats.periods import MOST as MOST_PERIODS
from eproba.core.stats.sample_size import NORMAL_BOTH, units_needed
from eproba.core.stats.series import Scale
from eproba.core.stats.summaries import Summary
from eproba.core.trial.days import POUR_SECONDS
from eproba.core.trial.ground import Site
from eproba.core.trial.lots import in_blocks
from eproba.core.trial.worth import Worth
from eproba.core.words import lower_first

LIVE_TRIALS = 2_000
ENOUGH = 0.8  # chance from which a plan is called able to tell
PERIODS = tuple(range(FEWEST_PERIODS, MOST_PERIODS + 1, 2))
TABLE_UNITS = (2, 3, 4, 5, 6, 8, 10, 12, 16, 20)
WORTH_STEPS = (0.5, 0.75, 1.0, 1.5, 2.0)
LIKELY = 0.8  # of the noises that could be behind it lie in the range that is shown
TRACKING = 0.6  # how far a baseline foretells the last reading (correlation): likewise a guess
MOST_HELP, HELPED_UNITS = 3, 24


@dataclass(frozen=True)
class Noise:
    """The noise that a plan reckons with, where it comes from, and the range that it may lie in.

    All are a CV on the ratio scale, else an SD in the unit.
    """

    value: float
    source: str
    low: float
    high: float


@dataclass(frozen=True)
class Help:
    """Something that would make the answer clearer: what to change, in words, its chance, the minutes that it adds to a
    round and an application; `units`: those of each, where more are the help."""

    key: str
    words: str
    chance: float
    minutes: float = 0.0
    units: int | None = None


@dataclass(frozen=True)
class Reach:
    """How often a plan shows its worth, `low` to `high` by how noisy the units may be, and the cheapest way to more."""

    prospect: Prospect
    noise: Noise
    chance: float
    low: float
    high: float
    help: Help | None

    def words(self, unit: str) -> str:
        """The chance in a sentence; `unit`: that of a worth that is no percent."""
        size = Worth(self.prospect.worth, self.prospect.scale).words(unit)
        truth = f"makes {size}" if self.prospect.scale == "ratio" else f"makes a difference of {size}"
        shown = "this plan shows it"
        if self.prospect.no_worse:
            truth, shown = "is as good", f"this plan shows that it is no worse by {size}"
        ends = [f"{100 * end:.0f}" for end in (self.low, self.high)]
        span = f" ({ends[0]} to {ends[1]}, by how much your units differ by themselves)" if ends[0] != ends[1] else ""
        return f"If it truly {truth}, {shown} in {100 * self.chance:.0f} of 100 gardens{span}."


@dataclass(frozen=True)
class ProposalShown:
    """A proposal with what it can show; `chance` None: it can't be judged."""

    proposal: Proposal
    chance: float | None
    words: str


@dataclass(frozen=True)
class Outlook:
    """All that the chance page shows; `reach` None: one unit of each shows nothing."""

    prospect: Prospect
    noise: Noise
    chances: Chances
    reach: Reach | None
    units: tuple[int, ...]
    worths: tuple[float, ...]
    rows: list[list[float]]
    settling: int | None
    helps: tuple[Help, ...]


class NoiseUnknown(EprobaError):
    """Nobody can say how much units differ by themselves; the message says what to type."""

    step = "measure"


def noise_of(
    measure: Measure, scale: Scale, typed: float | None, own: OwnNoise | None, summary: Summary = "last",
    days: int = 1, typical: float | None = None, readings: int = 1, sown: int | None = None,
    apart: float = 0.0,
) -> Noise:  # fmt: skip
    """Typed, else the catalogue's, drawn towards the gardener's own trials by how much is known from them.

    Of a rate, what values differ by is shared out over the days; of the day of reaching a level, nothing is known but
    what days usually differ by. A noise that is known in percent becomes one in the unit by what one unit usually
    gives (`typical`); where that is not said, own trials speak alone. All are told of one reading a unit; averaging
    `readings` takes them down. `sown`: seeds in each unit, where those that came up are counted. `apart`: days between
    two rounds, where what is read is a day: it is known no better than that.

    Raises
    ------
    NoiseUnknown
        A noise in percent, nothing said to be percent of, and no trial of one's own.
    """
    left = measure.averaged(readings)
    if typed is not None:
        value = as_noise(left * as_sd(typed, scale), scale)
        return Noise(value, "as you typed it", value, value)
    if summary == "time_to":
        return Noise(OWN_NOISE["day"], "a guess: units differ by days", OWN_NOISE["day"] / 2, 2 * OWN_NOISE["day"])
    own = None if summary == "rate" else own
    in_percent = scale == "difference" and measure.noise_cv is not None
    catalogue_df = 0.0 if in_percent and typical is None else CATALOGUE_DF
    if not catalogue_df and own is None:
        text = f"The usual noise of {lower_first(measure.name)} is known in percent. Say under Measure what one unit"
        raise NoiseUnknown(f"{text} usually gives, in {measure.unit}, or say it all in percent.")
    usual = (measure.noise_cv or 0.0) * (typical or 0.0) if in_percent else as_sd(measure.noise_on(scale, sown), scale)
    usual /= days if summary == "rate" else 1
    usual = math.hypot(usual, apart / math.sqrt(12)) if measure.kind == "day" else usual
    df = catalogue_df + (own.df if own else 0.0)
    sd = math.sqrt((catalogue_df * usual**2 + (own.df * own.sd**2 if own else 0.0)) / df)
    ends = [math.sqrt(df / stats.chi2.ppf(share, df)) for share in ((1 + LIKELY) / 2, (1 - LIKELY) / 2)]
    value, low, high = (as_noise(left * end, scale) for end in (sd, sd * ends[0], sd * ends[1]))
    return Noise(value, _source(measure, own, typical if in_percent else None, catalogue_df), low, high)


def _source(measure: Measure, own: OwnNoise | None, typical: float | None, catalogue_df: float) -> str:
    percent = f"the catalogue’s {100 * (measure.noise_cv or 0.0):.0f} % of what one unit usually gives"
    if own is None:
        return "the catalogue’s usual for this measure" if typical is None else percent
    trials = f"{own.trials} finished trial{'s' if own.trials > 1 else ''} of your own"
    catalogue = "the catalogue" if typical is None else percent
    return f"from {trials} and {catalogue}, each by how much is known from it" if catalogue_df else f"from {trials}"


def as_sd(noise: float, scale: Scale) -> float:
    """A noise as an SD on the scale of the estimates: a CV enters the log scale as √ln(1 + CV²)."""
    return math.sqrt(math.log1p(noise**2)) if scale == "ratio" else noise


def as_noise(sd: float, scale: Scale) -> float:
    """The way back from `as_sd`."""
    return math.sqrt(math.expm1(sd**2)) if scale == "ratio" else sd


def prospect_of(
    measure: MeasurePart, treatments: int, proposal: Proposal, noise: float, crossed: bool = False,
    laddered: bool = False, read: Measure | None = None,
) -> Prospect:  # fmt: skip
    """A proposal as far as its chances go; where any difference would do, one noise SD stands in for the worth. `read`:
    the measure itself, by which readings are rounded.

    Raises
    ------
    ChanceError
        Where they can't be told.
    """
    worth = Worth.from_typed(measure.worth, measure.scale).size
    return Prospect(
        treatments=treatments,
        units=proposal.units_each,
        blocks=in_blocks(proposal.dealing),
        scale=measure.scale,
        noise=noise,
        worth=noise if worth is None else worth,
        square=proposal.dealing == "Latin square" and not crossed,
        no_worse=measure.aim == "no worse",
        crossed=crossed,
        laddered=laddered,
        turns=proposal.dealing == "on and off",
        kind="quantity" if read is None else KINDS[read.kind],
        step=0.0 if read is None else step_of(read, measure.summary, measure.per_unit),
        level=measure.typical,
    )


def step_of(read: Measure, summary: Summary = "last", readings: int = 1) -> float:
    """What the judged number of a unit is rounded to: its readings, by their decimals. Of days and of seeds the noise
    knows already how coarse they are."""
    if summary in ("rate", "time_to") or read.kind in ("photo", "worked out", "day") or read.in_percent_points:
        return 0.0
    return 10.0**-read.decimals / readings


def shown_proposals(
    measure: MeasurePart,
    treatments: int,
    candidates: list[Proposal],
    site: Site,
    noise: Noise,
    sizes: tuple[float, ...],
    unit: str,
    crossed: bool = False,
    laddered: bool = False,
    read: Measure | None = None,
) -> list[ProposalShown]:
    """Each proposal with its chance and what it gains; `unit`: that of a worth that is no percent."""
    shown = []
    for candidate in candidates:
        factor = _noise_factor(candidate, site, sizes, treatments)
        prospect = prospect_of(measure, treatments, candidate, noise.value * factor, crossed, laddered, read)
        shown.append(ProposalShown(candidate, own_power(prospect), _words(candidate, site, prospect, noise, unit)))
    return shown


def _noise_factor(proposal: Proposal, site: Site, sizes: tuple[float, ...], treatments: int) -> float:
    if proposal.key == "sorted":
        return noise_after_sorting(sizes, treatments)
    return noise_without_blocks(site) if proposal.dealing in ("completely random", "one of each") else 1.0


def _words(proposal: Proposal, site: Site, prospect: Prospect, noise: Noise, unit: str) -> str:
    chance = own_power(prospect)
    if chance is None:
        return "Seen, never shown: with one of each nobody can tell the treatment from its place."
    worth = Worth(prospect.worth, prospect.scale).words(unit)
    text = f"Finds {'no worse by' if prospect.no_worse else 'a true'} {worth} in {100 * chance:.0f} of 100"
    if proposal.key == "sorted":
        plain = own_power(replace(prospect, noise=noise.value)) or 0.0
        return f"{text}; the same pots unsorted in {100 * plain:.0f}, if size foretells the end as it mostly does."
    if in_blocks(proposal.dealing) and site.gradient is not None:
        free = replace(prospect, blocks=False, noise=noise.value * noise_without_blocks(site))
        gain = f"anywhere on this gradient in {100 * (own_power(free) or 0.0):.0f}"
        return f"{text}; {gain} (it is taken to make {100 * GRADIENT_SHARE:.0f} % of the differences)."
    if prospect.turns:
        return f"{text}: {prospect.units} periods, in each of them one place on and the other off."
    beds = [place for place in site.places if not place.standing]
    if len(beds) >= prospect.treatments:
        return f"{text}; one whole bed each in none, since two beds differ anyway."
    return f"{text}."


def outlook(prospect: Prospect, noise: Noise, help_with: tuple[Help, ...]) -> Outlook:
    """The chance page of a plan."""
    worths = tuple(float(f"{prospect.worth * step:.2g}") for step in WORTH_STEPS)
    reach = reach_of(prospect, noise, help_with)
    return Outlook(
        prospect=prospect,
        noise=noise,
        chances=chances(prospect, LIVE_TRIALS),
        reach=reach,
        units=PERIODS if prospect.turns else TABLE_UNITS,
        worths=worths,
        rows=table(prospect, PERIODS if prospect.turns else TABLE_UNITS, worths),
        settling=settling(prospect),
        helps=help_with,
    )


def reach_of(prospect: Prospect, noise: Noise, help_with: Sequence[Help]) -> Reach | None:
    """The chance of a plan without simulating it; None where one unit of each can show nothing."""
    chance = own_power(prospect)
    if chance is None:
        return None
    ends = [_within(end, prospect.scale) for end in (noise.high, noise.low)]
    low, high = (own_power(replace(prospect, noise=end)) or 0.0 for end in ends)
    enough = [help_ for help_ in help_with if help_.chance >= ENOUGH]
    cheapest = min(enough, key=lambda help_: help_.minutes, default=None)
    best = cheapest or max(help_with, key=lambda help_: help_.chance, default=None)
    return Reach(prospect, noise, chance, low, high, None if chance >= ENOUGH else best)


def _within(noise: float, scale: Scale) -> float:
    """A noise that a plan can be reckoned on: in percent there is a most."""
    return min(noise, MOST_CV) if scale == "ratio" else noise


def settling(prospect: Prospect) -> int | None:
    """Units of each that show the worth in 8 of 10, where the plan has fewer; squares can't take more."""
    return None if prospect.square or _is_enough(prospect) else fewest(prospect)


def fewest(prospect: Prospect) -> int | None:
    """The fewest units of each (on and off: periods) that show the worth in 8 of 10; None: beyond all reason."""
    if prospect.turns:
        return next((n for n in PERIODS if _is_enough(replace(prospect, units=n))), None)
    if prospect.crossed:
        least = math.floor((NORMAL_BOTH * prospect.sd / prospect.gap) ** 2)  # by the normal: no fewer can do
        return next((n for n in range(max(2, least), MOST_UNITS + 1) if _is_enough(replace(prospect, units=n))), None)
    rivals = prospect.treatments - 1
    return units_needed(
        prospect.gap, prospect.read_sd, rivals, prospect.blocks, 0, ENOUGH, prospect.no_worse, prospect.at_once
    )


def _is_enough(prospect: Prospect) -> bool:
    return (own_power(prospect) or 0.0) >= ENOUGH


def helps(prospect: Prospect, measure: MeasurePart, known: dict[str, Measure], baseline: bool) -> tuple[Help, ...]:
    """What would make the answer clearer, the most helpful first: more units, more readings, fewer treatments, a
    quieter measure."""
    now = own_power(prospect) or 0.0
    first = known.get(measure.measure)
    seconds = (0 if first is None else first.seconds) * measure.per_unit + POUR_SECONDS
    helps_all = [*_more_units(prospect, seconds), *_more_readings(prospect, measure, known), *_fewer(prospect)]
    helps_all += _baseline(prospect, baseline) + _quieter(prospect, measure, known)
    better = [help_ for help_ in helps_all if help_.chance > now + 0.005]
    return tuple(sorted(better, key=lambda help_: -help_.chance)[:MOST_HELP])


def _more_units(prospect: Prospect, seconds: float) -> list[Help]:
    if prospect.square or prospect.turns:
        return []
    units = min(max(settling(prospect) or prospect.units + 2, prospect.units + 1), HELPED_UNITS)
    if units <= prospect.units:
        return []
    chance = own_power(replace(prospect, units=units)) or 0.0
    minutes = (units - prospect.units) * prospect.treatments * seconds / 60
    return [Help(f"units-{units}", f"{units} units of each instead of {prospect.units}", chance, minutes, units)]


def _more_readings(prospect: Prospect, measure: MeasurePart, known: dict[str, Measure]) -> list[Help]:
    more, first = measure.per_unit + 2, known.get(measure.measure)
    if more > 9 or first is None or first.kind == "day":
        return []
    sd = prospect.sd * first.averaged(more) / first.averaged(measure.per_unit)
    chance = own_power(replace(prospect, noise=as_noise(sd, prospect.scale))) or 0.0
    minutes = 2 * first.seconds * prospect.units * prospect.treatments / 60
    words = f"{more} readings of each unit, averaged, instead of {measure.per_unit}"
    return [Help(f"readings-{more}", words, chance, minutes)]


def _fewer(prospect: Prospect) -> list[Help]:
    """The same ground for one treatment less."""
    if prospect.treatments < 3 or prospect.square or prospect.crossed:
        return []
    units = prospect.units * prospect.treatments // (prospect.treatments - 1)
    chance = own_power(replace(prospect, treatments=prospect.treatments - 1, units=units)) or 0.0
    return [Help("treatments", f"One treatment less, {units} units of each on the same ground", chance)]


def _baseline(prospect: Prospect, has_baseline: bool) -> list[Help]:
    if has_baseline or prospect.turns:  # places that take turns are their own baseline
        return []
    chance = own_power(replace(prospect, noise=prospect.noise * math.sqrt(1 - TRACKING**2))) or 0.0
    return [Help("baseline", "A baseline on day 0, so that each unit is compared with its own beginning", chance)]


def _quieter(prospect: Prospect, measure: MeasurePart, known: dict[str, Measure]) -> list[Help]:
    """Another measure of the same kind whose units differ less, judged by the same worth in percent."""
    if prospect.scale != "ratio" or measure.measure not in known:
        return []
    rhythm = known[measure.measure].rhythm
    alike = [
        measure_
        for measure_ in known.values()
        if measure_.scale == "ratio" and measure_.rhythm == rhythm and measure_.noise_cv
    ]
    best = min(alike, key=lambda measure_: measure_.noise_cv or 1.0)
    if best.key == measure.measure or (best.noise_cv or 1.0) >= prospect.noise:
        return []
    try:
        chance = own_power(replace(prospect, noise=best.noise_cv or prospect.noise)) or 0.0
    except ChanceError:
        return []
    return [Help(f"measure-{best.key}", f"{best.name} instead: it differs less from unit to unit", chance)]
