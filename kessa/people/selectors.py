"""Who is who."""

from typing import Any

from django.contrib.auth.models import AnonymousUser

from kessa.people.models import Membership, Team, User


def current_membership(user: User | AnonymousUser, team_id: Any) -> Membership | None:
    """Return the person's membership in the chosen team, else in the first they joined."""
    if not user.is_authenticated:
        return None
    memberships = list(Membership.objects.filter(user=user).select_related("team", "user").order_by("id"))
    chosen = [membership for membership in memberships if membership.team_id == team_id]
    return next(iter(chosen or memberships), None)


def members(team: Team) -> Any:
    """Return the people of a team by name."""
    return User.objects.filter(memberships__team=team).order_by("first_name", "username")
