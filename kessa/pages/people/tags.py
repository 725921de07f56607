"""Asking in a template who may what, by the same rules as the acts, and saying what people did and where."""

from typing import Any

from django import template

from kessa.record.people.acts import ACTS
from kessa.record.people.models import WATERS
from kessa.record.people.selectors import acts_on as acts_on_rows

register = template.Library()
_LINE = 80
# Browsers name those that they are like, too: the telling mark comes first.
_BROWSERS = (("Firefox/", "Firefox"), ("Edg/", "Edge"), ("Chrome/", "Chrome"), ("Safari/", "Safari"))
_DEVICES = (
    ("iPhone", "an iPhone"),
    ("iPad", "an iPad"),
    ("Android", "Android"),
    ("Windows", "Windows"),
    ("Mac OS", "a Mac"),
    ("Linux", "Linux"),
)


@register.filter
def may(membership: Any, act: str) -> bool:
    """Whether a member's role may do an act at all, such as "kits.keep_kit"."""
    return ACTS[act].rule.of(membership.role) is not False


@register.simple_tag(takes_context=True)
def may_with(context: Any, act: str, row: Any) -> bool:
    """Whether the reader may do an act with a row."""
    return ACTS[act].rule(context["request"].membership, row)


@register.inclusion_tag("people/acts_on.html")
def acts_on(row: Any) -> dict[str, Any]:
    """Show what was done to a row or several, newest first: who, when, and what became of what."""
    return {"acts": acts_on_rows(row if isinstance(row, list) else [row])}


@register.filter
def field_words(name: str) -> str:
    """Say the name of a field in words."""
    return name.removesuffix("_id").replace("_", " ")


@register.filter
def said_short(value: Any) -> str:
    """Say what a field held, within a line."""
    if value in (None, "", [], {}):
        return "nothing"
    if isinstance(value, bool):
        return "yes" if value else "no"
    words = str(value)
    return words if len(words) <= _LINE else f"{words[:_LINE]}…"


@register.filter
def water_words(water: str) -> str:
    """Say which water."""
    return dict(WATERS).get(water, water)


@register.filter
def browser(user_agent: str) -> str:
    """Say what browser on what device signed in, as far as it says so itself."""
    name = next((words for mark, words in _BROWSERS if mark in user_agent), "A browser")
    device = next((words for mark, words in _DEVICES if mark in user_agent), "a device of another kind")
    return f"{name} on {device}"
