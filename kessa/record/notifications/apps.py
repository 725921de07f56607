"""Notices."""

from typing import Any

from django.apps import AppConfig


class NotificationsConfig(AppConfig):
    """Notices, made wherever something is proposed anew."""

    name = "kessa.record.notifications"
    # Its tables keep the names that they had.
    label = "notices"

    def ready(self) -> None:
        """Listen for what is proposed, and what is asked."""
        from kessa.record.actions.proposing import proposed
        from kessa.record.notifications.services import notify_of_finding, notify_of_question
        from kessa.record.review.services import asked

        def tell(sender: Any, action: Any, **_: Any) -> None:
            notify_of_finding(action)

        def tell_asked(sender: Any, step: Any, **_: Any) -> None:
            notify_of_question(step)

        proposed.connect(tell, weak=False)
        asked.connect(tell_asked, weak=False)
