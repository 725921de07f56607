"""The bench: from the place to a counted run."""

import json
from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.template.loader import render_to_string
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST

from kessa.bench import selectors, services
from kessa.bench.forms import BeginForm, DilutionForm, EstimateForm, ReasonForm
from kessa.bench.models import Determination
from kessa.bench.payload import bench_payload, outcome_context, states_of
from kessa.bench.readings import inputs_of
from kessa.core.arguments import CannotCompute
from kessa.core.dilution import Dilution, dilute
from kessa.core.schools import complete
from kessa.kits.selectors import instruments_for, lots_for
from kessa.log.selectors import latest_results, log_of, with_latest_result
from kessa.methods.selectors import families_of
from kessa.people.access import member_required
from kessa.places.models import Place
from kessa.places.selectors import places
from kessa.rules.selectors import house_rules
from kessa.visits.forms import SampleForm
from kessa.visits.models import Sample
from kessa.visits.selectors import observations_of, open_visit_at, recent_samples
from kessa.visits.services import draw_sample
from kessa.visits.taps import read_batch
from kessa.visits.ways import oxygen_steps, ways_for

_PLACES = 40


@member_required
@require_GET
def start(request: HttpRequest) -> HttpResponse:
    """Ask where the person is; what was begun and not finished comes first."""
    team = request.membership.team
    context = {
        "open": selectors.open_determinations(team),
        "places": with_latest_result(places(team)[: _PLACES + 1]),
        "most_places": _PLACES,
        "lately": log_of(team).standing()[:5],
    }
    return render(request, "bench/start.html", context)


@member_required
def sample(request: HttpRequest, place_pk: int) -> HttpResponse:
    """Note the sample."""
    place = get_object_or_404(Place.objects.for_team(request.membership.team), pk=place_pk)
    ways = ways_for(place.kind_key)
    chosen = request.GET.get("way") or place.usual_way
    way = next((each for each in ways if each.key == chosen), None)
    going_on = open_visit_at(place)
    asked: dict[str, Any] = {"bottle": request.GET.get("bottle"), "way": way.key if way else ""}
    if going_on and "temperature" in (seen := observations_of(going_on)):
        asked["water_temperature_c"] = round(seen["temperature"].value, 1)
    form = SampleForm(place, request.user, request.POST or None, initial=asked)
    if request.method == "POST" and form.is_valid():
        try:
            drawn = draw_sample(place, **form.cleaned_data)
        except ValidationError as error:
            form.add_error("bottle", error.message)
        else:
            if drawn.visit.leader_id:
                return redirect("visits:visit", drawn.visit_id)
            return redirect("bench:method", drawn.pk)
    context = {
        "place": place,
        "form": form,
        "recent": recent_samples(place),
        "going_on": going_on,
        "ways": ways,
        "way": way,
        "steps": [step.format(depth=f"{form.initial['depth_cm']} cm") for step in way.steps] if way else [],
        "oxygen": oxygen_steps() if place.kind.has_depth else (),
    }
    return render(request, "bench/sample.html", context, status=422 if form.errors else 200)


@member_required
def method(request: HttpRequest, sample_pk: int) -> HttpResponse:
    """Choose the test, then its range; the range that fits the place's history comes first."""
    drawn = get_object_or_404(
        Sample.objects.for_team(request.membership.team).select_related("visit__place", "drawn_by", "team"),
        pk=sample_pk,
    )
    known = families_of(drawn.team_id)
    form = BeginForm(drawn.team, request.POST or None)
    refused = ""
    if request.method == "POST" and form.is_valid():
        try:
            chosen = {key: value for key, value in form.cleaned_data.items() if key not in ("method", "")}
            begun = services.begin_determination(drawn, request.user, form.cleaned_data["method"], **chosen)
            return redirect("bench:determination", begun.pk)
        except ValidationError as error:
            refused = error.message
    family = known.get(request.GET.get("family", ""))
    if family is None:
        context = {"sample": drawn, **selectors.tests_to_choose(drawn.place, known), "refused": refused}
        return render(request, "bench/tests.html", context, status=422 if refused else 200)
    lowest = family[0]
    written = selectors.written_at(drawn.place, lowest.main)
    suggested, why = selectors.suggested_method(drawn.place, family, written)
    until = drawn.testable_until(suggested.keeps_hours)
    kits = selectors.kits_for(drawn.place, lowest.family)
    context = {
        "sample": drawn,
        "form": form,
        "refused": refused,
        "kits": [(kit, lots_for(drawn.team, kit, suggested).items()) for kit in kits],
        "instruments": instruments_for(drawn.team, suggested.instrument),
        "too_old": until is not None and timezone.now() > until,
        "suggested": suggested,
        "why": why,
        "others": [each for each in family if each != suggested],
        "blank_first": suggested.blank and house_rules(request.membership.team).chosen["blank"] == "yes",
    }
    return render(request, "bench/method.html", context, status=422 if refused else 200)


