"""Files of the record."""

from django.apps import AppConfig


class ExportsConfig(AppConfig):
    """Files of the record."""

    name = "kessa.record.exports"
    # Its tables keep the names that they had.
    label = "exchange"
