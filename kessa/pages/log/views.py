"""The log: every result, and the way out as a file."""

from typing import Any

from django import forms
from django.http import HttpResponse, StreamingHttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET

from kessa.pages.base.long_answers import table_answer
from kessa.pages.base.result_rows import Names, table_rows
from kessa.pages.base.select import PlainSelect
from kessa.record.people.access import TeamRequest, member
from kessa.record.results.export import csv_pieces
from kessa.record.results.filters import LogFilter
from kessa.record.results.models import Result
from kessa.record.results.selectors import listed, page_after


@member
@require_GET
def index(request: TeamRequest) -> HttpResponse:
    """The log, newest first; htmx asks for the rows alone."""
    team = request.membership.team
    log_filter = _quick(LogFilter(team, request.GET, queryset=Result.objects.for_team(team).newest_first()))
    page = page_after(listed(log_filter.qs), request.GET.get("after"))
    names = Names(dict(log_filter.places), dict(log_filter.people))
    narrowed = request.GET.copy()
    narrowed.pop("after", None)
    context = {
        "filter": log_filter,
        "page": page,
        "rows": table_rows(team.pk, page.results, request.user, names),
        "narrowed": narrowed.urlencode(),
        "any": bool(narrowed),
        "more": any(name in narrowed for name in LogFilter.MORE),
    }
    if request.htmx and not request.htmx.history_restore_request:
        return render(request, "base/result_rows.html" if request.GET.get("after") else "log/rows.html", context)
    return render(request, "log/index.html", context)


@member
@require_GET
def more_filters(request: TeamRequest) -> HttpResponse:
    """The filters that are seldom wanted, when somebody opens them."""
    return render(request, "log/more_filters.html", {"filter": _quick(LogFilter(request.membership.team, None))})


def _quick(log_filter: LogFilter) -> LogFilter:
    """Let the selects of a filter be written quickly; what they offer is asked for where it is shown."""
    for field in log_filter.form.fields.values():
        if isinstance(field, forms.ChoiceField):
            choices: Any = field.choices
            field.widget = PlainSelect(choices=choices)
    return log_filter


@member
@require_GET
def export(request: TeamRequest) -> HttpResponse | StreamingHttpResponse:
    """What is filtered, as CSV."""
    team = request.membership.team
    log_filter = LogFilter(team, request.GET, queryset=Result.objects.for_team(team).newest_first())
    if log_filter.refusal:
        # Its page says what is wrong.
        return redirect(f"{reverse('log:index')}?{request.GET.urlencode()}")
    # The zone is handed over: the rows are written after this request has left the team's zone.
    pieces = csv_pieces(log_filter.qs, timezone.get_current_timezone())
    return table_answer(request, pieces, f"kessa-log-{timezone.localdate().isoformat()}")
