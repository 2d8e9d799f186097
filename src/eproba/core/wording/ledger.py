"""The trust ledger in words: a sentence for everything that a rule can say, with its evidence in it."""

from collections.abc import Callable, Mapping, Sequence
from datetime import date
from itertools import pairwise
from string import Formatter
from typing import Any

from eproba.core.judging.trust_line import TrustLine
from eproba.core.quantities import METRIC, Amount, Units
from eproba.core.trial.ground import UNIT, UnitNoun
from eproba.core.wording.sentences import HEADLINES
from eproba.core.words import figure, listed, plural

SAID: Mapping[str, str] = {
    # Units and lots
    "one unit": "Only one {one} of {treatments:names}. Two places always differ a little, whatever is poured on them, "
    "so this can be described but not judged.",
    "two units": "Only two {several} of {treatments:names}, and more of others: how much those two differ by "
    "themselves is hardly known, so a direction is the most that can be told.",
    "few units": "{counts:counts}: few, so only a large gap can be told from luck.",
    "units": "{counts:counts}.",
    "lost units": "Lost or without a value: {units:names}. Ask whether the treatment had a part in it: {several} that "
    "die of it are missing from the gap.",
    "lost unevenly": "{treatment} lost {lost} of {of} {several}, the control {control} of {of_control}: more than "
    "chance gives in 9 of 10 trials.",
    "lost more": "{treatment} lost {lost} of {of} {several}, the control {control} of {of_control}: more than luck "
    "would take (p = {p:.3f}). What the others gave is no gain.",
    "lost beyond the margin": "{treatment} lost {lost} of {of} {several}, the control {control} of {of_control}. What "
    "loses more than 1 in 10 {several} more is not called as good.",
    "weakens with the lost": "{lost:units} of {treatment} and {control:units} of the control have no value. If the "
    "lost {several} had been the worst, less of the verdict would stand.",
    "effect with the lost": "If the {several} without a value had been the worst, what is said of {treatment} over "
    "with and without the other would not stand as it is.",
    "the same as last seen": "As {units:names} last stood before they were lost, the verdict on {treatment} is the "
    "same.",
    "another as last seen": "As {units:names} last stood before they were lost, the verdict on {treatment} would be "
    "“{verdict:verdict}”. Were they truly lost, or put aside?",
    "turns with the lost": "{lost:units} of {treatment} and {control:units} of the control have no value. If the lost "
    "{several} had been the worst, the verdict would not stand.",
    "stands with the lost": "{lost:units} of {treatment} and {control:units} of the control have no value. Even if the "
    "lost {several} had been the worst, the verdict stands.",
    "not yet": "In {units:units} it had not happened by the last look: those stand behind all others, and the verdict "
    "goes by order.",
    "lots not known": "The file can't say how the treatments were dealt. All figures here suppose: by lot.",
    "not dealt": "The lots did not fall by chance, as you say. All figures here suppose that they did: what was "
    "favoured may look better than it is.",
    "dealt": "Treatments were dealt by lot, with a seed that is kept.",
    "dealt again": "Treatments were dealt by lot, with a seed that is kept; they were dealt {deals} times before the "
    "start: choosing among deals is not chance.",
    "dealt before": "A trial of the same question, “{name}”, was deleted on {on:day}, on its day {day}. Its lots had "
    "been dealt {deals:times}: whoever deals until the lots suit him leaves nothing to chance.",
    "deleted when over": "A trial of the same question, “{name}”, was over and was deleted on {on:day}: what it said "
    "is not known here.",
    "dealt after the start": "The lots were dealt on day {day}, after the start, so the plants’ growth may have "
    "influenced who got what. Described, not judged.",
    "never shares a block": "{treatment} never shares a block with what it is compared with: its effect can't be told "
    "from the place's.",
    "lots of before": "The same {several} and lots as in the trial before: if luck favoured one side then, it still "
    "does. So this is no repeat of it.",
    # The control
    "nothing given since": "Everything was given in the trial before; control and treatments got nothing since.",
    "control got nothing": "The control got nothing, the others got a drench: a gap may be the work of the water "
    "alone.",
    "control untreated": "The control is untreated ground with the same handling.",
    "control got water": "The control got plain water, the same volume on the same days.",
    "control got other water": "The control was to get plain water, the same volume on the same days; it did not.",
    "control is another": "The control is a {role}: the gap is against that, not against plain water.",
    # Rounds and baselines
    "no baseline": "No readings before the first pour: nobody knows whether the {several} began alike.",
    "partly read": "On day {days:commas} not every living {one} was read.",
    "rounds missed": "{missed} of {due} rounds were missed.",
    "all rounds": "{due:all_rounds}.",
    "judged on its day": "Judged on the readings of day {day}, the decision day.",
    "judged on its day, some on others": "Judged on the readings of day {day}, the decision day; truly read on another "
    "day: {others:unit_days}.",
    "judged near its day": "The round of the decision day, {of}, was not read; day {day} lies within a tenth of the "
    "trial and stands in for it.",
    "judged on another day": "The question was about day {of}, and nothing was read then; day {day} can’t stand in for "
    "it, so this is described, not judged.",
    "looked before": "The envelope was opened before, on day {days:commas}. That has its price: the ranges here are "
    "wider than without it.",
    "changed after the opening": "Changed with the envelope open, by {who:names}: {changed:counted}. "
    "The verdict before was: {before:ended}",
    "changed after the opening, unjudged": "Changed with the envelope open, by {who:names}: {changed:counted}.",
    "misled": "{treatment} may act on the reading itself: {why}.",
    "left over": "What was given leaves something behind: in the period after, a place still stood apart by about "
    "{share:percent} of the gap (p = {p:.2f}). Allow a longer pause next time; the true gap is probably larger.",
    "left nothing": "Nothing is shown to be left over from one period to the next (p = {p:.2f}).",
    "left over not told": "Whether anything is left over from one period to the next can’t be told from so few.",
    "neighbours alike": "Neighbours are more alike than chance makes them once blocks and treatments are taken out: "
    "something runs across this ground that the blocks did not catch.",
    "one block each": "{treatment} by {kind}: {gaps:gaps}. With one block of each, nobody can say whether that "
    "differs.",
    "another for each": "{treatment} by {kind}: {gaps:gaps}. That differs by more than chance gives in 19 of 20 "
    "trials: the verdict is about them together, and may not hold for each.",
    "alike for each": "{treatment} by {kind}: {gaps:gaps}. That differs by no more than chance gives.",
    "read elsewhen": "Read on another day than planned: {moved:moved}. The true day counts.",
    "read off hours": "Read outside the hours of the round: {off:off_hours}.",
    "began apart": "At the start the groups were further apart than lots give in 19 of 20 trials: {apart:apart}. The "
    "judgement takes the start out.",
    "began wholly apart": "At the start every {one} of {treatment} stood {side} every {one} of the control: no "
    "calculation can correct for such a different start.",
    "began alike": "The groups began no further apart than lots make them; the judgement takes the start out.",
    "baseline filled in": "{filled} of {units} {several} have no baseline; the mean of the others stands in for it "
    "(fair when dealt by lot: White & Thompson 2005).",
    "could hardly answer": "At the baseline {silent} of {units} {several} could hardly answer. {why}",
    # Noise
    "far off": "Far from what its group and block lead to expect: {units:names}. Check for a typing slip or a reason. "
    "It still counts.",
    "unequal noise": "{wild} scattered {times:.1f} times as much as {calm}; each treatment is judged on its own noise, "
    "so the intervals take it already.",
    "much noisier": "{wild} scattered {times:.1f} times as much as {calm}, and the {several} are few: a gap may be the "
    "work of a few far ones.",
    "hangs on one": "Without {one} {unit} alone, {treatment} would not stand apart from the control: all hangs on a "
    "single {one} of few.",
    "hangs on a far one": "Had {one} {unit} been as far off on the other side as the farthest was, {treatment} would "
    "not stand apart from the control: in an arm so noisy, a single far {one} decides.",
    "percent fits better": "Large values vary more than small ones: percent would suit them better than differences. "
    "Choose percent for a next trial.",
    "pooled stands in": "{treatment} and the control show no noise of their own (all alike): that of the other "
    "treatments stands in for it, so a direction is the most that can be told.",
    "few look calm": "{treatment} stood apart on the noise of so few {several} alone, and not on that of all: three "
    "that happen to lie close look calm.",
    "the same without": "Without the {several} far off the verdict on {treatment} is the same.",
    "another without": "Without the {several} far off the verdict on {treatment} would be “{verdict:verdict}”.",
    "nothing left over": "Too few {several} for blocks and baseline: nothing is left over to measure the noise with.",
    "all alike": "All {several} of a group read the same: the readings are too coarse to show any noise, so no "
    "interval.",
    "out of reach": "With so few {several}, reshuffling can’t go below 1 in {best:.0f}{comparisons:among}, so it can’t "
    "show anything.",
    "out of reach, model": "With so few {several}, reshuffling alone can’t go below 1 in "
    "{best:.0f}{comparisons:among}. The calculation can; its assumptions were checked.",
    "model and shuffle disagree": "{treatment}: the model says p = {model:.3f}, the shuffle test {shuffle:.3f}, on "
    "different sides of 1 in 20. Treat this verdict as borderline.",
    # The plan
    "never declared": "The plan was never declared: nobody can tell what it was at the start.",
    "declared": "Declared on {on:day}, fingerprint {fingerprint}; {amendments:amendments}.",
    "declared after an answer": "Declared on day {day}, when the first answer was in already (day {answer}): nobody "
    "can tell what was asked before it was known. Described, not judged.",
    "changed file": "The file that it was taken in from was changed after it was written ({files:commas}): nobody can "
    "tell what else. Described, not judged.",
    "laid down late": "Laid down on day {day}, with a start in the past.",
    "amended": "On day {day} {what} was changed from {old} to {new}: {reason}.",
    "changed untold": "Differs from the declared plan without an amendment: {facts:commas}.",
    "ended early": "Ended on day {day} of {of}: {reason:ended} Because stopping on a good day flatters luck, the "
    "ranges are widened.",
    "borders": "{beside} of {neighbours} borders lie between treated and control ground, with a guard of {guard:cm} "
    "between.",
    "guard too narrow": "{beside} of {neighbours} borders lie between treated and control ground, with a guard of "
    "{guard:cm} where {advised:cm} is advised: a drench that crosses makes the gap look smaller, worms that change "
    "sides make it look larger.",
    "crops are blocks": "Crops ({crops:commas}) are blocks here: their own differences are taken out. Whether the "
    "treatment suits one better than the other is not judged.",
    "tags did not name": "The tags did not name the treatment.",
    "scored by eye": "{measure} is scored by eye or nose, by somebody who could know which is which.",
    "spare plants": "Tried on a spare plant first, not judged ({runs:runs}).",
    # Batches
    "one batch for all": "One batch (or bag) went to all units: the verdict speaks of that one, not of the recipe or "
    "the brand.",
    "a batch for each block": "{batches} batches, one for each block: their differences are in the noise, so it speaks "
    "of the recipe.",
    "batches over blocks": "{batches} batches over {blocks} blocks: differences between batches are in the noise only "
    "in part.",
    "all from one batch": "All {pours} pours of {treatment} came from one batch: the verdict speaks of one brew.",
    "batches in turn": "{batches} batches of {treatment} were poured one after the other, each on all units: the "
    "verdict speaks of them together.",
    "batches side by side": "{batches} batches of {treatment} were brewed and dealt to the blocks side by side: how "
    "they differ is in the noise, so it speaks of the recipe.",
    "made otherwise": "What {treatment} got from day {day} on was made otherwise than its recipe: {what:ended}",
    "bad batch": "On day {day} {treatment} came from a batch that should not be poured: {why:ended}",
    # Applications
    "all on record": "All {applications} pours are on record.",
    "skipped or not on record": "Of {of} pours {left_out:left_out} ({pours:pours}).",
    "mostly not given": "Of {of} pours {left_out:left_out} ({pours:pours}): more than a third, so how large the gap is "
    "says little of the treatment as planned.",
    "came late": "{late} of {of} pours came late, by up to {days} days ({pours:pours}): the verdict speaks of what was "
    "poured, when it was poured.",
    "poured short": "{treatment}: poured short {times:times}, down to {least:percent} of the plan: {units:pours}.",
    "poured over": "{treatment} got more than the plan gives {times:times}, up to {most:percent} of it: {units:pours}.",
    "twice on a day": "Two pours of one treatment were given on one day: {pours:pours}.",
    "too soon": "Given sooner after the last time than the recipe allows: {pours:pours}.",
    "from no brew": "The record does not say from which brew these came: {pours:pours}.",
    "another brew": "On day {day} {treatment} ({letter}) was poured from a batch of {title}.",
    "unequal water": "Unequal water on day {days:commas}: a gap may be the watering alone.",
    "units unlike": "Single {several} got another amount of water than the rest of their treatment: {units:pours}.",
    "gradient across": "The ground was drawn with a gradient ({kind}), and the lots fell across it anywhere: blocks "
    "across it would have kept like with like.",
    "handled unlike": "Not every {one} got the same handling on day {days:commas}: raking alone can do something.",
    "carried over": "On day {days:commas} the control was poured from the brew’s can afterwards; traces may have "
    "carried over.",
}


