"""A year of Today's list at three warmths, followed to the letter and carelessly: breaks, lines, batches.

Runs in databases of its own on the server in EPROBA_DATABASE_URL; `./eproba bench rehearsal` starts one.
"""

import os
import sys
import time

from eproba.rehearsal.run import in_words, with_database
from eproba.rehearsal.temper import WARMTHS, Temper

DAYS = 365


def main() -> None:
    broken = 0
    for warmth in WARMTHS:
        for careless in (0.0, 0.2):
            began = time.perf_counter()
            outcome = with_database(os.environ["EPROBA_DATABASE_URL"], DAYS, Temper(7, warmth, careless))
            broken += len(outcome.breaks)
            print(in_words(outcome))
            print(f"{time.perf_counter() - began:.0f} s\n", flush=True)
    sys.exit(1 if broken else 0)


if __name__ == "__main__":
    main()
