"""Tests of the core, the application and the browser's pages."""

import os

from hypothesis import HealthCheck, settings

# A busy machine is slow, not wrong.
settings.register_profile("patient", deadline=None, suppress_health_check=[HealthCheck.too_slow])
# Where many wait for the answer the examples are the same each time; at one's desk they are new ones.
settings.register_profile("ci", settings.get_profile("patient"), derandomize=True)
settings.load_profile("ci" if os.environ.get("CI") else "patient")
