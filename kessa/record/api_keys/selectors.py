"""Reads of the API worth a name."""

from typing import Any

from django.utils import timezone

from kessa.record.api_keys.models import Key
from kessa.record.people.models import Membership
from kessa.record.people.secrets import digest_of


def keys_of(membership: Membership) -> Any:
    """Return somebody's own keys that open something."""
    rows = Key.objects.for_team(membership.team_id)
    return rows.filter(membership=membership, revoked_at=None, ends_at__gt=timezone.now())


def key_of(secret: str) -> Key | None:
    """Return the key of a secret, where it stands and its person still is of the team: the secret alone says whose."""
    rows = Key.across_teams.filter(digest=digest_of(secret), revoked_at=None, ends_at__gt=timezone.now())
    return rows.filter(membership__user__is_active=True).select_related("membership__team", "membership__user").first()
