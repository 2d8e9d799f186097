"""What the core's tests share."""

import pytest

from eproba.core.catalogue import measures


@pytest.fixture(scope="session")
def catalogue():
    return measures()
