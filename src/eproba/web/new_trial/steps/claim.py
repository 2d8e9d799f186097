"""The claim: what kind of thing is compared, what is tried, against what, in one sentence."""

import copy
import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from wtforms import RadioField, StringField, TextAreaField
from wtforms.validators import InputRequired

from eproba.core.catalogue import promises
from eproba.core.planning.claims import Claim, Promise
from eproba.core.planning.draft import ClaimPart, StepName, asking_of
from eproba.core.trial.claim import Asking, own_words
from eproba.core.trial.compared import AGAINST, COMPARED, KindWords
from eproba.core.trial.model import Compared, Role, Trial
from eproba.core.trial.worth import Worth
from eproba.web.new_trial.following import follow
from eproba.web.new_trial.steps.step import Answers, Bench, PlannerStep, Typed, Walk, first_of
from eproba.web.new_trial.usual import against_offered, kind_of, typed_rows
from eproba.web.ui.fields import at_most
from eproba.web.ui.form import OurForm


class ClaimForm(OurForm):
    compared = RadioField("What is compared?", choices=[(key, compared.title) for key, compared in COMPARED.items()])
    thing = StringField("What is tried", [at_most(60)])
    against = RadioField("Against what", choices=list(AGAINST.items()))
    claim = TextAreaField("The claim in your own words", [at_most(500)])
    name = StringField("A short name", [InputRequired("Give the trial a short name."), at_most(80)])
    note = TextAreaField("Note", [at_most(5000)])


@dataclass(frozen=True)
class ClaimPage:
    """The claim as the trial will ask it, part by part, and promises to start from."""

    asking: Asking | None
    promises: tuple[Promise, ...]
    kinds: Mapping[Compared, KindWords]


class ClaimStep(PlannerStep[ClaimForm, ClaimPart]):
    name = "claim"
    title = "Claim"
    form = ClaimForm
    leads = ("compared",)

    def first(self, today: date) -> Typed:
        return {
            "claim": [""], "name": [""], "note": [""], "thing": [""], "against": ["water control"],
            "compared": ["drench"],
        }  # fmt: skip

    def again(self, trial: Trial, today: date) -> Typed:
        tested = next((treatment.name for treatment in trial.treatments if treatment.role == "test"), "")
        return {
            "claim": [own_words(trial.claim)], "name": [f"{trial.name}, again"], "compared": [trial.compared],
            "thing": [tested], "against": [trial.treatment(trial.control).role],
        }  # fmt: skip

    def read(self, form: ClaimForm) -> ClaimPart:
        texts = {name: (getattr(form, name).data or "").strip() for name in ("thing", "claim", "name", "note")}
        return ClaimPart(compared=form.compared.data, against=form.against.data, **texts)

    def settled(self, part: ClaimPart, bench: Bench) -> str:
        return part.name

    def act(self, walk: Walk, before: Typed, go: str) -> StepName | None:
        """Take a claim that a promise can become."""
        _take_claim(walk.answers, go, walk.bench)
        return None

    def page(self, walk: Walk) -> ClaimPage:
        offered = against_offered(kind_of(first_of(walk.answers["claim"], "compared")), walk.answers["treatments"])
        walk.forms["claim"].against.choices = offered  # type: ignore[attr-defined]
        return ClaimPage(asked(walk), tuple(promises().values()), COMPARED)


def _take_claim(answers: Answers, go: str, bench: Bench) -> None:
    """“take-tired_bed-1”: the second claim of a promise from the bank."""
    match = re.fullmatch(r"take-(\w+)-(\d{1,3})", go, re.ASCII)
    claims = promises()[match[1]].claims if match and match[1] in promises() else ()
    if match and int(match[2]) < len(claims):
        _take(answers, claims[int(match[2])], bench)


def _take(answers: Answers, claim: Claim, bench: Bench) -> None:
    """Turn a promise's claim into first measure, worth, decision day, rhythm (by the measure) and control."""
    measure, before = bench.known.measures[claim.measure], copy.deepcopy(answers)
    answers["claim"]["against"] = [claim.against]
    answers["measure"]["measure"] = [measure.key]
    follow(before, answers, bench.known)
    answers["measure"].update(
        aim=["no worse" if claim.no_worse else "better"],
        worth=[Worth(claim.worth, measure.scale).typed],
        scale=[measure.scale],
        better=[measure.better],
        decision_day=[str(claim.decision_day)],
    )
    answers["days"]["rounds"] = [""]


def asked(walk: Walk) -> Asking | None:
    """The claim as the trial will ask it, as far as what was typed can be read."""
    typed = walk.answers["treatments"]
    rows = [f"treatments-{place}" for place in typed_rows(typed)]
    treatments: list[tuple[str, Role]] = [
        (first_of(typed, f"{row}-name"), first_of(typed, f"{row}-role") or "test")  # type: ignore[misc]
        for row in rows
    ]
    return asking_of(walk.draft, treatments, walk.known)
