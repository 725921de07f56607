"""How the widgets of forms are written."""

from collections.abc import Mapping
from typing import Any

from django.forms.renderers import DjangoTemplates
from django.forms.utils import flatatt
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

_OF_WIDGETS = "django/forms/widgets/"
_INPUTS = frozenset(
    f"{_OF_WIDGETS}{name}.html"
    for name in ("input", "text", "hidden", "number", "date", "time", "email", "password", "checkbox")
)


class Renderer(DjangoTemplates):
    """Writes inputs and selects in one go: by Django's templates each is several, a select one an option."""

    def render(self, template_name: str, context: dict[str, Any], request: Any = None) -> str:
        """Write a widget."""
        if template_name in _INPUTS:
            return _input(context["widget"])
        if template_name == f"{_OF_WIDGETS}select.html":
            return _select(context["widget"])
        return super().render(template_name, context, request)


def _input(widget: Mapping[str, Any]) -> SafeString:
    value = None if widget["value"] is None else str(widget["value"])
    given = flatatt({"value": value}) + flatatt(widget["attrs"])
    return format_html('<input type="{}" name="{}"{}>', widget["type"], widget["name"], given)


def _select(widget: Mapping[str, Any]) -> SafeString:
    groups = (
        (format_html('<optgroup label="{}">{}</optgroup>', name, _options(options)) if name else _options(options),)
        for name, options, _ in widget["optgroups"]
    )
    options = format_html_join("", "{}", groups)
    return format_html('<select name="{}"{}>{}</select>', widget["name"], flatatt(widget["attrs"]), options)


def _options(options: list[dict[str, Any]]) -> SafeString:
    written = ((str(each["value"]), flatatt(each["attrs"]), each["label"]) for each in options)
    return format_html_join("", '<option value="{}"{}>{}</option>', written)
