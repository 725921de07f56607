"""Writing actions: their titles with the amounts in the reader's own measures."""

from typing import Any

from django import template

from kessa.actions.models import Action
from kessa.core.treating.amounts import figures, written

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


def title_in(action: Action, system: str) -> str:
    """Write what is to be done, with its amount in the measures of a system."""
    if action.amount is None:
        return action.title
    # A product is rounded down, so that nothing written goes above its label.
    down = action.product_id is not None
    said = written(action.amount, action.kept, system, down=down)  # type: ignore[arg-type]
    portion = written(action.amount / action.portions, action.kept, system, down=down)  # type: ignore[arg-type]
    return action.title.replace("{amount}", said).replace("{portion}", portion)


@register.simple_tag(takes_context=True)
def action_done(context: Any, action: Action) -> str:
    """Write what was done: how much of which product, or in words."""
    return done_in(action, _system(context))


_DONE = {
    "bleed": "bled", "drain": "drained", "flush": "flushed", "dose": "dosed", "lower": "dosed", "clean": "cleaned",
    "disinfect": "disinfected", "regenerate": "softener regenerated", "sheet": "list closed",
}  # fmt: skip


def done_in(action: Action, system: str) -> str:
    """Write what was done in few words, with its amount in the measures of a system."""
    verb = _DONE.get(action.by_way)
    if action.done_amount is None:
        return verb or title_in(action, system)
    amount = written(action.done_amount, action.kept, system)  # type: ignore[arg-type]
    what = f" of {action.done_product}" if action.done_product_id else ""
    return f"{verb or action.title} {amount}{what}".strip()
