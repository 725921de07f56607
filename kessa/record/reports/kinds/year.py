"""A year of a water, told to those who are not of the job."""

from datetime import date
from typing import Any, NamedTuple

from django import forms
from django.utils import timezone

from kessa.core.job.meaning import meaning_of
from kessa.core.job.place_kinds import PlaceKind
from kessa.core.judging.period import Period, figures
from kessa.core.quantities.units import in_words
from kessa.record.people.models import Team
from kessa.record.places.lines import dated, drawn_over, grouped, sentences_over, unit_of
from kessa.record.places.models import Place
from kessa.record.places.selectors import chosen_sets, places
from kessa.record.reports.contents import counting, moments, reviewed_as
from kessa.record.reports.forms import PlaceReportForm
from kessa.record.reports.kind import Content, ReportKind, add
from kessa.record.results.models import quantity_of
from kessa.record.results.selectors import limits_of

# As wide as the paper has room for, in units of a drawing.
_WIDTH = 640


class YearForm(PlaceReportForm):
    """A year of a water."""

    year = forms.IntegerField(min_value=2000, max_value=2099)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["year"].initial = timezone.localdate().year

    def fits(self, kind: PlaceKind) -> bool:
        """Not of systems."""
        return not kind.is_plant


class Story(NamedTuple):
    """One thing that was tested over a year, told to who is not of the job."""

    parameter: str
    unit: str
    line: Any
    sentences: list[str]
    meaning: tuple[str, ...]
    period: Period
    outside: int


def _content(team: Team, about: dict[str, Any]) -> Content:
    place, year = places(team).get(pk=about["place"]), int(about["year"])
    since, until = moments(date(year, 1, 1), date(year, 12, 31))
    found = [each for each in counting(place, since, until) if not in_words(each.unit)]
    limits = limits_of(team.pk, found)
    series = grouped(found, "parameter", "unit", "form", "fraction")
    stories = sorted(
        (_story(place, results, limits) for results in series.values()), key=lambda each: -each.period.number
    )
    context = {"place": place, "year": year, "stories": stories, "sets": chosen_sets(place)}
    return Content(f"{place} in {year}", place, reviewed_as(found), limits.values(), context)


def _story(place: Place, results: list[Any], limits: dict[int, Any]) -> Story:
    last, newest = results[-1], results[::-1]
    words = f"{last.parameter} over the year; the numbers are in the table"
    return Story(
        last.parameter,
        unit_of(last),
        drawn_over(place, newest, limits, _WIDTH).svg(words),
        sentences_over(newest, dated(newest), timezone.localdate(last.taken_at)),
        meaning_of(last.parameter, place.water),
        figures([quantity_of(each) for each in results]),
        sum(each.verdict == "outside" for each in results),
    )


add(ReportKind("year", "year of a water", YearForm, _content))
