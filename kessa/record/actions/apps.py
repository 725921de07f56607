"""Actions."""

from django.apps import AppConfig


class ActionsConfig(AppConfig):
    """Actions, proposed wherever a place's results change."""

    name = "kessa.record.actions"

    def ready(self) -> None:
        """Listen for places whose results have changed, for what is on the shelf, and for limits."""
        from kessa.record.actions.proposing import limits_changed, products_changed, restated
        from kessa.record.advice.place_status import restated as changed
        from kessa.record.products.services import changed as shelf_changed
        from kessa.record.rules.services import published

        changed.connect(restated)
        published.connect(limits_changed)
        shelf_changed.connect(products_changed)
