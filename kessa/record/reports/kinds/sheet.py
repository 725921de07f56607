"""The sheet of a visit: all that was found at a place on one day."""

from typing import Any
from uuid import UUID

from django import forms
from django.utils import timezone

from kessa.record.advice.advising import in_plain_words
from kessa.record.people.models import Team
from kessa.record.reports.contents import results_by
from kessa.record.reports.forms import ReportForm
from kessa.record.reports.kind import Content, ReportKind, add
from kessa.record.rounds.field_sheet import field_sheet
from kessa.record.visits.models import Visit


class VisitForm(ReportForm):
    """A visit of the team's."""

    visit = forms.UUIDField()


def _content(team: Team, about: dict[str, Any]) -> Content:
    visit = Visit.objects.for_team(team).select_related("place__team", "leader", "closed_by", "team").get(
        pk=UUID(about["visit"])
    )  # fmt: skip
    results = list(results_by(team.pk, visit=visit).prefetch_related("marks"))
    context = {"visit": visit, "sheet": field_sheet(visit), "people": visit.people.order_by("first_name", "username")}
    context |= in_plain_words(visit.place, results)
    at = timezone.localtime(visit.started_at)
    title = f"{visit.place}, visit of {at.day} {at:%B %Y}"
    return Content.of_whole(title, visit.place, results, context)


add(ReportKind("sheet", "sheet of a visit", VisitForm, _content))
