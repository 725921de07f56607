"""Sending mail: the worker does it, again and again until the mail server takes it."""

from django.core.mail import EmailMessage
from django.db import transaction
from django.utils import timezone
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

from kessa.record.notifications.models import Notice


@app.task(
    name="notices.deliver",
    aliases=["kessa.notices.tasks.deliver"],
    retry=RetryStrategy(max_attempts=8, exponential_wait=4),
)
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
