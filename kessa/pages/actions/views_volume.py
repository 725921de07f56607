"""Working out how much a system holds, and writing it down."""

from typing import Any

from django.contrib import messages
from django.core.exceptions import PermissionDenied
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render

from kessa.core.treating.amounts import written
from kessa.pages.actions.forms_volume import SEEN_IN, PartsForm, SaltForm, VolumeForm
from kessa.record.actions import may, services
from kessa.record.actions.systems import volume_of
from kessa.record.people.access import TeamRequest, technician
from kessa.record.places.models import Place
from kessa.record.results.models import Result


def _last_two(place: Place) -> dict[str, Any]:
    """Return the newest two results at a place between which a salt may have gone in, for the level rose; and which."""
    rows = Result.objects.for_team(place.team_id).current().filter(place=place, unit="mg/L")
    risen = []
    for salt, (parameter, form) in SEEN_IN.items():
        last = list(rows.filter(parameter=parameter, form=form).newest_first().values_list("value", "taken_at")[:2])
        if len(last) == 2 and last[0][0] > last[1][0]:
            risen.append((last[0][1], {"salt": salt, "after": last[0][0], "before": last[1][0]}))
    return max(risen, key=lambda each: each[0])[1] if risen else {}


@technician
def volume(request: TeamRequest, place_pk: int) -> HttpResponse:
    """Work a volume out from parts or from salt; what came out is written down when it is taken."""
    rows = Place.objects.for_team(request.membership.team).select_related("team")
    place = get_object_or_404(rows, pk=place_pk)
    if not place.kind.has_volume:
        raise Http404
    if not may.take_volume(request.membership, place):
        raise PermissionDenied(may.take_volume.refusal)
    if request.method == "POST":
        taken = VolumeForm(request.POST)
        if taken.is_valid():
            kept = services.keep_volume(request.membership, place, **taken.cleaned_data)
            litres = written(kept.facts["volume_l"], "L", request.user.amount_system)
            words = f"{kept} holds {litres}, give or take {kept.facts['volume_off']:g} %."
            messages.success(request, f"{words} What is proposed there follows it.")
            return redirect("places:place", place.pk)
        messages.error(request, "Work the volume out first.")
    by_salt = request.GET.get("by") == "salt"
    system = request.user.amount_system
    parts = PartsForm(system, request.GET if request.GET.get("by") == "parts" else None)
    salt = SaltForm(system, request.GET if by_salt else None, initial=_last_two(place))
    asked = salt if by_salt else parts
    found = asked.volume if asked.is_bound and asked.is_valid() else None
    context = {"place": place, "parts": parts, "salt": salt, "found": found, "known": volume_of(place)}
    return render(
        request, "actions/volume.html", context, status=422 if asked.errors or request.method == "POST" else 200
    )
