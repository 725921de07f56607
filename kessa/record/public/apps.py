"""Public pages."""

from typing import Any

from django.apps import AppConfig


class PublicConfig(AppConfig):
    """Public pages, made anew where something is released or taken back."""

    name = "kessa.record.public"

    def ready(self) -> None:
        """Listen for what is released and taken back."""
        from kessa.record.public.services import forget_pages
        from kessa.record.review.services import given_out

        def made_anew(sender: Any, team: int, **_: Any) -> None:
            forget_pages(team)

        given_out.connect(made_anew, weak=False)
