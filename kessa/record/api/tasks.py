"""What the worker does: it tells hooks, again and again until they take it."""

from datetime import timedelta
from typing import Any

from django.utils import timezone
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

from kessa.record.api.models import Answered, Delivery
from kessa.record.api.outside import send

_ANSWERS_KEPT = timedelta(days=2)


@app.task(
    name="api.deliver_hook",
    aliases=["kessa.record.api.tasks.deliver_hook"],
    retry=RetryStrategy(max_attempts=8, exponential_wait=5),
)
def deliver_hook(delivery: int) -> None:
    """Tell a hook of one thing; it is tried again where it is not taken, for about four days."""
    rows = Delivery.across_teams.select_related("hook").filter(pk=delivery, delivered_at=None, hook__closed_at=None)
    found = rows.first()
    if found is None:
        return
    found.tried += 1
    told = {"id": found.pk, "event": found.event, "at": found.made_at.isoformat(), "data": found.payload}
    try:
        send(found.hook.address, found.hook.secret, told)
    except OSError as fault:
        found.fault = str(fault)[:200]
        found.save(update_fields=["tried", "fault"])
        raise
    found.delivered_at, found.fault = timezone.now(), ""
    found.save(update_fields=["tried", "delivered_at", "fault"])


@app.periodic(cron="41 3 * * *")
@app.task(name="api.clear_answers", aliases=["kessa.record.api.tasks.clear_answers"], queueing_lock="clear-answers")
def clear_answers(timestamp: int, **_: Any) -> None:
    """Forget answers that nobody asks for again, and what was told long ago."""
    Answered.across_teams.filter(at__lt=timezone.now() - _ANSWERS_KEPT).delete()
    Delivery.across_teams.filter(made_at__lt=timezone.now() - 15 * _ANSWERS_KEPT).delete()
