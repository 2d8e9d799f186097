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
# What every page needs is there before the workers are, once for all of them.
for name in app.jinja_env.list_templates():
    app.jinja_env.get_template(name)
recipes(), measures()
gc.freeze()  # what is loaded by now stays: the collector need not go through it again, in any worker


def _warm_up() -> None:
    """The statistics take a second or more to load: in each new worker they come while nobody waits for a verdict."""
    threading.Thread(target=import_module, args=("eproba.web.verdict.findings",), daemon=True).start()


os.register_at_fork(after_in_child=_warm_up)