def _determination(request: HttpRequest, pk: int) -> Determination:
    related = ("team", "sample__visit__place", "sample__drawn_by")
    rows = Determination.objects.for_team(request.membership.team).select_related(*related)
    return get_object_or_404(rows, pk=pk)


@member_required
@require_GET
@ensure_csrf_cookie
def determination(request: HttpRequest, pk: int) -> HttpResponse:
    """The bench itself; a closed determination is shown in the log."""
    found = _determination(request, pk)
    if found.closed_at:
        return redirect("log:determination", pk)
    place, parts = found.sample.place, found.method.parts
    usual = {part.key: selectors.usual_at(place, selectors.series_of(part, found.written_form(part))) for part in parts}
    events = selectors.counted_events(found)
    bench = selectors.bench_of(found, events)
    context = {
        "determination": found,
        "method": found.method,
        "earlier": [(part, usual[part.key], latest_results(place, most=5, parameter=part.parameter)) for part in parts],
        "inputs": inputs_of(found, complete(found.house_rules)["between_colours"]),
        "payload": bench_payload(found, events, bench, usual),
        **outcome_context(found, bench),
    }
    return render(request, "bench/determination.html", context)


@require_POST
def events(request: HttpRequest, pk: int) -> HttpResponse:
    """Take a batch of taps, and say what was kept, what others have tapped, and what it comes to so far."""
    if not request.user.is_authenticated or not request.membership:
        return JsonResponse({"error": "Sign in again: your taps are kept in this browser until then."}, status=401)
    try:
        taps, known = read_batch(json.loads(request.body))
    except (ValueError, KeyError, TypeError, RecursionError):
        return JsonResponse({"error": "This is not a batch of taps."}, status=400)
    found = _determination(request, pk)
    stored = services.record_events(found, request.user, taps)
    found.refresh_from_db(fields=["closed_at"])
    counted = selectors.counted_events(found)
    reply: dict[str, Any] = {"kept": stored.kept, "late": stored.late, "refused": stored.refused}
    if found.closed_at:
        reply["result"] = reverse("log:determination", args=[pk])
    else:
        bench = selectors.bench_of(found, counted)
        reply["outcome"] = render_to_string("bench/outcome.html", outcome_context(found, bench), request)
        reply["states"] = states_of(bench)
    if len(counted) != known:
        reply["events"] = selectors.events_as_data(counted)
    return JsonResponse(reply)


@member_required
@require_POST
def go_on(request: HttpRequest, pk: int) -> HttpResponse:
    """Go on after a count over the range."""
    form = DilutionForm(request.POST)
    if not form.is_valid():
        messages.error(request, "Choose one of the dilutions offered.")
        return redirect("log:determination", pk)
    return _after(
        request, pk, lambda found: services.continue_over_range(found, request.user, form.cleaned_data["dilution"])
    )


@member_required
@require_GET
def dilution_plan(request: HttpRequest, pk: int) -> HttpResponse:
    """Work out how far to dilute from what the sample may hold; htmx asks for the plan alone."""
    found = _determination(request, pk)
    form = EstimateForm(request.GET)
    plan: Dilution | None = None
    refused = "" if form.is_valid() else "Say about how much there may be, in the unit of the test."
    part = found.method.main
    if form.is_valid() and part.reach:
        try:
            make_ml = form.cleaned_data["make_ml"] or EstimateForm.base_fields["make_ml"].initial
            plan = dilute(form.cleaned_data["estimate"], part.least or 0.0, part.reach, make_ml)
        except CannotCompute as error:
            refused = error.message
    context = {"determination": found, "method": found.method, "plan": plan, "refused": refused}
    return render(request, "bench/dilution.html", context)


@member_required
@require_POST
def further_run(request: HttpRequest, pk: int) -> HttpResponse:
    """Open a closed determination for one more run, with the reason."""
    return _with_reason(request, pk, lambda found, reason: services.add_further_run(found, request.user, reason))


@member_required
@require_POST
def supersede(request: HttpRequest, pk: int) -> HttpResponse:
    """Set a result aside with the reason, and begin again on the same sample."""
    return _with_reason(request, pk, lambda found, reason: services.supersede(found, request.membership, reason))


def _with_reason(request: HttpRequest, pk: int, act: Any) -> HttpResponse:
    form = ReasonForm(request.POST)
    if not form.is_valid():
        messages.error(request, "Say why, in up to 300 characters: the reason stays with the result.")
        return redirect("log:determination", pk)
    return _after(request, pk, lambda found: act(found, form.cleaned_data["reason"]))


def _after(request: HttpRequest, pk: int, act: Any) -> HttpResponse:
    found = _determination(request, pk)
    try:
        return redirect("bench:determination", act(found).pk)
    except ValidationError as error:
        messages.error(request, error.message)
        return redirect("log:determination", pk)
