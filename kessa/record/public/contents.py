"""What everybody may see of a place: released numbers, what they mean, when next. No people, nothing unreleased."""

import re
from collections.abc import Iterable, Sequence
from datetime import date, datetime, timedelta
from typing import Any, NamedTuple

from django.utils import timezone

from kessa.core.advising.wording import plain_answer
from kessa.core.job.meaning import meaning_of
from kessa.core.planning.rhythm import coming
from kessa.core.quantities.units import in_words
from kessa.core.runs.flags import doubtful
from kessa.drawings.trend import NARROW, WIDE
from kessa.record.advice.advising import COLUMNS, advised, still_held, where_of
from kessa.record.people.models import Team
from kessa.record.places.lines import dated, drawn_over, grouped, sentences_over
from kessa.record.places.models import Place
from kessa.record.public.models import Page
from kessa.record.results.history import Series, series_at
from kessa.record.results.models import Result
from kessa.record.results.selectors import Row, limits_of, rows_with_flags
from kessa.record.rounds.models import Stop
from kessa.record.rules.selectors import house_rules
from kessa.record.visits.models import Review

_YEARS, _MOST_RESULTS, _MOST_TESTS = timedelta(days=5 * 366), 3000, 8
_WHOLE = ("taken_at", "method_class", "verdict", *COLUMNS)
_OF_SERIES = (
    "pk", "taken_at", "method_class", "verdict", "parameter", "fraction", "value", "low", "high", "censor", "unit",
    "form", "limits_key",
)  # fmt: skip
# How sure a trend is, in figures: for who is of the job.
_PROOF = re.compile(r" \(p = [^)]*\)|; not chance \(p = [^)]*\)")
# A line is drawn from so many on.
_ENOUGH = 3


class Tested(NamedTuple):
    """One thing that is tested at a place: the last result, in the team's own words, and the line over the years.

    `doubts` are the flags that make it doubtful.
    """

    last: Any
    doubts: list[str]
    words: str
    sentences: list[str]
    meaning: tuple[str, ...]
    lines: list[Any]
    number: int
    since: datetime


class Contents(NamedTuple):
    """What everybody may see of a place; `newer`: whether a sample was drawn since that is not released."""

    place: Place
    water: str
    stands: str
    plain: list[str]
    tested: list[Tested]
    next_on: date | None
    newer: bool


def contents_of(place: Place) -> Contents:
    """Return what everybody may see of a place: standing results that were released, and no others."""
    every = Result.objects.for_team(place.team_id).current().filter(place=place)
    rows = every.filter(visit__review=Review.RELEASED, taken_at__gte=timezone.now() - _YEARS)
    found = _of_each(rows.values_list("pk", "taken_at", *Series._fields, named=True), series_at(place), 1)
    # Of several ways to test one thing the newest counts, with its own line.
    newest: dict[tuple[str, str], Any] = {}
    for each in found:
        newest.setdefault((each.parameter, each.fraction), each)
    numbers = [each.pk for each in newest.values()]
    lasts = rows_with_flags(place.team_id, _whole(place, numbers))
    held = still_held(place, lasts)
    released = set(rows.filter(pk__any=[row.result.id for row in held]).values_list("pk", flat=True)) if held else ()
    advice = advised(place, [*lasts, *(row for row in held if row.result.id in released)])
    urgent = {each.reading.key: n for n, each in enumerate(advice.assessments)}
    chosen = sorted(newest.values(), key=lambda each: urgent.get(each.pk, len(urgent)))[:_MOST_TESTS]
    lines = _of_each(rows.values_list(*_OF_SERIES, named=True), [_series(each) for each in chosen], _MOST_RESULTS)
    known = limits_of(place.team_id, lines)
    of_series = grouped(lines, *Series._fields)
    last = {row.result.id: row for row in lasts}
    tested = [_tested(place, last[each.pk], of_series[_series(each)], known) for each in chosen]
    # Who reads the last that was released as how it is today would be misled.
    later = every.exclude(visit__review=Review.RELEASED)
    newer = later.filter(taken_at__gt=found[0].taken_at if found else timezone.now() - _YEARS).exists()
    plain = plain_answer(advice, where_of(place))
    return Contents(place, place.water, advice.verdict, plain, tested, _next_on(place), newer)


def _of_each(rows: Any, series: Iterable[Series], most: int) -> list[Any]:
    """Return the newest of some rows of each series, the newest of all first."""
    asked = [rows.filter(**each._asdict()).newest_first()[:most] for each in series]
    found = asked[0].union(*asked[1:], all=True) if asked else ()
    return sorted(found, key=lambda row: (row.taken_at, row.pk), reverse=True)


def _series(row: Any) -> Series:
    return Series(*(getattr(row, name) for name in Series._fields))


def _whole(place: Place, numbers: list[int]) -> list[Any]:
    """Return results with what advice takes of them, in the order of their numbers."""
    rows = Result.objects.for_team(place.team_id).filter(pk__any=numbers).values_list(*_WHOLE, named=True)
    return sorted(rows, key=lambda row: numbers.index(row.id))


def _tested(place: Place, row: Row, newest: Sequence[Any], known: dict[int, Any]) -> Tested:
    last, enough = row.result, len(newest) >= _ENOUGH and not in_words(newest[0].unit)
    trend = sentences_over(newest, dated(newest), timezone.localdate(last.taken_at)) if enough else []
    words = f"{last.parameter} since {newest[-1].taken_at:%Y}, {len(newest)} results"
    return Tested(
        last,
        doubtful(row.flags),
        house_rules(place.team_id).said_to_the_public(last.verdict) if last.verdict else "",
        [_PROOF.sub("", each) for each in trend],
        meaning_of(last.parameter, place.water),
        [drawn_over(place, newest, known, width).svg(words) for width in (WIDE, NARROW)] if enough else [],
        len(newest),
        newest[-1].taken_at,
    )


def _next_on(place: Place) -> date | None:
    """Return the next day on which a round falls due there."""
    stops = Stop.objects.for_team(place.team_id).filter(place=place, round__retired_at=None).select_related("round")
    yesterday = timezone.localdate() - timedelta(days=1)
    days = [day for stop in stops if stop.round.rhythm for day in coming(stop.round.rhythm, yesterday, 1)]
    return min(days, default=None)


def page_of(slug: str) -> Page | None:
    """Return the open page of an address: the address alone says whose it is."""
    return Page.across_teams.filter(slug=slug, closed_at=None).select_related("place__team", "team").first()


def open_pages(team: Team | int) -> Any:
    """Return the places a team has opened, by name."""
    rows = Page.objects.for_team(team).filter(closed_at=None, place__isnull=False)
    return rows.select_related("place", "team").order_by("place__name")
