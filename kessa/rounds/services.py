"""Everything that changes plans: rounds, occasions, what is settled, calendar addresses."""

import secrets
from datetime import date, datetime
from typing import Any

from django.core.exceptions import ValidationError
from django.db import transaction
from django.utils import timezone

from kessa.methods.selectors import families_of
from kessa.people.models import Membership, Team, User
from kessa.places.models import Place
from kessa.rounds.models import CalendarFeed, Occasion, PlannedTest, Round, Settled, Stop
from kessa.rounds.selectors import Due, digest_of, dues_at
from kessa.visits.models import Visit
from kessa.visits.services import begin_visit


@transaction.atomic
def keep_round(each: Round, people: list[User]) -> Round:
    """Write a new or changed round; what was settled stays settled."""
    each.save()
    each.people.set(people)
    return each


@transaction.atomic
def plan_stop(each: Round, place: Place, tests: dict[str, dict[str, int]], in_place: list[str]) -> Stop:
    """Plan what is done at a place on a round: runs, blanks and standards by test family, and in-place readings."""
    last = each.stops.order_by("-position").first()
    stop, _ = Stop.objects.for_team(each.team_id).get_or_create(
        team_id=each.team_id, round=each, place=place, defaults={"position": last.position + 1 if last else 1}
    )
    stop.in_place = in_place
    stop.save(update_fields=["in_place"])
    stop.tests.exclude(family__in=tests).delete()
    for family, numbers in tests.items():
        if family not in families_of(each.team_id):
            raise ValidationError("This test is not among your team's methods.")
        PlannedTest.objects.for_team(each.team_id).update_or_create(
            team_id=each.team_id, stop=stop, family=family, defaults=numbers
        )
    return stop


def leave_out(stop: Stop) -> None:
    """Take a place off a round."""
    stop.delete()


def retire_round(each: Round) -> None:
    """End a round; what was measured on it stays."""
    each.retired_at = timezone.now()
    each.save(update_fields=["retired_at"])


def note_occasion(
    team: Team, person: User, kind: str, happened_on: date, place: Place | None = None, remark: str = ""
) -> Occasion:
    """Note that something happened: the rounds that wait for it are due from now on. Noting it twice a day is once."""
    return Occasion.objects.for_team(team).get_or_create(
        team=team,
        kind=kind,
        happened_on=happened_on,
        place=place,
        defaults={"noted_by": person, "noted_at": timezone.now(), "remark": remark},
    )[0]


@transaction.atomic
def start_due_visit(place: Place, person: User, safety: dict[str, Any], at: datetime | None = None) -> Visit:
    """Begin a visit for everything that is due at a place."""
    visit = begin_visit(place, person, safety, at)
    _settle(place.team_id, dues_at(place), person, visit=visit)
    return visit


@transaction.atomic
def answer_without_visit(place: Place, person: User, reason: str) -> int:
    """Settle what is due at a place without going, with the reason; return how many stops that were."""
    if not reason.strip():
        raise ValidationError("Say why nobody goes: the reason stays with the plan.")
    return _settle(place.team_id, dues_at(place), person, reason=reason)


def new_feed(membership: Membership) -> str:
    """Make a secret calendar address for a person, in place of the one before; return its token, kept nowhere."""
    token = secrets.token_urlsafe(24)
    CalendarFeed.across_teams.update_or_create(
        user=membership.user,
        defaults={"team": membership.team, "digest": digest_of(token), "made_at": timezone.now()},
    )
    return token


def revoke_feed(membership: Membership) -> None:
    """Let a person's calendar address lead nowhere."""
    CalendarFeed.objects.for_team(membership.team).filter(user=membership.user).delete()


def _settle(team_id: int, dues: list[Due], person: User, visit: Visit | None = None, reason: str = "") -> int:
    now = timezone.now()
    rows = [
        Settled(
            team_id=team_id,
            stop=due.stop,
            due_on=due.due_on,
            occasion=due.occasion,
            visit=visit,
            reason=reason,
            person=person,
            at=now,
        )
        for due in dues
    ]
    return len(Settled.objects.for_team(team_id).bulk_create(rows, ignore_conflicts=True))
