import os

from hypothesis import HealthCheck, settings

settings.register_profile("quick", max_examples=60, deadline=None, derandomize=True)
settings.register_profile(
    "deep", max_examples=3000, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large]
)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "quick"))
