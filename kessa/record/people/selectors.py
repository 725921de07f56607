"""Who is who, and who did what."""

from collections.abc import Collection, Iterable
from typing import Any, NamedTuple

from django.conf import settings
from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY
from django.db.models import F
from django.utils import timezone
from django.utils.crypto import constant_time_compare

from kessa.core.treating.ways import AT_ONCE
from kessa.record.compiled import compiled
from kessa.record.people.access import TeamRequest
from kessa.record.people.models import Act, Contact, Invitation, Membership, Team, User

_ACTS_SHOWN = 20


def membership_of_session(request: TeamRequest) -> Membership | None:
    """Return the asking person's membership in the team they chose, else in the first they joined.

    The person comes with it in one statement, held to the session as Django does: a password that was changed ends it.
    """
    session = request.session
    user_id = session.get(SESSION_KEY)
    if user_id is None or session.get(BACKEND_SESSION_KEY) not in settings.AUTHENTICATION_BACKENDS:
        return None
    chosen = _membership(user=int(user_id), team=session["team"]) if session.get("team") else []
    found = next(iter(chosen or _membership(user=int(user_id))), None)
    if found is None or not _holds(session.get(HASH_SESSION_KEY, ""), found.user):
        return None
    request._cached_user = found.user  # type: ignore[attr-defined]
    return found


@compiled
def _membership(user: int, **of: int) -> Any:
    rows = Membership.objects.filter(user=user, user__is_active=True, **of)
    return rows.select_related("team", "user").order_by("id")[:1]


def _holds(kept: str, user: User) -> bool:
    return constant_time_compare(kept, user.get_session_auth_hash())


def members(team: Team | int) -> Any:
    """Return the people of a team by name."""
    return User.objects.filter(memberships__team=team).order_by("first_name", "username")


@compiled
def member_names(team: int) -> Any:
    """Return the people of a team by name, of whom only the names are read."""
    return members(team).only("first_name", "last_name", "username")


def names_of(people: Collection[int]) -> dict[int, str]:
    """Return the names of people by their numbers, in no statement where there are none."""
    return {person.pk: str(person) for person in _named(people=list(people))} if people else {}


def with_pin(team_id: int) -> Any:
    """Return the numbers of the members who chose a PIN."""
    return members(team_id).exclude(pin="").values_list("pk", flat=True)


class Hand(NamedTuple):
    """Whose something is, and who sent it where that was somebody else."""

    person: int
    sent_by: int | None = None


def hands_named(hands: Iterable[Hand]) -> list[str]:
    """Return the names of people, each once, with who sent what was theirs."""
    each = list(dict.fromkeys(hands))
    names = names_of({number for hand in each for number in hand if number})
    return [names[person] + (f" (sent by {names[sent_by]})" if sent_by else "") for person, sent_by in each]


@compiled
def _named(people: list[int]) -> Any:
    return User.objects.filter(pk__any=people).only("first_name", "last_name", "username")


def open_invitations(team: Team | int) -> Any:
    """Return the invitations by which somebody can still join a team, newest first."""
    rows = Invitation.objects.for_team(team).filter(revoked_at=None, ends_at__gt=timezone.now(), joined__lt=F("most"))
    return rows.select_related("made_by").order_by("-pk")


def acts_of(team: Team) -> Any:
    """Return what was done and refused in a team, newest first."""
    return Act.objects.for_team(team).select_related("person").order_by("-at", "-id")


def acts_on(rows: list[Any]) -> list[Act]:
    """Return the latest of what was done to a team's rows."""
    these = [(str(row._meta.verbose_name), str(row.pk)) for row in rows if row.pk]
    if not these:
        return []
    kinds, numbers = (list(dict.fromkeys(each)) for each in zip(*these, strict=True))
    acts = _acts_on(team=rows[0].team_id, kinds=kinds, numbers=numbers)
    return [act for act in acts if (act.on_kind, act.on_id) in these]


@compiled
def _acts_on(team: int, kinds: list[str], numbers: list[str]) -> Any:
    acts = Act.objects.for_team(team).filter(on_kind__any=kinds, on_id__any=numbers)
    return acts.select_related("person").order_by("-id")[:_ACTS_SHOWN]


@compiled
def _contacts(team: int) -> Any:
    return Contact.objects.for_team(team).order_by("role", "-gravest_only", "pk")


def is_alone(team: int) -> bool:
    """Whether a team has one member only."""
    return len(_members(team=team)) < 2


@compiled
def _members(team: int) -> Any:
    return Membership.objects.filter(team=team).values_list("pk", flat=True)[:2]


def contacts_of(team: Team | int) -> list[Contact]:
    """Return whom a team tells."""
    return _contacts(team=team.pk if isinstance(team, Team) else team)


def contacts_for(team: int, water: str, rank: int) -> dict[str, str]:
    """Return whom a team tells of something so grave in such water, in words, by the part they have in it."""
    fitting = [
        each for each in contacts_of(team) if water in each.waters and (rank <= AT_ONCE or not each.gravest_only)
    ]
    roles = dict.fromkeys(each.role for each in fitting)
    return {role: " and ".join(str(each) for each in fitting if each.role == role) for role in roles}
