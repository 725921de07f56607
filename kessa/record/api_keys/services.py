"""Making, counting and revoking keys."""

from django.core.exceptions import ValidationError
from django.db.models import Case, F, Q, When
from django.utils import timezone

from kessa.record.api_keys import may
from kessa.record.api_keys.models import Key
from kessa.record.api_keys.selectors import keys_of
from kessa.record.people.acts import act
from kessa.record.people.models import Membership
from kessa.record.people.secrets import digest_of, new_secret

_MOST_KEYS = 20


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


def count(key: Key, most: int) -> bool:
    """Count a request that came with a key; whether there were no more than `most` in this minute."""
    now = timezone.now()
    minute = now.replace(second=0, microsecond=0)
    free = Q(minute=None) | Q(minute__lt=minute) | Q(asked__lt=most)
    asked = Case(When(minute=minute, then=F("asked") + 1), default=1)
    rows = Key.objects.for_team(key.team_id).filter(free, pk=key.pk)
    return bool(rows.update(minute=minute, asked=asked, used_on=timezone.localdate(now)))
