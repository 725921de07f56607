"""A select that is written quickly."""

from functools import lru_cache
from typing import Any

from django import forms
from django.forms.utils import flatatt
from django.utils.html import escape, format_html
from django.utils.safestring import SafeString, mark_safe


class PlainSelect(forms.Select):
    """A select of hundreds: Django's own makes a widget of every option for each page, here what was written stands."""

    def render(self, name: str, value: Any, attrs: Any = None, renderer: Any = None) -> SafeString:
        """Write the select."""
        chosen = {str(each) for each in (value if isinstance(value, list | tuple) else [value])}
        options = _options(tuple((str(key), str(label)) for key, label in self.choices), frozenset(chosen))
        given = self.build_attrs(self.attrs, {"name": name, **(attrs or {})})
        return format_html("<select{}>{}</select>", flatatt(given), options)


@lru_cache(maxsize=200)
def _options(offered: tuple[tuple[str, str], ...], chosen: frozenset[str]) -> SafeString:
    """Write the options; the same are written once, until something about them is another."""
    written = (
        f'<option value="{escape(key)}"{" selected" if key in chosen else ""}>{escape(label)}</option>'
        for key, label in offered
    )
    return mark_safe("".join(written))  # noqa: S308 # each is escaped
