"""The measure: what carries the verdict, the question, the days, what is seen as well."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from wtforms import RadioField, SelectMultipleField, StringField, ValidationError
from wtforms.validators import InputRequired
from wtforms.widgets import CheckboxInput, ListWidget

from eproba.core.catalogue import crops, hopes
from eproba.core.measuring.measures import GROUPS, Measure, by_group
from eproba.core.planning.advice import Advice, on_days, on_kind, on_place
from eproba.core.planning.crops import usual_measures
from eproba.core.planning.draft import MeasurePart, has_baseline
from eproba.core.planning.hopes import hoped
from eproba.core.quantities import System, conversion
from eproba.core.stats.summaries import SUMMARIES
from eproba.core.trial.days import MOST_DAYS
from eproba.core.trial.model import Trial
from eproba.core.trial.worth import Worth, worth_unit
from eproba.core.words import DateError, full_date, parse_date, plural
from eproba.web.new_trial.following import counts_seeds
from eproba.web.new_trial.steps.step import Bench, PlannerStep, Typed, Walk, filled, first_of
from eproba.web.new_trial.usual import typed_number, typed_rows
from eproba.web.ui.fields import AmountForm, NumberField, translated
from eproba.web.ui.session import system
from eproba.web.ui.units import sentence

FAR_DAYS = 730  # whoever plans further ahead has mistyped, mostly
AIMS = (
    ("better", "Is it better, by at least …?"),
    ("no worse", "Is it no worse, by more than …?"),
    ("rank", "Which is ahead of which? All are compared with all."),
)


class MeasureForm(AmountForm):
    measure = RadioField("First measure", [InputRequired("Choose what carries the verdict.")])
    aim = RadioField("The question", choices=AIMS)
    worth = NumberField("Smallest difference worth having, or the margin", optional=True)
    scale = RadioField("Said as", choices=[("ratio", "percent"), ("difference", "the measure’s own unit")])
    better = RadioField("Better is", choices=[("higher", "more"), ("lower", "less")])
    start_on = StringField("Day 0 (baseline, first pour)", [InputRequired("Choose the first day.")])
    sure = StringField()
    decision_day = NumberField("Decision day, days after day 0", 1, MOST_DAYS, whole=True)
    per_unit = NumberField("Readings per unit and round", 1, 9, whole=True)
    sown = NumberField("Seeds sown in each unit", 1, 10_000, whole=True, optional=True)
    also = SelectMultipleField("Also seen", widget=ListWidget(prefix_label=False), option_widget=CheckboxInput())
    summary = RadioField("What counts", choices=list(SUMMARIES.items()))
    level = NumberField("The level to be reached", optional=True)
    typical = NumberField("What one unit usually gives", 0.0001, optional=True)

    def __init__(self, known: Mapping[str, Measure], today: date, **kwargs: Any) -> None:
        self.known, self.today, self.odd_start = known, today, ""
        super().__init__(**kwargs)
        self.also.choices = [(key, measure.name) for key, measure in known.items()]
        if self.is_day:
            self.typical.label.text = "The day on which it usually happens"
        self.measure.choices = [(key, name) for key, name in self.also.choices if known[key].can_be_first]

    def translate(self, typed_in: System) -> None:
        """Worth and level are typed in the unit of the first measure."""
        super().translate(typed_in)
        chosen = self.known.get(self.measure.data or "")
        if chosen is None or not (chosen.kept_in or conversion(chosen.unit, "US").unit != chosen.unit):
            return
        was, now = (conversion(chosen.kept_in or chosen.unit, units) for units in (typed_in, system()))
        for field in (self.level, self.typical):
            if field.data:
                field.data = translated(field.data, lambda number: now.shown(was.kept(number)))
        if self.worth.data and self.worth_unit == chosen.judged_unit:
            self.worth.data = translated(self.worth.data, lambda worth: now.apart_shown(was.apart_kept(worth)))

    def validate_start_on(self, field: Any) -> None:
        try:
            start = parse_date(field.data or "")
        except DateError as error:
            raise ValidationError(sentence(error)) from error
        self.odd_start = odd_start(start, self.today)
        if self.odd_start and self.sure.data != field.data:
            raise ValidationError(f"{self.odd_start} Choose another day, or tick that you mean it.")

    def validate_scale(self, field: Any) -> None:
        chosen = self.known.get(self.measure.data or "")
        if chosen and field.data == "ratio" and chosen.scale != "ratio":
            raise ValidationError(
                f"{chosen.name} can’t be said in percent; "
                f"choose its own unit, and give the worth in {chosen.judged_unit}."
            )

        if field.data == "ratio" and self.summary.data == "time_to":
            raise ValidationError("Days can’t be said in percent; choose the own unit, and give the worth in days.")

    def validate_level(self, field: Any) -> None:
        if field.number is None and not field.errors and self.summary.data == "time_to":
            raise ValidationError("Say which level is to be reached, in the measure’s unit.")

    def validate_sown(self, field: Any) -> None:
        keys = [self.measure.data or "", *(self.also.data or [])]
        if field.number is None and any(self.known[key].kind == "proportion" for key in keys if key in self.known):
            raise ValidationError("Say how many seeds are sown in each unit.")

    def validate_worth(self, field: Any) -> None:
        if field.number is not None and field.number <= 0:
            raise ValidationError("The smallest difference worth having is above 0; leave it empty if any would do.")
        chosen = self.known.get(self.measure.data or "")
        if field.number is not None and chosen and chosen.by_order:
            raise ValidationError(
                f"{chosen.name} has classes without a distance between them: leave this empty, any shift counts."
            )
        if field.number is None and not field.errors and self.aim.data == "no worse":
            raise ValidationError("“No worse” needs a margin: by how much may it be worse before you would mind?")

    @property
    def asks_typical(self) -> bool:
        """Whether its usual noise, known in percent, needs a size to be percent of; or it is a day that is expected."""
        chosen = self.known.get(self.measure.data or "")
        if chosen is None or chosen.kind == "day":
            return chosen is not None
        return chosen.scale == "ratio" and self.scale.data == "difference" and self.summary.data != "time_to"

    @property
    def is_day(self) -> bool:
        chosen = self.known.get(self.measure.data or "")
        return chosen is not None and chosen.kind == "day"

    @property
    def measure_unit(self) -> str:
        """What the first measure is read in."""
        chosen = self.known.get(self.measure.data or "")
        return "" if chosen is None else chosen.unit

    @property
    def worth_unit(self) -> str:
        """What the worth is typed in."""
        chosen = self.known.get(self.measure.data or "")
        if self.scale.data == "ratio" or chosen is None:
            return "%"
        return worth_unit(chosen.judged_unit, self.summary.data)


def odd_start(start: date, today: date) -> str:
    """What is odd about a day 0; empty where nothing is."""
    away = (start - today).days
    if away < 0:
        text = f"{full_date(start)} is {plural(-away, 'day')} ago: the plants’ growth since then may influence"
        return f"{text} who gets what, and the verdict will say so."
    return f"{full_date(start)} is {away // 365} years away." if away > FAR_DAYS else ""


@dataclass(frozen=True)
class MeasurePage:
    """What one can hope to see, in a few words, with the measure that tells it; what is read also, with the minutes
    that it takes in a round, and whether it is ticked; all others by what one looks at.

    `baseline`: whether the trial has one; `averaged`: whether readings of a unit can be; `counted`: whether seeds are.
    """

    chosen: Measure | None
    hopes: tuple[tuple[str, Measure], ...]
    also: tuple[tuple[Measure, float, bool], ...]
    groups: tuple[tuple[str, tuple[Measure, ...]], ...]
    baseline: bool
    averaged: bool
    counted: bool


class MeasureStep(PlannerStep[MeasureForm, MeasurePart]):
    name = "measure"
    title = "Measure"
    form = MeasureForm
    leads = ("measure", "scale", "summary", "aim", "also")

    def first(self, today: date) -> Typed:
        return {
            "measure": ["plant_height"],
            "aim": ["better"],
            "worth": ["15"],
            "scale": ["ratio"],
            "better": ["higher"],
            "sure": [""],
            "start_on": [(today + timedelta(days=1)).isoformat()],
            "decision_day": ["28"],
            "per_unit": ["1"],
            "sown": [""],
            "also": [],
            "summary": ["last"],
            "level": [""],
            "typical": [""],
        }

    def again(self, trial: Trial, today: date) -> Typed:
        first = trial.asked[0]
        return {
            "measure": [first.measure.key],
            "aim": ["no worse" if trial.no_worse else "rank" if trial.ranked else "better"],
            "worth": [trial.wanted.typed],
            "scale": [trial.scale],
            "better": ["lower" if trial.lower_is_better else "higher"],
            "decision_day": [str(trial.decision_day)],
            "per_unit": [str(first.per_unit)],
            "sown": [typed_number(next((asked.sown for asked in trial.asked if asked.sown), None))],
            "also": [asked.measure.key for asked in trial.asked[1:]],
            "summary": [trial.summary],
            "level": [typed_number(trial.rules.level)],
        }

    def made(self, typed: Typed, bench: Bench) -> MeasureForm:
        return MeasureForm(known=bench.known.measures, today=bench.today, formdata=filled(typed), meta={"csrf": False})

    def read(self, form: MeasureForm) -> MeasurePart:
        sown = form.sown.number
        return MeasurePart(
            measure=form.measure.data,
            aim=form.aim.data,
            worth=form.worth.number,
            scale=form.scale.data,
            lower_is_better=form.better.data == "lower",
            start_on=parse_date(form.start_on.data or ""),
            decision_day=int(form.decision_day.number or 1),
            per_unit=int(form.per_unit.number or 1),
            sown=None if sown is None else int(sown),
            also=tuple(form.also.data or ()),
            summary=form.summary.data,
            level=form.level.number,
            typical=form.typical.number,
        )

    def settled(self, part: MeasurePart, bench: Bench) -> str:
        measure = bench.known.measures[part.measure]
        worth = Worth.from_typed(part.worth, part.scale).words(worth_unit(measure.judged_unit, part.summary), "any gap")
        return f"{measure.name}, {worth}, {full_date(part.start_on)} + {part.decision_day} days"

    def tidied(self, typed: Typed) -> Typed:
        """A measure chosen from the long list is the first one; one more to be read is one of those."""
        another = first_of(typed, "another")
        kept = {field: texts for field, texts in typed.items() if field != "another"}
        if another:
            kept["measure"] = [another]
        also = [key for key in dict.fromkeys(typed.get("also", [])) if key and key != first_of(kept, "measure")]
        return kept | {"also": also}

    def page(self, walk: Walk) -> MeasurePage:
        form, known = walk.forms["measure"], walk.known.measures
        chosen = known.get(form.data["measure"] or "")
        ticked = [known[key] for key in form.data["also"] or [] if key in known]
        of_crop = usual_measures(first_of(walk.answers["rules"], "crops"), crops())
        offered = [(hope.words, known[hope.key]) for hope in hoped(walk.draft.compared, of_crop, hopes())]
        if chosen is not None and chosen not in [measure for _, measure in offered]:
            offered = [(chosen.name, chosen), *offered]
        others = [measure for _, measure in offered if measure != chosen and measure not in ticked]
        units = len(typed_rows(walk.answers["treatments"])) * (walk.draft.ground.units_each if walk.draft.ground else 1)
        return MeasurePage(
            chosen=chosen,
            hopes=tuple(offered),
            also=tuple((measure, measure.seconds * units / 60, measure in ticked) for measure in (*ticked, *others)),
            groups=tuple((GROUPS[group], tuple(measures)) for group, measures in by_group(known).items()),
            baseline=has_baseline(walk.draft, walk.known),
            averaged=chosen is None or chosen.kind != "day",
            counted=counts_seeds(walk.answers["measure"], walk.known),
        )

    def advice(self, walk: Walk) -> list[Advice]:
        part = walk.draft.measure
        if part is None:
            return []
        first = walk.known.measures[part.measure]
        length = part.decision_day
        if walk.draft.turns and walk.draft.ground is not None:
            length //= max(1, walk.draft.ground.units_each)  # a period is read at its own end
        return on_days(first, length) + on_place(first) + on_kind(walk.draft.compared)
