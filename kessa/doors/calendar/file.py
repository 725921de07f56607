"""The plan as a calendar file (RFC 5545), for other calendars to read."""

from datetime import timedelta

from django.utils import timezone
from icalendar import Calendar, Event, vRecur

from kessa.core.job.occasions import occasion_kinds
from kessa.core.planning.rhythm import around
from kessa.record.actions.models import Action
from kessa.record.actions.selectors import to_follow
from kessa.record.actions.wording import done_in
from kessa.record.people.models import Team, User
from kessa.record.rounds.models import Round
from kessa.record.rounds.selectors import due_now, whole_rounds

_A_DAY, _HOUR, _FOLLOWED = timedelta(days=1), timedelta(hours=1), timedelta(days=60)


def calendar_file(team: Team, user: User) -> bytes:
    """Return a person's rounds, and everybody's, with their rhythms; what an occasion made due comes as single days.

    What was done at a place and is to be tested again comes at its hour.
    """
    calendar = Calendar()
    calendar.add("prodid", "-//Kessa//Rounds//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", f"{team}: rounds")
    rounds = [each for each in whole_rounds(team) if not each.people.all() or user in each.people.all()]
    for each in rounds:
        event = _rhythm_event(each)
        if event:
            calendar.add_component(event)
    for due in due_now(team.pk, [stop for each in rounds for stop in each.stops.all()], timezone.localdate()):
        if due.occasion:
            event = Event()
            event.add("uid", f"occasion-{due.occasion.pk}-stop-{due.stop.pk}@kessa")
            event.add("dtstamp", due.occasion.noted_at)
            event.add("dtstart", due.due_on)
            event.add("dtend", due.due_by + _A_DAY)
            event.add("summary", f"{due.stop.place}: {occasion_kinds()[due.occasion.kind].name}")
            event.add("location", due.stop.place.how_to_find or due.stop.place.name)
            calendar.add_component(event)
    for action in to_follow(team=team.pk, until=timezone.now() + _FOLLOWED):
        calendar.add_component(_follow_up_event(action, user))
    return calendar.to_ical()


def _follow_up_event(action: Action, user: User) -> Event:
    assert action.again_at is not None
    event = Event()
    event.add("uid", f"action-{action.pk}@kessa")
    event.add("dtstamp", action.ended_at)
    event.add("dtstart", action.again_at)
    event.add("dtend", action.again_at + _HOUR)
    event.add("summary", f"{action.place}: test {action.parameter or 'again'}: did it work?")
    event.add("description", f"{done_in(action, user.amount_system)}, {action.ended_by}")
    event.add("location", action.place.how_to_find or action.place.name)
    return event


def _rhythm_event(each: Round) -> Event | None:
    # A calendar starts at the first day due: a start that is no such day would be shown as one.
    first = around(each.rhythm, each.starts_on - _A_DAY)[1] if each.rhythm else None
    if each.rhythm is None or first is None:
        return None
    event = Event()
    event.add("uid", f"round-{each.pk}@kessa")
    event.add("dtstamp", timezone.now())
    event.add("dtstart", first)
    event.add("rrule", vRecur.from_ical(each.rhythm.seasonal_rule))
    event.add("summary", each.name)
    stops = list(each.stops.all())
    event.add("location", ", ".join(stop.place.name for stop in stops))
    event.add("description", "\n".join(f"{stop.place}: {_tests(stop)}" for stop in stops))
    return event


def _tests(stop) -> str:  # type: ignore[no-untyped-def]
    return ", ".join([*(test.method.test_name for test in stop.tests.all()), *stop.in_place]) or "look around"
