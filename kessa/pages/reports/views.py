"""Pages of reports: what was issued, what can be made, and the papers."""

from typing import Any

from django.contrib import messages
from django.core.exceptions import ObjectDoesNotExist, ValidationError
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from kessa.pages.base.views import one_moment
from kessa.record.people.access import TeamRequest, member, technician
from kessa.record.reports import services
from kessa.record.reports.kind import KINDS, gather
from kessa.record.reports.models import Report
from kessa.record.reports.selectors import SHOWN, changed_since, latest_reports


@member
@require_GET
def index(request: TeamRequest) -> HttpResponse:
    """What was issued, newest first, and what can be made."""
    team = request.membership.team
    before = request.GET.get("before", "")
    rows = latest_reports(team, int(before[:9]) if before.isdigit() else None)
    context = {
        "reports": rows[:SHOWN],
        "more": rows[SHOWN - 1].number if len(rows) > SHOWN else None,
        "forms": [(kind, kind.form(team, auto_id=f"id_{kind.key}_%s")) for kind in KINDS.values() if kind.form.offered],
    }
    return render(request, "reports/index.html", context)


def _about(request: TeamRequest, kind: str, given: Any) -> dict[str, Any]:
    """Return what a report is to be about; raises ValidationError with what is wrong with what was said."""
    if kind not in KINDS:
        raise Http404
    form = KINDS[kind].form(request.membership.team, given)
    if not form.is_valid():
        raise ValidationError([f"{name}: {error}" for name, errors in form.errors.items() for error in errors])
    return form.about


@member
@require_GET
def preview(request: TeamRequest, kind: str) -> HttpResponse:
    """A report as it would be issued, without a number."""
    try:
        about = _about(request, kind, request.GET)
        content = gather(request.membership.team, kind, about)
    except ObjectDoesNotExist:
        raise Http404 from None
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
        return redirect("reports:index")
    context = {"kind": kind, "label": KINDS[kind].title, "content": content, "about": about}
    return render(request, "reports/preview.html", context | {"body": services.body_of(kind, content)})


@technician
@require_POST
def issue(request: TeamRequest, kind: str) -> HttpResponse:
    """Give a report its number, and keep it."""
    try:
        about = _about(request, kind, request.POST)
        report = services.issue(request.membership, request.membership.team, kind, about)
    except ObjectDoesNotExist:
        raise Http404 from None
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
        return redirect("reports:index")
    messages.success(request, f"Report {report.number} is issued.")
    return redirect("reports:report", report.number)


def _found(request: TeamRequest, number: int) -> Report:
    rows = Report.objects.for_team(request.membership.team).select_related("place", "issued_by", "team")
    return get_object_or_404(rows, number=number)


@member
@require_GET
def report(request: TeamRequest, number: int) -> HttpResponse:
    """An issued report, and what of its results changed since."""
    found = _found(request, number)
    context = {"report": found, "changed": changed_since(found), "same": services.would_be(found) == found.body}
    return render(request, "reports/report.html", context)


@member
@require_GET
def pdf(request: TeamRequest, number: int) -> HttpResponse:
    """The paper of a report, as it was issued."""
    found = _found(request, number)
    if found.paper is None:
        services.have_printed(found)
        return one_moment(request, 202, "It is being printed. This page asks again by itself.")
    answer = HttpResponse(bytes(found.paper), content_type="application/pdf")
    answer["Content-Disposition"] = f'inline; filename="kessa-report-{found.number}.pdf"'
    return answer
