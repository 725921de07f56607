"""Who is who, and who did what."""

from collections.abc import Collection
from functools import reduce
from operator import or_
from typing import Any

from django.conf import settings
from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY
from django.db.models import F, Q
from django.http import HttpRequest
from django.utils import timezone
from django.utils.crypto import constant_time_compare

from kessa.people.models import Act, Invitation, Membership, Team, User

_ACTS_SHOWN = 20


def membership_of_session(request: HttpRequest) -> Membership | None:
    """Return the asking person's membership in the team they chose, else in the first they joined.

    The person comes with it in one statement, held to the session as Django does: a password that was changed ends it.
    """
    session = request.session
    user_id = session.get(SESSION_KEY)
    if user_id is None or session.get(BACKEND_SESSION_KEY) not in settings.AUTHENTICATION_BACKENDS:
        return None
    rows = Membership.objects.filter(user=user_id, user__is_active=True).select_related("team", "user").order_by("id")
    memberships = list(rows)
    chosen = [membership for membership in memberships if membership.team_id == session.get("team")]
    found = next(iter(chosen or memberships), None)
    if found is None or not _holds(session.get(HASH_SESSION_KEY, ""), found.user):
        return None
    request._cached_user = found.user  # type: ignore[attr-defined]
    return found


def _holds(kept: str, user: User) -> bool:
    return constant_time_compare(kept, user.get_session_auth_hash())


def members(team: Team | int) -> Any:
    """Return the people of a team by name."""
    return User.objects.filter(memberships__team=team).order_by("first_name", "username")


def names_of(people: Collection[int]) -> dict[int, str]:
    """Return the names of people by their numbers, in no statement where there are none."""
    return {person.pk: str(person) for person in User.objects.filter(pk__in=people)} if people else {}


def open_invitations(team: Team | int) -> Any:
    """Return the invitations by which somebody can still join a team, newest first."""
    rows = Invitation.objects.for_team(team).filter(revoked_at=None, ends_at__gt=timezone.now(), joined__lt=F("most"))
    return rows.select_related("made_by").order_by("-pk")


def acts_of(team: Team) -> Any:
    """Return what was done and refused in a team, newest first."""
    return Act.objects.for_team(team).select_related("person").order_by("-at", "-id")


def acts_on(rows: list[Any]) -> list[Act]:
    """Return the latest of what was done to a team's rows."""
    these = [Q(on_kind=str(row._meta.verbose_name), on_id=str(row.pk)) for row in rows if row.pk]
    if not these:
        return []
    acts = Act.objects.for_team(rows[0].team_id).filter(reduce(or_, these))
    return list(acts.select_related("person").order_by("-id")[:_ACTS_SHOWN])
