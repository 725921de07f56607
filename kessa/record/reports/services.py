"""Issuing reports: each with a number of its own, kept as it was given out."""

from contextlib import suppress
from typing import Any

from django.core.exceptions import ValidationError
from django.db import transaction
from django.template.loader import render_to_string
from django.utils import timezone
from procrastinate.exceptions import AlreadyEnqueued

from kessa.record.people.acts import act
from kessa.record.people.models import Membership, Team
from kessa.record.people.numbers import take_numbers
from kessa.record.reports import may
from kessa.record.reports.kind import KINDS, Content, gather
from kessa.record.reports.models import Report
from kessa.record.reports.tasks import print_paper


@act("report issued", may.issue)
def issue(by: Membership, team: Team, kind: str, about: dict[str, Any]) -> Report:
    """Issue a report: it gets the team's next number, and stays as it is now whatever becomes of its results.

    The worker prints it.

    Raises ValidationError where there is nothing to report on.
    """
    content = gather(team, kind, about)
    if not content.results:
        raise ValidationError("No result stands here: there is nothing to report.")
    number = take_numbers(team.pk, "next_report_number")
    report = Report(
        team=team, number=number, kind=kind, title=content.title[:200], about=about, place=content.place,
        issued_by=by.user, issued_at=timezone.now(), results=sorted(content.results),
        body=body_of(kind, content),
    )  # fmt: skip
    report.document = document_of(report, content)
    report.save()
    have_printed(report)
    return report


def have_printed(report: Report) -> None:
    """Have the worker print a report, where it does not have it to do already."""
    with suppress(AlreadyEnqueued), transaction.atomic():
        to = print_paper.configure(lock=f"print {report.team_id}", queueing_lock=f"print {report.pk}")
        to.defer(report=report.pk)


def body_of(kind: str, content: Content) -> str:
    """Return what a report says, as HTML: the same from the same record."""
    return render_to_string(KINDS[kind].template, {"content": content, **content.context})


def document_of(report: Report, content: Content) -> str:
    """Return the whole paper as HTML: what it says, with its number, day, state and the rules it rests on."""
    return render_to_string("reports/document.html", {"report": report, "content": content, "body": report.body})


def would_be(report: Report) -> str:
    """Return what a report would say if it were made of today's record; nothing where it could not be made."""
    try:
        return body_of(report.kind, gather(report.team, report.kind, report.about))
    except ValidationError:
        return ""
