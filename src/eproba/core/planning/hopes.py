"""What a gardener hopes to see: a few answers that fit what is compared and what grows, each told by a measure."""

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import islice
from typing import Any

from eproba.core.errors import EprobaError
from eproba.core.keys import check_keys, check_values
from eproba.core.measuring.measures import Measure
from eproba.core.trial.compared import COMPARED
from eproba.core.trial.model import Compared

OFFERED = 5


class HopeError(EprobaError):
    """A hope in the catalogue that contradicts itself; the message says where."""


@dataclass(frozen=True)
class Hope:
    """One answer to “what do you hope to see?”: the measure that tells it, and the comparisons made for it."""

    key: str
    words: str
    kinds: tuple[str, ...]


def hope_from(key: str, entry: Mapping[str, Any], measures: Mapping[str, Measure]) -> Hope:
    """Build a hope from a TOML table. Raises HopeError."""
    check_keys(key, entry, Hope, HopeError, ["key"])
    values = {**entry, "kinds": tuple(entry["kinds"])}
    check_values(key, values, Hope, HopeError, strict=True)
    if key not in measures or not measures[key].can_be_first:
        raise HopeError(f"{key}: it is no measure that can be the first")
    if unknown := [kind for kind in entry["kinds"] if kind not in COMPARED]:
        raise HopeError(f"{key}: {unknown[0]} is no kind of comparison")
    return Hope(key, **values)


def hoped(kind: Compared, of_crop: tuple[str, ...], hopes: Mapping[str, Hope]) -> tuple[Hope, ...]:
    """The answers that are offered: those that this kind is made for, then those of the crop, then the others."""
    first = of_crop[:1] or COMPARED[kind].first[:1]
    made_for = [key for key, hope in hopes.items() if kind in hope.kinds]
    order = dict.fromkeys([*first, *made_for, *of_crop, *hopes])
    return tuple(islice((hopes[key] for key in order if key in hopes), OFFERED))
