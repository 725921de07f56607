"""The log."""

from django.apps import AppConfig


class LogConfig(AppConfig):
    """The log, and the door of taps that it opens."""

    name = "kessa.log"

    def ready(self) -> None:
        """Let tests be tapped: what closing one writes is known here."""
        from kessa.log.closing import LoggedStream
        from kessa.taps.streams import register

        register(LoggedStream)
