"""What gunicorn serves: loaded once, then forked; each worker fills a pool of connections of its own."""

import logging

from eproba.web.app import create_app

logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(message)s")
app = create_app()
