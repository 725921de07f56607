"""Choosing a place."""

from collections.abc import Iterator
from typing import Any

from django import forms
from django.forms.models import ModelChoiceIterator

from kessa.web.components.select import PlainSelect


class _ByName(ModelChoiceIterator):  # type: ignore[type-arg]
    """Offers numbers and names, without the places behind them: there may be hundreds."""

    def __iter__(self) -> Iterator[Any]:
        if self.field.empty_label is not None:
            yield "", self.field.empty_label
        yield from self.queryset.values_list("pk", "name")


class PlaceField(forms.ModelChoiceField):  # type: ignore[type-arg]
    """A place of the team's, chosen by its name."""

    iterator = _ByName
    widget = PlainSelect
