"""What every step of a new trial has, and the walk over them: what was typed, and the draft that it makes."""

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from functools import cached_property
from typing import ClassVar, Generic, TypeVar

from werkzeug.datastructures import MultiDict

from eproba.core.brewing.kitchen import Kit
from eproba.core.measuring.measures import Measure, OwnNoise
from eproba.core.planning.advice import Advice
from eproba.core.planning.draft import Draft, Known, StepName
from eproba.core.stats.series import Scale
from eproba.core.trial.model import Trial
from eproba.web.ui.form import OurForm

Typed = dict[str, list[str]]
Answers = dict[StepName, Typed]
Form = TypeVar("Form", bound=OurForm)
Part = TypeVar("Part")


@dataclass(frozen=True)
class Bench:
    """What the household knows, that steps go by: measures, recipes, season; kit; the noise of its own trials."""

    known: Known
    kit: Kit
    own_noise: "OwnNoiseOf"
    today: date


class OwnNoiseOf(ABC):
    """Where the noise of the gardener's own trials comes from."""

    @abstractmethod
    def __call__(self, measure: Measure, scale: Scale) -> OwnNoise | None: ...


class PlannerStep(ABC, Generic[Form, Part]):
    """One step: its form holds exactly what was typed, right or wrong; `read` makes its part of the draft of it."""

    name: ClassVar[StepName]
    title: ClassVar[str]
    form: ClassVar[type[OurForm]]
    leads: ClassVar[tuple[str, ...]] = ()  # fields that change what its page asks and offers

    @abstractmethod
    def first(self, today: date) -> Typed:
        """What a new trial starts with: a common, fair plan."""

    @abstractmethod
    def again(self, trial: Trial, today: date) -> Typed:
        """The answers that would plan this trial again, from tomorrow on; what is left out is as in `first`."""

    @abstractmethod
    def read(self, form: Form) -> Part:
        """A form that is right, as its part of the draft."""

    @abstractmethod
    def settled(self, part: Part, bench: Bench) -> str:
        """What is settled, in a few words for the step bar."""

    def made(self, typed: Typed, bench: Bench) -> Form:
        """The form holding what was typed (checked apart from its token, which belongs to the request)."""
        form: Form = self.form(formdata=filled(typed), meta={"csrf": False})  # type: ignore[assignment]
        return form

    def tidied(self, typed: Typed) -> Typed:
        """What a request brought, as the step keeps it."""
        return typed

    def act(self, walk: "Walk", before: Typed, go: str) -> StepName | None:
        """What a button, or a change, does to the answers besides going somewhere; where it leads, if elsewhere than it
        says. The walk is made anew after it.

        Raises
        ------
        EprobaError
            What can't be done, with a sentence.
        """
        return None

    def wrong(self, walk: "Walk") -> str:
        """Why this step can't be left, as far as its own fields do not say it."""
        return ""

    def page(self, walk: "Walk") -> object:
        """What its page shows beside the form."""
        return None

    def advice(self, walk: "Walk") -> list[Advice]:
        return []


def filled(typed: Typed) -> MultiDict[str, str]:
    return MultiDict([(key, value) for key, values in typed.items() for value in values])


def first_of(typed: Typed, field: str) -> str:
    """What stands in a field."""
    return (typed.get(field) or [""])[0].strip()


class Walk:
    """All steps as typed, and the draft that they make."""

    def __init__(self, steps: Mapping[StepName, PlannerStep[OurForm, object]], answers: Answers, bench: Bench) -> None:
        self.steps, self.answers, self.bench = steps, answers, bench
        self.known = bench.known

    @cached_property
    def forms(self) -> dict[StepName, OurForm]:
        return {name: step.made(self.answers[name], self.bench) for name, step in self.steps.items()}

    @cached_property
    def right(self) -> dict[StepName, bool]:
        """Which steps are right by themselves; their forms hold their errors from now on."""
        return {name: bool(form.validate()) for name, form in self.forms.items()}

    @cached_property
    def draft(self) -> Draft:
        parts = {name: step.read(self.forms[name]) if self.right[name] else None for name, step in self.steps.items()}
        rows = {key.split("-")[1] for key in self.answers["treatments"] if key.startswith("treatments-")}
        return Draft(**parts, rows=max(2, len(rows)))  # type: ignore[arg-type]

    def settled(self, name: StepName) -> str:
        """What is settled in a step, in words; empty while it is open."""
        part = getattr(self.draft, name)
        return "" if part is None else self.steps[name].settled(part, self.bench)
