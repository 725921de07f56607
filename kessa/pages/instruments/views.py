"""Instruments: what they measure, and how their checks went."""

import json

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.db import IntegrityError
from django.http import Http404, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from kessa.core.calibrating.kinds import KINDS
from kessa.core.calibrating.line import fit_line
from kessa.drawings.calibration import calibration_line
from kessa.drawings.drift import drift
from kessa.pages.instruments.forms import CALIBRATION_FORMS, CheckForm, InstrumentForm, MemoryForm
from kessa.pages.people.forms import WhyForm
from kessa.record.instruments import services
from kessa.record.instruments.models import Instrument, InstrumentCheck, ReceivedReading
from kessa.record.instruments.selectors import latest_readings, offered
from kessa.record.methods.selectors import methods_of
from kessa.record.methods.services import begin_draft
from kessa.record.people.access import TeamRequest, member, technician
from kessa.record.quality.services import calibrate as write_calibration
from kessa.record.quality.services import check_instrument, withdraw_instrument_check

_CHECKS_SHOWN, _SHOWN, _CALIBRATIONS = 60, 8, 12


@technician
def edit(request: TeamRequest, pk: int | None = None) -> HttpResponse:
    """Add an instrument, or change one."""
    found = Instrument() if pk is None else _instrument(request, pk)
    form = InstrumentForm(request.membership.team, request.POST or None, instance=found)
    if request.method == "POST" and form.is_valid():
        try:
            kept = services.keep_instrument(request.membership, form.save(commit=False))
            messages.success(request, f"{kept} is saved.")
            return redirect("instruments:instrument", kept.pk)
        except IntegrityError:
            form.add_error("name", "Your team has an instrument of this name already.")
    title = f"Change {found}" if pk else "Add an instrument"
    context = {"form": form, "title": title, "act": "Save", "row": found}
    return render(request, "base/form.html", context, status=422 if form.errors else 200)


@member
def instrument(request: TeamRequest, pk: int) -> HttpResponse:
    """An instrument: check it against a standard, and see how its checks went."""
    found = _instrument(request, pk)
    check = InstrumentCheck(team=found.team, instrument=found, person=request.user, at=timezone.now())
    form = CheckForm(request.POST or None, instance=check)
    if request.method == "POST" and form.is_valid():
        kept = check_instrument(request.membership, form.save(commit=False))
        bad = "It failed: what it read since its last good check is marked, and what it reads until a check passes."
        messages.success(request, "It passed." if kept.passed else bad)
        return redirect("instruments:instrument", pk)
    checks = list(found.checks.select_related("person").order_by("-at", "-pk")[:_CHECKS_SHOWN])
    counting = [each for each in checks if each.withdrawn_at is None and each.calibration_id is None]
    last = next((each for each in checks if each.calibration_id is None), None)
    if last and not form.is_bound:
        form.initial = {"standard": last.standard, "expected": last.expected, "allowed": last.allowed}
    context = {"instrument": found, "checks": checks, "chart": drift(counting) if counting else None, "form": form}
    context |= {
        "shown": found.readings.all()[:_SHOWN],
        "memory_form": MemoryForm(),
        "calibrates": found.measures in KINDS,
    }
    return render(request, "instruments/instrument.html", context, status=422 if form.errors else 200)


@member
def calibrate(request: TeamRequest, pk: int) -> HttpResponse:
    """Calibrate an instrument; what its calibrations came to before."""
    found, kind = _to_calibrate(request, pk)
    form = CALIBRATION_FORMS[kind](request.POST if request.method == "POST" else None)
    if request.method == "POST" and form.is_valid():
        try:
            row = write_calibration(request.membership, found, kind, form.given)
            bad = "It failed: what was read since its last good check is marked. Clean it, renew it, calibrate again."
            messages.success(request, "It passed." if row.passed else bad)
            return redirect("instruments:calibrate", pk)
        except ValidationError as error:
            form.add_error(None, error)
    before = list(found.calibrations.select_related("person")[:_CALIBRATIONS])
    line = next((each for each in before if each.kind == "line"), None)
    methods = sorted(
        (each for each in methods_of(found.team_id).values() if getattr(each.main.numbers, "slope", None)),
        key=lambda each: each.test_name,
    )
    context = {
        "instrument": found,
        "form": form,
        "before": before,
        "taken": _taken(found, kind),
        "drawn": calibration_line(line.given["points"]) if line else None,
        "methods": methods if line and line.passed else [],
    }
    return render(request, "instruments/calibrate.html", context, status=422 if form.errors else 200)


