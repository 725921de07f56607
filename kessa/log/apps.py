"""The log."""

from django.apps import AppConfig


class LogConfig(AppConfig):
    """The log, and the door of taps that it opens."""

    name = "kessa.log"

    def ready(self) -> None:
        """Let tests be tapped, as what closing one writes is known here; follow places and visits that change."""
        from kessa.kits.services import tabled
        from kessa.log.closing import LoggedStream, lot_tabled, place_changed, visit_noted
        from kessa.places.services import changed
        from kessa.taps.streams import register
        from kessa.visits.services import noted

        register(LoggedStream)
        changed.connect(place_changed)
        noted.connect(visit_noted)
        tabled.connect(lot_tabled)
