"""Back-scheduling 20 trials × 30 applications: from the applications to batches, errands and what the shelf serves."""

from datetime import UTC, datetime, timedelta
from statistics import median

from benchmarks.timing import timed
from eproba.core.applying.errands import jobs
from eproba.core.applying.schedule import Pouring, Stock, back_schedule, served_by
from eproba.core.catalogue import recipes

TRIALS, APPLICATIONS = 20, 30
START = datetime(2026, 5, 1, 17, tzinfo=UTC)
KEYS = ("sugar-ferment", "yeast-starter", "comfrey-steep", "compost-extract", "diluted-whey")


def main() -> None:
    known = recipes()
    needs = [
        (known[KEYS[t % len(KEYS)]], Pouring(t, f"trial {t}", "A", START + timedelta(days=t % 7 + 7 * n), 1.0))
        for t in range(TRIALS)
        for n in range(APPLICATIONS)
    ]
    stock = [Stock(i, key, START, START + timedelta(days=3), 5.0) for i, key in enumerate(KEYS)]

    def work() -> tuple[int, int]:
        _, left = served_by(needs, stock, START)
        planned = back_schedule(left)
        return len(planned), sum(len(jobs(batch, START)) for batch in planned)

    batches, errands = work()
    seconds = [timed(work) for _ in range(9)]
    print(f"{TRIALS} trials × {APPLICATIONS} applications: {batches} batches, {errands} errands")
    print(f"back-scheduled in {1000 * median(seconds):.1f} ms   (bar: 50 ms)")


if __name__ == "__main__":
    main()