def _to_calibrate(request: TeamRequest, pk: int) -> tuple[Instrument, str]:
    """Return an instrument that is calibrated, and how."""
    found = _instrument(request, pk)
    if found.measures not in KINDS:
        raise Http404
    return found, KINDS[found.measures]


def _taken(found: Instrument, kind: str) -> list[tuple[ReceivedReading, str]]:
    offers = ((each, CALIBRATION_FORMS[kind].taken(each)) for each in latest_readings(found))
    return [(each, json.dumps(fields)) for each, fields in offers if fields]


@member
@require_GET
def calibrated_by(request: TeamRequest, pk: int) -> HttpResponse:
    """What the instrument shows just now, for the fields of its calibration."""
    found, kind = _to_calibrate(request, pk)
    taken = _taken(found, kind)
    # A button under a finger is not drawn anew where nothing new was shown.
    if request.GET.get("newest") == str(taken[0][0].pk if taken else ""):
        return HttpResponse(status=204)
    return render(request, "instruments/taken.html", {"instrument": found, "taken": taken})


@technician
@require_POST
def by_line(request: TeamRequest, pk: int) -> HttpResponse:
    """Begin a method of the team's own by the newest line of a photometer: its slope, intercept and range."""
    found = _instrument(request, pk)
    row = found.calibrations.filter(kind="line").first()
    method = methods_of(found.team_id).get(request.POST.get("method", ""))
    if row is None or not row.passed or method is None or not getattr(method.main.numbers, "slope", None):
        raise Http404
    line = fit_line([(x, y) for x, y in row.given["points"]])
    definition = method.snapshot()
    numbers = definition["parts"][0]["numbers"]
    numbers |= {"slope": round(line.slope, 6), "intercept": round(line.intercept, 6)}
    numbers["range"] = [float(f"{each:.3g}") for each in line.range]
    return redirect("methods:numbers", begin_draft(request.membership, definition).pk)


@member
@require_GET
def shown(request: TeamRequest) -> JsonResponse:
    """What instruments show just now: the bench asks every second while a display is to be read."""
    rows = offered(request.membership.team_id, request.GET.get("measures", "")[:30], request.GET.getlist("of")[:20])
    readings = [
        {
            "id": row.pk,
            "said": str(row),
            "display": row.display,
            "unit": row.unit,
            "temperature_c": row.temperature_c,
            "over": row.over,
            "instrument": str(row.instrument),
            "seconds": max(round((timezone.now() - row.at).total_seconds()), 0),
        }
        for row in rows
    ]
    return JsonResponse({"shown": readings})


@member
@require_POST
def memory(request: TeamRequest, pk: int) -> HttpResponse:
    """Take in the memory of an instrument, from its file."""
    found = _instrument(request, pk)
    form = MemoryForm(request.POST, request.FILES)
    if form.is_valid():
        data = form.cleaned_data
        try:
            new = services.take_readings(request.membership, found, data["shown"], f"its file {data['file'].name}")
            known = len(data["shown"]) - new
            messages.success(request, f"{new} readings are taken in; {known} were there already.")
            return redirect("instruments:instrument", pk)
        except ValidationError as error:
            form.add_error("file", error)
    messages.error(request, " ".join(str(error) for errors in form.errors.values() for error in errors))
    return redirect("instruments:instrument", pk)


@member
@require_POST
def withdraw(request: TeamRequest, pk: int) -> HttpResponse:
    """Withdraw a check that was none after all."""
    rows = InstrumentCheck.objects.for_team(request.membership.team).select_related("instrument")
    found = get_object_or_404(rows, pk=pk)
    form = WhyForm(request.POST)
    try:
        if not form.is_valid():
            raise ValidationError("Say why it was no check.")
        withdraw_instrument_check(request.membership, found, why=form.cleaned_data["why"])
        messages.success(request, "The check is withdrawn, and its marks are lifted.")
    except ValidationError as error:
        messages.error(request, error.message)
    return redirect("instruments:instrument", found.instrument_id)


def _instrument(request: TeamRequest, pk: int) -> Instrument:
    rows = Instrument.objects.for_team(request.membership.team)
    return get_object_or_404(rows.select_related("kit", "team"), pk=pk)
