"""The bench: from the place to the sample, the method, the count, and what it comes to."""

import uuid
from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST

from kessa.core.errors import CannotCompute
from kessa.core.job.hazards import hazards_of
from kessa.core.methods.leading import led_at
from kessa.core.planning.dilution import Dilution, Standard, dilute, make_standard
from kessa.core.quantities.quantity import plain
from kessa.drawings.lanes import draw_lanes
from kessa.pages.base.only import only_or_404
from kessa.pages.base.result_rows import latest_rows
from kessa.pages.bench.board import tests_of
from kessa.pages.bench.forms import BeginForm, CheckForm, EstimateForm, SpikeForm
from kessa.pages.bench.lanes import lanes_of
from kessa.pages.bench.page import newest_of, outcome_context, panel_of, panels_on_board
from kessa.record.advice.place_status import with_state
from kessa.record.determinations.models import Determination, Purpose
from kessa.record.determinations.state import bench_of
from kessa.record.instruments.selectors import instruments_for
from kessa.record.kits.selectors import fresh_instead, lots_in_use
from kessa.record.methods.selectors import families_of, methods_of
from kessa.record.people.access import TeamRequest, member
from kessa.record.places.selectors import places
from kessa.record.quality.verification import lots_wanting_standard
from kessa.record.results import history
from kessa.record.results.models import Result
from kessa.record.results.selectors import in_own_form
from kessa.record.rounds.field_sheet import field_sheet
from kessa.record.rules.selectors import house_rules
from kessa.record.taps.hands import whose
from kessa.record.taps.selectors import counted
from kessa.record.testing import services
from kessa.record.testing.selectors import known_of, open_determinations, test_at
from kessa.record.visits.models import Sample, Visit
from kessa.record.visits.selectors import sample_at

_PLACES = 40
# How wide the lanes are drawn, in pixels: as the page asks, within bounds.
_LANES_LEAST, _LANES_WIDE, _LANES_MOST = 280, 1000, 2400


@member
@require_GET
def start(request: TeamRequest) -> HttpResponse:
    """Ask where the person is; what was begun and not finished comes first."""
    team = request.membership.team
    context = {
        "open": open_determinations(team=team.pk),
        "places": with_state(team.pk, places(team)[: _PLACES + 1]),
        "most_places": _PLACES,
        "rows": latest_rows(team.pk, request.user),
    }
    return render(request, "bench/start.html", context)


@member
def method(request: TeamRequest, sample_pk: uuid.UUID) -> HttpResponse:
    """Choose the test, then its range; the range that fits the place's history comes first."""
    drawn = only_or_404(sample_at(team=request.membership.team_id, pk=sample_pk))
    known = families_of(drawn.team_id)
    form = BeginForm(request.membership.team, request.POST or None)
    refused = ""
    if request.method == "POST" and form.is_valid():
        try:
            given = form.said() | {"sample": str(drawn.pk)}
            begun = services.begin_test(request.membership, given, number=form.number)
            return redirect("bench:determination", begun.pk)
        except ValidationError as error:
            refused = str(error.message)
    elif request.method == "POST":
        refused = "; ".join(f"{form.fields[name].label or name}: {errors[0]}" for name, errors in form.errors.items())
    family = known.get(request.GET.get("family", ""))
    if family is None:
        context = {"sample": drawn, **history.tests_to_choose(drawn.place, known), "refused": refused}
        return render(request, "bench/tests.html", context, status=422 if refused else 200)
    context = {"sample": drawn, "form": form, "refused": refused, **_to_begin(drawn, family)}
    return render(request, "bench/method.html", context, status=422 if refused else 200)


def _to_begin(drawn: Sample, family: list[Any]) -> dict[str, Any]:
    """What there is to choose before a test begins: range, kit with its lots, instrument."""
    lowest = family[0]
    suggested, why = history.suggested_method(drawn.place, family, history.written_at(drawn.place, lowest.main))
    led = led_at(suggested, drawn.place.kind, known_of(drawn, suggested, timezone.now()))
    serving = history.kits_for(drawn.place, lowest.family)
    kits = list(zip(serving, lots_in_use(drawn.team_id, serving, led), strict=True))
    named = [lot for _, lots in kits for lot in lots.values() if lot]
    fresh = fresh_instead(named)
    instruments = instruments_for(drawn.team_id, suggested.instrument)
    return {
        "kits": [
            (kit, [(key, lot, lot and fresh.get(lot.pk)) for key, lot in lots.items() if lot or key in led.lots_matter])
            for kit, lots in kits
        ],
        "hazards": hazards_of([use.supply for use in led.uses]),
        "unverified": lots_wanting_standard(drawn.team_id, [led], [lot for lot in named if not lot.faults]),
        # What the page says of lots is what the test rests on, whatever is taken into use meanwhile.
        "lots_seen": ",".join(str(lot.pk) for lot in named),
        "instruments": instruments,
        "likely": history.likely_instrument(drawn.place, instruments, serving),
        "too_old": drawn.too_old_at(timezone.now(), suggested.keeps_hours),
        "suggested": suggested,
        "why": why,
        "others": [each for each in family if each != suggested],
        "blank_first": suggested.blank and house_rules(drawn.team_id).chosen["blank"] != "no",
    }


