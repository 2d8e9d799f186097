"""The rules: sowing, thinning, replacing, crops, what is done to all alike."""

from dataclasses import dataclass
from datetime import date
from typing import Any

from wtforms import SelectField, StringField, TextAreaField, ValidationError

from eproba.core.planning.draft import RulesPart
from eproba.core.trial.days import MOST_DAYS
from eproba.core.trial.model import Trial
from eproba.web.new_trial.steps.step import Bench, PlannerStep, Typed, Walk
from eproba.web.new_trial.usual import handling, typed_number
from eproba.web.ui.fields import NumberField, at_most
from eproba.web.ui.form import OurForm
from eproba.web.ui.units import units

MOST_CROPS = 6
REPEATS = {
    "": "nothing",
    "0.1": "1 unit in 10, by lot",
    "0.2": "1 unit in 5, by lot",
    "0.5": "half of the units, by lot",
}


class RulesForm(OurForm):
    crops = StringField("Crops, with commas between", [at_most(200)])
    seeds = NumberField("Seeds or plants set in each unit", 1, 1000, whole=True, optional=True)
    plants = NumberField("Plants kept in each unit", 1, 200, whole=True)
    thin_on = NumberField("Thinned on day", 0, MOST_DAYS, whole=True, optional=True)
    replace_until = NumberField("Failures replaced up to day (empty: never)", 0, MOST_DAYS, whole=True, optional=True)
    repeats = SelectField("Surprise repeats", choices=list(REPEATS.items()), default="")
    handling = TextAreaField("Done to every unit alike", [at_most(600)])

    @property
    def crop_list(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(crop.strip()[:40] for crop in (self.crops.data or "").split(",") if crop.strip()))

    def validate_crops(self, field: Any) -> None:
        if len(self.crop_list) > MOST_CROPS:
            raise ValidationError(f"{len(self.crop_list)} crops are too many for one trial; up to {MOST_CROPS}.")

    def validate_plants(self, field: Any) -> None:
        if field.number and self.seeds.number and field.number > self.seeds.number:
            raise ValidationError("More plants kept than set: sow more, or keep fewer.")


@dataclass(frozen=True)
class RulesPage:
    """What the place must have for the first measure to answer; seeds in each unit, where a measure counts them."""

    silent: str
    sown: int | None


class RulesStep(PlannerStep[RulesForm, RulesPart]):
    name = "rules"
    title = "Rules"
    form = RulesForm

    def first(self, today: date) -> Typed:
        return {
            "crops": [""],
            "seeds": [""],
            "plants": ["1"],
            "thin_on": [""],
            "replace_until": [""],
            "handling": [handling("drench", units())],
            "repeats": [""],
        }

    def again(self, trial: Trial, today: date) -> Typed:
        rules = trial.rules
        return {
            "crops": [", ".join(rules.crops)],
            "seeds": [typed_number(rules.seeds)],
            "plants": [str(rules.plants)],
            "thin_on": [typed_number(rules.thin_on)],
            "replace_until": [typed_number(rules.replace_until)],
            "handling": [rules.handling],
            "repeats": [typed_number(rules.repeats or None)],
        }

    def read(self, form: RulesForm) -> RulesPart:
        return RulesPart(
            crops=form.crop_list,
            seeds=_whole(form.seeds),
            plants=int(form.plants.number or 1),
            thin_on=_whole(form.thin_on),
            replace_until=_whole(form.replace_until),
            handling=(form.handling.data or "").strip(),
            repeats=float(form.repeats.data or 0),
        )

    def settled(self, part: RulesPart, bench: Bench) -> str:
        kept = f"{part.plants} plant{'s' if part.plants > 1 else ''} a unit"
        return f"{len(part.crops)} crops, {kept}" if len(part.crops) > 1 else kept

    def wrong(self, walk: Walk) -> str:
        rules, measure = walk.draft.rules, walk.draft.measure
        return "" if rules is None or measure is None else rules.too_late(measure.decision_day)

    def page(self, walk: Walk) -> RulesPage:
        part = walk.draft.measure
        silent = "" if part is None else walk.known.measures[part.measure].silent
        counted = part is not None and any(walk.known.measures[key].kind == "proportion" for key in part.asked)
        return RulesPage(silent, part.sown if part is not None and counted else None)


def _whole(field: NumberField) -> int | None:
    return None if field.number is None else int(field.number)
