"""Telling people: who hears of what, by their own choice within the team's rule; each thing once."""

from collections.abc import Callable, Iterable
from datetime import datetime, timedelta
from functools import cache, partial
from typing import Any

from django.db.models import Exists, OuterRef, Q
from django.utils import timezone

from kessa.core.treating.ways import AT_ONCE
from kessa.record.actions.models import Action
from kessa.record.actions.wording import done_in, in_measures, title_in
from kessa.record.notifications import may
from kessa.record.notifications.mail import deliver
from kessa.record.notifications.models import Kind, Notice, Wish, wish_of
from kessa.record.people.acts import act
from kessa.record.people.models import Membership, Role, Team, User
from kessa.record.review.models import Step
from kessa.record.visits.models import Visit

# The subject, and the paragraphs beneath it.
Words = tuple[str, list[str]]
# So many of a list stand in the mail itself.
_STEPS = 4
# Who joins or is named so long after a visit began is told of it too; a test that is due is told of so long.
_FORGOTTEN, _TOLD_WITHIN = timedelta(days=2), timedelta(days=14)


@act("what to be told chosen", may.choose_wish)
def choose_wish(by: Membership, wish: Wish, email: str) -> Wish:
    """Write what a member wants to be told, and at which address."""
    wish.save()
    by.user.email = email
    by.user.save(update_fields=["email"])
    return wish


@act("who is told at once chosen", may.choose_team_rule)
def choose_team_rule(by: Membership, team: Team, acute_to: str) -> Team:
    """Write who of the team is told of what may harm at once, whatever they chose."""
    team.acute_to = acute_to
    team.save(update_fields=["acute_to"])
    return team


def notify_of_finding(action: Action) -> list[Notice]:
    """Tell of something newly proposed those who want to hear of what is so grave."""
    those = [each for each in _members(action.team_id) if _hears_of(each, action.rank)]
    return _notify(those, Kind.FOUND, partial(_of_found, action), action=action)


def _of_found(action: Action, reader: User) -> Words:
    first = [f"- {step['text']}" for step in action.steps[:_STEPS]]
    given = [
        in_measures(each, reader.amount_system) for each in (action.why, *first, *action.missing, *action.cautions)
    ]
    return f"{action.place}: {title_in(action, reader.amount_system)}", given


def notify_of_follow_ups(at: datetime) -> list[Notice]:
    """Tell who did something that its test is due."""
    due = Action.across_teams.filter(
        state="done", again_at__range=(at - _TOLD_WITHIN, at), followed_at=None, ended_by__isnull=False
    ).exclude(_is_told(Kind.AGAIN, "action"))
    notices: list[Notice] = []
    members_of = cache(_members)
    for action in due.select_related("place", "done_product", "team").order_by("again_at"):
        those = [each for each in members_of(action.team_id) if each.user_id == action.ended_by_id]
        wanting = [each for each in those if wish_of(each).follow_ups]
        notices += _notify(wanting, Kind.AGAIN, partial(_of_follow_up, action), action=action)
    return notices


def _of_follow_up(action: Action, reader: User) -> Words:
    assert action.ended_at is not None
    done = f"On {_said(action.ended_at)}: {done_in(action, reader.amount_system)}."
    given = [f"{done} The test says whether it worked."]
    return f"{action.place}: test {action.parameter or 'it'} again", given


def notify_of_overdue(at: datetime) -> list[Notice]:
    """Tell whoever should have heard from a visit, and the coordinators, that nobody has closed it.

    A visit that was forgotten, and of which somebody was told long ago, is not looked at again: others must not wait.
    """
    notices: list[Notice] = []
    members_of = cache(_members)
    forgotten = Q(_is_told(Kind.OVERDUE, "visit"), started_at__lt=at - _FORGOTTEN)
    going_on = Visit.across_teams.filter(closed_at=None, leader__isnull=False).exclude(forgotten)
    for visit in going_on.select_related("place", "leader", "team"):
        with timezone.override(visit.team.time_zone):
            by = visit.should_be_heard_by
            if by is not None and at > by:
                those = [each for each in members_of(visit.team_id) if _should_have_heard(each, visit)]
                notices += _notify(those, Kind.OVERDUE, partial(_of_overdue, visit, by), visit=visit)
    return notices


def _of_overdue(visit: Visit, by: datetime, _: User) -> Words:
    place, who_knows, company = visit.place, visit.safety.get("told"), visit.safety.get("company")
    given = [
        f"{visit.leader} went to {place} and should have been heard of by {_said(by)}. "
        f"Told: {who_knows or 'nobody'}. In company of: {company or 'nobody given'}.",
        f"How to find it: {place.how_to_find}" if place.how_to_find else "",
        f"What can hurt there: {place.hazards}" if place.hazards else "",
        "Call them. If nobody answers, go by what you agreed on, or call for help.",
    ]
    return f"Ask after {visit.leader}: not heard of since {timezone.localtime(by):%H:%M}", given


def notify_of_question(question: Step) -> list[Notice]:
    """Tell a person that they were asked something in a review."""
    those = [each for each in _members(question.team_id) if each.user_id == question.to_id and wish_of(each).questions]
    return _notify(those, Kind.ASKED, partial(_of_question, question), question=question)


def _of_question(question: Step, _: User) -> Words:
    given = [f"Of {_said(question.visit.started_at)}: {question.words}"]
    return f"{question.by} asks about {question.visit.place}", given


def _is_told(kind: Kind, about: str) -> Exists:
    """Whether somebody was told of something, by the column that names it."""
    return Exists(Notice.across_teams.filter(kind=kind, **{about: OuterRef("pk")}))


def _should_have_heard(member: Membership, visit: Visit) -> bool:
    """Whoever was told by name, and coordinators; not the one who is out."""
    if member.user_id == visit.leader_id or not wish_of(member).overdue:
        return False
    given = str(visit.safety.get("told", "")).lower()
    names = {member.user.first_name.lower(), member.user.username.lower(), str(member.user).lower()}
    return member.role == Role.COORDINATOR or any(name and name in given for name in names)


def _members(team: int) -> list[Membership]:
    rows = Membership.objects.filter(team=team, user__is_active=True).exclude(user__email="")
    return list(rows.select_related("user", "team", "wish"))


def _hears_of(member: Membership, rank: int) -> bool:
    must = member.team.acute_to == "everybody" or member.role == Role.COORDINATOR
    return rank <= wish_of(member).up_to or (must and rank <= AT_ONCE)


def _notify(people: Iterable[Membership], kind: Kind, say: Callable[[User], Words], **about: Any) -> list[Notice]:
    """Write a notice to each person who was not told of it, and have it sent."""
    made = []
    for each in people:
        with timezone.override(each.team.time_zone):
            subject, lines = say(each.user)
        body = "\n\n".join(filter(None, lines))
        notice, new = Notice.objects.for_team(each.team_id).get_or_create(
            **{"action": None, "visit": None, "question": None, **about},
            team_id=each.team_id,
            person_id=each.user_id,
            kind=kind,
            defaults={"subject": " ".join(subject.split())[:200], "body": body},
        )
        if new:
            deliver.defer(notice=notice.pk)
            made.append(notice)
    return made


def _said(at: datetime) -> str:
    local = timezone.localtime(at)
    return f"{local.day} {local:%B, %H:%M}"
