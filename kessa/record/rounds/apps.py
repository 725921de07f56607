"""Rounds."""

from django.apps import AppConfig


class RoundsConfig(AppConfig):
    """Rounds, and the door of taps that it opens."""

    name = "kessa.record.rounds"

    def ready(self) -> None:
        """Let visits be tapped: what the plan wants of them is known here."""
        from kessa.record.rounds.stream import PlannedVisitStream
        from kessa.record.taps.streams import register

        register(PlannedVisitStream)
