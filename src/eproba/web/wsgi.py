"""What gunicorn serves: loaded once, then forked; each worker fills a pool of connections of its own."""

import gc
import logging
import os
import sys
import threading
from importlib import import_module

from eproba.core.catalogue import measures, recipes
from eproba.web.app import create_app
from eproba.web.compiled import load_all
from eproba.web.turns import PagesInTurn

logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(message)s")
garden = create_app()
app = PagesInTurn(garden)
recipes()
measures()
# A save waits for PostgreSQL a dozen times, and each time for the thread that draws a page meanwhile: not for long.
sys.setswitchinterval(0.0005)
gc.freeze()  # what is loaded by now stays: the collector need not go through it again, in any worker


def _warm_up() -> None:
    """Templates and statistics take a second to load: in each new worker they come while nobody waits."""
    load_all(garden)
    import_module("eproba.web.verdict.findings")


os.register_at_fork(after_in_child=lambda: threading.Thread(target=_warm_up, daemon=True).start())
