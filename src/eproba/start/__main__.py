"""`python src/eproba/start COMMAND …`, as the shell script calls it with whatever Python the machine has."""

import sys
from pathlib import Path

if __name__ == "__main__":
    sys.path[0] = str(Path(__file__).resolve().parents[2])
    from eproba.start.commands import main

    sys.exit(main(sys.argv[1:]))
