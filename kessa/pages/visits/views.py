"""Visits: safety first, then the field sheet, handed over or closed."""

import uuid
from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.db.models import prefetch_related_objects
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from kessa.core.job.hazards import hazards_of
from kessa.core.methods.leading import led_at
from kessa.pages.base.once_form import OnceForm
from kessa.pages.visits.forms import CloseForm, HandoverForm
from kessa.record.advice.advising import visit_in_plain_words
from kessa.record.people.access import TeamRequest, member
from kessa.record.people.sessions import end_soon
from kessa.record.photographs.selectors import photographs_of
from kessa.record.places.models import Place
from kessa.record.places.selectors import pairs_of
from kessa.record.rounds.field_sheet import field_sheet
from kessa.record.rounds.selectors import dues_at
from kessa.record.rules.selectors import house_rules
from kessa.record.taps.incoming import BadTap
from kessa.record.taps.models import Tap
from kessa.record.taps.selectors import next_seq
from kessa.record.taps.services import NoSuchStream, record_whole, tapped
from kessa.record.visits import may, services
from kessa.record.visits.models import Visit
from kessa.record.visits.safety import SafetyForm
from kessa.record.visits.selectors import (
    at_once_with,
    changed_meanwhile,
    stop_before,
)


@member
def begin(request: TeamRequest, place_pk: int) -> HttpResponse:
    """Safety first; then the visit begins, for all that is due at the place."""
    team = request.membership.team
    place = get_object_or_404(Place.objects.for_team(team).select_related("team"), pk=place_pk)
    form = SafetyForm(place, request.POST or None, initial=offered_again(request))
    once = OnceForm(request.POST or None)
    if request.method == "POST" and form.is_valid() and once.is_valid():
        mine = Visit.objects.for_team(team).filter(place=place, leader=request.user, closed_at=None).first()
        if mine:
            return redirect("visits:visit", mine.pk)
        data = {"place": place.pk, "safety": {key: request.POST.get(key) for key in form.fields if key in request.POST}}
        return _tapped(request, once.number, "visit_begun", data) or redirect("visits:visit", once.number)
    context = {"form": form, "once": once, **before_going(place)}
    return render(request, "visits/begin.html", context, status=422 if form.errors else 200)


def offered_again(request: TeamRequest) -> dict[str, str]:
    """Who comes along and who knows, as said at the stop before; what is to be confirmed is confirmed anew."""
    stop = stop_before(request.membership.team_id, request.user.pk, timezone.now())
    return {key: stop.safety[key] for key in ("company", "told", "back_by") if key in stop.safety} if stop else {}


def before_going(place: Place) -> dict[str, Any]:
    """What is to be read before one goes to a place: what is due there, hazards, what is worn, the team's rules."""
    dues = dues_at(place)
    prefetch_related_objects([due.stop for due in dues], "tests")
    methods = {test.family: led_at(test.method, place.kind) for due in dues for test in due.stop.tests.all()}
    return {
        "place": place,
        "dues": dues,
        # Why it is worn stands with the hazards.
        "wear": list(dict.fromkeys(method.wear.split(":")[0] for method in methods.values() if method.wear)),
        "hazards": hazards_of([use.supply for method in methods.values() for use in method.uses]),
        "rules": house_rules(place.team_id),
    }


def _tapped(request: TeamRequest, number: uuid.UUID, kind: str, data: dict[str, Any]) -> HttpResponse | None:
    """Tap for the person what the page says; where it is refused, say why and lead back."""
    try:
        record_whole(request.membership, "visit", number, [tapped(kind, data, seq=next_seq(number))])
        return None
    except (BadTap, NoSuchStream) as refused:
        messages.error(request, str(refused))
    exists = Visit.objects.for_team(request.membership.team).filter(pk=number).exists()
    return redirect("visits:visit", number) if exists else redirect("today:today")