def text_of(line: TrustLine, units: Units = METRIC, noun: UnitNoun = UNIT) -> str:
    """The sentence of a line of the ledger, its amounts as a household has them, its units by their noun."""
    nouns = {"one": noun.one, "several": noun.several}
    return _Words(units, noun).vformat(SAID[line.says], (), {**line.evidence, **nouns})


class _Words(Formatter):
    """Evidence in words: what is no number has a way of its own to be said, named after the colon."""

    def __init__(self, units: Units, noun: UnitNoun) -> None:
        self.units, self.noun = units, noun

    def format_field(self, value: object, format_spec: str) -> str:
        if format_spec == "cm" and isinstance(value, int | float):
            return self.units(Amount(float(value), "cm"))
        if format_spec == "units" and isinstance(value, int):
            return self.noun(value)
        if format_spec == "counts" and isinstance(value, Mapping):
            return _counts(value, self.noun)
        way = _WAYS.get(format_spec)
        return str(super().format_field(value, format_spec)) if way is None else way(value)


def _names(value: object) -> str:
    return listed([str(name) for name in _each(value)])


def _commas(value: object) -> str:
    return ", ".join(str(name) for name in _each(value))


def _counts(counts: Mapping[object, int], noun: UnitNoun) -> str:
    """Units of each treatment: one number where it is the same for all."""
    if all(a == b for a, b in pairwise(counts.values())):
        return f"{noun(next(iter(counts.values())))} of each treatment"
    return f"{noun.several.capitalize()}: " + ", ".join(f"{name} {n}" for name, n in counts.items())


