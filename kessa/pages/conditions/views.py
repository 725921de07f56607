"""The conditions and field readings of a visit: noted, and corrected."""

import uuid
from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import Http404, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET

from kessa.core.job.circumstances import SEVERAL, Scale, scales_for
from kessa.core.judging.plausible import bounds_of
from kessa.core.quantities.units import sign
from kessa.pages.conditions.forms import ObservationRightForm
from kessa.pages.visits.views import address_of_visit, visit_or_404
from kessa.record.people.access import TeamRequest, member
from kessa.record.places.models import Place
from kessa.record.rounds.field_sheet import Line, Sheet, field_sheet
from kessa.record.taps.hands import whose
from kessa.record.visits import services
from kessa.record.visits.models import Observation
from kessa.record.visits.selectors import noted_taps, observations_of, usual_seen
from kessa.record.visits.weather import weather_at


@member
@require_GET
@ensure_csrf_cookie
def conditions(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Quick choices for what is seen and read, with the last visit's beside them."""
    found = visit_or_404(request, pk)
    if not found.is_open:
        return redirect("visits:visit", pk)
    sheet = field_sheet(found)
    payload = {
        "stream": str(found.pk),
        "address": reverse("taps:receive", args=["visit", pk]),
        "whose": whose(request.membership),
        "taps": noted_taps(found),
        "scales": number_scales(found.place),
    }
    groups = by_group(sheet)
    # What the service says is a proposal: it is taken by a tap, never by itself.
    weather = weather_at(found.place, timezone.now())
    if "weather" in groups:
        groups["weather"] = [line._replace(proposed=weather.get(line.scale.key)) for line in groups["weather"]]
    context = {"visit": found, "sheet": sheet, "groups": groups, "several_from": SEVERAL, "payload": payload}
    return render(request, "conditions/circumstances.html", context)


@member
def correct(request: TeamRequest, pk: uuid.UUID, key: str) -> HttpResponse:
    """Put right what was noted on a visit's scale."""
    found = visit_or_404(request, pk)
    scale = next((each for each in scales_for(found.place.kind_key) if each.key == key), None)
    if scale is None:
        raise Http404
    seen = observations_of(found).get(key) or Observation(
        team_id=found.team_id, visit=found, key=key, person=request.user, at=found.started_at, seq=0
    )
    form = ObservationRightForm(scale, seen.value, request.POST or None)
    if request.method == "POST" and form.is_valid():
        right = form.cleaned_data
        try:
            services.correct_observation(request.membership, seen, right["value"], why=right["why"])
            messages.success(request, f"{scale.label} is put right. What was noted before stays to be seen.")
            return redirect("visits:visit", pk)
        except ValidationError as error:
            form.add_error(None, error)
    context = {"form": form, "title": f"Put {scale.label.lower()} right", "back": address_of_visit(found)}
    return render(request, "base/correction.html", context, status=422 if form.errors else 200)


def by_group(sheet: Sheet) -> dict[str, list[Line]]:
    """Return the lines of a field sheet as the page of circumstances shows them: those read in place first."""
    groups: dict[str, list[Line]] = {}
    for line in [*sheet.in_place, *sheet.circumstances]:
        groups.setdefault(line.scale.group, []).append(line)
    return groups


def number_scales(place: Place) -> dict[str, Any]:
    """Each scale that is a number, for the page: its units by slope and offset, and what is usual at the place."""
    usual = usual_seen(place)
    return {
        scale.key: {
            "own": scale.unit,
            "sign": sign(scale.unit),
            "units": {unit: _line(scale, unit) for unit in scale.units},
            "usual": [usual[scale.key].low, usual[scale.key].high] if scale.key in usual else None,
            "can_be": bounds_of(scale.key, place.water),
            "scale": [scale.least, scale.most],
        }
        for scale in scales_for(place.kind_key)
        if scale.unit
    }


def _line(scale: Scale, unit: str) -> tuple[float, float]:
    offset = scale.brought_from(0.0, unit)
    return scale.brought_from(1.0, unit) - offset, offset
