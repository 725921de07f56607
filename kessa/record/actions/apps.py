"""Actions."""

from django.apps import AppConfig


class ActionsConfig(AppConfig):
    """Actions, proposed wherever a place's results change."""

    name = "kessa.record.actions"

    def ready(self) -> None:
        """Listen for places whose results have changed, and for what is on the shelf."""
        from kessa.record.actions.proposing import products_changed, restated
        from kessa.record.advice.place_status import restated as changed
        from kessa.record.products.services import changed as shelf_changed

        changed.connect(restated)
        shelf_changed.connect(products_changed)
