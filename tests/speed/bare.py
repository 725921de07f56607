"""Bare views to measure against: the same session and sign-in, one indexed statement, a plain template."""

import json
import uuid

from django.contrib.auth.decorators import login_required
from django.http import HttpResponse, JsonResponse
from django.template import engines
from django.urls import path
from django.utils import timezone

from kessa.record.results.models import Result
from kessa.record.taps.models import Tap
from kessa.web.urls import urlpatterns as kessas

MIDDLEWARE = [
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
]
_PAGE = engines["django"].from_string(
    "<!doctype html><html><body><table>{% for row in rows %}<tr><td>{{ row.taken_at }}</td><td>{{ row.parameter }}</td>"
    "<td>{{ row.value }}</td><td>{{ row.verdict }}</td></tr>{% endfor %}</table></body></html>"
)


@login_required
def rows(request):
    """Fifty rows by an index."""
    found = Result.across_teams.filter(team=request.session["team"]).order_by("-taken_at", "-id")[:50]
    shown = found.values("taken_at", "parameter", "value", "verdict")
    return HttpResponse(_PAGE.render({"rows": shown}, request))


@login_required
def poll(request):
    """One statement that counts by an index."""
    body = json.loads(request.body)
    return JsonResponse({"new": Tap.across_teams.filter(stream=body["stream"]).count()})


@login_required
def insert(request):
    """One statement that writes the rows that were sent."""
    now = timezone.now()
    rows = [
        Tap(
            id=uuid.UUID(tap["id"]), team_id=request.session["team"], stream=tap["stream"], kind=tap["kind"],
            data=tap["data"], seq=tap["seq"], at=now, device="bare", person_id=request.user.pk,
        )
        for tap in json.loads(request.body)["taps"]
    ]  # fmt: skip
    Tap.across_teams.bulk_create(rows)
    return JsonResponse({"kept": len(rows)})


urlpatterns = [path("bare/rows/", rows), path("bare/poll/", poll), path("bare/insert/", insert), *kessas]
