"""Writing what is known of a place."""

from typing import Any

from django import template
from django.utils.html import format_html

from kessa.core.job.place_kinds import Fact, measure_of
from kessa.core.quantities.quantity import plain

register = template.Library()


@register.simple_tag(takes_context=True)
def fact_known(context: Any, fact: Fact, value: Any) -> Any:
    """Write a fact of a place, a number in the reader's own measures."""
    if fact.least is None:
        return value
    measure = measure_of(fact.unit, context["request"].user.amount_system)
    unit = f" {measure.unit}" if measure.unit else ""
    return format_html('<span class="num">{}</span>{}', plain(measure.written(value)), unit)
