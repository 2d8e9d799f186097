"""The shuffle pile: all gaps that chance could deal, and ours."""

from dataclasses import dataclass

from eproba.core.judging.judgement import Judgement
from eproba.core.stats.shuffle import ShuffleTest
from eproba.core.wording.sentences import Wording, gap_text
from eproba.core.words import one_in

WIDTH, HEIGHT, PAD = 760.0, 150.0, 20.0
OTHERWISE = (
    "Ours is {} here, since what set the units apart before (start, block) is taken out first, without knowing who got"
    " what. The gap above takes all of it out at once."
)


@dataclass(frozen=True)
class Bar:
    """One heap of deals; the part as far out as ours is drawn darker."""

    x: float
    width: float
    y: float
    height: float
    far_y: float
    far_height: float


@dataclass(frozen=True)
class ShufflePile:
    """The pile in drawing units with its sentence."""

    bars: tuple[Bar, ...]
    ours: float
    label_x: float
    zero: float
    ours_label: str
    words: str


def shuffle_pile(test: ShuffleTest, estimate: float | None, judgement: Judgement, wording: Wording) -> ShufflePile:
    """Heap up the deals. `estimate`: the gap that the verdict stands on."""
    low, high = test.pile[0].low, test.pile[-1].high
    top = max(bar.deals for bar in test.pile)

    def x(value: float) -> float:
        return round(PAD + (WIDTH - 2 * PAD) * (value - low) / (high - low), 1)

    def tall(deals: int) -> float:
        return round(HEIGHT * deals / top, 1)

    width = x(test.pile[0].high) - x(test.pile[0].low) - 1.5
    bars = tuple(
        Bar(x(b.low), width, HEIGHT - tall(b.deals), tall(b.deals), HEIGHT - tall(b.beyond), tall(b.beyond))
        for b in test.pile
        if b.deals
    )
    ways = f"{test.deals:,}".replace(",", " ")
    far = f"{test.beyond:,}".replace(",", " ")
    dealt = (
        f"Of all {ways} ways the lots could have fallen" if test.exact else f"Of {ways} random deals of the same lots"
    )
    words = f"{dealt}, {far} show a gap at least as large as ours: {one_in(test.p)}."
    ours = gap_text(test.gap, judgement.question.scale, wording)
    is_other = estimate is not None and ours != gap_text(estimate, judgement.question.scale, wording)
    if is_other and not judgement.question.turns:
        words += f" {OTHERWISE.format(ours)}"
    return ShufflePile(
        bars,
        x(test.gap),
        min(max(x(test.gap), 70.0), WIDTH - 70.0),
        x(0),
        ours,
        words,
    )
