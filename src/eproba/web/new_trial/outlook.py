"""What a plan can show: the chances beside the cutter's proposals, and the page of the chance of a clear answer.

Imports the statistics, so views import this where it is needed only.
"""

import math
from dataclasses import dataclass, replace
from typing import Any

from eproba.core.measuring.measures import Measure
from eproba.core.planning.chance import Chances, Prospect, adjusted_power, chances, table
from eproba.core.planning.cutter import (
    GRADIENT_SHARE,
    Proposal,
    noise_after_sorting,
    noise_without_blocks,
)
from eproba.core.stats.sample_size import units_needed
from eproba.core.trial.days import DaysError, seconds_of_round, units_in
from eproba.core.trial.ground import Site
from eproba.core.trial.lots import in_blocks
from eproba.core.trial.worth import Worth, as_kept
from eproba.store.findings import own_noise
from eproba.web.new_trial.answers import Forms, asked_keys, drawn_site, rhythm_of
from eproba.web.pictures.hundred import Hundred, hundred
from eproba.web.ui.session import db

LIVE_TRIALS = 2_000
TABLE_UNITS = (2, 3, 4, 5, 6, 8, 10, 12, 16, 20)
WORTH_STEPS = (0.5, 0.75, 1.0, 1.5, 2.0)


@dataclass(frozen=True)
class Noise:
    """The noise that a plan reckons with, and where it comes from."""

    value: float
    source: str


@dataclass(frozen=True)
class ProposalShown:
    """A proposal with what it can show; `chance` None: it can't be judged."""

    proposal: Proposal
    chance: float | None
    words: str


@dataclass(frozen=True)
class Outlook:
    """All that the chance page shows."""

    prospect: Prospect
    noise: Noise
    chances: Chances
    pictures: tuple[Hundred, ...]
    units: tuple[int, ...]
    worths: tuple[float, ...]
    rows: list[list[float]]
    minutes_round: float
    minutes_all: float
    most_units: int
    minutes: float
    settling: int | None


def noise_of(forms: Forms, measure: Measure) -> Noise:
    """Typed, else from the gardener's own finished trials, else from the catalogue."""
    scale = forms["measure"].scale.data
    typed = forms["chance"].noise.number
    if typed is not None:
        return Noise(as_kept(typed, scale), "as you typed it")
    own = own_noise(db(), measure.key, scale)
    if own is not None:
        sd, trials = own
        value = math.sqrt(math.expm1(sd**2)) if scale == "ratio" else sd
        return Noise(value, f"from {trials} finished trial{'s' if trials > 1 else ''} of your own, after blocks")
    guessed = scale == "difference" and measure.noise_cv is not None
    source = (
        "guessed from the catalogue’s percent; type your own" if guessed else "the catalogue’s usual for this measure"
    )
    return Noise(measure.noise_on(scale), source)


def worth_of(forms: Forms, noise: float) -> float:
    """The worth as a fraction or in the unit; where any difference would do, one noise SD stands in for it."""
    number = forms["measure"].worth.number
    if number is None:
        return noise
    return as_kept(float(number), forms["measure"].scale.data)


def prospect_of(forms: Forms, proposal: Proposal, noise: float) -> Prospect:
    """A proposal as far as its chances go. Raises ChanceError where they can't be told."""
    return Prospect(
        treatments=len(forms["treatments"].treatments),
        units=proposal.units_each,
        blocks=in_blocks(proposal.dealing),
        scale=forms["measure"].scale.data,
        noise=noise,
        worth=worth_of(forms, noise),
        square=proposal.dealing == "Latin square",
        no_worse=forms["measure"].aim.data == "no worse",
    )


def shown_proposals(forms: Forms, found: list[Proposal], measure: Measure) -> list[ProposalShown]:
    """Each proposal with its chance and what it gains."""
    noise, site = noise_of(forms, measure), drawn_site(forms)
    shown = []
    for each in found:
        prospect = prospect_of(forms, each, noise.value * _noise_factor(forms, each, site))
        shown.append(ProposalShown(each, adjusted_power(prospect), _words(forms, each, site, prospect, noise)))
    return shown


