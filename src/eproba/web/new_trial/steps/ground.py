"""The ground: what there is, drawn to scale, and how it is cut into units."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from wtforms import BooleanField, HiddenField, SelectField, TextAreaField, ValidationError

from eproba.core.errors import EprobaError
from eproba.core.keys import check_values
from eproba.core.planning.advice import Advice, on_gradient, on_guard, on_order, on_turns, on_units
from eproba.core.planning.cutter import Proposal, unlike
from eproba.core.planning.dosing import size_words
from eproba.core.planning.draft import (
    AUTO_COLUMNS,
    COPIED,
    Copied,
    GroundPart,
    advised_guard,
    chosen,
    proposed,
    site_of,
)
from eproba.core.trial.ground import Cut, GroundError, Site, row_of, site_entry, site_from, unblocked_gradient
from eproba.core.trial.model import Trial
from eproba.core.trial.worth import worth_unit
from eproba.core.words import NumberError, parse_number
from eproba.web.new_trial.steps.chance import noise_for
from eproba.web.new_trial.steps.step import Bench, PlannerStep, Typed, Walk
from eproba.web.pictures.ground_plan import GroundPlan, ground_plan
from eproba.web.ui.fields import AmountField, AmountForm, NumberField, at_most, shown_text
from eproba.web.ui.units import sentence, units

DEALINGS = {
    "": "Propose what fits",
    "blocks": "Blocks: one of each side by side",
    "pairs": "Pairs: two neighbours, one of each",
    "Latin square": "Latin square: each once in every row and column",
    "completely random": "Anywhere: all units alike",
    "one of each": "One of each: a look, never a verdict",
    "on and off": "On and off: two places take turns (units: periods)",
}


class GroundForm(AmountForm):
    places = HiddenField()
    auto = HiddenField()
    proposal = HiddenField()
    among = HiddenField()
    cuts = HiddenField()
    dealing = SelectField("How the lots fall", choices=list(DEALINGS.items()))
    units_each = NumberField("Units of each wanted", 1, 100, whole=True)
    guard_cm = AmountField("Guard between two units", "cm", 0, 1000, optional=True)
    least_width_cm = AmountField("Smallest unit, width", "cm", 1, 5000)
    least_length_cm = AmountField("Smallest unit, length", "cm", 1, 5000)
    edge_guards = BooleanField("Leave the outermost as guards")
    sizes = TextAreaField("A first measurement of every pot, in order", [at_most(4000)])
    site: Site

    def validate_places(self, field: Any) -> None:
        try:
            drawn = json.loads(field.data or "{}")
            self.site = site_from(drawn if isinstance(drawn, dict) else {})
        except json.JSONDecodeError as error:
            raise ValidationError("The drawing did not arrive whole; draw it again.") from error
        except GroundError as error:
            raise ValidationError(sentence(error)) from error

    def validate_sizes(self, field: Any) -> None:
        try:
            self.pot_sizes = tuple(parse_number(size) for size in (field.data or "").replace(";", " ").split())
        except NumberError as error:
            raise ValidationError(f"{error}; one number for each pot, with spaces between.") from error


@dataclass(frozen=True)
class Shown:
    """A proposal with its picture and what it can show; `chance` None: it can't be judged, or not told yet."""

    proposal: Proposal
    picture: GroundPlan
    chance: float | None
    words: str
    unlike: str


@dataclass(frozen=True)
class GroundPage:
    """The cutter's proposals with what each can show, or why nothing fits; advice on the one that is ticked."""

    guard: float
    proposals: tuple[Shown, ...] = ()
    problem: str = ""
    chosen: str = ""
    better: bool = False
    advice: tuple[Advice, ...] = ()


