"""What opening the envelope early costs, in words."""

from eproba.core.judging.envelope import Price


def price_told(price: Price) -> str:
    """Before it is opened: what a look on that day demands, and what it leaves for the decision day."""
    if price.now is None or price.later is None or price.unlooked is None:
        return "These units can’t be judged, only described: a look costs nothing, and shows nothing."
    now = _errors(price.now)
    text = f"At day {price.day} of {price.of} a gap must be {now} instead of {price.unlooked:.1f}."
    if f"{price.later:.2f}" == f"{price.unlooked:.2f}":
        return f"{text} The decision day loses next to nothing."
    return f"{text} On the decision day it must then be {price.later:.2f} instead of {price.unlooked:.2f}."


def ending_told(price: Price) -> str:
    """Before a trial is ended early: what its last look demands."""
    if price.now is None or price.unlooked is None:
        return ""
    now = _errors(price.now)
    return f"Ended on day {price.day} of {price.of}, a gap must be {now} instead of {price.unlooked:.1f} to be shown."


def _errors(bound: float) -> str:
    return "more than any gap could be" if bound > UNREACHABLE else f"{bound:.1f} standard errors"


UNREACHABLE = 100.0  # standard errors: nobody sees such a gap
