"""Homes of one's own."""

import pytest

from tests.start.homes import copied, eproba, own_home


@pytest.fixture
def empty_home():
    """A home that is not there yet; stopped and gone afterwards, however the test ended."""
    with own_home() as path:
        yield path


@pytest.fixture(scope="session")
def begun():
    """A home with an empty garden, to copy: a cluster takes seconds to make."""
    with own_home("begun") as path:
        assert eproba(path, "passcode").returncode == 0
        yield path


@pytest.fixture
def home(begun):
    """A home with an empty garden; stopped and gone afterwards, however the test ended."""
    with own_home() as path:
        copied(begun, path)
        yield path
