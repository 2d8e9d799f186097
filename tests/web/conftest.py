"""What the tests of the web share beside the app: other homes."""

import secrets
from contextlib import contextmanager

import pytest
from sqlalchemy import text

from eproba.store.database import engine_for
from eproba.store.server import named


@pytest.fixture
def homes(app, server, templates):
    """Other homes, empty, as many as are asked for: whatever is asked within one goes there."""
    made = []

    def home():
        name = server.new(templates["empty"])
        engine = engine_for(named(server.url, name))
        made.append((name, engine))
        with engine.begin() as connection:  # copies of one template have one key
            connection.execute(text("UPDATE garden SET signing_key = :key"), {"key": secrets.token_bytes(32)})

        @contextmanager
        def inside():
            outside, app.extensions["engine"] = app.extensions["engine"], engine
            try:
                yield engine
            finally:
                app.extensions["engine"] = outside

        return inside

    yield home
    for name, engine in made:
        engine.dispose()
        server.drop(name)


@pytest.fixture
def elsewhere(homes):
    """Another home, empty."""
    return homes()
