"""Actions."""

from django.apps import AppConfig


class ActionsConfig(AppConfig):
    """Actions, proposed wherever a place's results change."""

    name = "kessa.record.actions"

    def ready(self) -> None:
        """Listen for places whose results have changed."""
        from kessa.record.actions.proposing import restated
        from kessa.record.advice.place_status import restated as changed

        changed.connect(restated)
