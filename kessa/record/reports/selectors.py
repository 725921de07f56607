"""Reads about reports worth a name."""

from collections.abc import Collection
from datetime import datetime
from typing import Any

from kessa.record.people.models import Team
from kessa.record.reports.models import Report
from kessa.record.results.models import Mark

SHOWN = 40


def latest_reports(team: Team | int, before: int | None = None) -> list[Report]:
    """Return a team's reports, the newest first, without their papers; one more than are shown."""
    rows = (
        Report.objects.for_team(team)
        .select_related("place", "issued_by")
        .defer("body", "document", "paper")
        .order_by("-number")
    )
    return list((rows.filter(number__lt=before) if before else rows)[: SHOWN + 1])


def reports_with(team: Team | int, results: Collection[int]) -> list[Report]:
    """Return the reports that hold one of some results, the newest first."""
    rows = Report.objects.for_team(team).filter(results__overlap=list(results)).defer("body", "document", "paper")
    return list(rows.order_by("-number")) if results else []


def issued_with(team: Team | int, results: Any, since: datetime) -> int | None:
    """Return the number of a report issued since then that holds one of many results; None where none does."""
    issued = Report.objects.for_team(team).filter(issued_at__gte=since).values_list("number", "results")
    numbers = {pk: number for number, held in issued for pk in held}
    return numbers.get(results.filter(pk__any=list(numbers)).values_list("pk", flat=True).first())


def changed_since(report: Report) -> Any:
    """Return what of a report's results stands no more, or was marked, since it was issued: the marks."""
    marks = Mark.objects.for_team(report.team_id).filter(result__any=report.results, at__gt=report.issued_at)
    return marks.filter(lifted_at=None).select_related("result__place", "by", "replaced_by").order_by("at")
