"""The claim: what kind of thing is compared, what is tried, against what, in one sentence."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from flask_wtf import FlaskForm
from wtforms import RadioField, StringField, TextAreaField
from wtforms.validators import InputRequired, Length

from eproba.core.catalogue import promises
from eproba.core.planning.claims import AGAINST, Claim, Promise, claim_sentence
from eproba.core.planning.draft import ClaimPart, StepName
from eproba.core.trial.compared import COMPARED, KindWords
from eproba.core.trial.model import Compared, Trial
from eproba.core.trial.worth import Worth, worth_unit
from eproba.web.new_trial.steps.step import Answers, Bench, PlannerStep, Typed, Walk, first_of
from eproba.web.new_trial.usual import CONTROL_NAMES, as_the_kind_wants, first_treatments


class ClaimForm(FlaskForm):
    compared = RadioField("What is compared?", choices=[(key, compared.title) for key, compared in COMPARED.items()])
    thing = StringField("What is tried", [Length(max=60)])
    against = RadioField("Against what", choices=[(role, AGAINST[role]) for role in AGAINST if role != "test"])  # type: ignore[index]
    claim = TextAreaField("The claim, in one sentence", [InputRequired("Say what is claimed."), Length(max=500)])
    name = StringField("A short name", [InputRequired("Give the trial a short name."), Length(max=80)])
    note = TextAreaField("Note", [Length(max=5000)])


@dataclass(frozen=True)
class ClaimPage:
    """The claim as the trial will ask it, part by part, and promises to start from."""

    sentence: str
    measure: str
    worth: str
    day: str
    against: str
    promises: tuple[Promise, ...]
    kinds: Mapping[Compared, KindWords]


class ClaimStep(PlannerStep[ClaimForm, ClaimPart]):
    name = "claim"
    title = "Claim"
    form = ClaimForm

    def first(self, today: date) -> Typed:
        return {
            "claim": [""], "name": [""], "note": [""], "thing": [""], "against": ["water control"],
            "compared": ["drench"],
        }  # fmt: skip

    def again(self, trial: Trial, today: date) -> Typed:
        control = trial.treatment(trial.control).role
        return {
            "claim": [trial.claim], "name": [f"{trial.name}, again"], "compared": [trial.compared],
            "against": [control if control != "test" else "water control"],
        }  # fmt: skip

    def read(self, form: ClaimForm) -> ClaimPart:
        texts = {name: (getattr(form, name).data or "").strip() for name in ("thing", "claim", "name", "note")}
        return ClaimPart(compared=form.compared.data, against=form.against.data, **texts)

    def settled(self, part: ClaimPart, bench: Bench) -> str:
        return part.name

    def act(self, walk: Walk, before: Typed, go: str) -> StepName | None:
        answers, bench = walk.answers, walk.bench
        typed = answers["claim"]
        was, chosen = first_of(before, "compared"), first_of(typed, "compared")
        if chosen != was and chosen in COMPARED and was in COMPARED:
            as_the_kind_wants(answers, was, chosen, bench.known)  # type: ignore[arg-type]
        _take_claim(answers, go, bench)
        carry_claim(answers)
        if go == "next" and not first_of(typed, "claim") and first_of(typed, "thing"):
            typed["claim"] = [built_sentence(walk)]
        return None

    def page(self, walk: Walk) -> ClaimPage:
        measure = walk.draft.measure
        asked = None if measure is None else walk.known.measures[measure.measure]
        worth = (
            ""
            if measure is None
            else Worth.from_typed(measure.worth, measure.scale).words(
                worth_unit(asked.judged_unit if asked else "", measure.summary), "anything"
            )
        )
        against, form = first_of(walk.answers["claim"], "against"), walk.forms["claim"]
        offered = COMPARED[walk.draft.compared].controls
        form.against.choices = [(role, AGAINST[role]) for role in offered]  # type: ignore[attr-defined]
        return ClaimPage(
            sentence=built_sentence(walk),
            measure=asked.name if asked else "",
            worth=worth,
            day="" if measure is None else str(measure.decision_day),
            against=AGAINST.get(against, "plain water"),  # type: ignore[call-overload]
            promises=tuple(promises().values()),
            kinds=COMPARED,
        )


def _take_claim(answers: Answers, go: str, bench: Bench) -> None:
    """“take-tired_bed-1”: the second claim of a promise from the bank."""
    match = re.fullmatch(r"take-(\w+)-(\d{1,3})", go, re.ASCII)
    claims = promises()[match[1]].claims if match and match[1] in promises() else ()
    if match and int(match[2]) < len(claims):
        _take(answers, claims[int(match[2])], bench)


def _take(answers: Answers, claim: Claim, bench: Bench) -> None:
    """Turn a promise's claim into first measure, worth, decision day, rhythm (by the measure) and control."""
    measure = bench.known.measures[claim.measure]
    answers["claim"]["against"] = [claim.against]
    answers["measure"].update(
        measure=[measure.key],
        aim=["no worse" if claim.no_worse else "better"],
        worth=[Worth(claim.worth, measure.scale).typed],
        scale=[measure.scale],
        better=[measure.better],
        decision_day=[str(claim.decision_day)],
    )
    answers["days"]["rounds"] = [""]


def carry_claim(answers: Answers) -> None:
    """What is tried, and against what, names the first two treatments where nobody has named them."""
    treatments, claim = answers["treatments"], answers["claim"]
    thing, against = first_of(claim, "thing"), first_of(claim, "against")
    if thing and not first_of(treatments, "treatments-0-name"):
        treatments["treatments-0-name"] = [thing]
    roles = [value[0] for key, value in treatments.items() if key.endswith("-role")]
    unnamed = first_of(treatments, "treatments-1-name") in ("", *CONTROL_NAMES.values())
    if against not in roles and against in CONTROL_NAMES and unnamed:
        compared: Compared = first_of(claim, "compared") or "drench"  # type: ignore[assignment]
        treatments.update(first_treatments(compared if compared in COMPARED else "drench", 1, against))


def built_sentence(walk: Walk) -> str:
    """The claim as the trial will ask it, as far as what was typed can be read."""
    measure, claim = walk.draft.measure, walk.answers["claim"]
    if measure is None:
        return ""
    against = first_of(claim, "against")
    return claim_sentence(
        first_of(claim, "thing") or _first_tested(walk.answers["treatments"]),
        walk.known.measures[measure.measure],
        Worth.from_typed(measure.worth, measure.scale),
        measure.decision_day,
        against if against in AGAINST else "water control",  # type: ignore[arg-type]
        measure.aim == "no worse",
        measure.lower_is_better,
        measure.summary,
        measure.level,
    )


def _first_tested(treatments: Typed) -> str:
    rows = [
        key.removesuffix("-role") for key, value in treatments.items() if key.endswith("-role") and value == ["test"]
    ]
    return first_of(treatments, f"{rows[0]}-name") if rows else ""
