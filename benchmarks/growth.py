"""p95 of each page as a garden grows: 10 000, 100 000 and 1 000 000 readings, two trials running each time.

What is over grows, what runs does not: that is how gardens do. Each size in a database of its own.
"""

from itertools import pairwise

from benchmarks.pages import PAGES, TRIALS, app_for, figures, garden
from eproba.web.settings import Settings

SIZES = (TRIALS // 10, TRIALS, TRIALS * 10)
MOST = 1.5
RUNNING = 2


def main() -> None:
    told: dict[str, list[float]] = {}
    for trials in SIZES:
        with garden(trials, RUNNING) as (url, readings):
            print(f"{trials} trials, {readings} readings", flush=True)
            app = app_for(Settings(url))
            for page in PAGES:
                if "page=3" in page:
                    continue  # a small garden has none
                _, _, p95 = figures(app.test_client(), page)
                told.setdefault(page, []).append(p95)
            app.extensions["engine"].dispose()
    print(f"{'page, p95 in ms':34}" + "".join(f"{size:>10}" for size in SIZES) + f"{'most × per ten':>16}")
    for page, times in told.items():
        ratio = max(later / earlier for earlier, later in pairwise(times))
        print(
            f"{page:34}"
            + "".join(f"{each:10.1f}" for each in times)
            + f"{ratio:16.2f}"
            + (" !" if ratio > MOST else "")
        )


if __name__ == "__main__":
    main()
