"""A short stretch of what `python -m tests.soak` does for as long as it is told to."""

import pytest

from tests.soak import soak

pytestmark = pytest.mark.browser


def test_clients_lose_nothing_while_processes_are_killed(tmp_path):
    found = soak(tmp_path, seconds=12, clients=3, seed=3, every=(2, 5))
    assert found["wrong"] == []
    assert found["done"]["edit"] > 5
    assert sum(found["killed"].values()) > 1
    assert not [status for status in found["statuses"] if status >= 500]
