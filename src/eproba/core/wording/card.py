"""A verdict in two lines, for a comment field: what came out, and what stands behind it; never prettier than it is."""

from collections.abc import Sequence

from eproba.core.judging.trust_line import TrustLine
from eproba.core.trial.lots import DEALT
from eproba.core.trial.model import Trial
from eproba.core.words import listed, plural


def card_lines(trial: Trial, said: Sequence[tuple[str, str]], trust: Sequence[TrustLine]) -> tuple[str, str]:
    """Both lines; `said`: headline and sentence of each treatment, the best first."""
    headline, sentence = said[0]
    more = f" {plural(len(said) - 1, 'more treatment')} in the report." if len(said) > 1 else ""
    return f"{headline}: {sentence}{more}", f"{stands_behind(trial)} {_limits(trust)}"


def stands_behind(trial: Trial) -> str:
    """“18 pots, drawn by lot (in blocks), 28 days.”"""
    crops = f", {listed(trial.rules.crops)}" if trial.rules.crops else ""
    lots = f"drawn by lot ({DEALT[trial.dealing]})"
    return f"{trial.noun(len(trial.units))}, {lots}{crops}, {trial.decision_day} days."


def _limits(trust: Sequence[TrustLine]) -> str:
    """What limits the verdict, else how many cautions there are."""
    caps = [line.rule for line in trust if line.level == "cap"]
    if caps:
        return f"The verdict is limited by: {listed(list(dict.fromkeys(caps)))}."
    cautions = [line.rule for line in trust if line.level == "caution"]
    if cautions:
        return f"{plural(len(cautions), 'caution')}: {listed(list(dict.fromkeys(cautions)))}."
    return "No warnings."
