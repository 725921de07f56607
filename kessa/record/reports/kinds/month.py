"""A month for the regulator: each series of each place with its figures and limits, and what was missed."""

from datetime import date, datetime, timedelta
from typing import Any, NamedTuple

from django import forms
from django.utils import timezone

from kessa.core.judging.period import Against, Period, against_limits, figures
from kessa.core.judging.statistics import Dated, StatisticValue, statistic_of
from kessa.core.quantities.units import in_words
from kessa.record.people.models import Team
from kessa.record.places.lines import grouped
from kessa.record.places.models import Place
from kessa.record.places.selectors import places
from kessa.record.reports.forms import PlaceReportForm
from kessa.record.reports.kind import Content, ReportKind, add
from kessa.record.reports.selectors import counting, moments
from kessa.record.results.models import Result
from kessa.record.rounds.selectors import missed_between

_YEAR = timedelta(days=365)
_RUNNING = "running annual average"


class MonthForm(PlaceReportForm):
    """A month of a place, or of all water that people drink."""

    place = forms.ModelChoiceField(None, empty_label="all water that people drink", required=False)
    month = forms.RegexField(
        r"^20\d\d-(0[1-9]|1[0-2])$", widget=forms.TextInput(attrs={"type": "month", "class": "input"}),
        error_messages={"invalid": "A month as 2026-03."},
    )  # fmt: skip

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        last = timezone.localdate().replace(day=1) - timedelta(days=1)
        self.fields["month"].initial = f"{last:%Y-%m}"


class Line(NamedTuple):
    """One series of a place over a stretch of time: its figures, its limits, its running average."""

    parameter: str
    fraction: str
    unit: str
    form: str
    period: Period
    against: list[Against]
    running: StatisticValue
    results: list[Result]


class Section(NamedTuple):
    """A place with its series, and what of its plan was missed, and why."""

    place: Place
    lines: list[Line]
    said_in_words: list[Result]
    set_aside: list[Result]
    missed: list[Any]


def _content(team: Team, about: dict[str, Any]) -> Content:
    first = date.fromisoformat(f"{about['month']}-01")
    last = (first + timedelta(days=31)).replace(day=1) - timedelta(days=1)
    chosen = places(team).get(pk=about["place"]) if about.get("place") else None
    those = [chosen] if chosen else [each for each in places(team) if each.water == "drinking"]
    sections = [_section(place, first, last) for place in those]
    results = [each for section in sections for line in section.lines for each in line.results]
    results += [each for section in sections for each in section.said_in_words]
    context = {"sections": sections, "first": first, "last": last}
    where = str(chosen) if chosen else "water that people drink"
    return Content(f"{where[:1].upper()}{where[1:]}, {first:%B %Y}", chosen, results, context)


def _section(place: Place, first: date, last: date) -> Section:
    since, until = moments(first, last)
    found = list(counting(place, since, until))
    numbers = [each for each in found if not in_words(each.unit)]
    series = grouped(numbers, "parameter", "fraction", "unit", "form")
    lines = [_line(place, key, results, until) for key, results in sorted(series.items())]
    every = Result.objects.for_team(place.team_id).filter(place=place, taken_at__range=(since, until))
    ended = every.marked("set-aside").prefetch_related("marks__by").order_by("taken_at")
    words = [each for each in found if in_words(each.unit)]
    return Section(place, lines, words, list(ended), missed_between(place, first, last))


def _line(place: Place, key: tuple[Any, ...], results: list[Result], until: datetime) -> Line:
    quantities = [each.quantity for each in results]
    judgements = against_limits([each.judgements for each in results])
    parameter, fraction, unit, form = key
    running = _running(place, results[-1], until)
    return Line(parameter, fraction, unit, form, figures(quantities), judgements, running, results)


def _running(place: Place, last: Result, until: datetime) -> StatisticValue:
    """Return the running annual average up to the end of a time; no single reading stands in for it there."""
    alike = {name: getattr(last, name) for name in ("parameter", "fraction", "unit", "form")}
    year = Result.objects.for_team(place.team_id).current().filter(place=place, **alike)
    year = year.filter(taken_at__gt=until - _YEAR, taken_at__lte=until).newest_first()
    readings = [Dated(timezone.localtime(each.taken_at), each.quantity) for each in year]
    value = statistic_of(_RUNNING).of(readings, True)
    return value._replace(quantity=None) if value.stands_in else value


add(ReportKind("month", "month for the regulator", MonthForm, _content))
