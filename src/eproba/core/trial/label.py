"""What the label of something bought promises: kept word for word, and asked promise by promise at the end."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from eproba.core.trial.model import Trial

Said = Literal["kept", "not kept", "can’t tell"]


@dataclass(frozen=True)
class LabelPromise:
    """One promise of one treatment's label, and what was said of it at the end (None: not asked yet)."""

    letter: str
    words: str
    said: Said | None = None


def promises_of(label: str) -> tuple[str, ...]:
    """The promises of a label, as they stand there: a semicolon or a new line parts them."""
    parts = (" ".join(part.split()) for part in re.split(r"[;\n]", label))
    return tuple(dict.fromkeys(part for part in parts if part))


def label_promises(trial: Trial, said: Sequence[LabelPromise] = ()) -> list[LabelPromise]:
    """Every promise of a trial's labels, with what was `said` of it."""
    known = {(promise.letter, promise.words): promise for promise in said}
    return [
        known.get((treatment.letter, words), LabelPromise(treatment.letter, words))
        for treatment in trial.treatments
        for words in promises_of(treatment.label)
    ]
