"""What the worker does: it sends what is to be told, and looks now and then for what has come due."""

from typing import Any

from django.core.mail import EmailMessage
from django.db import transaction
from django.utils import timezone
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

from kessa.notices import services
from kessa.notices.models import Notice


@app.task(retry=RetryStrategy(max_attempts=8, exponential_wait=4))
def deliver(notice: int) -> None:
    """Send one notice; it is sent once, and tried again where the mail server does not answer."""
    with transaction.atomic():
        rows = Notice.across_teams.select_for_update(of=("self",)).select_related("person")
        found = rows.filter(pk=notice, sent_at=None).first()
        if found is None or not found.person.email:
            return
        found.sent_at = timezone.now()
        found.save(update_fields=["sent_at"])
        EmailMessage(f"Kessa: {found.subject}", found.body, to=[found.person.email]).send()


@app.periodic(cron="* * * * *")
@app.task(queueing_lock="look", lock="look")
def look(timestamp: int, **_: Any) -> None:
    """Look whether somebody has not come back, and whether a test is due."""
    now = timezone.now()
    services.tell_of_overdue(now)
    services.tell_of_follow_ups(now)
