"""The bench: from the place to a counted run."""

import json
from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.template.loader import render_to_string
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST

from kessa.bench import quality, selectors, services
from kessa.bench.forms import BeginForm, CheckForm, DilutionForm, EstimateForm, ReasonForm, SpikeForm
from kessa.bench.models import Determination, Purpose, QualityCheck, Result
from kessa.bench.payload import bench_payload, outcome_context, states_of
from kessa.bench.readings import inputs_of
from kessa.core.errors import CannotCompute
from kessa.core.job.schools import complete
from kessa.core.job.ways import oxygen_steps, ways_for
from kessa.core.planning.dilution import Dilution, Standard, dilute
from kessa.core.quantities.quantity import plain
from kessa.kits.selectors import instruments_for, lots_for
from kessa.log.selectors import latest_results, log_of, with_latest_result
from kessa.methods.selectors import families_of, methods_of
from kessa.people.access import member_required
from kessa.places.models import Place
from kessa.places.selectors import places
from kessa.rules.selectors import house_rules
from kessa.visits.forms import SampleForm
from kessa.visits.models import Sample
from kessa.visits.selectors import observations_of, open_visit_at, recent_samples
from kessa.visits.services import draw_sample
from kessa.visits.taps import read_batch

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
        return redirect("log:determination" if found.place else "bench:check", pk)
    place, parts = found.place, found.method.parts
    series = {part.key: selectors.series_of(part, found.written_form(part)) for part in parts}
    usual = {key: selectors.usual_at(place, each) if place else None for key, each in series.items()}
    events = selectors.counted_events(found)
    bench = selectors.bench_of(found, events)
    context = {
        "determination": found,
        "method": found.method,
        "earlier": [(part, usual[part.key], latest_results(place, most=5, parameter=part.parameter)) for part in parts]
        if place
        else [],
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
        reply["result"] = reverse("log:determination" if found.place else "bench:check", args=[pk])
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
            # What is diluted is the sample as it was tested: going on multiplies the factors.
            plan = dilute(form.cleaned_data["estimate"] / found.dilution, part.least or 0.0, part.reach, make_ml)
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


@member_required
@require_GET
def check(request: HttpRequest, pk: int) -> HttpResponse:
    """What a blank, standard or spike came to."""
    found = get_object_or_404(
        QualityCheck.objects.for_team(request.membership.team).select_related("determination__sample__visit", "person"),
        determination=pk,
    )
    return render(request, "bench/check.html", {"check": found, "determination": found.determination})


@member_required
def begin_check(request: HttpRequest, key: str) -> HttpResponse:
    """Begin a blank or a standard; the standard is worked out from its stock."""
    team = request.membership.team
    method = methods_of(team.pk).get(key)
    if method is None or not method.main.numbers.can_be_checked:
        raise Http404
    form = CheckForm(team, request.POST or request.GET or None)
    plan = None
    if form.is_bound and form.is_valid() and form.cleaned_data["purpose"] == Purpose.STANDARD:
        try:
            plan = quality.plan_standard(**form.made_from)
        except ValidationError as error:
            form.add_error("stock", error)
    if request.method == "POST" and form.is_valid():
        given = form.cleaned_data
        against = {"expected": given["want"], "stock": given["stock"], "plan": _plan_words(plan)} if plan else {}
        try:
            begun = services.begin_check(
                team, request.user, key, given["purpose"], against, kit=given["kit"], instrument=given["instrument"]
            )
            return redirect("bench:determination", begun.pk)
        except ValidationError as error:
            form.add_error(None, error)
    context = {"method": method, "form": form, "plan": plan}
    template = "bench/standard_plan.html" if request.htmx else "bench/begin_check.html"
    return render(request, template, context, status=422 if request.method == "POST" else 200)


def _plan_words(plan: Standard) -> str:
    first = plan.intermediate
    before = f"{plain(first.take_ml)} mL of stock made up to {plain(first.make_ml)} mL; of that " if first else ""
    return f"{before}{plain(plan.take_ml)} mL and {plain(plan.water_ml)} mL of deionised water"


@member_required
@require_POST
def spike(request: HttpRequest, pk: int) -> HttpResponse:
    """Begin a spike of the sample on which a result rests."""
    found = get_object_or_404(
        Result.objects.for_team(request.membership.team).select_related("determination__sample", "determination__kit"),
        pk=pk,
        superseded_at=None,
    )
    form = SpikeForm(request.POST)
    if not form.is_valid():
        messages.error(request, "A spike needs the volumes and the strength of what is added, each above 0.")
        return redirect("log:result", pk)
    determination = found.determination
    against = form.cleaned_data | {"in_sample": selectors.in_own_form(found).value}
    begun = services.begin_check(
        found.team,
        request.user,
        determination.method_key,
        Purpose.SPIKE,
        against,
        sample=determination.sample,
        kit=determination.kit,
        instrument=determination.instrument,
    )
    return redirect("bench:determination", begun.pk)
