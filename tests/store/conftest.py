"""A session on the database of the test."""

import pytest
from sqlmodel import Session

from eproba.store.database import engine_for


@pytest.fixture
def session(settings):
    engine = engine_for(settings.database_url)
    with Session(engine) as session:
        yield session
    engine.dispose()
