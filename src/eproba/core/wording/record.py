"""The record of a trial in words: what was late, changed or left out. Told, not weighed; the ledger weighs."""

from eproba.core.trial.amendments import Evidence


def told_evidence(evidence: Evidence) -> list[str]:
    """One sentence for each thing that the record shows."""
    lines = [f"{what.capitalize()} on day {day}, after the start." for what, day in evidence.late]
    lines += [f"Day {plan}: {_readings(n)} truly read on day {day}." for plan, day, n in evidence.read_elsewhen]
    if evidence.readings_entered_late:
        lines.append(_entered_late(_readings(evidence.readings_entered_late), "taken"))
    if evidence.pours_entered_late:
        lines.append(_entered_late(_pours(evidence.pours_entered_late), "poured"))
    if evidence.pours_not_on_record:
        lines.append(f"{_pours(evidence.pours_not_on_record)} due by now, not on record.")
    for amendment in evidence.after_opening:
        by = f" by {amendment.by}" if amendment.by else ""
        before = f"; the verdict was: {amendment.verdict_before}" if amendment.verdict_before else ""
        lines.append(f"Changed after the opening{by} ({amendment.reason}){before}.")
    for pour in evidence.pours_after_opening:
        by = f" by {pour.by}" if pour.by else ""
        lines.append(f"The pour {pour.letter} of day {pour.day} was changed after the opening{by}.")
    if evidence.readers_who_saw:
        lines.append(f"Read on a device that shows who got what: {', '.join(evidence.readers_who_saw)}.")
    return lines


def _entered_late(what: str, done: str) -> str:
    """“1 reading was entered days after it was taken.”"""
    one = what.startswith("1 ")
    return f"{what} {'was' if one else 'were'} entered days after {'it was' if one else 'they were'} {done}."


def _readings(count: int) -> str:
    return f"{count} reading" + ("" if count == 1 else "s")


def _pours(count: int) -> str:
    return f"{count} pour" + ("" if count == 1 else "s")
