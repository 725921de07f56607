"""Everything that changes who belongs where."""

from datetime import timedelta

from django.contrib.auth.hashers import make_password
from django.core.exceptions import ValidationError
from django.db import transaction
from django.db.models import F
from django.utils import timezone

from kessa.record.people import may
from kessa.record.people.acts import act
from kessa.record.people.models import Contact, Invitation, Membership, Role, Team, User
from kessa.record.people.secrets import digest_of
from kessa.record.people.selectors import open_invitations

_INVITED_FOR = timedelta(days=14)
_NOT_VALID = "This invitation is not valid any more. Ask your coordinator for a new one."


@transaction.atomic
def start_team(user: User, name: str, time_zone: str) -> Membership:
    """Start a team with its first coordinator; its house rules are the defaults until it chooses."""
    team = Team.objects.create(name=name, time_zone=time_zone)
    return Membership.objects.create(team=team, user=user, role=Role.COORDINATOR)


@act("someone invited", may.invite)
def invite(by: Membership, invitation: Invitation, secret: str) -> Invitation:
    """Let so many people who hold the secret join the team in a role, for 14 days."""
    now = timezone.now()
    invitation.team_id, invitation.made_by_id = by.team_id, by.user_id
    invitation.digest, invitation.made_at, invitation.ends_at = digest_of(secret), now, now + _INVITED_FOR
    invitation.save()
    return invitation


@act("invitation revoked", may.revoke_invitation)
def revoke_invitation(by: Membership, invitation: Invitation) -> Invitation:
    """Let an invitation lead nowhere from now on; who joined by it stays."""
    invitation.revoked_at = timezone.now()
    invitation.save(update_fields=["revoked_at"])
    return invitation


def read_invitation(secret: str, user: User | None = None) -> Invitation:
    """Return an invitation that holds; raises ValidationError where it is false, used up, revoked or too old.

    Whom it brought into the team already it still leads there, though it is used up.
    """
    rows = Invitation.across_teams.select_related("team").filter(digest=digest_of(secret), ends_at__gt=timezone.now())
    found: Invitation | None = rows.filter(revoked_at=None).first()
    if found is None or (found.joined >= found.most and not found.team.memberships.filter(user=user).exists()):
        raise ValidationError(_NOT_VALID)
    return found


@transaction.atomic
def join_team(user: User, secret: str) -> Membership:
    """Join the team of an invitation; joining again changes nothing, and is counted once."""
    # Two who come at the same moment come one after the other, and the last place is taken once.
    Invitation.across_teams.select_for_update().filter(digest=digest_of(secret)).first()
    invitation = read_invitation(secret, user)
    how = {"role": invitation.role}
    membership, new = Membership.objects.get_or_create(team=invitation.team, user=user, defaults=how)
    if new:
        Invitation.across_teams.filter(pk=invitation.pk).update(joined=F("joined") + 1)
    return membership


@act("contact kept", may.keep_contact)
def keep_contact(by: Membership, contact: Contact) -> Contact:
    """Write whom the team tells."""
    contact.save()
    return contact


@act("contact taken off", may.keep_contact)
def drop_contact(by: Membership, contact: Contact) -> None:
    """Tell somebody no more; what was told is kept where it was ticked."""
    contact.delete()


@act("role changed", may.change_role)
def change_role(by: Membership, membership: Membership, role: str) -> Membership:
    """Give a member another role; raises ValidationError where no coordinator would be left."""
    _check_coordinator_left(membership, stays=role == Role.COORDINATOR)
    membership.role = role
    membership.save(update_fields=["role"])
    return membership


@act("member taken out", may.remove_member)
def remove_member(by: Membership, membership: Membership) -> None:
    """Take someone out of the team; what they measured stays. Raises ValidationError for the last coordinator.

    The team's open invitations end with it: whoever is taken out may hold one.
    """
    _check_coordinator_left(membership, stays=False)
    open_invitations(membership.team_id).update(revoked_at=timezone.now())
    membership.delete()


def choose_pin(user: User, pin: str) -> None:
    """Keep the hash of the PIN by which a person takes a visit over on another's phone."""
    user.pin = make_password(pin)
    user.save(update_fields=["pin"])


def choose_units(user: User) -> User:
    """Write the units in which a person sees results, and which colours look alike to them."""
    user.save(
        update_fields=["concentration_unit", "temperature_unit", "hardness_unit", "amount_system", "colours_alike"]
    )
    return user


def _check_coordinator_left(membership: Membership, *, stays: bool) -> None:
    coordinators = Membership.objects.select_for_update().filter(team=membership.team, role=Role.COORDINATOR)
    if not stays and {each.pk for each in coordinators} == {membership.pk}:
        raise ValidationError("A team needs a coordinator: make someone else one first.")
