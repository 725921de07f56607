"""One check of a method, and what it bears on."""

import uuid

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from kessa.pages.results.corrections import with_reason
from kessa.record.people.access import TeamRequest, member
from kessa.record.quality import may, services
from kessa.record.quality.models import QualityCheck
from kessa.record.results.models import Result


@member
@require_GET
def check(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """What a blank, standard or spike came to."""
    rows = QualityCheck.objects.for_team(request.membership.team)
    related = ("determination__sample__visit", "determination__instrument", "person", "sent_by", "withdrawn_by", "kit")
    found = get_object_or_404(rows.select_related(*related), determination=pk)
    marked = Result.objects.for_team(found.team_id).filter(marks__quality_check=found, marks__lifted_at=None)
    context = {
        "check": found,
        "determination": found.determination,
        "marked": marked.select_related("place").newest_first().distinct()[:40],
        "may_withdraw": may.withdraw_check(request.membership, found),
    }
    return render(request, "quality/check.html", context)


@member
@require_POST
def withdraw_check(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Withdraw a blank, standard or spike that was none after all."""
    rows = QualityCheck.objects.for_team(request.membership.team)
    found = get_object_or_404(rows.select_related("determination"), determination=pk)
    done = with_reason(request, lambda why: services.withdraw_check(request.membership, found, why=why))
    if done:
        messages.success(request, "The check is withdrawn, and its marks are lifted.")
    return redirect("quality:check", pk)
