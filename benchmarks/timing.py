"""What the benchmarks share."""

import time
from collections.abc import Callable


def timed(work: Callable[[], object]) -> float:
    """Seconds that a piece of work takes."""
    start = time.perf_counter()
    work()
    return time.perf_counter() - start
