"""How the log is narrowed down; the address holds it all, so that it can be shared."""

from datetime import date, datetime, time, timedelta
from typing import Any

import django_filters
from django import forms
from django.utils import timezone

from kessa.core.judging.judge import VERDICTS
from kessa.log.models import Result
from kessa.methods.selectors import methods_of
from kessa.people.models import Team
from kessa.people.selectors import member_names
from kessa.places.selectors import place_names
from kessa.web.components.select import PlainSelect

_DAY = {"type": "date", "class": "input"}


def _midnight(day: date) -> datetime:
    return timezone.make_aware(datetime.combine(day, time.min))


class LogFilter(django_filters.FilterSet):
    """By place, test, time, verdict and person; what was superseded is left out unless asked for."""

    place = django_filters.ChoiceFilter(choices=[], empty_label="all places", widget=PlainSelect)
    parameter = django_filters.ChoiceFilter(label="Test", choices=[], empty_label="all tests", widget=PlainSelect)
    from_day = django_filters.DateFilter(label="From", method="since", widget=forms.DateInput(attrs=_DAY))
    to_day = django_filters.DateFilter(label="To", method="until", widget=forms.DateInput(attrs=_DAY))
    verdict = django_filters.ChoiceFilter(
        choices=[(verdict, verdict) for verdict in VERDICTS], empty_label="any verdict", widget=PlainSelect
    )
    person = django_filters.ChoiceFilter(choices=[], empty_label="anyone", widget=PlainSelect)
    superseded = django_filters.BooleanFilter(
        label="With what stands no more", method="with_superseded", widget=forms.CheckboxInput
    )

    class Meta:
        model = Result
        fields: list[str] = []

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.places = place_names(team=team.pk)
        # Given as functions, they are not copied with the form.
        self.filters["place"].extra["choices"] = lambda: self.places
        known = {parameter for method in methods_of(team.pk).values() for parameter in method.parameters}
        self.filters["parameter"].extra["choices"] = lambda: [(each, each) for each in sorted(known, key=str.lower)]
        self.people = [(person.pk, str(person)) for person in member_names(team=team.pk)]
        self.filters["person"].extra["choices"] = lambda: self.people

    # Days become moments in the team's zone before the query, so that the index by time serves it.
    def since(self, results: Any, name: str, day: date) -> Any:
        """Leave out what was drawn before the day."""
        return results.filter(taken_at__gte=_midnight(day))

    def until(self, results: Any, name: str, day: date) -> Any:
        """Leave out what was drawn after the day."""
        return results if day == date.max else results.filter(taken_at__lt=_midnight(day + timedelta(days=1)))

    def with_superseded(self, results: Any, name: str, wanted: bool) -> Any:
        """Leave out what was superseded or set aside unless it is wanted."""
        return results if wanted else results.standing()
