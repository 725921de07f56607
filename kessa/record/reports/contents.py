"""What each kind of report holds, gathered from the record: the same from the same record, whenever it is made."""

from collections import Counter
from collections.abc import Callable, Sequence
from datetime import date, datetime, time, timedelta
from typing import Any, NamedTuple
from uuid import UUID

from django.core.exceptions import ValidationError
from django.utils import timezone

from kessa.core.job.meaning import meaning_of
from kessa.core.judging.period import Against, Period, against_limits, figures
from kessa.core.judging.statistics import Dated, StatisticValue, statistic_of
from kessa.core.quantities.units import in_words
from kessa.record.actions.models import Action, State
from kessa.record.advice.advising import in_plain_words
from kessa.record.people.models import Team
from kessa.record.places.lines import drawn_over, grouped, sentences_over, unit_of
from kessa.record.places.models import Place
from kessa.record.places.selectors import chosen_sets, places
from kessa.record.reports.models import Kind
from kessa.record.reports.selectors import results_by
from kessa.record.results.history import waits_for_review
from kessa.record.results.models import Result
from kessa.record.rounds.field_sheet import field_sheet
from kessa.record.rounds.selectors import missed_between
from kessa.record.visits.models import SETTLED, Sample, Visit

_YEAR = timedelta(days=365)
# As wide as the paper has room for, in units of a drawing.
_WIDTH = 640
_RUNNING = "running annual average"


class Content(NamedTuple):
    """A report before it has a number: its title, where, which results it holds, and what its page is told."""

    title: str
    place: Place | None
    results: list[Result]
    told: dict[str, Any]

    @property
    def stated(self) -> list[tuple[str, int]]:
        """In which states of review its results are, and how many of each."""
        counted = Counter(result.visit.get_review_display() for result in self.results)
        return sorted(counted.items())

    @property
    def judged_by(self) -> list[str]:
        """The sets by which its results were judged, with their versions."""
        sets = {(each["set_title"], each["set_version"]) for result in self.results for each in result.judgements}
        return [f"{title}, version {version}" for title, version in sorted(sets)]


def gather(team: Team, kind: str, about: dict[str, Any]) -> Content:
    """Return what a report holds; raises ValidationError where what it is about is not there."""
    try:
        return _KINDS[kind](team, about)
    except (KeyError, ValueError, TypeError) as fault:
        raise ValidationError("There is nothing to report on here.") from fault


# ---- a visit, a sample ----------------------------------------------------------------------------------------------


def _of_visit(team: Team, about: dict[str, Any]) -> Content:
    visit = Visit.objects.for_team(team).select_related("place__team", "leader", "closed_by", "team").get(
        pk=UUID(about["visit"])
    )  # fmt: skip
    results = list(results_by(team.pk, visit=visit).prefetch_related("marks"))
    told = {"visit": visit, "sheet": field_sheet(visit), "people": visit.people.order_by("first_name", "username")}
    told |= in_plain_words(visit.place, results)
    at = timezone.localtime(visit.started_at)
    return Content(f"{visit.place}, visit of {at.day} {at:%B %Y}", visit.place, results, told)


def _of_sample(team: Team, about: dict[str, Any]) -> Content:
    rows = Sample.objects.for_team(team).select_related("visit__place", "drawn_by")
    sample = rows.get(pk=UUID(about["sample"]))
    tested = results_by(team.pk, determination__sample=sample).prefetch_related("marks")
    derived = results_by(team.pk, sample=sample).prefetch_related("marks")
    results = [*tested, *derived]
    if not results:
        raise ValidationError("Nothing was found out about this sample yet.")
    told = {"sample": sample, "methods": _methods_of(results), **in_plain_words(sample.place, results)}
    return Content(f"Sample {sample.number}, {sample.place}", sample.place, results, told)


def _methods_of(results: Sequence[Result]) -> list[Any]:
    tests = {each.determination_id: each.determination for each in results if each.determination}
    return [test.method for test in tests.values()]


# ---- a month --------------------------------------------------------------------------------------------------------


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


def _of_month(team: Team, about: dict[str, Any]) -> Content:
    first = date.fromisoformat(f"{about['month']}-01")
    last = (first + timedelta(days=31)).replace(day=1) - timedelta(days=1)
    chosen = places(team).get(pk=about["place"]) if about.get("place") else None
    those = [chosen] if chosen else [each for each in places(team) if each.water == "drinking"]
    sections = [_section(place, first, last) for place in those]
    results = [each for section in sections for line in section.lines for each in line.results]
    results += [each for section in sections for each in section.said_in_words]
    told = {"sections": sections, "first": first, "last": last}
    where = str(chosen) if chosen else "water that people drink"
    return Content(f"{where[:1].upper()}{where[1:]}, {first:%B %Y}", chosen, results, told)


