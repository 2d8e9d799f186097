"""What gunicorn serves: loaded once, then forked; each worker fills a pool of connections of its own."""

import gc
import logging
import os
import threading
from importlib import import_module

from eproba.core.catalogue import measures, recipes
from eproba.web.app import create_app

logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(message)s")
app = create_app()
gc.freeze()  # what is loaded by now stays: the collector need not go through it again, in any worker


def _warm_up() -> None:
    """Templates, recipes and statistics take seconds to load: in each new worker they come while nobody waits."""
    for name in app.jinja_env.list_templates():
        app.jinja_env.get_template(name)
    recipes()
    measures()
    import_module("eproba.web.verdict.findings")


os.register_at_fork(after_in_child=lambda: threading.Thread(target=_warm_up, daemon=True).start())
