"""Making and revoking keys; telling hooks."""

import secrets
from collections.abc import Callable
from typing import Any

from django.core.exceptions import ValidationError
from django.utils import timezone

from kessa.record.api import may
from kessa.record.api.models import Delivery, Hook, Key
from kessa.record.api.outside import check_address
from kessa.record.api.selectors import keys_of
from kessa.record.api.tasks import deliver_hook
from kessa.record.people.acts import act
from kessa.record.people.models import Membership, Team
from kessa.record.people.secrets import digest_of, new_secret

_MOST_KEYS, _MOST_HOOKS = 20, 10


@act("key made", may.make_key)
def make_key(by: Membership, key: Key, secret: str) -> Key:
    """Make a key of one's own; `secret` is shown this once. Raises ValidationError where there are too many."""
    if keys_of(by).count() >= _MOST_KEYS:
        raise ValidationError(f"You have {_MOST_KEYS} keys: revoke one first.")
    key.team_id, key.membership, key.digest, key.begins = by.team_id, by, digest_of(secret), secret[:12]
    key.save()
    return key


def new_key_secret() -> str:
    """Return a secret that says what it is to who finds it lying about."""
    return f"kessa_{new_secret()}"


@act("key revoked", may.revoke_key)
def revoke_key(by: Membership, key: Key) -> Key:
    """Let a key open nothing any more."""
    key.revoked_at = timezone.now()
    key.save(update_fields=["revoked_at"])
    return key


@act("hook made", may.keep_hook)
def make_hook(by: Membership, team: Team, address: str, events: list[str]) -> Hook:
    """Tell an address of what happens from now on. Raises ValidationError where it is no place to send to."""
    check_address(address)
    if Hook.objects.for_team(team).filter(closed_at=None).count() >= _MOST_HOOKS:
        raise ValidationError(f"The team has {_MOST_HOOKS} hooks: close one first.")
    hook: Hook = Hook.objects.create(team=team, address=address, events=events, secret=secrets.token_urlsafe(32))
    return hook


@act("hook closed", may.keep_hook)
def close_hook(by: Membership, hook: Hook) -> Hook:
    """Tell an address nothing any more."""
    hook.closed_at = timezone.now()
    hook.save(update_fields=["closed_at"])
    return hook


def tell_hooks(team: int, event: str, payload: Callable[[], dict[str, Any]]) -> None:
    """Have the hooks of a team told of something, where it has any for it; the worker tells them once it is kept."""
    hooks = list(Hook.objects.for_team(team).filter(closed_at=None, events__contains=[event]))
    if not hooks:
        return
    said = payload()
    for hook in hooks:
        delivery = Delivery.objects.create(team_id=team, hook=hook, event=event, payload=said)
        deliver_hook.defer(delivery=delivery.pk)
