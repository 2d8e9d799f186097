"""A judgement as plain text for the terminal: table, sentences, trust ledger."""

from eproba.core.judging.judgement import Comparison, Judgement
from eproba.core.wording.ledger import text_of
from eproba.core.wording.sentences import Wording, gap_text, headline, sentence


def readable(judgement: Judgement) -> str:
    """Table, sentences and trust ledger as plain text."""
    wording = Wording()
    heads = ("treatment", "units", "gap", "95 % of all", "p", "p of all", "shuffle p", "verdict")
    rows = [heads, *(_row(comparison, judgement, wording) for comparison in judgement.comparisons)]
    widths = [max(len(row[i]) for row in rows) for i in range(len(heads))]
    table = ["  ".join(cell.ljust(w) for cell, w in zip(row, widths, strict=True)).rstrip() for row in rows]
    sentences = [sentence(comparison, judgement, wording) for comparison in judgement.comparisons]
    ledger = [f"{line.level}: {line.rule}. {text_of(line)}" for line in judgement.trust]
    opening = f"{judgement.units} units judged against “{judgement.question.control}” ({judgement.design})."
    return "\n".join([opening, "", *table, "", *sentences, "", "Trust", *ledger])


def _row(comparison: Comparison, judgement: Judgement, wording: Wording) -> tuple[str, ...]:
    def p(number: float | None) -> str:
        return "–" if number is None else f"{number:.4f}"

    carrying, order = comparison.carrying, comparison.order
    span = "–"
    if order is not None and order.carries:
        span = f"{100 * order.low:.0f} to {100 * order.high:.0f} of 100 above"
    elif carrying is not None:
        ends = (
            gap_text(carrying.low_adjusted, judgement.question.scale, wording),
            gap_text(carrying.high_adjusted, judgement.question.scale, wording),
        )
        span = " to ".join(ends)
    gap = "–" if comparison.estimate is None else gap_text(comparison.estimate, judgement.question.scale, wording)
    shuffled = p(comparison.shuffle.p if comparison.shuffle else None)
    counts = f"{comparison.n} : {comparison.n_control}"
    alone = p(carrying.p if carrying else order.p if order else None)
    return (
        comparison.treatment,
        counts,
        gap,
        span,
        alone,
        p(comparison.p_adjusted),
        shuffled,
        headline(comparison, judgement),
    )