def _determination(request: TeamRequest, pk: uuid.UUID) -> Determination:
    found: Determination = only_or_404(test_at(team=request.membership.team_id, pk=pk))
    return found


@member
@require_GET
@ensure_csrf_cookie
def determination(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """The bench itself; a closed determination is shown in the log."""
    found = _determination(request, pk)
    if found.closed_at:
        return redirect("results:determination" if found.place else "quality:check", pk)
    taps = counted(found.team_id, found.pk)
    context = panel_of(found, taps, newest_of(found), whose(request.membership), request.user.colours_alike)
    return render(request, "bench/determination.html", context)


@member
@require_GET
@ensure_csrf_cookie
def board(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Every test of a visit on one page; what was not begun begins with the first tap in it."""
    visit = _open_visit(request, pk)
    tests = tests_of(request.membership, field_sheet(visit)) if visit else []
    if not visit or not tests:
        return redirect("visits:visit", pk)
    shown = panels_on_board(request, tests)
    context = {
        "visit": visit,
        "tests": shown,
        "several": len(tests) > 1,
        "open": any(panel for _, panel in shown),
    }
    return render(request, "bench/board.html", context)


@member
@require_GET
def board_lanes(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """How the tests of a visit lie in time, planned anew; asked for whenever something in them has changed."""
    visit = _open_visit(request, pk)
    if not visit:
        raise Http404
    tests = tests_of(request.membership, field_sheet(visit))
    lanes = lanes_of(request.membership.team_id, tests, timezone.now())
    width = min(max(_whole(request.GET.get("width"), _LANES_WIDE), _LANES_LEAST), _LANES_MOST)
    return render(request, "bench/lanes.html", {"lanes": lanes, "drawing": draw_lanes(lanes, width)})


def _whole(text: str | None, otherwise: int) -> int:
    return int(text) if text and text.isascii() and text.isdigit() and len(text) < 6 else otherwise


def _open_visit(request: TeamRequest, pk: uuid.UUID) -> Visit | None:
    rows = Visit.objects.for_team(request.membership.team_id).select_related("place__team", "team", "leader")
    found: Visit = get_object_or_404(rows, pk=pk)
    return found if found.is_open else None


@member
@require_GET
def outcome(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """What the runs come to so far: asked for when it is shown."""
    found = _determination(request, pk)
    context = outcome_context(found, bench_of(found, counted(found.team_id, found.pk)), newest_of(found))
    return render(request, "bench/outcome.html", context)


@member
@require_GET
def dilution_plan(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
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
            refused = str(error.message)
    context = {"determination": found, "method": found.method, "plan": plan, "refused": refused}
    return render(request, "bench/dilution.html", context)


@member
def begin_check(request: TeamRequest, key: str) -> HttpResponse:
    """Begin a blank or a standard; the standard is worked out from its stock."""
    team = request.membership.team
    method = methods_of(team.pk).get(key)
    if method is None or not method.main.numbers.can_be_checked:
        raise Http404
    form = CheckForm(team, request.POST or request.GET or None)
    plan = None
    if form.is_bound and form.is_valid() and form.cleaned_data["purpose"] == Purpose.STANDARD:
        try:
            plan = make_standard(**form.made_from)
        except CannotCompute as error:
            form.add_error("stock", error.message)
    if request.method == "POST" and form.is_valid():
        given = form.cleaned_data
        against = {"expected": given["want"], "stock": given["stock"], "plan": _plan_words(plan)} if plan else {}
        data = {"method": key, "purpose": given["purpose"], "against": against}
        data |= {name: given[name].pk for name in ("kit", "instrument") if given[name]}
        try:
            begun = services.begin_test(request.membership, data, number=form.number)
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


@member
@require_POST
def spike(request: TeamRequest, pk: int) -> HttpResponse:
    """Begin a spike of the sample on which a result rests, as it was tested: a diluted sample is spiked diluted."""
    rows = Result.objects.for_team(request.membership.team).current()
    found = get_object_or_404(rows.select_related("determination__sample"), pk=pk, determination__isnull=False)
    form = SpikeForm(request.POST)
    if not form.is_valid():
        return _refused(request, pk, "A spike needs the volumes and the strength of what is added, each above 0.")
    determination = found.determination
    against = {name: form.cleaned_data[name] for name in ("sample_ml", "added_ml", "added_strength")}
    against["in_sample"] = in_own_form(found).value / determination.dilution
    data = {
        "sample": str(determination.sample_id),
        "method": determination.method_key,
        "purpose": Purpose.SPIKE,
        "against": against,
        "kit": determination.kit_id,
        "instrument": determination.instrument_id,
    }
    try:
        return redirect("bench:determination", services.begin_test(request.membership, data, number=form.number).pk)
    except ValidationError as error:
        return _refused(request, pk, str(error.message))


def _refused(request: TeamRequest, pk: int, why: str) -> HttpResponse:
    messages.error(request, why)
    return redirect("results:result", pk)
