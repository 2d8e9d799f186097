"""What opening the envelope early costs, in words."""

from eproba.core.judging.envelope import Price

UNREACHABLE = 100.0  # standard errors: nobody sees such a gap


def price_told(price: Price) -> str:
    """Before it is opened: what would count on that day, and what the look costs the decision day."""
    if price.now is None or price.later is None or price.unlooked is None:
        return "These units can’t be judged, only described: a look costs nothing, and shows nothing."
    return f"{_would_count('Today', price.now, price.unlooked)} {_later(price.later / price.unlooked - 1)}"


def price_figures(price: Price) -> str:
    """The same in standard errors; nothing where units can’t be judged."""
    if price.now is None or price.later is None or price.unlooked is None:
        return ""
    now = f"{price.now:.1f}" if price.now <= UNREACHABLE else "more than any gap could be"
    return (
        f"In standard errors, a gap must be: {now} at day {price.day} of {price.of}; {price.later:.2f} on the decision "
        f"day after this look, {price.unlooked:.2f} without it (O’Brien & Fleming 1979, by days passed)."
    )


def ending_told(price: Price) -> str:
    """Before a trial is ended early: what its last look demands."""
    if price.now is None or price.unlooked is None:
        return ""
    return _would_count(f"If it ends on day {price.day} of {price.of},", price.now, price.unlooked)


def _would_count(when: str, now: float, unlooked: float) -> str:
    """How much clearer than on the decision day a gap must be."""
    if now > UNREACHABLE:
        return f"{when} no gap could count, however large."
    return f"{when} only a gap {now / unlooked:.1f} times as clear as on the decision day would count."


def _later(share: float) -> str:
    """What the decision day loses by the look."""
    if share < 0.005:
        return "Looking costs the decision day almost nothing."
    return f"On the decision day a gap must then be {100 * share:.0f} % clearer than without this look."
