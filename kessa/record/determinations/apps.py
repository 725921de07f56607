"""Determinations: one sample by one method."""

from django.apps import AppConfig


class DeterminationsConfig(AppConfig):
    """Determinations: one sample by one method."""

    name = "kessa.record.determinations"
    # Its tables keep the names that they had.
    label = "bench"
