"""Visits: safety first, circumstances, samples, and the field sheet."""

import json
from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST

from kessa.core.job.circumstances import IN_PLACE, scales_for
from kessa.people.access import member_required
from kessa.photographs.selectors import photographs_of
from kessa.places.models import Place
from kessa.places.selectors import pairs_of
from kessa.rounds.selectors import dues_at
from kessa.rounds.services import start_due_visit
from kessa.rules.selectors import house_rules
from kessa.visits import services
from kessa.visits.forms import BottlesForm, CloseForm, HandoverForm, LabelsForm, SafetyForm
from kessa.visits.labels import qr_code
from kessa.visits.models import Bottle, Visit
from kessa.visits.selectors import shared_taps, usual_seen
from kessa.visits.sheet import field_sheet
from kessa.visits.taps import read_batch


@member_required
def begin(request: HttpRequest, place_pk: int) -> HttpResponse:
    """Safety first; then the visit begins, for all that is due at the place."""
    team = request.membership.team
    place = get_object_or_404(Place.objects.for_team(team).select_related("team"), pk=place_pk)
    form = SafetyForm(place, request.POST or None)
    if request.method == "POST" and form.is_valid():
        return redirect("visits:visit", start_due_visit(place, request.user, form.confirmed()).pk)
    dues = dues_at(place)
    methods = {test.family: test.method for due in dues for test in due.stop.tests.all()}
    context = {
        "place": place,
        "form": form,
        "dues": dues,
        "wear": list(dict.fromkeys(method.wear for method in methods.values())),
        "rules": house_rules(team),
    }
    return render(request, "visits/begin.html", context, status=422 if form.errors else 200)


@member_required
@require_GET
def visit(request: HttpRequest, pk: int) -> HttpResponse:
    """The visit, which is the field sheet; the next thing to do is the largest."""
    found = _visit(request, pk)
    context = {
        "visit": found,
        "sheet": field_sheet(found),
        "pairs": pairs_of(found.place),
        "handovers": found.handovers.select_related("giver", "taker").order_by("at"),
        "photographs": photographs_of(found),
        "handover_form": HandoverForm(found),
        "late": found.observations.filter(after_close=True).count(),
    }
    return render(request, "visits/visit.html", context)


@member_required
@require_GET
@ensure_csrf_cookie
def circumstances(request: HttpRequest, pk: int) -> HttpResponse:
    """Quick choices for what is seen and read, with the last visit's beside them."""
    found = _visit(request, pk)
    if not found.is_open:
        return redirect("visits:visit", pk)
    sheet = field_sheet(found)
    groups: dict[str, list[Any]] = {}
    for line in [*sheet.in_place, *sheet.circumstances]:
        groups.setdefault(line.scale.group, []).append(line)
    payload = {
        "id": f"visit-{found.pk}",
        "address": reverse("visits:observations", args=[pk]),
        "events": shared_taps(found),
        "scales": _number_scales(found, usual_seen(found.place)),
    }
    context = {"visit": found, "groups": groups, "in_place": IN_PLACE, "payload": payload}
    return render(request, "visits/circumstances.html", context)


@require_POST
def observations(request: HttpRequest, pk: int) -> HttpResponse:
    """Take a batch of observations, and say what was kept and what others have noted."""
    if not request.user.is_authenticated or not request.membership:
        return JsonResponse({"error": "Sign in again: what you noted is kept in this browser until then."}, status=401)
    try:
        taps, known = read_batch(json.loads(request.body))
    except (ValueError, KeyError, TypeError, RecursionError):
        return JsonResponse({"error": "This is not a batch of observations."}, status=400)
    found = _visit(request, pk)
    stored = services.record_observations(found, request.user, taps)
    reply: dict[str, Any] = {"kept": stored.kept, "late": stored.late, "refused": stored.refused}
    shared = shared_taps(found)
    if len(shared) != known:
        reply["events"] = shared
    return JsonResponse(reply)


@member_required
@require_POST
def pause(request: HttpRequest, pk: int) -> HttpResponse:
    """Leave a visit for a while."""
    return _act(request, pk, services.pause_visit, "Paused. It waits on Today.", "rounds:today")


@member_required
@require_POST
def resume(request: HttpRequest, pk: int) -> HttpResponse:
    """Go on with a visit."""
    return _act(request, pk, services.resume_visit, "")


