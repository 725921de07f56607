"""The practice bench."""

from django.apps import AppConfig


class PracticeConfig(AppConfig):
    """The practice bench, and the door of taps that it opens."""

    name = "kessa.practice"

    def ready(self) -> None:
        """Let practised tests be tapped."""
        from kessa.practice.stream import PracticeStream
        from kessa.taps.streams import register

        register(PracticeStream)
