"""A select for long lists."""

from typing import Any

from django import forms
from django.forms.utils import flatatt
from django.utils.html import escape, format_html
from django.utils.safestring import SafeString, mark_safe


class PlainSelect(forms.Select):
    """A select written in one go: Django's own renders a template for every option, which shows with hundreds."""

    def render(self, name: str, value: Any, attrs: Any = None, renderer: Any = None) -> SafeString:
        """Write the select."""
        chosen = {str(each) for each in (value if isinstance(value, list | tuple) else [value])}
        options = "".join(
            f'<option value="{escape(key)}"{" selected" if str(key) in chosen else ""}>{escape(label)}</option>'
            for key, label in self.choices
        )
        given = self.build_attrs(self.attrs, {"name": name, **(attrs or {})})
        return format_html("<select{}>{}</select>", flatatt(given), mark_safe(options))  # noqa: S308
