"""The brew shelf: each batch a vessel, as full as it is, looking like its state."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from eproba.core.brewing.batches import Next, State, state, wants
from eproba.core.brewing.clock import ready_window
from eproba.core.brewing.events import Batch, left
from eproba.core.quantities import METRIC, Amount, Units

TOP, BOTTOM = 30.0, 128.0  # of what can be filled
STATES: dict[State, str] = {
    "standing": "water stands", "brewing": "brewing", "ready": "ready", "strained": "strained",
    "throw away": "throw away", "used up": "used up", "too old": "too old", "thrown away": "thrown away",
}  # fmt: skip


@dataclass(frozen=True)
class Vessel:
    """One vessel: `tag` what is in it, number and unit; `level` is the y of its surface, `bubbles` are (x, y, r)."""

    batch: Batch
    state: State
    told: str
    there: float
    next: Next
    level: float
    bubbles: tuple[tuple[float, float, float], ...]
    window: tuple[datetime, datetime] | None
    words: str
    tag: list[str]


def vessel(batch: Batch, now: datetime, units: Units = METRIC) -> Vessel:
    """Draw one batch."""
    where, wanted = state(batch, now), wants(batch, now)
    litres = left(batch.until(now))
    share = min(1.0, litres / batch.litres) if batch.litres else 0.0
    level = BOTTOM - (BOTTOM - TOP) * 0.92 * share
    rising = _bubbles(batch.id, level) if where == "brewing" else ()
    inside = units(Amount(litres, batch.unit.partition(" of ")[0]))
    held = units.out_of(Amount(litres, batch.unit), Amount(batch.litres, batch.unit))
    words = f"{batch.recipe.title}, {held}, {STATES[where]}. {wanted.words.rstrip('.')}."
    window = ready_window(batch) if where in ("standing", "brewing") else None
    return Vessel(
        batch, where, STATES[where], litres, wanted, round(level, 1), rising, window, words, inside.split(" ", 1)
    )


def shelf(batches: Sequence[Batch], now: datetime, units: Units = METRIC) -> list[Vessel]:
    """All vessels, those that want something now first."""
    drawn = [vessel(batch, now, units) for batch in batches]
    return sorted(drawn, key=lambda vessel_: (not vessel_.next.urgent, vessel_.next.at or now, vessel_.batch.id))


def _bubbles(seed: int, level: float) -> tuple[tuple[float, float, float], ...]:
    """A few bubbles, always the same for one batch."""
    room = BOTTOM - level - 12
    return tuple(
        (30.0 + (37 * (n + seed)) % 60, round(level + 8 + room * ((n * 29 + seed * 13) % 100) / 100, 1), 2.0 + n % 3)
        for n in range(7)
    )