def _section(place: Place, first: date, last: date) -> Section:
    since, until = _moments(first, last)
    found = list(_counting(place, since, until))
    numbers = [each for each in found if not in_words(each.unit)]
    series = grouped(numbers, "parameter", "fraction", "unit", "form")
    lines = [_line(place, key, results, until) for key, results in sorted(series.items())]
    every = Result.objects.for_team(place.team_id).filter(place=place, taken_at__range=(since, until))
    ended = every.marked("set-aside").prefetch_related("marks__by").order_by("taken_at")
    words = [each for each in found if in_words(each.unit)]
    return Section(place, lines, words, list(ended), missed_between(place, first, last))


def _counting(place: Place, since: datetime, until: datetime) -> Any:
    """Return a place's results of a time that count by the team's school."""
    rows = results_by(place.team_id, place=place, taken_at__range=(since, until)).prefetch_related("marks")
    return rows.filter(visit__review__in=SETTLED) if waits_for_review(place.team_id) else rows


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
    told = statistic_of(_RUNNING).of(readings, True)
    return told._replace(quantity=None) if told.stands_in else told


def _moments(first: date, last: date) -> tuple[datetime, datetime]:
    return (
        timezone.make_aware(datetime.combine(first, time.min)),
        timezone.make_aware(datetime.combine(last, time.max)),
    )


# ---- a system -------------------------------------------------------------------------------------------------------


class Band(NamedTuple):
    """The last result of a series, and how those of the time stood."""

    last: Result
    number: int
    verdicts: Counter[str]


class Used(NamedTuple):
    """A product with how much of it went in."""

    name: str
    amount: float
    kept: str
    times: int


def _of_plant(team: Team, about: dict[str, Any]) -> Content:
    place = places(team).get(pk=about["place"])
    first, last = date.fromisoformat(about["since"]), date.fromisoformat(about["until"])
    if last < first or not place.kind.is_plant:
        raise ValueError(about)
    since, until = _moments(first, last)
    results = list(_counting(place, since, until))
    bands = grouped(results, "parameter", "fraction", "method_class")
    acted = Action.objects.for_team(team).filter(place=place, ended_at__range=(since, until))
    acted = acted.filter(state__in=[State.DONE, State.DECLINED]).order_by("ended_at")
    done = list(acted.select_related("done_product", "ended_by", "followed_by"))
    told = {
        "place": place,
        "first": first,
        "last": last,
        "bands": [Band(each[-1], len(each), Counter(one.verdict for one in each)) for _, each in sorted(bands.items())],
        "done": done,
        "open": Action.objects.for_team(team).open().filter(place=place).gravest_first(),
        "used": _used(done),
        "missed": missed_between(place, first, last),
    }
    return Content(f"{place}, {_span(first, last)}", place, results, told)


def _used(done: Sequence[Action]) -> list[Used]:
    amounts: dict[tuple[str, str], list[float]] = {}
    for each in done:
        if each.state == State.DONE and each.done_product and each.done_amount:
            amounts.setdefault((str(each.done_product), each.done_product.kept), []).append(each.done_amount)
    return [Used(name, sum(each), kept, len(each)) for (name, kept), each in sorted(amounts.items())]


def _span(first: date, last: date) -> str:
    return f"{first.day} {first:%B %Y} to {last.day} {last:%B %Y}"


# ---- a year ---------------------------------------------------------------------------------------------------------


class Story(NamedTuple):
    """One thing that was tested over a year, told to who is not of the job."""

    parameter: str
    unit: str
    line: Any
    sentences: list[str]
    meaning: tuple[str, ...]
    period: Period
    outside: int
    results: list[Result]


def _of_year(team: Team, about: dict[str, Any]) -> Content:
    place, year = places(team).get(pk=about["place"]), int(about["year"])
    since, until = _moments(date(year, 1, 1), date(year, 12, 31))
    found = [each for each in _counting(place, since, until) if not in_words(each.unit)]
    series = grouped(found, "parameter", "unit", "form", "fraction")
    stories = sorted((_story(place, results) for results in series.values()), key=lambda each: -len(each.results))
    told = {"place": place, "year": year, "stories": stories, "sets": chosen_sets(place)}
    return Content(f"{place} in {year}", place, found, told)


def _story(place: Place, results: list[Result]) -> Story:
    last, newest = results[-1], results[::-1]
    words = f"{last.parameter} over the year; the numbers are in the table"
    return Story(
        last.parameter,
        unit_of(last),
        drawn_over(place, newest, _WIDTH).svg(words),
        sentences_over(newest, timezone.localdate(last.taken_at)),
        meaning_of(last.parameter, place.water),
        figures([each.quantity for each in results]),
        sum(each.verdict == "outside" for each in results),
        results,
    )


_KINDS: dict[str, Callable[[Team, dict[str, Any]], Content]] = {
    Kind.SHEET: _of_visit,
    Kind.CERTIFICATE: _of_sample,
    Kind.MONTH: _of_month,
    Kind.PLANT: _of_plant,
    Kind.YEAR: _of_year,
}
