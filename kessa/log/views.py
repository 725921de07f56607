"""The log: every result, its working, and the way out as a file."""

from contextlib import suppress
from typing import Any

from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET

from kessa.bench.forms import DilutionForm, ReasonForm
from kessa.bench.models import Determination, Event, Result
from kessa.bench.quality import checks_of_day
from kessa.bench.selectors import in_own_form
from kessa.core.errors import CannotCompute
from kessa.core.job.schools import complete, questions
from kessa.core.judging.written import bearing_on, other_forms
from kessa.log.export import csv_lines
from kessa.log.filters import LogFilter
from kessa.log.selectors import log_of, page_after
from kessa.methods.selectors import methods_of
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
    part = method.part(found.part)
    own = in_own_form(found)
    context = {
        "result": found,
        "determination": determination,
        "method": method,
        "part": part,
        "checks": checks_of_day(determination, found.taken_at),
        "worth": part.titrant.worth_of_a_unit() if part.titrant else None,
        "also": [part.written_as(own, form) for form in other_forms(part, found.form or None)],
        "beside": [
            other for other in determination.results.all() if other.superseded_at is None and other.pk != found.pk
        ],
        "answers": [(ask, found.readings.get("answers", {}).get(key)) for key, ask in method.asks.items()],
        "history": [each for each in history if each.pk != found.pk and each.part == found.part],
        "events": Event.objects.for_team(team)
        .filter(determination=determination)
        .select_related("person")
        .order_by("seq", "at"),
        "next_method": methods_of(team.pk).get(part.next_range or ""),
        "continued": Determination.objects.for_team(team).filter(continues=determination).first(),
        "replacement": Determination.objects.for_team(team).filter(supersedes=determination).first(),
        "reference": reference_of(found.place),
        "schools": [
            (question.ask, question.name_of(complete(determination.house_rules)[key]))
            for key, question in questions().items()
            if key in bearing_on(method, part)
        ],
        "photographs": determination.photographs.select_related("added_by", "sample"),
        "reason_form": ReasonForm(),
        **_estimated(found),
        "dilutions": DilutionForm.base_fields["dilution"].choices,
        "may_supersede": determination.started_by_id == request.user.pk or request.membership.corrects_others,
    }
    return render(request, "log/result.html", context)


def _estimated(result: Result) -> dict[str, Any]:
    """What another test of the same sample says about a result beyond its range: about how much to dilute for."""
    if result.censor != ">":
        return {}
    part = result.determination.method.part(result.part)
    others = (
        Result.objects.for_team(result.team_id)
        .standing()
        .filter(determination__sample=result.determination.sample, parameter=result.parameter, value__gt=0)
    )
    for other in others.exclude(censor=">").select_related("determination").newest_first():
        with suppress(CannotCompute):
            return {"estimate": other.quantity.converted(part.unit, part.form).value, "estimate_from": other}
    return {}


@member_required
@require_GET
def determination(request: HttpRequest, pk: int) -> HttpResponse:
    """Lead from a determination to its newest result, or to the bench while it is open."""
    found = get_object_or_404(Determination.objects.for_team(request.membership.team), pk=pk)
    newest = found.results.order_by("-computed_at", "-pk").first()
    if found.closed_at is None or newest is None:
        return redirect("bench:determination", pk)
    return redirect("log:result", newest.pk)
