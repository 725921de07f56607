"""Choosing a place."""

from collections.abc import Iterator
from typing import Any

from django import forms
from django.forms.models import ModelChoiceIterator

from kessa.pages.base.select import PlainSelect
from kessa.record.places.selectors import place_names, places


class _ByName(ModelChoiceIterator):  # type: ignore[type-arg]
    """Offers numbers and names, without the places behind them: there may be hundreds."""

    def __iter__(self) -> Iterator[Any]:
        if self.field.empty_label is not None:
            yield "", self.field.empty_label
        field: Any = self.field
        yield from field.names


class PlaceField(forms.ModelChoiceField):  # type: ignore[type-arg]
    """A place of the team's, chosen by its name."""

    iterator = _ByName
    widget = PlainSelect

    def choose_from(self, team: int, *, but: int | None = None) -> None:
        """Offer a team's places, all but one."""
        self.queryset = places(team).exclude(pk=but)
        self.names = [each for each in place_names(team=team) if each[0] != but]