class GroundStep(PlannerStep[GroundForm, GroundPart]):
    name = "ground"
    title = "Ground"
    form = GroundForm

    def first(self, today: date) -> Typed:
        return {
            "places": [drawn(Site((row_of("pots", 25, 25, 10, 2, AUTO_COLUMNS),)))],
            "auto": ["1"],
            "proposal": [""],
            "dealing": [""],
            "units_each": ["6"],
            "guard_cm": [""],
            "least_width_cm": [shown_text("40", "cm")],
            "least_length_cm": [shown_text("40", "cm")],
            "sizes": [""],
            "among": [""],
            "cuts": [""],
        }

    def again(self, trial: Trial, today: date) -> Typed:
        cuts = [vars(unit.cut) for unit in trial.units]
        kept = {"site": site_entry(trial.site), "dealing": trial.dealing, "cuts": cuts}
        return {
            "places": [drawn(trial.site)],
            "auto": [""],
            "proposal": [COPIED],
            "cuts": [json.dumps(kept)],
            "dealing": [trial.dealing],
            "units_each": [str(len(trial.units) // len(trial.treatments))],
            "guard_cm": [shown_text(f"{trial.guard_cm:g}", "cm")],
            "least_width_cm": [shown_text(f"{0.99 * min(unit.cut.width_cm for unit in trial.units):.0f}", "cm")],
            "least_length_cm": [shown_text(f"{0.99 * min(unit.cut.length_cm for unit in trial.units):.0f}", "cm")],
        }

    def read(self, form: GroundForm) -> GroundPart:
        return GroundPart(
            site=None if form.auto.data == "1" else form.site,
            units_each=int(form.units_each.number or 1),
            guard_cm=form.guard_cm.number,
            least_width_cm=form.least_width_cm.number or 1.0,
            least_length_cm=form.least_length_cm.number or 1.0,
            edge_guards=bool(form.edge_guards.data),
            dealing=form.dealing.data or None,
            sizes=form.pot_sizes,
            proposal=form.proposal.data or "",
            among=tuple(name for name in (form.among.data or "").split(",") if name),
            copied=_copied(form.cuts.data or ""),
        )

    def settled(self, part: GroundPart, bench: Bench) -> str:
        places = "pots as needed" if part.site is None else ", ".join(place.name for place in part.site.places)
        return f"{part.units_each} of each, {places}"

    def wrong(self, walk: Walk) -> str:
        ground = walk.draft.ground
        try:
            if ground is not None:
                chosen(walk.draft, ground, walk.known)
        except GroundError as error:
            return sentence(error)
        return ""

    def page(self, walk: Walk) -> GroundPage:
        ground, guard = walk.draft.ground, advised_guard(walk.draft, walk.known)
        form: Any = walk.forms["ground"]
        if ground is None:
            return GroundPage(guard, problem=next(iter(form.errors.values()))[0])
        site = site_of(walk.draft, ground)
        form.places.data = drawn(site)
        try:
            offered, taken = proposed(walk.draft, ground, walk.known), chosen(walk.draft, ground, walk.known)
        except GroundError as error:
            return GroundPage(guard, problem=sentence(error))
        chances, problem = _chances(walk, ground, offered, site)
        shown = [
            Shown(
                proposal,
                _drawn(site, proposal.cuts),
                *chances[proposal.key],
                _unlike(proposal),
            )
            for proposal in offered
        ]
        better = bool(ground.among) and taken.key != (ground.proposal or taken.key)
        counsel = tuple(cut_advice(walk, taken, ground, guard))
        return GroundPage(guard, tuple(shown), problem, taken.key, better, counsel)


def cut_advice(walk: Walk, cut: Proposal, ground: GroundPart, guard: float) -> list[Advice]:
    """Advice on the cut that is ticked: it changes with it."""
    counsel = on_units(cut.dealing, cut.units_each, walk.draft.rows)
    counsel += on_gradient(unblocked_gradient(site_of(walk.draft, ground), cut.dealing))
    if walk.draft.measure is not None:
        first = walk.known.measures[walk.draft.measure.measure]
        counsel += on_turns(cut.dealing, first, walk.draft.compared)
        counsel += on_order(first, cut.dealing, cut.units_each, walk.draft.rows)
        if cut.dealing != "on and off":
            counsel += on_guard(first, guard if ground.guard_cm is None else ground.guard_cm, cut.cuts[0].kind, units())
    if words := _unlike(cut):
        text = f"{words} Give every treatment by the square metre, or take a cut of equal units."
        counsel.append(Advice(True, text))
    return counsel


def _drawn(site: Site, cuts: Sequence[Cut]) -> GroundPlan:
    return ground_plan(site, [(cut, None) for cut in cuts], {}, household=units())


def _unlike(cut: Proposal) -> str:
    return f"Its units are not alike: {size_words(cut.cuts, units())}." if unlike(cut.cuts) else ""


def _chances(
    walk: Walk, ground: GroundPart, offered: list[Proposal], site: Site
) -> tuple[dict[str, tuple[float | None, str]], str]:
    """What each proposal can show, by its key; or why that can't be told."""
    measure, chance = walk.draft.measure, walk.draft.chance

    def blank(why: str) -> dict[str, tuple[float | None, str]]:
        return {proposal.key: (None, why) for proposal in offered}

    if measure is None or chance is None:
        return blank("Choose measure and worth to see its chance."), ""
    from eproba.core.planning.outlook import shown_proposals  # the statistics are heavy: only where they are needed

    try:
        shown = shown_proposals(
            measure, walk.draft.rows, offered, site, noise_for(walk, measure, chance), ground.sizes,
            worth_unit(walk.known.measures[measure.measure].judged_unit, measure.summary),
            walk.draft.crossed, walk.draft.laddered,
            walk.known.measures[measure.measure],
        )  # fmt: skip
    except EprobaError as error:
        return blank("Its chance can’t be told yet."), sentence(error)
    return {outlook_.proposal.key: (outlook_.chance, outlook_.words) for outlook_ in shown}, ""


def drawn(site: Site) -> str:
    """The ground as the page draws it."""
    return json.dumps(site_entry(site))


def _copied(text: str) -> Copied | None:
    """The cut of the trial that this plan was copied from; None where there is none that can be read."""
    try:
        kept: Mapping[str, Any] = json.loads(text or "{}")
        rows = kept.get("cuts", ())
        for row in rows:
            check_values("cuts", row, Cut, GroundError)
        if not rows or kept.get("dealing") not in DEALINGS:
            return None
        return Copied(site_from(kept["site"]), kept["dealing"], tuple(Cut(**row) for row in rows))
    except (ValueError, TypeError, AttributeError, KeyError, GroundError):
        return None  # nobody types this by hand
