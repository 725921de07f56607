"""Sending mail: the worker does it, again and again until the mail server takes it."""

from typing import Any

from django.conf import settings
from django.core.mail import EmailMessage
from django.db import transaction
from django.urls import reverse
from django.utils import timezone
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

from kessa.record.notifications.models import Kind, Notice

_FOOT = """\
Kessa computes and keeps; your kit's sheet, local rules and licensed people decide.
What you are told of, you choose here: {address}
"""


@app.task(
    name="notices.deliver",
    queue="mail",
    aliases=["kessa.notices.tasks.deliver"],
    retry=RetryStrategy(max_attempts=8, exponential_wait=4),
)
def deliver(notice: int) -> None:
    """Send one notice; it is sent once, and tried again where the mail server does not answer."""
    with transaction.atomic():
        rows = Notice.across_teams.select_for_update(of=("self",)).select_related("person", "action")
        found = rows.filter(pk=notice, sent_at=None).first()
        if found is None or not found.person.email:
            return
        found.sent_at = timezone.now()
        found.save(update_fields=["sent_at"])
        text = "\n\n".join(
            [found.body, _address_of(*_page(found)), _FOOT.format(address=_address_of("notifications:wish"))]
        )
        EmailMessage(f"Kessa: {found.subject}", text, to=[found.person.email]).send()


def _page(notice: Notice) -> tuple[Any, ...]:
    """Return the page that a notice is about, by name and number. It is not kept: a team may move."""
    match notice.kind:
        case Kind.FOUND:
            return "actions:action", notice.action_id
        case Kind.AGAIN:
            return "places:place", notice.action and notice.action.place_id
        case Kind.OVERDUE:
            return "visits:visit", notice.visit_id
    return "review:question", notice.question_id


def _address_of(name: str, *args: Any) -> str:
    return settings.KESSA_ADDRESS.rstrip("/") + reverse(name, args=args)
