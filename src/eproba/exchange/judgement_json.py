"""A judgement as JSON: open, flat, null for what does not exist."""

import json
import math
from typing import Any

from eproba.core.judging.judgement import Comparison, Judgement
from eproba.core.judging.trust_line import TrustLine
from eproba.core.judging.verdicts import percent
from eproba.core.stats.series import Question
from eproba.core.wording.ledger import text_of

FIGURES = ("se", "df", "p", "low", "high", "p_adjusted", "low_adjusted", "high_adjusted")


def judgement_json(judgement: Judgement) -> str:
    """The whole judgement as JSON text; never NaN. What only some judgements have (another kind than a quantity, a
    cap, an order) stands only there."""
    question = judgement.question
    content = {
        "control": question.control,
        "scale": question.scale,
        "design": judgement.design,
        "units": judgement.units,
        "confidence": question.confidence,
        "worth": question.worth,
        **({} if question.kind == "quantity" else {"kind": question.kind}),
        "comparisons": [_comparison(comparison, question) for comparison in judgement.comparisons],
        "trust": [_line(line) for line in judgement.trust],
    }
    return json.dumps(_finite(content), ensure_ascii=False, allow_nan=False, indent=2)


def _line(line: TrustLine) -> dict[str, Any]:
    entry = {"rule": line.rule, "level": line.level, "text": text_of(line)}
    return entry if line.cap is None else {**entry, "cap": line.cap, "of": line.of or None}


def _comparison(comparison: Comparison, question: Question) -> dict[str, Any]:
    """The figures as if all were equally noisy stand beside the gap; `own` carries the verdict, or null."""
    pooled, order = comparison.pooled, comparison.order
    content: dict[str, Any] = {name: getattr(comparison, name) for name in ("treatment", "n", "n_control", "estimate")}
    content |= {name: getattr(pooled, name, None) for name in FIGURES}
    content["df"] = None if pooled is None else int(pooled.df)
    content["percent"] = _percent(comparison, question)
    test = comparison.shuffle
    shuffle = {name: getattr(test, name, None) for name in ("gap", "p", "deals", "exact", "best_p", "low", "high")}
    content["shuffle"] = {**shuffle, "p_adjusted": comparison.shuffle_p_adjusted, "reason": comparison.shuffle_reason}
    content["verdict"] = comparison.verdict
    content["units_needed"] = None if comparison.needed is None else comparison.needed.likely
    content["own"] = None if comparison.own is None else {name: getattr(comparison.own, name) for name in FIGURES}
    if order is not None:
        content["order"] = {name: getattr(order, name) for name in ("chance", "low", "high", "p", "p_adjusted")}
    if losses := comparison.losses:
        names = ("lost", "of", "lost_control", "of_control", "p", "p_adjusted")
        content["losses"] = {name: getattr(losses, name) for name in names}
    if comparison.capped_by:
        content |= {"uncapped": comparison.uncapped, "capped_by": comparison.capped_by}
    return content


def _percent(comparison: Comparison, question: Question) -> dict[str, Any] | None:
    """In percent: of the pooled interval on the ratio scale, of the count model for counts."""
    if comparison.percent is None:
        return None
    low, high = comparison.percent.low, comparison.percent.high
    if question.scale == "ratio" and comparison.pooled is not None:
        low, high = percent(comparison.pooled.low_adjusted), percent(comparison.pooled.high_adjusted)
    return {"estimate": comparison.percent.estimate, "low": low, "high": high}


def _finite(content: Any) -> Any:
    if isinstance(content, float):
        return content if math.isfinite(content) else None
    if isinstance(content, dict):
        return {key: _finite(value) for key, value in content.items()}
    return [_finite(value) for value in content] if isinstance(content, list) else content
