"""The plan as a calendar, for a person who is signed in and for calendars that cannot sign in."""

from django.http import Http404, HttpResponse
from django.utils import timezone
from django.views.decorators.http import require_GET

from kessa.doors.calendar.file import calendar_file
from kessa.record.people.access import TeamRequest, anyone, member
from kessa.record.rounds.selectors import feed_of


@member
@require_GET
def calendar(request: TeamRequest) -> HttpResponse:
    """The plan as a file."""
    return _ics(calendar_file(request.membership.team, request.user))


@anyone
@require_GET
def feed(request: TeamRequest, token: str) -> HttpResponse:
    """The plan at its secret address, for a calendar that cannot sign in."""
    found = feed_of(token)
    if found is None:
        raise Http404
    timezone.activate(found.team.time_zone)
    return _ics(calendar_file(found.team, found.membership.user))


def _ics(content: bytes) -> HttpResponse:
    response = HttpResponse(content, content_type="text/calendar; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="kessa.ics"'
    return response
