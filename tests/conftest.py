import os

import pytest
from hypothesis import HealthCheck, settings

if os.environ.get("TESTS_LACK"):
    from tests.lacking import take_away

    take_away()

from ylemorph.store import people  # not before

settings.register_profile("quick", max_examples=60, deadline=None, derandomize=True)
settings.register_profile(
    "deep", max_examples=3000, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large]
)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "quick"))


@pytest.fixture(autouse=True, scope="session")
def cheap_passwords():
    """Hashes that take next to no time, in this process; what a started program writes has its own parameters."""
    people.METHOD = "scrypt:1024:8:1"
