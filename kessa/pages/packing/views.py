"""Packing for a round: which, and what is in the bag."""

from datetime import timedelta
from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from kessa.pages.rounds.forms import PackForm
from kessa.record.kits.models import Kit
from kessa.record.people.access import TeamRequest, member
from kessa.record.results.history import last_kit_at
from kessa.record.rounds import services
from kessa.record.rounds.models import KitCheck
from kessa.record.rounds.packing_list import packing_list
from kessa.record.rounds.selectors import calls, next_days, plan_of

# So far ahead rounds are packed for.
_AHEAD = timedelta(days=14)


@member
def pack(request: TeamRequest) -> HttpResponse:
    """Choose what to pack for: what is due for the person is chosen already."""
    team = request.membership.team
    form = PackForm(team, request.POST or None)
    if request.method == "POST":
        if form.is_valid():
            stops = form.cleaned_data["stop"].select_related("place").prefetch_related("tests")
            made = packing_list(team, request.user, stops, form.cleaned_data["kit"])
            return redirect("packing:packing", services.keep_packing_list(request.membership, made).pk)
        messages.error(request, "Choose a kit, and at least one place to pack for.")
    plan = plan_of(team)
    found = calls(team, request.user, plan)
    due = [*found.mine, *found.theirs]
    today = timezone.localdate()
    context = {
        "due": due,
        "kits": Kit.objects.for_team(team),
        "likely": last_kit_at(due[0].place) if due else None,
        "ahead": [(day, each, plan.stops[each.pk]) for day, each in next_days(plan.rounds, today, today + _AHEAD)],
        "lists": KitCheck.objects.for_team(team).select_related("person").order_by("-made_at")[:5],
    }
    return render(request, "packing/pack.html", context, status=422 if form.errors else 200)


@member
@require_GET
def packing(request: TeamRequest, pk: int) -> HttpResponse:
    """A packing list to tick off."""
    found = _packing(request, pk)
    return render(request, "packing/packing.html", {"check": found, **_progress(found)})


@member
@require_POST
def tick(request: TeamRequest, pk: int) -> HttpResponse:
    """Tick a line off, or on again."""
    try:
        found = services.tick(
            _packing(request, pk), request.POST.get("key", ""), packed=request.POST.get("packed") == "yes"
        )
    except ValidationError as error:
        raise Http404 from error
    if request.htmx or request.headers.get("Accept") == "application/json":
        return render(request, "packing/packed.html", {"check": found, **_progress(found)})
    return redirect("packing:packing", pk)


def _progress(found: KitCheck) -> dict[str, Any]:
    troubled = [line for line in found.lines if line["troubles"]]
    return {"troubled": troubled, "left": len(found.lines) - len(found.ticked)}


def _packing(request: TeamRequest, pk: int) -> KitCheck:
    return get_object_or_404(KitCheck.objects.for_team(request.membership.team).select_related("person"), pk=pk)