def _moved(value: object) -> str:
    moved: Mapping[object, object] = value if isinstance(value, Mapping) else {}
    return "; ".join(f"day {plan} on day {_names(true)}" for plan, true in moved.items())


def _off_hours(value: object) -> str:
    off: Mapping[object, tuple[int, int]] = value if isinstance(value, Mapping) else {}
    return "; ".join(f"day {day}, {plural(count, 'reading')}, by up to {most} h" for day, (count, most) in off.items())


def _apart(value: object) -> str:
    parts = [
        f"{name} {'above' if gap > 0 else 'below'} the control by {abs(gap):.1f} times what units differ by"
        for name, gap in _each(value)
    ]
    return "; ".join(parts)


def _amendments(value: object) -> str:
    return "no amendment" if not value else f"{value} amendment{'s' if value != 1 else ''}"


def _all_rounds(value: object) -> str:
    return "The one round was taken" if value == 1 else f"All {value} rounds were taken"


def _ended(value: object) -> str:
    """What somebody typed, as the end of a sentence."""
    return f"{str(value).rstrip('. ')}."


def _times(value: object) -> str:
    return {1: "once", 2: "twice"}.get(value if isinstance(value, int) else 0, f"{value} times")


def _left_out(value: object) -> str:
    """“2 were skipped and 1 is not on record”, naught untold."""
    verbs = {"skipped": ("was", "were"), "not on record": ("is", "are")}
    return listed([f"{count} {verbs[how][count != 1]} {how}" for how, count in _each(value)])


