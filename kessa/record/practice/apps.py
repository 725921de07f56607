"""The practice bench."""

from django.apps import AppConfig


class PracticeConfig(AppConfig):
    """The practice bench, and the door of taps that it opens."""

    name = "kessa.record.practice"

    def ready(self) -> None:
        """Let practised tests be tapped."""
        from kessa.record.practice.stream import PracticeStream
        from kessa.record.taps.streams import register

        register(PracticeStream)
