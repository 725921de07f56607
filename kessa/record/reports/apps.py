"""How this folder is an app of Django's."""

from django.apps import AppConfig

from kessa.core.found import import_all


class ReportsConfig(AppConfig):
    """Reports, with the kinds that there are."""

    name = "kessa.record.reports"

    def ready(self) -> None:
        """Have every kind of report, once there are models to gather it from."""
        import_all("kessa.record.reports.kinds")
