"""How the log is narrowed down; the address holds it all, so that it can be shared."""

from datetime import date, datetime, time, timedelta
from typing import Any

import django_filters
from django import forms
from django.db.models import Q
from django.utils import timezone

from kessa.core.derived.recipes import RECIPES
from kessa.core.job.place_kinds import place_kinds
from kessa.core.job.supplies import supply_name
from kessa.core.judging.judge import VERDICTS
from kessa.core.runs.flags import FLAGS, words
from kessa.record.determinations.models import Determination
from kessa.record.instruments.selectors import instrument_names
from kessa.record.kits.selectors import lot_numbers
from kessa.record.methods.selectors import methods_of
from kessa.record.people.models import Team
from kessa.record.people.selectors import member_names
from kessa.record.places.selectors import place_names
from kessa.record.results.models import Mark, Result
from kessa.record.visits.models import Review, Visit

_FEW = 3000
_DAY = {"type": "date", "class": "input"}


def _midnight(day: date) -> datetime:
    return timezone.make_aware(datetime.combine(day, time.min))


def _narrowed(results: Any, column: str, numbers: Any, condition: Any) -> Any:
    """Leave those whose column is among these numbers where they are few, for such may all lie at the end of the log.

    Where there are more, leave those for which the condition holds: the log is walked through.
    """
    few = list(numbers.order_by()[: _FEW + 1])
    return results.filter(**{f"{column}__any": few}) if len(few) <= _FEW else results.filter(condition)


class LogFilter(django_filters.FilterSet):
    """By place, test, time, verdict and person, and by what it was tested with; what stands no more is left out."""

    place = django_filters.ChoiceFilter(choices=[], empty_label="all places")
    parameter = django_filters.ChoiceFilter(label="Test", choices=[], empty_label="all tests")
    from_day = django_filters.DateFilter(label="From", method="since", widget=forms.DateInput(attrs=_DAY))
    to_day = django_filters.DateFilter(label="To", method="until", widget=forms.DateInput(attrs=_DAY))
    verdict = django_filters.ChoiceFilter(
        choices=[(verdict, verdict) for verdict in VERDICTS],
        empty_label="any verdict",
    )
    person = django_filters.ChoiceFilter(choices=[], empty_label="anyone")
    flag = django_filters.ChoiceFilter(
        label="Flag",
        choices=[(key, words(key)) for key in FLAGS],
        method="marked",
        empty_label="any flag or none",
    )
    kind = django_filters.ChoiceFilter(
        label="Kind of place",
        field_name="place_kind",
        choices=lambda: [(kind.key, kind.name) for kind in place_kinds().values()],
        empty_label="any kind",
    )
    method = django_filters.ChoiceFilter(
        label="Method",
        field_name="method_key",
        choices=[],
        empty_label="any method",
    )
    lot = django_filters.ChoiceFilter(
        label="Lot",
        method="of_lot",
        choices=[],
        empty_label="any lot",
    )
    instrument = django_filters.ChoiceFilter(
        label="Instrument",
        choices=[],
        empty_label="any instrument",
    )
    review = django_filters.ChoiceFilter(
        choices=Review.choices,
        method="reviewed",
        empty_label="any state",
    )
    superseded = django_filters.BooleanFilter(
        label="With what stands no more", method="with_superseded", widget=forms.CheckboxInput
    )

    # What stands beneath "More".
    MORE = ("person", "flag", "kind", "method", "lot", "instrument", "review", "superseded")

    class Meta:
        model = Result
        fields: list[str] = []

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.team = team.pk
        self.places = place_names(team=team.pk)
        # Given as functions, they are not copied with the form.
        self.filters["place"].extra["choices"] = lambda: self.places
        methods = methods_of(team.pk).values()
        known = {parameter for method in methods for parameter in method.parameters} | {
            each.parameter for each in RECIPES
        }
        self.filters["parameter"].extra["choices"] = lambda: [(each, each) for each in sorted(known, key=str.lower)]
        self.people = [(person.pk, str(person)) for person in member_names(team=team.pk)]
        self.filters["person"].extra["choices"] = lambda: self.people
        named = sorted((method.name, method.key) for method in methods)
        self.filters["method"].extra["choices"] = lambda: [(key, name) for name, key in named]
        # Asked for where they are shown, which is seldom.
        self.filters["lot"].extra["choices"] = lambda: [
            (pk, f"{supply_name(key)}, {number}") for pk, key, number in lot_numbers(team=team.pk)
        ]
        self.filters["instrument"].extra["choices"] = lambda: [
            (pk, f"{name} {serial}".strip()) for pk, name, serial in instrument_names(team=team.pk)
        ]

    def marked(self, results: Any, name: str, flag: str) -> Any:
        """Leave those that carry a flag."""
        marks = Mark.objects.for_team(self.team).filter(flag=flag, lifted_at=None)
        return _narrowed(results, "pk", marks.values_list("result", flat=True), Mark.on_result((flag,)))

    def of_lot(self, results: Any, name: str, lot: str) -> Any:
        """Leave those that were found with a lot."""
        tests = Determination.objects.for_team(self.team).filter(lots__lot=lot)
        return _narrowed(results, "determination", tests.values_list("pk", flat=True), Q(determination__lots__lot=lot))

    def reviewed(self, results: Any, name: str, state: str) -> Any:
        """Leave those of visits that are in a state of review."""
        visits = Visit.objects.for_team(self.team).filter(review=state)
        return _narrowed(results, "visit", visits.values_list("pk", flat=True), Q(visit__review=state))

    # Days become moments in the team's zone before the query, so that the index by time serves it.
    def since(self, results: Any, name: str, day: date) -> Any:
        """Leave out what was drawn before the day."""
        return results.filter(taken_at__gte=_midnight(day))

    def until(self, results: Any, name: str, day: date) -> Any:
        """Leave out what was drawn after the day."""
        return results if day == date.max else results.filter(taken_at__lt=_midnight(day + timedelta(days=1)))

    def with_superseded(self, results: Any, name: str, wanted: bool) -> Any:
        """Leave out what was superseded or set aside unless it is wanted."""
        return results if wanted else results.current()
