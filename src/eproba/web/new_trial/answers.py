"""A draft's answers: sensible ones to start with, those of a claim or a trial taken over; and their way to a plan."""

import json
from collections.abc import Sequence
from dataclasses import replace
from datetime import date, timedelta
from typing import Any, cast

from werkzeug.datastructures import MultiDict

from eproba.core.measuring.measures import Measure
from eproba.core.planning.claims import AGAINST, Claim, claim_sentence
from eproba.core.planning.cutter import Proposal, Wish, like_with_like, proposals
from eproba.core.planning.plan import (
    Layout,
    Plan,
    PlannedMeasure,
    PlannedTreatment,
    check_batches,
    check_crops,
    control_index,
)
from eproba.core.trial.days import (
    Rhythm,
    checked_pulls,
    checked_rounds,
    on_weekdays,
    pour_days,
    proposed_rounds,
)
from eproba.core.trial.ground import Site, row_of, site_entry
from eproba.core.trial.model import Rules, Trial
from eproba.core.trial.worth import Worth
from eproba.web.new_trial.forms import CONTROL_NAMES, STEPS, MeasureForm

Answers = dict[str, dict[str, list[str]]]
Forms = dict[str, Any]
TREATMENT_FIELDS = ("name", "role", "how", "rung", "recipe", "water_parts")
AUTO_COLUMNS = 6


def first_answers(today: date) -> Answers:
    """What a new trial starts with: a common, fair plan."""
    return {
        "claim": {"claim": [""], "name": [""], "note": [""], "thing": [""], "against": ["water control"]},
        "measure": {
            "measure": ["plant_height"],
            "aim": ["better"],
            "worth": ["15"],
            "scale": ["ratio"],
            "better": ["higher"],
            "start_on": [(today + timedelta(days=1)).isoformat()],
            "decision_day": ["28"],
            "per_unit": ["1"],
            "sown": [""],
            "also": [],
            "summary": ["last"],
        },
        "treatments": _treatment_answers(
            [("", "test", "", "", "", ""), ("Plain water", "water control", "", "", "", "")], "250", "mL", "7"
        ),
        "ground": {
            "places": [drawn(Site((row_of("pots", 25, 25, 10, 2, AUTO_COLUMNS),)))],
            "auto": ["1"],
            "proposal": [""],
            "dealing": [""],
            "units_each": ["6"],
            "guard_cm": [""],
            "least_width_cm": ["40"],
            "least_length_cm": ["40"],
            "sizes": [""],
        },
        "chance": {"noise": [""], "minutes": ["20"]},
        "days": {"weekdays": [str(day) for day in range(7)], "rounds": [""], "pulls": [""]},
        "rules": {
            "crops": [""],
            "seeds": [""],
            "plants": ["1"],
            "thin_on": [""],
            "replace_until": [""],
            "handling": ["Loosened 2 cm deep before each pour, treated or not."],
        },
    }


def drawn(site: Site) -> str:
    """The ground as the page draws it."""
    return json.dumps(site_entry(site))


def _treatment_answers(rows: Sequence[tuple[str, ...]], amount: str, unit: str, every: str) -> dict[str, list[str]]:
    typed = {"amount": [amount], "amount_unit": [unit], "pour_every": [every], "batches": ["1"]}
    for i, row in enumerate(rows):
        for name, value in zip(TREATMENT_FIELDS, row, strict=True):
            typed[f"treatments-{i}-{name}"] = [value]
    return typed


