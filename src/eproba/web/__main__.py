"""Compile every template: the start script runs this once for each state of the source."""

from eproba.web.app import create_app
from eproba.web.compiled import compile_all
from eproba.web.settings import Settings

if __name__ == "__main__":
    compile_all(create_app(Settings("postgresql://nowhere")))
