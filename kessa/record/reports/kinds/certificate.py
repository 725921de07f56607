"""The certificate of a sample: what was found out about it, and how."""

from collections.abc import Sequence
from typing import Any
from uuid import UUID

from django import forms
from django.core.exceptions import ValidationError

from kessa.record.advice.advising import in_plain_words
from kessa.record.people.models import Team
from kessa.record.reports.contents import results_by
from kessa.record.reports.forms import ReportForm
from kessa.record.reports.kind import Content, ReportKind, add
from kessa.record.results.models import Result
from kessa.record.visits.models import Sample


class SampleForm(ReportForm):
    """A sample of the team's."""

    sample = forms.UUIDField()


def _content(team: Team, about: dict[str, Any]) -> Content:
    rows = Sample.objects.for_team(team).select_related("visit__place", "drawn_by")
    sample = rows.get(pk=UUID(about["sample"]))
    tested = results_by(team.pk, determination__sample=sample).prefetch_related("marks")
    derived = results_by(team.pk, sample=sample).prefetch_related("marks")
    results = [*tested, *derived]
    if not results:
        raise ValidationError("Nothing was found out about this sample yet.")
    context = {"sample": sample, "methods": _methods_of(results)}
    context |= in_plain_words(sample.place, results)
    title = f"Sample {sample.number}, {sample.place}"
    return Content.of_whole(title, sample.place, results, context)


def _methods_of(results: Sequence[Result]) -> list[Any]:
    tests = {each.determination_id: each.determination for each in results if each.determination}
    return [test.method for test in tests.values()]


add(ReportKind("certificate", "certificate of a sample", SampleForm, _content))
