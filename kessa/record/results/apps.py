"""Results, and the marks on them."""

from django.apps import AppConfig


class ResultsConfig(AppConfig):
    """Results, and the marks on them."""

    name = "kessa.record.results"
    # Its tables keep the names that they had.
    label = "log"
