"""How the log is narrowed down; the address holds it all, so that it can be shared."""

from datetime import date, datetime, time, timedelta
from functools import cache
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
from kessa.record.different import different
from kessa.record.instruments.selectors import instrument_names
from kessa.record.kits.models import Lot
from kessa.record.kits.selectors import lot_numbers
from kessa.record.methods.selectors import methods_of, out_of_use
from kessa.record.people.models import Team
from kessa.record.people.selectors import member_names, names_of
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
        label="Review",
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
        self.people = [(person.pk, str(person)) for person in member_names(team=team.pk)]
        # What else the log holds: found with what the team has no more, by people who left it, or taken in. Asked for
        # where they are shown or chosen from, which is seldom for all but the first, and once.
        held = {"parameter": self._parameters, "person": self._people, "method": self._methods, "lot": self._lots}
        for name, choices in held.items():
            self.filters[name].extra["choices"] = cache(choices)
        self.filters["instrument"].extra["choices"] = lambda: [
            (pk, f"{name} {serial}".strip()) for pk, name, serial in instrument_names(team=team.pk)
        ]

    def _held(self, column: str) -> list[Any]:
        return [value for (value,) in different(Result, "team", self.team, column)]

    def _parameters(self) -> list[tuple[str, str]]:
        found = {each for method in methods_of(self.team).values() for each in method.parameters}
        found |= {each.parameter for each in RECIPES} | set(self._held("parameter"))
        return [(each, each) for each in sorted(found, key=str.lower)]

    def _people(self) -> list[tuple[int, str]]:
        members = dict(self.people)
        left = names_of([person for person in self._held("person") if person not in members])
        return [*self.people, *((pk, f"{name}, no longer in the team") for pk, name in left.items())]

    def _methods(self) -> list[tuple[str, str]]:
        names = {key: method.name for key, method in methods_of(self.team).items()}
        for key in filter(None, self._held("method_key")):
            if key not in names:
                method = out_of_use(self.team, key)
                names[key] = f"{method.name if method else key}, no longer in use"
        return sorted(names.items(), key=lambda each: each[1])

    def _lots(self) -> list[tuple[int, str]]:
        """Return the latest lots, and the one that is asked for whenever it came in."""
        rows = lot_numbers(team=self.team)
        asked = str((self.data or {}).get("lot") or "")
        if asked.isdecimal() and len(asked) < 19 and int(asked) not in (row[0] for row in rows):
            lots = Lot.objects.for_team(self.team).filter(pk=asked)
            rows += lots.values_list("pk", "supply_key", "number")
        return [(pk, f"{supply_name(key)}, {number}") for pk, key, number in rows]

    def filter_queryset(self, queryset: Any) -> Any:
        """Narrow the log; nothing fits what cannot be asked for: all of it would pass for the answer."""
        return queryset.none() if self.errors else super().filter_queryset(queryset)

    @property
    def refusal(self) -> str:
        """What cannot be asked for, in sentences; nothing where all can."""
        said = []
        for name in self.errors:
            field, asked = self.form[name], str(self.data.get(name))[:40]
            is_day = isinstance(field.field, forms.DateField)
            said.append(f"{field.label}: “{asked}” is {'no date' if is_day else 'not in the log'}.")
        return " ".join(said)

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
