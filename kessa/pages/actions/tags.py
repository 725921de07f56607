"""Writing actions: their titles with the amounts in the reader's own measures."""

from typing import Any

from django import template

from kessa.core.treating.amounts import figures
from kessa.record.actions.models import Action
from kessa.record.actions.wording import done_in, title_in

register = template.Library()


def _system(context: Any) -> str:
    """Return the reader's own measures; on paper, which has many readers, metric ones."""
    return context["request"].user.amount_system if "request" in context else "metric"


@register.simple_tag(takes_context=True)
def action_title(context: Any, action: Action) -> str:
    """Write what is to be done, with its amount in the reader's own measures."""
    return title_in(action, _system(context))


@register.filter
def three_figures(number: float) -> str:
    """Write a number from 0 up with three figures."""
    return figures(number)


@register.simple_tag(takes_context=True)
def action_done(context: Any, action: Action) -> str:
    """Write what was done: how much of which product, or in words."""
    return done_in(action, _system(context))
