"""The log: every result, its working, and the way out as a file."""

from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET

from kessa.bench.forms import DilutionForm, ReasonForm
from kessa.bench.models import Determination, Event, Result
from kessa.core.methods import house_methods
from kessa.core.schools import complete, questions
from kessa.log.export import csv_lines
from kessa.log.filters import LogFilter
from kessa.log.selectors import log_of, page_after
from kessa.people.access import member_required
from kessa.places.selectors import reference_of

_EXPORT_CHUNK = 1000


@member_required
@require_GET
def index(request: HttpRequest) -> HttpResponse:
    """The log, newest first; htmx asks for the rows alone."""
    team = request.membership.team
    log_filter = LogFilter(team, request.GET, queryset=log_of(team))
    page = page_after(log_filter.qs, request.GET.get("after"))
    narrowed = request.GET.copy()
    narrowed.pop("after", None)
    context = {
        "filter": log_filter,
        "page": page,
        "results": page.results,
        "narrowed": narrowed.urlencode(),
        "any": bool(narrowed),
    }
    if request.htmx and not request.htmx.history_restore_request:
        return render(request, "log/more.html" if request.GET.get("after") else "log/rows.html", context)
    return render(request, "log/index.html", context)


@member_required
@require_GET
def export(request: HttpRequest) -> StreamingHttpResponse:
    """What is filtered, as CSV."""
    team = request.membership.team
    results = LogFilter(team, request.GET, queryset=log_of(team)).qs.iterator(_EXPORT_CHUNK)
    response = StreamingHttpResponse(
        # The zone is handed over: the rows are written after this request has left the team's zone.
        csv_lines(results, timezone.get_current_timezone()),
        content_type="text/csv; charset=utf-8",
    )
    today = timezone.localdate().isoformat()
    response["Content-Disposition"] = f'attachment; filename="kessa-log-{today}.csv"'
    return response


@member_required
@require_GET
def result(request: HttpRequest, pk: int) -> HttpResponse:
    """One result with its working."""
    team = request.membership.team
    related = ("place", "person", "determination__sample__visit", "determination__sample__drawn_by")
    found = get_object_or_404(Result.objects.for_team(team).select_related(*related), pk=pk)
    determination = found.determination
    history = determination.results.order_by("-computed_at")[:20]
    method = determination.method
    context = {
        "result": found,
        "determination": determination,
        "method": method,
        "worth": method.titrant.worth_of_a_drop() if method.titrant else None,
        "history": [each for each in history if each.pk != found.pk],
        "events": Event.objects.for_team(team)
        .filter(determination=determination)
        .select_related("person")
        .order_by("seq", "at"),
        "next_method": house_methods().get(method.numbers.next_range or ""),
        "continued": Determination.objects.for_team(team).filter(continues=determination).first(),
        "replacement": Determination.objects.for_team(team).filter(supersedes=determination).first(),
        "reference": reference_of(found.place),
        "schools": [
            (question.ask, question.name_of(complete(determination.house_rules)[key]))
            for key, question in questions().items()
            if key in ("blank", "endpoint", "duplicates", "agreement", "near_limit")
        ],
        "photographs": determination.photographs.select_related("added_by", "sample"),
        "reason_form": ReasonForm(),
        "dilutions": DilutionForm.base_fields["dilution"].choices,
        "may_supersede": determination.started_by_id == request.user.pk or request.membership.corrects_others,
    }
    return render(request, "log/result.html", context)


@member_required
@require_GET
def determination(request: HttpRequest, pk: int) -> HttpResponse:
    """Lead from a determination to its newest result, or to the bench while it is open."""
    found = get_object_or_404(Determination.objects.for_team(request.membership.team), pk=pk)
    newest = found.results.order_by("-computed_at", "-pk").first()
    if found.closed_at is None or newest is None:
        return redirect("bench:determination", pk)
    return redirect("log:result", newest.pk)
