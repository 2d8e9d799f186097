"""What follows what in a plan as it is typed: each field that nobody has touched stands as its cause proposes.

The kind of comparison leads to controls, handling and first measure; the measure to scale, worth and seeds; what is
tried to the first treatment, its name to a recipe, the recipe to dose and days. Whoever typed something else than what
was proposed keeps it, unless its unit or its choice is gone: a plan never holds what its own page no longer shows.
"""

from collections.abc import Mapping, Sequence

from eproba.core.measuring.measures import Measure
from eproba.core.planning.draft import Known
from eproba.core.planning.plan import control_index
from eproba.core.quantities import Units
from eproba.core.stats.series import Scale
from eproba.core.stats.summaries import SUMMARIES, Summary
from eproba.core.trial.compared import COMPARED, control_name
from eproba.core.trial.model import Compared, Role
from eproba.core.trial.worth import worth_unit
from eproba.core.words import NumberError, parse_number
from eproba.web.new_trial.steps.step import Answers, Typed, first_of
from eproba.web.new_trial.usual import dose_for, handling, kind_of, recipe_called, typed_rows

DOSE = ("dose", "amount", "unit", "pot")
RHYTHM = ("often", "every", "until", "then", "days", "on")
SHARE_WORTH = "15"  # percent
DAYS_WORTH = "3"
SEEDS = "10"


def follow(before: Answers, answers: Answers, known: Known) -> None:
    """Let what nobody has touched follow what was changed between `before` and `answers`; those change in place."""
    was, now = kind_of(first_of(before["claim"], "compared")), kind_of(first_of(answers["claim"], "compared"))
    if was != now:
        _follow_the_kind(before, answers, was, now, known.units)
    _follow_the_claim(before, answers, now)
    _follow_rows(before, answers, was, now, known)
    _follow_the_plan(answers, now)
    _follow_the_measure(before["measure"], answers["measure"], known)
    _follow_the_seeds(before, answers, known)


def _kept(before: Typed, typed: Typed, field: str, was: str, now: str) -> None:
    """One field: what stood there as proposed, and still does, becomes what is proposed now."""
    if first_of(before, field) == first_of(typed, field) == was:
        typed[field] = [now]


def _follow_the_kind(before: Answers, answers: Answers, was: Compared, now: Compared, units: Units) -> None:
    first = [(COMPARED[kind].first or ("plant_height",))[0] for kind in (was, now)]
    _kept(before["measure"], answers["measure"], "measure", *first)
    _kept(before["rules"], answers["rules"], "handling", handling(was, units), handling(now, units))
    fairest = [COMPARED[kind].controls[0] for kind in (was, now)]
    _kept(before["claim"], answers["claim"], "against", *fairest)
    if first_of(answers["claim"], "against") not in ("test", *COMPARED[now].controls):
        answers["claim"]["against"] = [fairest[1]]


def _follow_the_claim(before: Answers, answers: Answers, now: Compared) -> None:
    """What is tried is the first tested treatment, and against what is the role of the control."""
    claim, treatments = answers["claim"], answers["treatments"]
    places = typed_rows(treatments)
    tested = [place for place in places if first_of(treatments, f"treatments-{place}-role") == "test"]
    thing, against = first_of(claim, "thing"), first_of(claim, "against")
    if tested and thing != first_of(before["claim"], "thing"):
        _called(treatments, tested, thing)
    roles = [first_of(treatments, f"treatments-{place}-role") for place in places]
    changed = against != first_of(before["claim"], "against")
    if changed and against in COMPARED[now].controls and against not in roles:
        others = [place for place in places if place not in tested]
        if others:
            treatments[f"treatments-{others[0]}-role"] = [against]


def _called(treatments: Typed, tested: Sequence[int], thing: str) -> None:
    """The first tested treatment gets the name; all rungs of a ladder do."""
    stem = first_of(treatments, f"treatments-{tested[0]}-stem")
    if not stem:
        treatments[f"treatments-{tested[0]}-name"] = [thing]
        return
    for row in (f"treatments-{place}" for place in tested):
        if thing and first_of(treatments, f"{row}-stem") == stem:
            rung = first_of(treatments, f"{row}-name").removeprefix(stem)
            treatments |= {f"{row}-stem": [thing], f"{row}-name": [f"{thing}{rung}"]}


def _follow_rows(before: Answers, answers: Answers, was: Compared, now: Compared, known: Known) -> None:
    for place in typed_rows(answers["treatments"]):
        row, old = (f"treatments-{place}", before["treatments"])
        typed = answers["treatments"]
        role = first_of(typed, f"{row}-role")
        if role != "test" and role not in COMPARED[now].controls:
            typed[f"{row}-role"] = [COMPARED[now].controls[0]]
        if f"{row}-role" in old:
            _follow_in_row(row, old, typed, was, now, known)