def _noise_factor(forms: Forms, proposal: Proposal, site: Site) -> float:
    if proposal.key == "sorted":
        return noise_after_sorting(forms["ground"].pot_sizes, len(forms["treatments"].treatments))
    return noise_without_blocks(site) if proposal.dealing in ("completely random", "one of each") else 1.0


def _words(forms: Forms, proposal: Proposal, site: Site, prospect: Prospect, noise: Noise) -> str:
    chance = adjusted_power(prospect)
    if chance is None:
        return "Seen, never shown: with one of each nobody can tell the treatment from its place."
    worth = Worth(prospect.worth, prospect.scale).words("")
    text = f"Finds {'no worse by' if prospect.no_worse else 'a true'} {worth} in {100 * chance:.0f} of 100"
    if proposal.key == "sorted":
        plain = adjusted_power(replace(prospect, noise=noise.value)) or 0.0
        return f"{text}; the same pots unsorted in {100 * plain:.0f}, if size foretells the end as it mostly does."
    if in_blocks(proposal.dealing) and site.gradient is not None:
        free = replace(prospect, blocks=False, noise=noise.value * noise_without_blocks(site))
        gain = f"anywhere on this gradient in {100 * (adjusted_power(free) or 0.0):.0f}"
        return f"{text}; {gain} (it is taken to make {100 * GRADIENT_SHARE:.0f} % of the differences)."
    beds = [place for place in site.places if not place.standing]
    if len(beds) >= prospect.treatments:
        return f"{text}; one whole bed each in none, since two beds differ anyway."
    return f"{text}."


def outlook(forms: Forms, proposal: Proposal, measures: dict[str, Measure], wanted: dict[str, Any]) -> Outlook:
    """The chance page: `wanted` may set other units, noise, worth and blocks than the plan has.

    Raises
    ------
    ChanceError
        Figures that can't be, saying what would fit.
    """
    first = measures[forms["measure"].measure.data]
    noise = noise_of(forms, first)
    if wanted.get("noise") is not None:
        noise = Noise(wanted["noise"], "as set here")
    prospect = prospect_of(forms, proposal, noise.value)
    changed = {key: value for key, value in wanted.items() if value is not None}
    if prospect.square and changed.get("units", prospect.units) != prospect.units:
        changed["square"] = False
        changed.setdefault("blocks", True)
    prospect = replace(prospect, **changed)
    found = chances(prospect, LIVE_TRIALS)
    base = prospect.worth
    worths = tuple(_neat(base * step) for step in WORTH_STEPS)
    asked = [
        (measures[key], int(forms["measure"].per_unit.number or 1) if i == 0 else 1)
        for i, key in enumerate(asked_keys(forms["measure"]))
    ]
    minutes = float(forms["chance"].minutes.number or 20)
    total = prospect.treatments * prospect.units
    per_round = seconds_of_round(asked, total, pull=False) / 60
    rounds = wanted_rounds(forms, measures)
    every = per_round * (rounds - 1) + seconds_of_round(asked, total, pull=True) / 60
    return Outlook(
        prospect=prospect,
        noise=noise,
        chances=found,
        pictures=tuple(hundred(found.shares[truth], truth, prospect) for truth in found.shares),
        units=TABLE_UNITS,
        worths=worths,
        rows=table(prospect, TABLE_UNITS, worths),
        minutes_round=per_round,
        minutes_all=every,
        most_units=units_in(minutes, asked, prospect.treatments),
        minutes=minutes,
        settling=_settling(prospect),
    )


def _settling(prospect: Prospect) -> int | None:
    """Units of each that show the worth in 8 of 10, where the plan has fewer; squares can't take more."""
    if prospect.square or (adjusted_power(prospect) or 0.0) >= 0.8:
        return None
    rivals = prospect.treatments - 1
    return units_needed(prospect.gap, prospect.sd, rivals, prospect.blocks, no_worse=prospect.no_worse)


def _neat(number: float) -> float:
    return float(f"{number:.2g}")


def wanted_rounds(forms: Forms, measures: dict[str, Measure]) -> int:
    """How many rounds the days step plans; two (baseline and decision) while it is not right."""
    if not forms["days"].validate():
        return 2
    try:
        return len(rhythm_of(forms, measures).rounds)
    except DaysError:
        return 2
