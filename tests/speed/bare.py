"""Bare views to measure against: the same middleware, session and sign-in, one indexed statement, a plain template."""

import json
import uuid

from django.http import HttpResponse, JsonResponse
from django.template import engines
from django.urls import path
from django.utils import timezone

from kessa.record.people.access import member
from kessa.record.results.models import Result
from kessa.record.taps.models import Tap
from kessa.web.urls import urlpatterns as kessas

_PAGE = engines["django"].from_string(
    "<!doctype html><html><body><table>{% for row in rows %}<tr><td>{{ row.taken_at }}</td><td>{{ row.parameter }}</td>"
    "<td>{{ row.value }}</td><td>{{ row.verdict }}</td></tr>{% endfor %}</table></body></html>"
)


@member
def rows(request):
    """Fifty rows by an index."""
    found = Result.across_teams.filter(team=request.membership.team_id).order_by("-taken_at", "-id")[:50]
    shown = found.values("taken_at", "parameter", "value", "verdict")
    return HttpResponse(_PAGE.render({"rows": shown}, request))


@member
def poll(request):
    """One statement that counts by an index."""
    body = json.loads(request.body)
    return JsonResponse({"new": Tap.across_teams.filter(stream=body["stream"]).count()})


@member
def insert(request):
    """One statement that writes the rows that were sent."""
    now = timezone.now()
    rows = [
        Tap(
            id=uuid.UUID(tap["id"]), team_id=request.membership.team_id, stream=tap["stream"], kind=tap["kind"],
            data=tap["data"], seq=tap["seq"], at=now, device="bare", person_id=request.user.pk,
        )
        for tap in json.loads(request.body)["taps"]
    ]  # fmt: skip
    Tap.across_teams.bulk_create(rows)
    return JsonResponse({"kept": len(rows)})


urlpatterns = [path("bare/rows/", rows), path("bare/poll/", poll), path("bare/insert/", insert), *kessas]
