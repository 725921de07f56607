"""Writing figures in reports."""

from collections import Counter, defaultdict
from typing import Any

from django import template

from kessa.core.judging.period import PERCENTILES, Period
from kessa.core.quantities.quantity import Quantity, deserved
from kessa.record.reports.selectors import reports_with
from kessa.record.rounds.selectors import Missed

register = template.Library()


@register.filter
def figure(quantity: Quantity) -> str:
    """Write a quantity with the digits that its interval deserves."""
    return f"{quantity.censor or ''}{deserved(quantity.value, quantity.low, quantity.high)(quantity.value)}"


@register.filter
def percentiles(period: Period) -> list[Quantity | None]:
    """Return the percentiles of a time, None for those of which there were too few results."""
    return [period.percentiles.get(percent) for percent in PERCENTILES]


@register.filter
def of_verdict(counted: Counter[str], verdict: str) -> int:
    """Return how many had a verdict."""
    return counted[verdict]


@register.filter
def by_reason(missed: list[Missed]) -> list[tuple[Missed, list[Missed]]]:
    """Return what was missed, a round and a reason at a time, with its days."""
    by: dict[tuple[int, str], list[Missed]] = defaultdict(list)
    for each in missed:
        by[each.round.pk, each.reason].append(each)
    return [(days[0], days) for days in by.values()]


@register.simple_tag
def standing_in(result: Any) -> list[Any]:
    """Return the issued reports that hold a result."""
    return reports_with(result.team_id, [result.pk])
