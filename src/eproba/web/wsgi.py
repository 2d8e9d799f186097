"""What gunicorn serves: one application, and so one engine, per worker."""

import logging

from eproba.web.app import create_app

logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(message)s")
app = create_app()
