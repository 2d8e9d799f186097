"""The record of a trial in words: what was late, changed or left out. Told, not weighed; the ledger weighs."""

from eproba.core.trial.amendments import Evidence


def told_evidence(evidence: Evidence) -> list[str]:
    """One sentence for each thing that the record shows."""
    lines = [f"{what.capitalize()} on day {day}, after the start." for what, day in evidence.late]
    lines += [f"Day {plan}: {_readings(n)} truly read on day {day}." for plan, day, n in evidence.read_elsewhen]
    if evidence.readings_entered_late:
        lines.append(f"{_readings(evidence.readings_entered_late)} came on record days after being read.")
    if evidence.pours_entered_late:
        lines.append(f"{_applications(evidence.pours_entered_late)} came on record days after being poured.")
    if evidence.pours_not_on_record:
        lines.append(f"{_applications(evidence.pours_not_on_record)} due by now, not on record.")
    for amendment in evidence.after_opening:
        by = f" by {amendment.by}" if amendment.by else ""
        before = f"; the verdict was: {amendment.verdict_before}" if amendment.verdict_before else ""
        lines.append(f"Changed after the opening{by} ({amendment.reason}){before}.")
    for pour in evidence.pours_after_opening:
        by = f" by {pour.by}" if pour.by else ""
        lines.append(f"The application {pour.letter} of day {pour.day} was changed after the opening{by}.")
    if evidence.readers_who_saw:
        lines.append(f"Read on a device that shows who got what: {', '.join(evidence.readers_who_saw)}.")
    return lines


def _readings(count: int) -> str:
    return f"{count} reading" + ("" if count == 1 else "s")


def _applications(count: int) -> str:
    return f"{count} application" + ("" if count == 1 else "s")
