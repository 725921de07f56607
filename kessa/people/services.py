"""Everything that changes who belongs where."""

from django.core import signing
from django.core.exceptions import ValidationError
from django.db import transaction

from kessa.people import may
from kessa.people.acts import act
from kessa.people.models import Membership, Role, Team, User

_INVITATION_SALT = "kessa.people.invitation"
_INVITATION_SECONDS = 14 * 24 * 3600


@transaction.atomic
def start_team(user: User, name: str, time_zone: str) -> Membership:
    """Start a team with its first coordinator; its house rules are the defaults until it chooses."""
    team = Team.objects.create(name=name, time_zone=time_zone)
    return Membership.objects.create(team=team, user=user, role=Role.COORDINATOR)


@act("someone invited", may.invite)
def invite(by: Membership, role: str) -> str:
    """Return a token by which anyone who holds it can join the team in this role for 14 days."""
    return signing.dumps({"team": by.team_id, "role": role}, salt=_INVITATION_SALT)


def read_invitation(token: str) -> tuple[Team, str]:
    """Return the team and role of an invitation; raises ValidationError when it is false or too old."""
    try:
        invitation = signing.loads(token, salt=_INVITATION_SALT, max_age=_INVITATION_SECONDS)
        return Team.objects.get(pk=invitation["team"]), invitation["role"]
    except (signing.BadSignature, Team.DoesNotExist):
        raise ValidationError("This invitation is not valid any more. Ask your coordinator for a new one.") from None


def join_team(user: User, token: str) -> Membership:
    """Join the team of an invitation; joining again changes nothing."""
    team, role = read_invitation(token)
    return Membership.objects.get_or_create(team=team, user=user, defaults={"role": role})[0]


@act("authority named", may.name_authority)
def name_authority(by: Membership, team: Team, authority: str) -> Team:
    """Write whom the team tells where drinking water fails."""
    team.authority = authority
    team.save(update_fields=["authority"])
    return team


@act("role changed", may.change_role)
def change_role(by: Membership, membership: Membership, role: str) -> Membership:
    """Give a member another role; raises ValidationError where no coordinator would be left."""
    _check_coordinator_left(membership, stays=role == Role.COORDINATOR)
    membership.role = role
    membership.save(update_fields=["role"])
    return membership


@act("member taken out", may.remove_member)
def remove_member(by: Membership, membership: Membership) -> None:
    """Take someone out of the team; what they measured stays. Raises ValidationError for the last coordinator."""
    _check_coordinator_left(membership, stays=False)
    membership.delete()


def choose_units(user: User) -> User:
    """Write the units in which a person sees results."""
    user.save(update_fields=["concentration_unit", "temperature_unit", "hardness_unit"])
    return user


def _check_coordinator_left(membership: Membership, *, stays: bool) -> None:
    coordinators = Membership.objects.select_for_update().filter(team=membership.team, role=Role.COORDINATOR)
    if not stays and {each.pk for each in coordinators} == {membership.pk}:
        raise ValidationError("A team needs a coordinator: make someone else one first.")
