"""The chances of a plan as JSON and as a readable text."""

import json

from eproba.core.planning.advice import by_order_words
from eproba.core.planning.chance import Chances, pairs_of
from eproba.core.planning.prospect import Prospect
from eproba.core.trial.worth import as_typed
from eproba.core.words import figure, plural

WORDS = {
    "nothing": "When the truth is nothing",
    "worth": "When it is the worth",
    "twice_worth": "When it is twice the worth",
}
NO_WORSE_WORDS = {
    "nothing": "When it is just as good",
    "worth": "When it is worse by the margin",
    "twice_worth": "When it is worse by twice the margin",
}


def chances_json(chances: Chances) -> str:
    """All figures as JSON text; null for what does not exist."""
    shares: dict[str, dict[str, float]] = {
        truth: {str(verdict): share for verdict, share in shares.items()} for truth, shares in chances.shares.items()
    }
    shares["nothing"]["family_false_alarm"] = chances.family_false_alarm
    content = {
        "best_p": chances.best_p,
        "deals": chances.deals,
        "power": {"pairwise": chances.pairwise, "adjusted": chances.adjusted},
        "own": {"adjusted": chances.own, "df": chances.own_df},
        "detectable": chances.detectable,
        "chance": shares,
        "error": chances.error,
    }
    return json.dumps(content, indent=2, allow_nan=False)


def chances_text(chances: Chances, prospect: Prospect) -> str:
    """The same for reading."""
    words = NO_WORSE_WORDS if prospect.no_worse else WORDS
    size = f"{plural(prospect.treatments, 'treatment')} × {plural(prospect.units, 'unit')}"
    lines = [f"{size} in blocks" if prospect.blocks else size]
    for truth, shares in chances.shares.items():
        verdicts = ", ".join(
            f"{verdict.replace('_', ' ')} {100 * share:.0f}" for verdict, share in shares.items() if share
        )
        lines.append(f"{words[truth]}, out of 100 trials: {verdicts}")
    if prospect.rounded and not prospect.by_order:
        lines.append(f"Readings are rounded to {prospect.step:g}; where units all read alike, nothing is shown.")
    if chances.own is None or chances.own_df is None:
        lines.append("One unit of each can be described, never judged: take two or more.")
        return "\n".join(lines)
    if prospect.kind in ("class", "day"):
        lines.append(by_order_words(prospect.units, prospect.treatments - 1, prospect.blocks, prospect.kind == "day"))
    if chances.detectable is None:
        return "\n".join(lines)
    if prospect.by_order:
        pairs = f"{100 * pairs_of(prospect, chances.detectable):.0f} of 100 pairs speak for it"
        lines.append(f"The worth is found in {100 * chances.own:.0f} of 100.")
        lines.append(f"Found in 8 of 10: a shift of {figure(chances.detectable)}, where {pairs}.")
        return "\n".join([*lines, *_simulated_lines(chances)])
    detectable = as_typed(chances.detectable, prospect.scale)
    size = f"{detectable:.1f} %" if prospect.scale == "ratio" else figure(detectable)
    even = f"{100 * (chances.adjusted or 0):.0f} if all are equally noisy"
    lines.append(f"The worth is found in {100 * chances.own:.0f} of 100 ({even}).")
    lines.append(f"Found in 8 of 10: a gap of {size}.")
    own = f"{chances.own_df:.1f} degrees of freedom instead of {prospect.df}"
    lines.append(f"Each treatment is judged by its own noise: {own}.")
    lines.append(f"Smallest p of the shuffle test: {chances.best_p:.2g}, with {chances.deals} possible deals.")
    return "\n".join([*lines, *_simulated_lines(chances)])


def _simulated_lines(chances: Chances) -> list[str]:
    """What only simulation tells, and how well."""
    return [
        f"Any false “better” or “worse” for nothing: {100 * chances.family_false_alarm:.1f} of 100.",
        f"Simulated figures are within about ± {200 * chances.error:.1f} of 100.",
    ]