def answers_from(trial: Trial, today: date) -> Answers:
    """The answers that would plan this trial again, from tomorrow on."""
    answers = first_answers(today)
    first = trial.asked[0]
    answers["claim"].update(claim=[trial.claim], name=[f"{trial.name}, again"])
    answers["measure"].update(
        measure=[first.measure.key],
        aim=["no worse" if trial.no_worse else "better"],
        worth=[trial.wanted.typed],
        scale=[trial.scale],
        better=["lower" if trial.lower_is_better else "higher"],
        decision_day=[str(trial.decision_day)],
        per_unit=[str(first.per_unit)],
        sown=[_typed(first.sown)],
        also=[each.measure.key for each in trial.asked[1:]],
        summary=[trial.summary],
    )
    amounts = [(f"{t.amount:g}", t.amount_unit) for t in trial.treatments if t.amount is not None]
    amount, unit = amounts[0] if amounts else ("250", "mL")
    pour_days = sorted({pour.day for pour in trial.pours})
    every = str(pour_days[1] - pour_days[0]) if len(pour_days) > 1 else ""
    rows = [
        (t.name, cast(str, t.role), t.how, _typed(t.rung), t.recipe, _typed(t.water_parts)) for t in trial.treatments
    ]
    answers["treatments"] = _treatment_answers(rows, amount, unit, every) | {"batches": [str(trial.batches)]}
    if trial.blind:
        answers["treatments"]["blind"] = ["y"]
    cut = trial.units[0].cut
    answers["ground"].update(
        places=[drawn(trial.site)],
        auto=[""],
        dealing=[trial.dealing],
        units_each=[str(len(trial.units) // len(trial.treatments))],
        guard_cm=[f"{trial.guard_cm:g}"],
        least_width_cm=[f"{0.99 * cut.width_cm:.0f}"],
        least_length_cm=[f"{0.99 * cut.length_cm:.0f}"],
    )
    rules = trial.rules
    answers["days"].update(rounds=[" ".join(str(r.day) for r in trial.rounds)], pulls=[" ".join(map(str, rules.pulls))])
    answers["rules"] = {
        "crops": [", ".join(rules.crops)],
        "seeds": [_typed(rules.seeds)],
        "plants": [str(rules.plants)],
        "thin_on": [_typed(rules.thin_on)],
        "replace_until": [_typed(rules.replace_until)],
        "handling": [rules.handling],
    }
    return answers


def _typed(number: float | None) -> str:
    return "" if number is None else f"{number:g}"


def take_claim(answers: Answers, claim: Claim, measure: Measure) -> None:
    """Turn a promise's claim into first measure, worth, decision day, rhythm (by the measure) and control."""
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
    thing, against = claim.get("thing", [""])[0].strip(), claim.get("against", ["water control"])[0]
    if thing and not treatments.get("treatments-0-name", [""])[0].strip():
        treatments["treatments-0-name"] = [thing]
    roles = [value[0] for key, value in treatments.items() if key.endswith("-role")]
    unnamed = treatments.get("treatments-1-name", [""])[0].strip() in ("", *CONTROL_NAMES.values())
    if against not in roles and against in CONTROL_NAMES and unnamed:
        treatments["treatments-1-name"] = [CONTROL_NAMES[against]]
        treatments["treatments-1-role"] = [against]


def built_sentence(forms: Forms, measures: dict[str, Measure]) -> str:
    """The claim as the trial will ask it, as far as what was typed can be read."""
    claim, measure = forms["claim"], forms["measure"]
    chosen = measures.get(measure.measure.data or "")
    if chosen is None or not measure.validate():
        return ""
    scale, number = measure.scale.data, measure.worth.number
    return claim_sentence(
        claim.thing.data or _first_tested(forms["treatments"]),
        chosen,
        Worth.from_typed(number, scale),
        int(measure.decision_day.number or 1),
        claim.against.data if claim.against.data in AGAINST else "water control",
        measure.aim.data == "no worse",
        measure.better.data == "lower",
    )


def _first_tested(treatments: Any) -> str:
    return next((row.form.name.data or "" for row in treatments.treatments if row.form.role.data == "test"), "")


def typed_into(form: Any, typed: dict[str, list[str]], measures: dict[str, Measure]) -> Any:
    """A step's form holding what was typed (checked apart from its token, which belongs to the request)."""
    typed_data = MultiDict([(k, v) for k, vs in typed.items() for v in vs])
    own = {"known": measures} if form is MeasureForm else {}
    return form(formdata=typed_data, meta={"csrf": False}, **own)


def forms_from(answers: Answers, measures: dict[str, Measure]) -> Forms:
    """All steps as forms."""
    return {name: typed_into(form, answers[name], measures) for name, form in STEPS.items()}


def drawn_site(forms: Forms) -> Site:
    """The ground as drawn; while nobody has drawn, just as many pots as the plan needs."""
    ground = forms["ground"]
    if ground.auto.data != "1":
        return cast(Site, ground.site)
    treatments = len(forms["treatments"].treatments)
    if ground.dealing.data == "Latin square":
        return Site((row_of("pots", 25, 25, 10, treatments, treatments),))
    pots = treatments * int(ground.units_each.number or 1)
    return Site((row_of("pots", 25, 25, 10, -(-pots // AUTO_COLUMNS), min(pots, AUTO_COLUMNS)),))


def advised_guard(measure: MeasureForm) -> float:
    """The guard that everything measured needs: the widest."""
    known = [measure.known[key] for key in asked_keys(measure) if key in measure.known]
    return max((each.guard_cm for each in known), default=0.0)


def guard_cm(forms: Forms) -> float:
    """The guard as typed, else as what is measured needs."""
    typed = forms["ground"].guard_cm.number
    return advised_guard(forms["measure"]) if typed is None else cast(float, typed)


def proposed(forms: Forms) -> list[Proposal]:
    """What the cutter proposes for the ground step, sorted by size where sizes were given.

    Raises
    ------
    GroundError
        Where nothing fits, saying what would.
    """
    ground, treatments = forms["ground"], len(forms["treatments"].treatments)
    wish = Wish(
        treatments,
        int(ground.units_each.number or 1),
        guard_cm(forms),
        ground.least_width_cm.number or 1.0,
        ground.least_length_cm.number or 1.0,
        bool(ground.edge_guards.data),
        ground.dealing.data or None,
    )
    found = proposals(drawn_site(forms), wish)
    if ground.pot_sizes:
        source = next((each for each in found if each.units_each > 1), found[0])
        found.insert(0, like_with_like(source, ground.pot_sizes, treatments))
    return found[:3]


def chosen_proposal(forms: Forms) -> Proposal:
    """The proposal that was taken, else the first."""
    found = proposed(forms)
    return next((each for each in found if each.key == forms["ground"].proposal.data), found[0])


def rhythm_of(forms: Forms, measures: dict[str, Measure]) -> Rhythm:
    """Rounds as typed, else as proposed and moved to the days that suit; applications likewise.

    Raises
    ------
    DaysError
        Days that can't be, saying what would fit.
    """
    measure, days = forms["measure"], forms["days"]
    decision, start = int(measure.decision_day.number or 1), measure.start
    if days.round_list:
        rounds = checked_rounds(days.round_list, decision)
    else:
        asked = [measures[key] for key in asked_keys(measure)]
        rounds = tuple(on_weekdays(proposed_rounds(asked, decision), start, days.weekdays.data, {0, decision}))
    every = forms["treatments"].pour_every.number
    pours = pour_days(decision, int(every) if every else None)
    moved = on_weekdays(pours, start, days.weekdays.data, {0, decision})
    return Rhythm(decision, rounds, tuple(day for day in moved if day < decision))


def asked_keys(measure: MeasureForm) -> list[str]:
    """The measures asked, the first one first."""
    first = measure.measure.data
    return [first, *(key for key in measure.also.data or [] if key != first)]


def planned_measures(measure: MeasureForm, measures: dict[str, Measure]) -> tuple[PlannedMeasure, ...]:
    sown = measure.sown.number
    return tuple(
        PlannedMeasure(
            key,
            int(measure.per_unit.number or 1) if i == 0 else 1,
            int(sown) if sown and measures[key].kind == "proportion" else None,
        )
        for i, key in enumerate(asked_keys(measure))
    )


def plan_from(forms: Forms, measures: dict[str, Measure]) -> Plan:
    """The plan that valid answers make.

    Raises
    ------
    GroundError, DaysError, LotsError
        Where steps do not fit together, saying what would.
    """
    claim, measure, treatments, rules = (forms[name] for name in ("claim", "measure", "treatments", "rules"))
    planned = tuple(_treatment(entry.form, treatments) for entry in treatments.treatments)
    rhythm = rhythm_of(forms, measures)
    plants = int(rules.plants.number or 1)
    chosen = chosen_proposal(forms)
    layout = Layout(drawn_site(forms), guard_cm(forms), chosen.dealing, chosen.cuts)
    check_crops(rules.crop_list, layout, chosen.units_each)
    check_batches(int(treatments.batches.number or 1), layout, chosen.units_each)
    worth, scale = measure.worth.number, measure.scale.data
    plan = Plan(
        name=(claim.name.data or "").strip(),
        claim=(claim.claim.data or "").strip(),
        note=(claim.note.data or "").strip(),
        measures=planned_measures(measure, measures),
        worth=Worth.from_typed(worth, scale).size,
        scale=scale,
        lower_is_better=measure.better.data == "lower",
        summary=measure.summary.data,
        start_on=measure.start,
        rhythm=rhythm,
        treatments=planned,
        control=control_index(planned),
        layout=layout,
        no_worse=measure.aim.data == "no worse",
        blind=bool(treatments.blind.data),
        batches=int(treatments.batches.number or 1),
        rules=Rules(
            seeds=_whole(rules.seeds),
            plants=plants,
            thin_on=_whole(rules.thin_on),
            replace_until=_whole(rules.replace_until),
            handling=(rules.handling.data or "").strip(),
            crops=rules.crop_list,
        ),
    )
    if any(measures[each.key].destructive for each in plan.measures):
        pulls = checked_pulls(forms["days"].pull_list, rhythm.rounds, plants)
        plan = replace(plan, rules=replace(plan.rules, pulls=pulls))
    return plan


def _whole(field: Any) -> int | None:
    return None if field.number is None else int(field.number)


def _treatment(form: Any, treatments: Any) -> PlannedTreatment:
    """Untreated units get nothing; all others get the same amount on the same days."""
    amount = None if form.role.data == "untreated" else treatments.amount.number
    unit = "" if amount is None else treatments.amount_unit.data
    how = (form.how.data or "").strip()
    return PlannedTreatment(
        (form.name.data or "").strip(), form.role.data, how, amount, unit, form.rung.number, form.recipe.data or "",
        form.water_parts.number,
    )  # fmt: skip
