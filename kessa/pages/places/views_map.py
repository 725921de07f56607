"""The places by their coordinates, drawn here: streams along the water, each place by how it stands."""

from html import escape
from typing import Any

from django.http import HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.utils import timezone
from django.utils.safestring import SafeString, mark_safe
from django.views.decorators.http import require_GET

from kessa.drawings.map import draw_map
from kessa.pages.base.tags import measured_in, verdict
from kessa.record.advice.place_status import with_state
from kessa.record.people.access import TeamRequest, member
from kessa.record.people.display import display_for
from kessa.record.people.models import User
from kessa.record.places.selectors import places

_MOST = 400
_DRAWN = ("name", "latitude", "longitude", "facts", "status__place", "status__rank", "status__result")


@member
@require_GET
def overview(request: TeamRequest) -> HttpResponse:
    """A map of all places whose coordinates are known; the others are named beneath it."""
    team = request.membership.team
    found = with_state(team.pk, places(team).only(*_DRAWN)[:_MOST])
    placed = [place for place in found if place.latitude is not None]
    context = {
        "wide": draw_map(placed, 1000) if placed else "",
        "narrow": draw_map(placed, 360) if placed else "",
        "rows": _rows(found, request.user),
        "unplaced": [place for place in found if place.latitude is None],
    }
    return render(request, "places/map.html", context)


def _rows(found: list[Any], reader: User) -> SafeString:
    """Write in one go how each place stands, the most urgent first: there may be hundreds."""
    page, rows = reverse("places:place", args=[0]).removesuffix("0/"), []
    for place in sorted(found, key=lambda each: (each.status.rank if hasattr(each, "status") else 9, each.name)):
        latest, stood, said = place.latest, '<span class="soft">no result</span>', ""
        if latest:
            at = timezone.localtime(latest.taken_at)
            shown = display_for(latest.unit, latest.form, latest.parameter, reader)
            stood = verdict(latest.verdict or ("not assessed" if latest.spoken_of else ""))
            said = (
                f' <span class="soft">{escape(latest.parameter)} {measured_in(shown, latest)}, '
                f"{at.day} {at:%b %Y}</span>"
            )
        rows.append(f'<li>{stood} <a href="{page}{place.pk}/">{escape(place.name)}</a>{said}</li>')
    return mark_safe("".join(rows))  # noqa: S308 # it is escaped above
