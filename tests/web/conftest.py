"""What the tests of the web share beside the app: another home."""

from contextlib import contextmanager

import pytest

from eproba.store.database import engine_for
from eproba.store.server import named


@pytest.fixture
def elsewhere(app, server, templates):
    """Another home, empty: whatever is asked within goes there."""
    name = server.new(templates["empty"])
    engine = engine_for(named(server.url, name))

    @contextmanager
    def there():
        here, app.extensions["engine"] = app.extensions["engine"], engine
        try:
            yield engine
        finally:
            app.extensions["engine"] = here

    yield there
    engine.dispose()
    server.drop(name)
