"""The places by their coordinates, drawn here: streams along the water, each place by how it stands."""

from django.http import HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from kessa.drawings.map import draw_map
from kessa.record.advice.place_status import with_state
from kessa.record.people.access import TeamRequest, member
from kessa.record.places.selectors import places

_MOST = 400


@member
@require_GET
def overview(request: TeamRequest) -> HttpResponse:
    """A map of all places whose coordinates are known; the others are named beneath it."""
    team = request.membership.team
    found = with_state(team, places(team)[:_MOST])
    placed = [place for place in found if place.latitude is not None]
    context = {
        "wide": draw_map(placed, 1000) if placed else "",
        "narrow": draw_map(placed, 360) if placed else "",
        "places": sorted(found, key=lambda place: (place.status.rank if hasattr(place, "status") else 9, place.name)),
        "unplaced": [place for place in found if place.latitude is None],
    }
    return render(request, "places/map.html", context)
