"""The rows of Today, written in one go: there may be dozens."""

from collections.abc import Iterable, Mapping
from html import escape
from typing import Any

from django.urls import reverse
from django.utils import timezone
from django.utils.safestring import SafeString, mark_safe

from kessa.pages.base.tags import measured_in, occasion_words, since, verdict
from kessa.record.people.display import display_for
from kessa.record.people.models import User
from kessa.record.rounds.selectors import Call, Due


def why(call: Call) -> SafeString:
    """Say by which rounds and occasions a place is due, and how late it is."""
    words = (f"{escape(str(due.round))}{_after(due)}{_late(due)}" for due in call.dues)
    return mark_safe("; ".join(words))  # noqa: S308 # each is escaped


def call_rows(calls: Iterable[Call]) -> SafeString:
    """Write where to go, and why."""
    place_at, begin_at = (reverse(name, args=[0]).removesuffix("0/") for name in ("places:place", "visits:begin"))
    rows = []
    for call in calls:
        name, begin = escape(str(call.place)), f"{begin_at}{call.place.pk}/"
        rows.append(
            f'<li><div><a href="{place_at}{call.place.pk}/"><b>{name}</b></a><br>'
            f'<span class="soft">{why(call)}</span></div>'
            f'<div class="inline"><a class="button" href="{begin}" aria-label="Start the visit: {name}">Start</a> '
            f'<a href="{begin}#not-going" aria-label="Not going to {name}">Not going</a></div></li>'
        )
    return mark_safe("".join(rows))  # noqa: S308 # it is escaped above


def waiting_rows(
    begun: list[Any], follow_ups: list[Any], steps: Mapping[int, str], places: dict[int, str], reader: User
) -> SafeString:
    """Write the tests that were begun and not closed, and the results that wait for a repeat or a follow-up.

    `steps` says of each result what comes first.
    """
    result_at = reverse("results:result", args=[0]).removesuffix("0/")
    rows = [
        f'<li><a href="{reverse("bench:determination", args=[test.pk])}"><b>{escape(str(test.subject))}</b></a>'
        f'<span class="soft">{escape(test.test_name or test.method_key)} begun {since(test.started_at)} ago, not closed'
        "</span></li>"
        for test in begun
    ]
    for result in follow_ups:
        shown = display_for(result.unit, result.form, result.parameter, reader)
        rows.append(
            f'<li><a href="{result_at}{result.pk}/"><b>{escape(places[result.place_id])}</b></a> '
            f'{verdict(result.verdict)}<span class="soft">{escape(result.parameter)} {measured_in(shown, result)}, '
            f"{_day(timezone.localtime(result.taken_at))}. {escape(steps.get(result.pk, ''))}</span></li>"
        )
    return mark_safe("".join(rows))  # noqa: S308 # it is escaped above


def _day(day: Any) -> str:
    return f"{day.day} {day:%B}"


def _after(due: Due) -> str:
    if due.occasion is None:
        return ""
    return f", {escape(occasion_words(due.occasion.kind))} on {_day(due.occasion.happened_on)}"


def _late(due: Due) -> str:
    if not due.late_days:
        return ", due now" if due.occasion else ", due today"
    return f', <b class="late">{due.late_days} day{"" if due.late_days == 1 else "s"} late</b>'
