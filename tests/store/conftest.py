"""A session on the database of the test."""

import pytest
from sqlmodel import Session


@pytest.fixture
def session(app):
    with Session(app.extensions["engine"]) as session:
        yield session
