"""Keys by which programs and devices reach the record."""

from django.apps import AppConfig


class ApiKeysConfig(AppConfig):
    """Keys by which programs and devices reach the record."""

    name = "kessa.record.api_keys"
    # Its tables keep the names that they had.
    label = "api"
