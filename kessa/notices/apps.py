"""Notices."""

from typing import Any

from django.apps import AppConfig


class NoticesConfig(AppConfig):
    """Notices, made wherever something is proposed anew."""

    name = "kessa.notices"

    def ready(self) -> None:
        """Listen for what is proposed."""
        from kessa.actions.proposing import proposed
        from kessa.notices.services import tell_of_found

        def tell(sender: Any, action: Any, **_: Any) -> None:
            tell_of_found(action)

        proposed.connect(tell, weak=False)
