"""Making and closing webhooks, and telling them."""

import secrets
from collections.abc import Callable
from typing import Any

from django.core.exceptions import ValidationError
from django.utils import timezone

from kessa.record.compiled import compiled
from kessa.record.people.acts import act
from kessa.record.people.models import Membership, Team
from kessa.record.webhooks import may
from kessa.record.webhooks.models import Delivery, Webhook
from kessa.record.webhooks.outside import check_address
from kessa.record.webhooks.tasks import deliver_hook

_MOST_HOOKS = 10


@act("hook made", may.keep_hook)
def make_hook(by: Membership, team: Team, address: str, events: list[str]) -> Webhook:
    """Tell an address of what happens from now on. Raises ValidationError where it is no place to send to."""
    check_address(address)
    if Webhook.objects.for_team(team).filter(closed_at=None).count() >= _MOST_HOOKS:
        raise ValidationError(f"The team has {_MOST_HOOKS} hooks: close one first.")
    hook: Webhook = Webhook.objects.create(team=team, address=address, events=events, secret=secrets.token_urlsafe(32))
    return hook


@act("hook closed", may.keep_hook)
def close_hook(by: Membership, hook: Webhook) -> Webhook:
    """Tell an address nothing any more."""
    hook.closed_at = timezone.now()
    hook.save(update_fields=["closed_at"])
    return hook


def send_to_webhooks(team: int, event: str, payload: Callable[[], dict[str, Any]]) -> None:
    """Have the hooks of a team told of something, where it has any for it; the worker tells them once it is kept."""
    hooks = [hook for hook in _open_hooks(team=team) if event in hook.events]
    if not hooks:
        return
    given = payload()
    for hook in hooks:
        delivery = Delivery.objects.create(team_id=team, hook=hook, event=event, payload=given)
        deliver_hook.defer(delivery=delivery.pk)


@compiled
def _open_hooks(team: int) -> Any:
    return Webhook.objects.for_team(team).filter(closed_at=None)
