"""Tests of the core, the application and the browser's pages."""

import os

from hypothesis import settings

# Where many wait for the answer the examples are the same each time; at one's desk they are new ones.
settings.register_profile("ci", derandomize=True)
if os.environ.get("CI"):
    settings.load_profile("ci")