@member_required
@require_POST
def hand_over(request: HttpRequest, pk: int) -> HttpResponse:
    """Hand a visit to another person."""
    found = _visit(request, pk)
    form = HandoverForm(found, request.POST)
    if not form.is_valid():
        messages.error(request, "Choose someone of your team.")
        return redirect("visits:visit", pk)
    taker, remark = form.cleaned_data["taker"], form.cleaned_data["remark"]
    return _act(
        request,
        pk,
        lambda each: services.hand_over(each, request.user, taker, remark),
        f"{taker} has this visit now.",
    )


@member_required
def close(request: HttpRequest, pk: int) -> HttpResponse:
    """Close a visit, with what is missing said."""
    found = _visit(request, pk)
    sheet = field_sheet(found)
    form = CloseForm(request.POST if request.method == "POST" else None)
    if request.method == "POST" and form.is_valid():
        remark = form.cleaned_data["remark"]
        return _act(
            request,
            pk,
            lambda each: services.close_visit(each, request.user, sheet.missing, remark),
            f"The visit to {found.place} is closed. Tell whoever waits to hear from you.",
        )
    if not found.is_open:
        return redirect("visits:visit", pk)
    return render(request, "visits/close.html", {"visit": found, "sheet": sheet, "form": form})


@member_required
def labels(request: HttpRequest) -> HttpResponse:
    """Labels to print for bottles: one for each place asked for, with the number its sample will have."""
    team = request.membership.team
    if request.method == "POST":
        form = LabelsForm(team, request.POST)
        if not form.is_valid():
            messages.error(request, f"Choose 1 to {LabelsForm.most} places to label bottles for.")
            return redirect("visits:labels")
        made = [services.label_bottle(place) for place in form.cleaned_data["place"].select_related("team")]
        return redirect(f"{reverse('visits:labels')}?{'&'.join(f'bottle={each.pk}' for each in made)}")
    chosen = BottlesForm(team, request.GET)
    bottles = Bottle.objects.for_team(team).select_related("place").order_by("-number")
    shown = chosen.cleaned_data["bottle"] if chosen.is_valid() else bottles.filter(sample=None)[: LabelsForm.most]
    rows = [(each, qr_code(request.build_absolute_uri(reverse("visits:bottle", args=[each.code])))) for each in shown]
    return render(request, "visits/labels.html", {"bottles": rows, "places": Place.objects.for_team(team)})


@member_required
@require_GET
def bottle(request: HttpRequest, code: str) -> HttpResponse:
    """Where a scanned label leads: to its sample, or to drawing it."""
    found = get_object_or_404(
        Bottle.objects.for_team(request.membership.team).select_related("sample__visit"), code=code
    )
    if found.sample is None:
        return redirect(f"{reverse('bench:sample', args=[found.place_id])}?bottle={found.pk}")
    if found.sample.visit.leader_id:
        return redirect(f"{reverse('visits:visit', args=[found.sample.visit_id])}#sample-{found.sample_id}")
    return redirect("bench:method", found.sample_id)


def _number_scales(found: Visit, usual: dict[str, Any]) -> dict[str, Any]:
    """Return how the page brings each unit to a scale's own (a slope and an offset), and what is usual there."""
    given = {}
    for scale in scales_for(found.place.kind_key):
        if scale.unit:
            zeros = {unit: scale.brought_from(0.0, unit) for unit in scale.units}
            lines = {unit: [scale.brought_from(1.0, unit) - zero, zero] for unit, zero in zeros.items()}
            stretch = usual.get(scale.key)
            given[scale.key] = {
                "sign": scale.sign,
                "own": scale.unit,
                "units": lines,
                "usual": [stretch.low, stretch.high] if stretch else None,
            }
    return given


def _visit(request: HttpRequest, pk: int) -> Visit:
    rows = Visit.objects.for_team(request.membership.team).filter(leader__isnull=False)
    return get_object_or_404(rows.select_related("place", "team", "leader", "closed_by"), pk=pk)


def _act(request: HttpRequest, pk: int, act: Any, said: str, lead_to: str = "") -> HttpResponse:
    try:
        act(_visit(request, pk))
    except ValidationError as error:
        messages.error(request, error.message)
    else:
        if said:
            messages.success(request, said)
        if lead_to:
            return redirect(lead_to)
    return redirect("visits:visit", pk)