def _follow_in_row(row: str, old: Typed, typed: Typed, was: Compared, now: Compared, known: Known) -> None:
    """Name by role, recipe by name, dose and days by role and recipe."""
    roles: list[Role] = [first_of(fields, f"{row}-role") or "test" for fields in (old, typed)]  # type: ignore[misc]
    names = [control_name(was, roles[0]), control_name(now, roles[1])]
    _kept(old, typed, f"{row}-name", *names)
    called = [recipe_called(first_of(fields, f"{row}-name"), known.recipes) for fields in (old, typed)]
    _kept(old, typed, f"{row}-recipe", *called)
    recipes = [known.recipes.get(first_of(fields, f"{row}-recipe")) for fields in (old, typed)]
    causes = [(was, roles[0], known.units, recipes[0]), (now, roles[1], known.units, recipes[1])]
    if causes[0] == causes[1] or first_of(typed, f"{row}-things") == "12":
        return
    proposals = [dose_for(*cause) for cause in causes]
    for group in (DOSE, RHYTHM):
        if all(_same(old, typed, f"{row}-{field}", proposals[0].get(field, [""])) for field in group):
            typed.update({f"{row}-{field}": proposals[1].get(field, [""]) for field in group if field != "on"})


def _same(old: Typed, typed: Typed, field: str, proposed: Sequence[str]) -> bool:
    return first_of(old, field) == first_of(typed, field) == (proposed or [""])[0]


def _follow_the_plan(answers: Answers, now: Compared) -> None:
    """The claim’s page says what the treatments are, whoever named them."""
    claim, treatments = answers["claim"], answers["treatments"]
    places = typed_rows(treatments)
    roles: list[Role] = [first_of(treatments, f"treatments-{place}-role") for place in places]  # type: ignore[misc]
    if "test" in roles:
        row = f"treatments-{places[roles.index('test')]}"
        claim["thing"] = [first_of(treatments, f"{row}-stem") or first_of(treatments, f"{row}-name")]
    control = roles[control_index(roles, first_of(claim, "against"))] if roles else "test"
    if control in COMPARED[now].controls or set(roles) == {"test"}:
        claim["against"] = [control]


def _follow_the_measure(before: Typed, typed: Typed, known: Known) -> None:
    old, new = (known.measures.get(first_of(fields, "measure")) for fields in (before, typed))
    if old is None or new is None:
        return
    _kept(before, typed, "scale", old.scale, new.scale)
    if new.scale != "ratio" or first_of(typed, "summary") == "time_to":
        typed["scale"] = ["difference"]
    if old.key != new.key:
        _kept(before, typed, "better", old.better, new.better)
        _kept(before, typed, "level", first_of(before, "level"), "")
        if first_of(before, "typical") == first_of(typed, "typical"):
            typed["typical"] = ["" if new.expected is None else f"{new.expected:g}"]
    if first_of(before, "worth") == first_of(typed, "worth"):
        proposed = proposed_worth(before, old)
        if worth_said_in(before, old) != worth_said_in(typed, new) or first_of(before, "worth") == proposed:
            typed["worth"] = [proposed_worth(typed, new)]
    if counts_seeds(typed, known) and not counts_seeds(before, known) and not first_of(typed, "sown"):
        typed["sown"] = [SEEDS]
    if new.kind == "day":
        typed["per_unit"] = ["1"]


def proposed_worth(typed: Mapping[str, list[str]], measure: Measure) -> str:
    """The worth that a measure proposes: 15 %, three days, else what units differ by; empty where nobody can say."""
    scale, summary = _scale(typed), _summary(typed)
    if measure.by_order:
        return ""
    if scale == "ratio":
        return SHARE_WORTH
    if summary == "time_to":
        return DAYS_WORTH
    if summary == "rate":
        return ""
    if measure.scale == "ratio":
        return _share_of(first_of(dict(typed), "typical"))
    return f"{measure.noise_on('difference'):.2g}"


def _share_of(typical: str) -> str:
    """15 % of what one unit usually gives."""
    try:
        return f"{parse_number(typical) * float(SHARE_WORTH) / 100:.2g}"
    except NumberError:
        return ""


def worth_said_in(typed: Mapping[str, list[str]], measure: Measure) -> str:
    """The unit that a worth is typed in."""
    return "%" if _scale(typed) == "ratio" else worth_unit(measure.judged_unit, _summary(typed))


def _scale(typed: Mapping[str, list[str]]) -> Scale:
    return "ratio" if first_of(dict(typed), "scale") == "ratio" else "difference"


def _summary(typed: Mapping[str, list[str]]) -> Summary:
    summary = first_of(dict(typed), "summary")
    return summary if summary in SUMMARIES else "last"  # type: ignore[return-value]


def _follow_the_seeds(before: Answers, answers: Answers, known: Known) -> None:
    """Seeds that a measure counts are those that are set in each unit: asked once, with the measure."""
    was, now = _sown(before, known), _sown(answers, known)
    _kept(before["rules"], answers["rules"], "seeds", was, now)
    if now:
        answers["rules"]["seeds"] = [now]


def _sown(answers: Answers, known: Known) -> str:
    """How many seeds each unit gets, where the first measure or another one counts them."""
    return first_of(answers["measure"], "sown") if counts_seeds(answers["measure"], known) else ""


def counts_seeds(typed: Typed, known: Known) -> bool:
    """Whether the first measure or another one counts how many of those sown came up."""
    asked = {first_of(typed, "measure"), *typed.get("also", [])}
    return any(known.measures[key].kind == "proportion" for key in asked if key in known.measures)
