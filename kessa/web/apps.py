"""The pages around the applications, and what must hold before any of them is shown."""

from django.apps import AppConfig


class WebConfig(AppConfig):
    """Settings, addresses, base page, drawings."""

    name = "kessa.web"

    def ready(self) -> None:
        """Hold the data files to their shape at the start, not at the first page."""
        from kessa.web import checks  # noqa: F401
