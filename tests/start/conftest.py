"""Homes of one's own."""

import fcntl

import pytest

from eproba.start.cluster import in_use
from eproba.start.home import open_home
from tests.conftest import BEGUN
from tests.start.homes import copied, eproba, own_home


@pytest.fixture
def empty_home():
    """A home that is not there yet; stopped and gone afterwards, however the test ended."""
    with own_home() as path:
        yield path


@pytest.fixture(scope="session")
def begun():
    """A home with an empty garden, to copy: a cluster takes seconds to make, and the workers of a run share it."""
    BEGUN.mkdir(mode=0o711, exist_ok=True)
    path = BEGUN / "home"
    with (BEGUN / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not (BEGUN / "made").exists():
            assert eproba(path, "passcode").returncode == 0
            (BEGUN / "made").touch()
    return path


@pytest.fixture
def home(begun):
    """A home with an empty garden; stopped and gone afterwards, however the test ended."""
    with own_home() as path:
        copied(begun, path)
        yield path


@pytest.fixture
def running_home(home):
    """One whose PostgreSQL runs, so that no command waits for its start."""
    with in_use(open_home(home)):
        yield home
