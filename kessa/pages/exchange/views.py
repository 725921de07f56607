"""Files given out: asked for, on their way, fetched."""

from itertools import chain
from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import FileResponse, Http404, HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from kessa.core.importing.words import plain
from kessa.pages.base.long_answers import table_answer
from kessa.pages.exchange.forms import ColumnForms, ExportForm, ImportForm, ReadingForm, TableForm, TestForms
from kessa.record.exports.models import Export
from kessa.record.exports.resources import resources
from kessa.record.exports.services import ask_for_export
from kessa.record.imports import services
from kessa.record.imports.models import Doubtful, Import, Stage
from kessa.record.imports.rows import Reader
from kessa.record.long_work import services as long_work
from kessa.record.long_work.models import State
from kessa.record.people.access import TeamRequest, member, technician
from kessa.record.results.export import CSV_STARTS, csv_line

_SHOWN, _ROWS, _AT_ONCE = 10, 25, 1000


@member
def out(request: TeamRequest) -> HttpResponse:
    """Ask for the record as a file; what was asked for lately."""
    team = request.membership.team
    form = ExportForm(request.POST or None, initial={"filters": request.GET.urlencode()})
    if request.method == "POST" and form.is_valid():
        data = form.cleaned_data
        try:
            ask_for_export(request.membership, team, data["format"], licence=data["licence"], filters=data["filters"])
            return redirect("exchange:out")
        except ValidationError as error:
            form.add_error(None, error)
    exports = Export.objects.for_team(team).select_related("asked_by").order_by("-asked_at")[:_SHOWN]
    context = {
        "form": form,
        "exports": exports,
        "going_on": any(each.under_way for each in exports),
        "nouns": resources,
    }
    if request.htmx:
        return render(request, "exchange/exports.html", context)
    return render(request, "exchange/out.html", context, status=422 if form.errors else 200)


@member
@require_GET
def fetch(request: TeamRequest, pk: int) -> HttpResponse | FileResponse:
    """A file that was written."""
    found = get_object_or_404(Export.objects.for_team(request.membership.team), pk=pk)
    if found.state != State.DONE or not found.file:
        messages.error(request, "This file is not there, or no more: ask for it anew.")
        return redirect("exchange:out")
    name = f"kessa-{found.asked_at:%Y-%m-%d}-{found.pk}.{found.format}"
    return FileResponse(found.file.open("rb"), as_attachment=True, filename=name)


# ---- taken in -------------------------------------------------------------------------------------------------------


@technician
@require_GET
def imports(request: TeamRequest) -> HttpResponse:
    """Bring a file; what was brought lately."""
    found = Import.objects.for_team(request.membership.team).select_related("asked_by").order_by("-pk")[:_SHOWN]
    return render(request, "exchange/in.html", {"form": ImportForm(), "imports": found})


@technician
@require_POST
def take_in(request: TeamRequest) -> HttpResponse:
    """Bring a file."""
    form = ImportForm(request.POST, request.FILES)
    if not form.is_valid():
        messages.error(request, "Choose a file of a table, up to 300 MB.")
        return redirect("exchange:imports")
    try:
        brought = services.bring(request.membership, request.membership.team, form.cleaned_data["file"])
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
        return redirect("exchange:imports")
    return redirect("exchange:import", brought.pk)


@technician
def imported(request: TeamRequest, pk: int) -> HttpResponse:
    """Show a file on its way: its columns, how far it is, what is doubtful, what came of it."""
    found = _import(request, pk)
    if found.under_way:
        return render(request, "exchange/under_way.html", {"imported": found})
    if request.htmx:
        # What was waited for is there: the whole page is asked for.
        answer = HttpResponse()
        answer["HX-Refresh"] = "true"
        return answer
    if not found.head:
        return render(request, "exchange/unreadable.html", {"imported": found})
    if found.stage == Stage.MATCHING or "columns" in request.GET:
        return _matching(request, found)
    rows = Doubtful.objects.for_team(found.team_id).filter(imported=found)
    context = {
        "imported": found,
        "doubtful": rows.to_mend()[:_ROWS],
        "left": rows.to_mend().count(),
        "mended": rows.filter(why=[]).count(),
        "left_out": rows.left_out()[:_ROWS],
    }
    return render(request, "exchange/import.html", context)


