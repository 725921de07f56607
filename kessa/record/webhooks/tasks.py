"""What the worker does: it tells webhooks, again and again until they take it."""

from datetime import timedelta
from typing import Any

from django.utils import timezone
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

from kessa.record.webhooks.models import Delivery
from kessa.record.webhooks.outside import send

_KEPT = timedelta(days=30)


@app.task(
    name="api.deliver_hook",
    queue="hooks",
    aliases=["kessa.api.tasks.deliver_hook"],
    retry=RetryStrategy(max_attempts=8, exponential_wait=5),
)
def deliver_hook(delivery: int) -> None:
    """Tell a hook of one thing; it is tried again where it is not taken, for about four days."""
    rows = Delivery.across_teams.select_related("hook").filter(pk=delivery, delivered_at=None, hook__closed_at=None)
    found = rows.first()
    if found is None:
        return
    found.tried += 1
    message = {"id": found.pk, "event": found.event, "at": found.made_at.isoformat(), "data": found.payload}
    try:
        send(found.hook.address, found.hook.secret, message)
    except OSError as fault:
        found.fault = str(fault)[:200]
        found.save(update_fields=["tried", "fault"])
        raise
    found.delivered_at, found.fault = timezone.now(), ""
    found.save(update_fields=["tried", "delivered_at", "fault"])


@app.periodic(cron="43 3 * * *")
@app.task(queueing_lock="clear-deliveries", name="api.clear_deliveries")
def clear_deliveries(timestamp: int, **_: Any) -> None:
    """Forget what was told long ago."""
    Delivery.across_teams.filter(made_at__lt=timezone.now() - _KEPT).delete()
