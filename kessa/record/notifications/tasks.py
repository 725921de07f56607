"""What the worker does: it looks now and then for what has come due; see mail.py for what it sends."""

from typing import Any

from django.utils import timezone
from procrastinate.contrib.django import app

from kessa.record.notifications import services


@app.periodic(cron="* * * * *")
@app.task(name="notices.look", aliases=["kessa.notices.tasks.look"], queue="alarm", queueing_lock="look", lock="look")
def look(timestamp: int, **_: Any) -> None:
    """Look whether somebody has not come back, and whether a test is due."""
    now = timezone.now()
    services.notify_of_overdue(now)
    services.notify_of_follow_ups(now)
