"""A trial as a plan or a result for other gardens: without names, places, notes and pictures, and of the free words in
it only those that somebody has read again and kept."""

import hashlib
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Any

from eproba.core.trial.claim import own_words
from eproba.core.trial.declaration import fingerprint
from eproba.core.trial.model import Trial
from eproba.store.packages import Table
from eproba.store.plans import PlanBrought

UNTOLD = "not told"
# What says who, where, or anything in free words: emptied, wherever it stands.
EMPTIED = ("by", "made_by", "note", "photo", "laboratory", "mixed", "result", "meter", "typed", "label", "garden")
# What a judgement needs to be there, though not its words.
REPLACED = ("reason", "ended_reason", "lost_reason", "override", "otherwise")
# Tables that hold nothing but such.
DROPPED = (
    "measure_pictures", "batch_changes", "samples", "pictures", "left_out", "guesses", "label_answers", "repeats",
)  # fmt: skip
SKIPS, ROUGHLY = ("skip_reason", "old_skip_reason"), "skipped"


@dataclass(frozen=True)
class FreeWords:
    """Something that was written in free words and would leave with a trial: its key, what it is, and its text."""

    key: str
    what: str
    text: str


def free_words(trial: Trial, result: bool) -> list[FreeWords]:
    """All free words of a plan, or of a `result`, that leave unless they are struck."""
    words = [FreeWords("claim", "What you claim, in your own words", own_words(trial.claim))]
    words += [FreeWords(f"how-{t.letter}", f"How {t.name} is given", t.how) for t in trial.treatments]
    words.append(FreeWords("handling", "What is done to all units alike", trial.rules.handling))
    if result:
        words.append(FreeWords("seed", "The word that the lots were dealt from", trial.seed))
    return [one for one in words if one.text.strip()]


def plan_without(plan: PlanBrought, keep: Collection[str]) -> PlanBrought:
    """The plan without the free words that are not kept."""
    question = {**plan.question, "rules": _rules(plan.question["rules"], keep)}
    question["claim"] = question["claim"] if "claim" in keep else ""
    treatments = [_treatment(row, keep) for row in plan.parts["treatments"]]
    return replace(plan, question=question, parts={**plan.parts, "treatments": treatments})


def _treatment(row: Mapping[str, Any], keep: Collection[str]) -> dict[str, Any]:
    return {**row, "how": row["how"] if f"how-{row['letter']}" in keep else ""}


def _rules(rules: Mapping[str, Any], keep: Collection[str]) -> dict[str, Any]:
    kept = {name: rule for name, rule in rules.items() if name != "after"}  # another trial of the same garden
    return {**kept, "handling": rules.get("handling", "") if "handling" in keep else ""}


def without_names(tables: Sequence[Table], keep: Collection[str]) -> list[Table]:
    """The same tables with nothing in them that says who, where, or more than the plan and what was read; of free words
    those that are kept."""
    (trial,) = next(table.rows for table in tables if table.name == "trials")
    return [replace(table, rows=_rows(table, str(trial["key"]), keep)) for table in tables]


def _rows(table: Table, key: str, keep: Collection[str]) -> list[Mapping[str, Any]]:
    if table.name in DROPPED:
        return []
    return [_row(table.name, row, key, keep) for row in table.rows]


def _trial(row: Mapping[str, Any], keep: Collection[str]) -> dict[str, Any]:
    """The trial's own row; what was declared is struck with it, and bears the fingerprint of what is left."""
    values = {**row, "name": _neutral(row), "site": _nowhere(row["site"]), "rules": _rules(row["rules"], keep)}
    values["claim"] = row["claim"] if "claim" in keep else ""
    values["seed"] = row["seed"] if "seed" in keep else UNTOLD
    facts = row.get("declaration")
    if facts:
        treatments = [
            [letter, name, role, how if f"how-{letter}" in keep else "", *others]
            for letter, name, role, how, *others in facts["treatments"]
        ]
        left = {**facts, "treatments": treatments, "rules": _rules(facts["rules"], keep), "seed": values["seed"]}
        values |= {"declaration": left, "fingerprint": fingerprint(left)}
    return values


def _row(table: str, row: Mapping[str, Any], key: str, keep: Collection[str]) -> dict[str, Any]:
    values = dict(row)
    for name in EMPTIED:
        if values.get(name):
            values[name] = None if name == "photo" else ""
    for name in REPLACED:
        if values.get(name):
            values[name] = UNTOLD
    values |= {name: ROUGHLY for name in SKIPS if values.get(name)}
    if table == "trials":
        values = _trial(values, keep)
    if table == "treatments":
        values = _treatment(values, keep)
    if table == "amendments" and values["what"] == "treatments":
        values |= {"old": UNTOLD, "new": UNTOLD}
    if table == "batches":
        values |= {"name": "", "place": ""}
    for name in ("client_id", "old_client_id"):
        if values.get(name):
            values[name] = hashlib.sha256(f"{key}:{values[name]}".encode()).hexdigest()[:24]
    return values


def _neutral(trial: Mapping[str, Any]) -> str:
    """A name that says when, not where nor whose."""
    began = trial["start_on"]
    when = began if isinstance(began, date) else date.fromisoformat(str(began))
    return f"Another garden, {when:%B %Y} ({str(trial['fingerprint'])[:6] or str(trial['key'])[:6]})"


def _nowhere(site: Mapping[str, Any]) -> dict[str, Any]:
    """The ground by its shape alone."""
    places = [{**place, "name": f"Place {i}"} for i, place in enumerate(site["places"], start=1)]
    return {**site, "places": places, "north": 0.0}
