"""A month for the regulator: each series of each place with its figures and limits, and what was missed."""

from datetime import date, datetime, timedelta
from typing import Any, NamedTuple

from django import forms
from django.utils import timezone

from kessa.core.job.place_kinds import water_of
from kessa.core.judging.period import Against, Period, against_limits, figures
from kessa.core.judging.statistics import Dated, StatisticValue, statistic_of
from kessa.core.quantities.units import in_words
from kessa.record.people.models import Team
from kessa.record.places.lines import grouped
from kessa.record.places.models import Place
from kessa.record.places.selectors import places
from kessa.record.reports.contents import counting, counting_ahead, moments, reviewed_as
from kessa.record.reports.forms import PlaceReportForm
from kessa.record.reports.kind import Content, ReportKind, add
from kessa.record.results.models import Result, quantity_of
from kessa.record.results.selectors import numbered
from kessa.record.rounds.selectors import missed_ahead, missed_between

_YEAR = timedelta(days=365)
_RUNNING = "running annual average"
_ALIKE = ("parameter", "fraction", "unit", "form")


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


class Section(NamedTuple):
    """A place with its series, and what of its plan was missed, and why."""

    place: Place
    lines: list[Line]
    said_in_words: list[Any]
    set_aside: list[Result]
    missed: list[Any]


def _content(team: Team, about: dict[str, Any]) -> Content:
    first = date.fromisoformat(f"{about['month']}-01")
    last = (first + timedelta(days=31)).replace(day=1) - timedelta(days=1)
    chosen = places(team).get(pk=about["place"]) if about.get("place") else None
    those = [chosen] if chosen else _drinking(team)
    since, until = moments(first, last)
    counting_ahead(those, until - _YEAR, until)
    missed_ahead(those, first, last)
    years = {place.pk: counting(place, until - _YEAR, until) for place in those}
    found = [each for year in years.values() for each in year if each.taken_at >= since]
    judgements = dict(
        Result.objects.for_team(team).filter(pk__any=[each.pk for each in found]).values_list("pk", "judgements")
    )
    ended = Result.objects.for_team(team).filter(place__in=those, taken_at__range=(since, until)).marked("set-aside")
    aside = grouped(ended.prefetch_related("marks__by").order_by("taken_at"), "place_id")
    worded = [each.pk for each in found if in_words(each.unit)]
    whole = {each.id: each for each in numbered(team=team.pk, results=worded)}
    words = grouped((whole[pk] for pk in worded), "place_id")
    sections = [
        Section(
            place,
            _lines(years[place.pk], since, judgements),
            words.get((place.pk,), []),
            aside.get((place.pk,), []),
            missed_between(place, first, last),
        )
        for place in those
    ]
    context = {"sections": sections, "first": first, "last": last}
    where = str(chosen) if chosen else "water that people drink"
    title = f"{where[:1].upper()}{where[1:]}, {first:%B %Y}"
    return Content(title, chosen, reviewed_as(found), judgements.values(), context)


def _drinking(team: Team) -> list[Place]:
    known = places(team).values_list("pk", "kind_key", "feeds")
    return list(places(team).filter(pk__any=[pk for pk, kind, feeds in known if water_of(kind, feeds) == "drinking"]))


def _lines(year: list[Any], since: datetime, judgements: dict[int, Any]) -> list[Line]:
    numbers = [each for each in year if not in_words(each.unit)]
    series = grouped((each for each in numbers if each.taken_at >= since), *_ALIKE)
    past = grouped(numbers, *_ALIKE)
    return [_line(key, results, past[key], judgements) for key, results in sorted(series.items())]


def _line(key: tuple[Any, ...], results: list[Any], year: list[Any], judgements: dict[int, Any]) -> Line:
    against = against_limits([judgements[each.pk] for each in results])
    parameter, fraction, unit, form = key
    period = figures([quantity_of(each) for each in results])
    return Line(parameter, fraction, unit, form, period, against, _running(year))


def _running(year: list[Any]) -> StatisticValue:
    """Return the running annual average of a year's results; no single reading stands in for it there."""
    readings = [Dated(timezone.localtime(each.taken_at), quantity_of(each)) for each in reversed(year)]
    value = statistic_of(_RUNNING).of(readings, True)
    return value._replace(quantity=None) if value.stands_in else value


add(ReportKind("month", "month for the regulator", MonthForm, _content))