@technician
@require_GET
def left_out(request: TeamRequest, pk: int) -> HttpResponse | StreamingHttpResponse:
    """Every row of a file that is not taken in, with why."""
    found = _import(request, pk)
    rows = Doubtful.objects.for_team(found.team_id).filter(imported=found).left_out()
    head = CSV_STARTS + csv_line(["row", "why", *found.head])
    lines = (csv_line([row.number, row.reason, *row.cells]) for row in rows.iterator(_AT_ONCE))
    return table_answer(request, chain([head], lines), f"left-out-{pk}")


def _matching(request: TeamRequest, found: Import) -> HttpResponse:
    columns = ColumnForms(request.POST or None, initial=found.columns, prefix="column")
    reading = ReadingForm(request.membership.team, request.POST or None, initial=found.reading)
    reader = Reader(found.team, found.columns, found.reading)
    words = [name for name, _ in found.told.get("named", [])]
    initial = [reader.head_of_test(name)._asdict() for name in words]
    tests = TestForms(request.POST if "test-TOTAL_FORMS" in request.POST else None, initial=initial, prefix="test")
    faults: list[str] = []
    bound: list[Any] = [columns, reading, *([tests] if tests.is_bound else [])]
    if all(each.is_valid() for each in bound):
        given = [{name: each.cleaned_data.get(name, "") for name in each.fields} for each in columns][: len(found.head)]
        said = {plain(name): each.cleaned_data for name, each in zip(words, tests, strict=False) if tests.is_bound}
        try:
            asked = {**reading.reading, "tests": {**found.reading.get("tests", {}), **said}}
            services.match(request.membership, found, given, asked)
            return redirect("exchange:import", found.pk)
        except ValidationError as error:
            faults = error.messages
    sample = found.told.get("sample", [])
    named = [
        (head, [row[nth] for row in sample if nth < len(row)], form)
        for nth, (head, form) in enumerate(zip(found.head, columns, strict=False))
    ]
    context = {
        "imported": found, "columns": columns, "named": named, "reading": reading, "faults": faults,
        "table": TableForm(found, initial=found.reading),
        "tests": list(zip(found.told.get("named", []), tests, strict=False)), "test_forms": tests,
    }  # fmt: skip
    return render(request, "exchange/matching.html", context, status=422 if faults or reading.errors else 200)


@technician
@require_POST
def change_import(request: TeamRequest, pk: int, act: str) -> HttpResponse:
    """Mend a row or leave it out, import the file, undo it, cancel what is under way."""
    found = _import(request, pk)
    try:
        if act == "table":
            services.point(request.membership, found, request.POST.get("sheet", ""), request.POST.get("head", ""))
            return redirect("exchange:import", found.pk)
        if act == "mend":
            number, cells = request.POST.get("row", ""), request.POST.getlist("cell")[: len(found.head) + 5]
            if not number.isdecimal() or not found.doubtful.filter(number=int(number[:9])).exists():
                raise Http404
            left_out = "leave" in request.POST
            row = services.mend(request.membership, found, int(number[:9]), None if left_out else cells)
            if row.why:
                messages.error(request, f"Row {row.number}: {' '.join(row.why)}")
        elif act in _ON_IMPORT:
            _ON_IMPORT[act](request.membership, found)
        else:
            raise Http404
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
    return redirect("exchange:import", pk)


_ON_IMPORT: dict[str, Any] = {"take-in": services.import_file, "undo": services.undo, "cancel": services.cancel}


def _import(request: TeamRequest, pk: int) -> Import:
    rows = Import.objects.for_team(request.membership.team).select_related("asked_by", "team")
    return get_object_or_404(rows, pk=pk)


@member
@require_POST
def cancel(request: TeamRequest, pk: int) -> HttpResponse:
    """Cancel a file that is being written."""
    found = get_object_or_404(Export.objects.for_team(request.membership.team), pk=pk)
    try:
        long_work.cancel(request.membership, found)
        messages.success(request, "Cancelled.")
    except ValidationError as error:
        messages.error(request, error.message)
    return redirect("exchange:out")
