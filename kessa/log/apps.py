"""The log."""

from django.apps import AppConfig


class LogConfig(AppConfig):
    """The log, and the door of taps that it opens."""

    name = "kessa.log"

    def ready(self) -> None:
        """Let tests be tapped: what closing one writes is known here; and let what stands follow a changed place."""
        from kessa.log.closing import LoggedStream, place_changed
        from kessa.places.services import changed
        from kessa.taps.streams import register

        register(LoggedStream)
        changed.connect(place_changed)
