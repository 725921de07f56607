"""What to do in an emergency, and whom to call: taken along on every phone."""

from django.http import HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from kessa.core.advising.advice import Where
from kessa.core.advising.wording import Named
from kessa.core.job.hazards import hazards
from kessa.core.treating.lists import seen_list
from kessa.record.people.access import TeamRequest, member
from kessa.record.people.selectors import contacts_for, contacts_of, is_alone


@member
@require_GET
def emergency(request: TeamRequest) -> HttpResponse:
    """Whom the team calls, what is done about a spill, what reagents can do to people: without a place or a number."""
    team = request.membership.team_id
    stream = Where("stream")
    context = {
        "contacts": contacts_of(team),
        "spill": seen_list(stream, lambda rank: Named(contacts_for(team, stream.water, rank), alone=is_alone(team))),
        "hazards": hazards(),
    }
    return render(request, "actions/emergency.html", context)
