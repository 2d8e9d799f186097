"""What two readings of the same thing differ by: the reader's noise, told apart from that of the units.

References
----------
Dahlberg, G. (1940). Statistical Methods for Medical and Biological Students. (SD of one reading from pairs.)
Bland, J. M. & Altman, D. G. (1986). Statistical methods for assessing agreement between two methods of clinical
measurement. Lancet 327. (A steady difference between two readers, apart from the scatter.)
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from eproba.core.stats.linear import basis, dummies, without


@dataclass(frozen=True)
class ReaderNoise:
    """The SD of one reading with its df (pairs, less one for each steady difference), and that difference.

    `lean`: how much higher the second reads than the first on average; `lean_se` its standard error (None: one pair).
    """

    sd: float
    df: int
    lean: float
    lean_se: float | None


def reader_noise(differences: Sequence[float], one_reader: bool) -> ReaderNoise:
    """From second less first readings; of one and the same reader nothing steady is taken off.

    Parameters
    ----------
    differences : (n,), n ≥ 1; for two readers n ≥ 2.

    Raises
    ------
    ValueError
        Fewer.
    """
    n = len(differences)
    if n < (1 if one_reader else 2):
        raise ValueError("too few pairs")
    lean = math.fsum(differences) / n
    df = n if one_reader else n - 1
    around = 0.0 if one_reader else lean
    square = math.fsum((difference - around) ** 2 for difference in differences)
    spread = math.sqrt(math.fsum((difference - lean) ** 2 for difference in differences) / (n - 1)) if n > 1 else None
    return ReaderNoise(math.sqrt(square / (2 * df)), df, lean, None if spread is None else spread / math.sqrt(n))


def noise_between(values: Sequence[float], treatments: Sequence[str], blocks: Sequence[str | None]) -> float | None:
    """The SD of units alike in treatment and block: (n,) each. None where nothing is left over to tell it from."""
    columns = np.hstack([np.ones((len(values), 1)), dummies(treatments), dummies(blocks)])
    left = without(columns, np.asarray(values, dtype=np.float64)[:, None])
    df = len(values) - basis(columns).shape[1]
    return None if df < 1 else float(np.sqrt((left**2).sum() / df))


def share_of_reading(reader_sd: float, unit_sd: float, readings: int) -> float:
    """How much of the variance between units, each read so many times, is the readings' own: 0 to 1."""
    return 1.0 if unit_sd == 0 else min(1.0, reader_sd**2 / readings / unit_sd**2)


def readings_for(reader_sd: float, unit_sd: float, readings: int, share: float) -> int | None:
    """Readings of each unit that bring the readings' own share down to `share`; None: no number of them is sensible.

    What truly differs from unit to unit is what is left of `unit_sd`² when the readings' part is taken off.
    """
    true = unit_sd**2 - reader_sd**2 / readings
    if true <= 0:
        return None
    needed = math.ceil(reader_sd**2 * (1 - share) / (share * true) - 1e-9)
    return max(1, needed) if needed <= MOST_READINGS else None


MOST_READINGS = 6  # more of them nobody takes: then a better tool is the way
