"""Testing: from the first tap to the results."""

from django.apps import AppConfig


class TestingConfig(AppConfig):
    """Tests, and the stream of taps that each is."""

    name = "kessa.record.testing"

    def ready(self) -> None:
        """Let tests be tapped; follow places, lots and visits that change."""
        from kessa.record.kits.services import tabled
        from kessa.record.places.services import changed
        from kessa.record.taps.streams import register
        from kessa.record.testing.closing import lot_tabled, place_changed, visit_noted
        from kessa.record.testing.stream import TestStream
        from kessa.record.visits.services import noted

        register(TestStream)
        changed.connect(place_changed)
        noted.connect(visit_noted)
        tabled.connect(lot_tabled)
