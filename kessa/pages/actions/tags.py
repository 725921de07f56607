"""Writing actions: their titles with the amounts in the reader's own measures."""

from typing import Any

from django import template
from django.utils.html import format_html
from django.utils.safestring import SafeString

from kessa.core.treating.amounts import MEASURES, Kept, figures, measure_for, written
from kessa.record.actions.models import Action
from kessa.record.actions.wording import done_in, in_measures, title_in

register = template.Library()


def _system(context: Any) -> str:
    """Return the reader's own measures; on paper, which has many readers, metric ones."""
    return context["request"].user.amount_system if "request" in context else "metric"


@register.simple_tag(takes_context=True)
def action_title(context: Any, action: Action) -> str:
    """Write what is to be done, with its amount in the reader's own measures."""
    return title_in(action, _system(context))


@register.simple_tag(takes_context=True)
def litres(context: Any, amount: float) -> SafeString:
    """Write how much water it is, in the reader's own measures."""
    measure = MEASURES[measure_for(amount, "L", _system(context))]
    return format_html('<b class="num">{}</b> {}', figures(amount / measure.size), measure.sign)


@register.simple_tag(takes_context=True)
def amount_of(context: Any, amount: float, kept: Kept) -> str:
    """Write an amount in the reader's own measures."""
    return written(amount, kept, _system(context))


@register.simple_tag(takes_context=True)
def said(context: Any, text: str) -> str:
    """Write a sentence or a sum with its quantities in the reader's own measures beside them."""
    return in_measures(text, _system(context))


@register.simple_tag(takes_context=True)
def action_done(context: Any, action: Action) -> str:
    """Write what was done: how much of which product, or in words."""
    return done_in(action, _system(context))
