"""The declared plan: what is frozen at the start, its fingerprint, and what was changed since."""

import hashlib
import json
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from eproba.core.trial.model import Declared, Rules, Trial

VERSION = "version of the facts"
FACTS = 2  # the make of the facts; 1: those without a version


def facts_of(trial: Trial) -> dict[str, Any]:
    """All that the verdict hangs on, as plain data."""
    recipes = [
        [t.letter, t.recipe, t.water_parts, *([t.times] if t.times != 1 else [])] for t in trial.treatments if t.recipe
    ]
    facts: dict[str, Any] = {
        "question": "no worse than" if trial.no_worse else "better than",
        "first measure": trial.asked[0].measure.key,
        "worth": trial.worth_kept,
        "scale": trial.scale,
        "lower is better": trial.lower_is_better,
        "summary": trial.summary,
        "day 0": trial.start_on.isoformat(),
        "decision day": trial.decision_day,
        "control": trial.control,
        "treatments": [[t.letter, t.name, t.role, t.how, t.amount, t.amount_unit, t.rung] for t in trial.treatments],
        "design": trial.dealing,
        "lots": {unit.code: [unit.letter, unit.block] for unit in trial.units},
        "seed": trial.seed,
        "algorithm": trial.algorithm,
        "deals": trial.deals,
        "batches": trial.batches,
        "rules": _rules(trial),
        VERSION: FACTS,
    }
    # Only where there are some: plans declared before recipes or doses by ground were kept stay what they were.
    asked = [[asked.measure.key, list(asked.days)] for asked in trial.asked if asked.days is not None]
    doses = [[t.letter, t.per] for t in trial.treatments if t.per != "unit"]
    things = [[t.letter, t.things] for t in trial.treatments] if trial.crossed else []
    later = {"things": things, "recipes": recipes, "doses": doses, "asked": asked}
    return facts | {name: value for name, value in later.items() if value}


def _rules(trial: Trial) -> dict[str, Any]:
    """What is read twice tells of the reader and hangs nothing on it; a level only where it is asked, in metric."""
    apart = ("repeats", "level", "carried", "after")
    kept = {name: rule for name, rule in vars(trial.rules).items() if name not in apart}
    if trial.rules.carried:
        kept["carried"] = trial.rules.carried
    level = trial.rules.level
    if level is not None:
        kept["level"] = trial.asked[0].measure.conversion.kept(level)
    return {**kept, "crops": list(trial.rules.crops), "pulls": list(trial.rules.pulls)}


def fingerprint(facts: Mapping[str, Any]) -> str:
    """SHA-256 of the facts as compact JSON with sorted keys, so that anybody can check it with any tool."""
    text = json.dumps(facts, sort_keys=True, separators=(",", ":"), ensure_ascii=False, allow_nan=False)
    return hashlib.sha256(text.encode()).hexdigest()


def declare(trial: Trial, at: datetime) -> Declared:
    """Freeze the plan as it is."""
    facts = facts_of(trial)
    return Declared(at, facts, fingerprint(facts))


def short(full: str) -> str:
    """A fingerprint for reading aloud: its first twelve digits in threes."""
    return " ".join(full[i : i + 3] for i in range(0, 12, 3))


def untold(trial: Trial) -> list[str]:
    """Facts that differ from the declared plan without an amendment that says so."""
    if trial.declared is None:
        return []
    amended = {amendment.what for amendment in trial.amendments}
    present, declared = json.loads(json.dumps(facts_of(trial))), trial.declared.facts
    changed = [name for name, value in present.items() if name != VERSION and _differs(declared.get(name), value)]
    return [name for name in changed if name not in amended]


def _differs(declared: Any, present: Any) -> bool:
    """Whether a fact is another one now. A rule that the declaration did not know yet counts only where it is used."""
    if not isinstance(declared, Mapping) or declared.keys() >= present.keys():
        return bool(declared != present)
    usual = json.loads(json.dumps(vars(Rules())))
    return bool({name: declared.get(name, usual.get(name)) for name in present} != present)


def worth_words(trial: Trial) -> str:
    """The worth or margin with its unit, or “any difference”."""
    return trial.wanted.words(trial.worth_unit, "any difference")
