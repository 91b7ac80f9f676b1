"""What all tests share."""

from __future__ import annotations

from hypothesis import HealthCheck, settings

settings.register_profile("project", deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("project")
