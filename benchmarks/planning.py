"""2 000 simulated trials of 4 treatments × 6 blocks judged: time, and the ratio to the same loop with statsmodels.

The loop does trial by trial what a careful analyst would write: OLS of value on treatment and block, the gaps with
their simultaneous interval (the bound computed once, as ours), the verdict. Needs statsmodels (requirements/test.txt).
"""

import time
from statistics import median

import numpy as np
import statsmodels.api as sm

from benchmarks.timing import timed
from eproba.core.judging.verdicts import verdict_of
from eproba.core.planning.chance import chances
from eproba.core.planning.prospect import Prospect
from eproba.core.planning.simulating import simulated
from eproba.core.stats.many_to_one import critical_value
from eproba.core.stats.sample_size import even_correlation

TRIALS, TREATMENTS, BLOCKS = 2_000, 4, 6
PLAN = Prospect(TREATMENTS, BLOCKS, True, "ratio", 0.2, 0.3)


def main() -> None:
    chances(PLAN, 10)  # imports
    ours = median(timed(lambda: simulated(PLAN, TRIALS, 1)) for _ in range(5))
    page = median(timed(lambda: chances(PLAN, TRIALS)) for _ in range(5))
    start = time.perf_counter()
    alarm = theirs()
    loop = time.perf_counter() - start
    ours_alarm = simulated(PLAN, TRIALS, 1).false_alarm
    print(f"eproba, 3 × {TRIALS} trials      {ours:8.3f} s   (bar: 1 s for {TRIALS})")
    print(f"eproba, all of the chance page {page:6.3f} s   (bar: 0.3 s)")
    print(f"statsmodels loop, {TRIALS} trials {loop:7.3f} s   false alarms {alarm:.4f}, ours {ours_alarm:.4f}")
    print(f"ratio, trial for trial         {3 * loop / ours:6.0f} ×")


def theirs() -> float:
    """The share of trials with a false alarm when nothing does anything, trial by trial."""
    layout = np.array([(block, k) for block in range(BLOCKS) for k in range(TREATMENTS)])
    columns = [np.ones(len(layout))]
    columns += [(layout[:, 1] == k).astype(float) for k in range(1, TREATMENTS)]
    columns += [(layout[:, 0] == block).astype(float) for block in range(1, BLOCKS)]
    design = np.column_stack(columns)
    df = len(layout) - design.shape[1]
    bound = critical_value(even_correlation(TREATMENTS - 1), df, 0.95)
    noise = np.random.default_rng(1).normal(0.0, PLAN.sd, (len(layout), TRIALS))
    false = 0
    for trial in range(TRIALS):
        result = sm.OLS(noise[:, trial], design).fit()
        gaps, errors = result.params[1:TREATMENTS], result.bse[1:TREATMENTS]
        low, high = gaps - bound * errors, gaps + bound * errors
        verdicts = [verdict_of(float(a), float(b), PLAN.gap, False) for a, b in zip(low, high, strict=True)]
        false += any(verdict not in ("same", "cannot_tell") for verdict in verdicts)
    return false / TRIALS


if __name__ == "__main__":
    main()