@member
@require_GET
def visit(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """The visit, which is the field sheet; the next thing to do is the largest."""
    found = visit_or_404(request, pk)
    sheet = field_sheet(found)
    context = {
        "visit": found,
        **visit_in_plain_words(found),
        "sheet": sheet,
        "pairs": pairs_of(found.place),
        "handovers": found.handovers.select_related("giver", "taker").order_by("at"),
        "photographs": photographs_of(found),
        "handover_form": HandoverForm(found),
        "changed": changed_meanwhile(found),
        "late": Tap.objects.for_team(found.team_id).filter(stream=found.pk, late=True).count(),
        "leads": may.lead_visit(request.membership, found),
        "at_once": [(each, given, None if given else field_sheet(each)) for each, given in at_once_with(found)],
        "noted": [*sheet.samples, *(line.now for line in [*sheet.in_place, *sheet.circumstances] if line.now)],
    }
    return render(request, "visits/visit.html", context)


@member
@require_POST
def tell_of_two(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Say whether this visit and another at its time are one."""
    found, joined = visit_or_404(request, pk), request.POST.get("joined") == "yes"
    other = next((each for each, _ in at_once_with(found) if str(each.pk) == request.POST.get("other")), None)
    if other is None:
        raise Http404
    try:
        why = request.POST.get("why", "")
        services.decide_on_two_visits(request.membership, found, other=other, joined=joined, why=why)
        messages.success(request, "They are one visit now." if joined else "They stay two visits.")
    except ValidationError as refused:
        messages.error(request, refused.message)
    return redirect("visits:visit", pk)


@member
@require_POST
def pause(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Leave a visit for a while."""
    return _led(request, pk, "paused", {}, "Paused. It waits on Today.", "today:today")


@member
@require_POST
def resume(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Go on with a visit."""
    return _led(request, pk, "resumed", {}, "")


@member
@require_POST
def hand_over(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Hand a visit to another person."""
    found = visit_or_404(request, pk)
    form = HandoverForm(found, request.POST)
    if not form.is_valid():
        messages.error(request, "Choose someone of your team.")
        return redirect("visits:visit", pk)
    taker, remark = form.cleaned_data["taker"], form.cleaned_data["remark"]
    return _led(request, pk, "handed_over", {"taker": taker.pk, "remark": remark}, f"{taker} has this visit now.")


@member
def close(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Close a visit, with what is missing said."""
    found = visit_or_404(request, pk)
    sheet = field_sheet(found)
    form = CloseForm(request.POST if request.method == "POST" else None)
    if request.method == "POST" and form.is_valid():
        words = f"The visit to {found.place} is closed. Tell whoever waits to hear from you."
        end_soon(request)
        return _led(request, pk, "visit_closed", {"remark": form.cleaned_data["remark"]}, words)
    if not found.is_open:
        return redirect("visits:visit", pk)
    return render(request, "visits/close.html", {"visit": found, "sheet": sheet, "form": form})


def address_of_visit(found: Visit) -> str:
    """Return the address of the page of a visit, or of samples that were drawn without one."""
    return reverse("visits:visit" if found.leader_id else "samples:without_visit", args=[found.pk])


def visit_or_404(request: TeamRequest, pk: uuid.UUID) -> Visit:
    """Return a visit of the reader's team; raises Http404."""
    rows = Visit.objects.for_team(request.membership.team).filter(leader__isnull=False)
    return get_object_or_404(rows.select_related("place", "team", "leader", "closed_by"), pk=pk)


def _led(
    request: TeamRequest, pk: uuid.UUID, kind: str, data: dict[str, Any], words: str, page: str = ""
) -> HttpResponse:
    """Tap what only who leads a visit may, and say so."""
    found = visit_or_404(request, pk)
    if found.closed_at:
        closed = timezone.localtime(found.closed_at)
        messages.error(request, f"This visit was closed at {closed:%H:%M} by {found.closed_by}.")
        return redirect("visits:visit", pk)
    refused = _tapped(request, pk, kind, data)
    if refused:
        return refused
    if words:
        messages.success(request, words)
    return redirect(page) if page else redirect("visits:visit", pk)
