"""Notices."""

from typing import Any

from django.apps import AppConfig


class NoticesConfig(AppConfig):
    """Notices, made wherever something is proposed anew."""

    name = "kessa.record.notices"

    def ready(self) -> None:
        """Listen for what is proposed, and what is asked."""
        from kessa.record.actions.proposing import proposed
        from kessa.record.notices.services import tell_of_found, tell_of_question
        from kessa.record.review.services import asked

        def tell(sender: Any, action: Any, **_: Any) -> None:
            tell_of_found(action)

        def tell_asked(sender: Any, step: Any, **_: Any) -> None:
            tell_of_question(step)

        proposed.connect(tell, weak=False)
        asked.connect(tell_asked, weak=False)