def _among(value: object) -> str:
    return "" if value == 1 else f" and there are {value} comparisons"


def _runs(value: object) -> str:
    return "; ".join(f"{name}: {'came through' if came_through else 'suffered'}" for name, came_through in _each(value))


def _pours(value: object) -> str:
    """Letters or units with their days: “B and C on days 0 and 7; A3 on day 14”."""
    days: dict[str, list[str]] = {}
    for letter, day in _each(value):
        days.setdefault(str(letter), []).append(str(day))
    letters: dict[tuple[str, ...], list[str]] = {}
    for letter, on in days.items():
        letters.setdefault(tuple(dict.fromkeys(on)), []).append(letter)
    return "; ".join(
        f"{listed(names)} on day{'s' if len(on) > 1 else ''} {listed(on)}" for on, names in letters.items()
    )


def _gaps(value: object) -> str:
    parts = [
        f"{name} {'+' if gap > 0 else ''}{figure(gap)} {unit}".rstrip() + f" ({plural(blocks, 'block')})"
        for name, gap, unit, blocks in _each(value)
    ]
    return ", ".join(parts)


def _percent(value: object) -> str:
    return f"{100 * value:.0f} %" if isinstance(value, float) else str(value)


def _day(value: object) -> str:
    return f"{value.day} {value:%b} {value.year}" if isinstance(value, date) else str(value)


def _each(value: object) -> Sequence[Any]:
    """Evidence that comes as a list."""
    return value if isinstance(value, Sequence) else ()


_WAYS: Mapping[str, Callable[[object], str]] = {
    "names": _names,
    "commas": _commas,
    "moved": _moved,
    "off_hours": _off_hours,
    "apart": _apart,
    "verdict": lambda value: HEADLINES.get(value, str(value)),  # type: ignore[call-overload]
    "readings": lambda value: plural(value if isinstance(value, int) else 0, "reading"),
    "counted": lambda value: listed([plural(count, what) for what, count in _each(value)]),
    "gaps": _gaps,
    "unit_days": lambda value: ", ".join(f"{code} (day {day})" for code, day in _each(value)),
    "amendments": _amendments,
    "all_rounds": _all_rounds,
    "ended": _ended,
    "times": _times,
    "left_out": _left_out,
    "were": lambda value: f"{value} {'was' if value == 1 else 'were'}",
    "are": lambda value: f"{value} {'is' if value == 1 else 'are'}",
    "among": _among,
    "runs": _runs,
    "pours": _pours,
    "percent": _percent,
    "day": _day,
}
