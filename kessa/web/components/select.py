"""A select for long lists."""

from typing import Any

from django import forms
from django.forms.utils import flatatt
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString


class PlainSelect(forms.Select):
    """A select written in one go: Django's own renders a template for every option, which shows with hundreds."""

    def render(self, name: str, value: Any, attrs: Any = None, renderer: Any = None) -> SafeString:
        """Write the select."""
        widget = self.get_context(name, value, attrs)["widget"]
        options = format_html_join(
            "",
            "<option{}>{}</option>",
            (
                (flatatt({"value": str(option["value"]), "selected": bool(option["selected"])}), option["label"])
                for _, group, _ in widget["optgroups"]
                for option in group
            ),
        )
        return format_html("<select{}>{}</select>", flatatt({"name": name, **widget["attrs"]}), options)
