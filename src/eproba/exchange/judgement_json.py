"""A judgement as JSON: open, flat, null for what does not exist."""

import json
import math
from collections.abc import Mapping
from typing import Any

from eproba.core.judging.judge import Comparison, Judgement
from eproba.core.judging.own import OwnFigures
from eproba.core.wording.ledger import text_of


def judgement_json(judgement: Judgement, own: Mapping[str, OwnFigures] | None = None) -> str:
    """The whole judgement as JSON text; never NaN. `own`: the figures on each treatment’s own noise, if asked."""
    question = judgement.question
    content = {
        "control": question.control,
        "scale": question.scale,
        "design": judgement.design,
        "units": judgement.units,
        "confidence": question.confidence,
        "worth": question.worth,
        "comparisons": [_comparison(each) | _own(each, own) for each in judgement.comparisons],
        "trust": [{"rule": line.rule, "level": line.level, "text": text_of(line)} for line in judgement.trust],
    }
    return json.dumps(_finite(content), ensure_ascii=False, allow_nan=False, indent=2)


def _comparison(each: Comparison) -> dict[str, Any]:
    names = ["treatment", "n", "n_control", "estimate", "se", "df", "p", "low", "high"]
    names += ["p_adjusted", "low_adjusted", "high_adjusted"]
    content = {name: getattr(each, name) for name in names}
    percent = each.percent
    content["percent"] = percent and {"estimate": percent.estimate, "low": percent.low, "high": percent.high}
    test = each.shuffle
    shuffle = {name: getattr(test, name, None) for name in ("gap", "p", "deals", "exact", "best_p", "low", "high")}
    content["shuffle"] = {**shuffle, "p_adjusted": each.shuffle_p_adjusted, "reason": each.shuffle_reason}
    return {**content, "verdict": each.verdict, "units_needed": each.units_needed}


def _own(each: Comparison, own: Mapping[str, OwnFigures] | None) -> dict[str, Any]:
    """The figures on its own noise; null where it has none."""
    if own is None:
        return {}
    found = own.get(each.treatment)
    return {"own": None if found is None else {**vars(found)}}


def _finite(content: Any) -> Any:
    if isinstance(content, float):
        return content if math.isfinite(content) else None
    if isinstance(content, dict):
        return {key: _finite(value) for key, value in content.items()}
    return [_finite(value) for value in content] if isinstance(content, list) else content
