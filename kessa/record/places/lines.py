"""A line of results: what it does over time, in sentences, and what is drawn behind it: limits and what is usual."""

from collections.abc import Iterable, Sequence
from datetime import date, datetime, timedelta
from typing import Any, NamedTuple

from django.utils import timezone

from kessa.core.judging.limits import speaking_of
from kessa.core.judging.trend import Below
from kessa.core.judging.trend_words import against_last_year, trend_sentence
from kessa.core.judging.usual import season_of, usual_of_seasons
from kessa.core.quantities.units import sign
from kessa.drawings.trend import Band, Chart, Line, trend
from kessa.record.places.models import Place
from kessa.record.places.selectors import chosen_sets

Dated = list[tuple[date, float]]


class Judged(NamedTuple):
    """What results were judged by that were judged alike, and over which time they were."""

    judgements: list[Any]
    first: datetime
    last: datetime


def grouped(results: Iterable[Any], *names: str) -> dict[tuple[Any, ...], list[Any]]:
    """Put results together that are alike in what these columns hold, each group in the order of the results."""
    found: dict[tuple[Any, ...], list[Any]] = {}
    for each in results:
        found.setdefault(tuple(getattr(each, name) for name in names), []).append(each)
    return found


def dated(newest: Sequence[Any]) -> Dated:
    """Return the days and values of results."""
    zone = timezone.get_current_timezone()
    return [(each.taken_at.astimezone(zone).date(), each.value) for each in newest]


def unit_of(result: Any) -> str:
    """Return the unit of a result with its form, as it is written behind a number."""
    return f"{sign(result.unit)}{f' as {result.form}' if result.form else ''}".strip()


def sentences_over(newest: Sequence[Any], days: Dated, today: date) -> list[str]:
    """Say what a series does over time, and how its last twelve months stand against those before, the newest first.

    `days` are its days and values, as `dated` gives them.
    """
    measured = [
        (day, Below(value) if each.censor == "<" else value)
        for (day, value), each in zip(days, newest, strict=True)
        if each.censor != ">"
    ]
    return [each for each in (trend_sentence(measured, unit_of(newest[0])), against_last_year(days, today)) if each]


def drawn_over(place: Place, newest: Sequence[Any], known: dict[int, Any], width: int) -> Chart:
    """Lay out a series of a place, the newest first, over its own time, before limits and what is usual.

    `known` are its judgements by `limits_key`.
    """
    last, first = newest[0], newest[-1].taken_at
    judged = judged_alike(newest, known)
    limits = limits_over(place, last.parameter, last.unit, last.form, judged)
    usual = usual_over(dated(newest), first, last.taken_at)
    return trend(newest, [], limits, usual, width=width, span=(first, last.taken_at))


def judged_alike(newest: Sequence[Any], known: dict[int, Any]) -> list[Judged]:
    """Return by what results were judged, the newest first, and when; `known` are judgements by `limits_key`."""
    last = {each.limits_key: each.taken_at for each in reversed(newest)}
    first = {each.limits_key: each.taken_at for each in newest}
    return [Judged(known[key], at, last[key]) for key, at in first.items()]


def limits_over(place: Place, parameter: str, unit: str, form: str, judged: Sequence[Judged]) -> list[Line]:
    """Return the limits by which the results were judged, each over its own time; those that hold now go on."""
    held: dict[tuple[str, float], list[datetime]] = {}
    for each in judged:
        for judgement in each.judgements:
            if (judgement["unit"], judgement["as"] or "") != (unit, form) or judgement.get("than"):
                continue
            for bound in (judgement["min"], judgement["max"]):
                if bound is not None and not judgement.get("rests_on"):
                    name = f"{judgement['set_title']}, {judgement['statistic']}: {bound:g}"
                    held.setdefault((name, bound), []).extend((each.first, each.last))
    now = {
        f"{found.title}, {limit.statistic}: {bound:g}"
        for found, limit in speaking_of(parameter, chosen_sets(place), place.kind_key, place.feeds)
        for bound in (limit.min, limit.max)
        if bound is not None
    }
    return [Line(bound, name, min(times), None if name in now else max(times)) for (name, bound), times in held.items()]


def usual_over(days: Dated, first: datetime, last: datetime) -> list[Band]:
    """Return what is usual season by season, where there is enough; else over all the time."""
    bands, at, of_seasons = [], first, usual_of_seasons(days)
    while at < last:
        day = timezone.localdate(at)
        ends = min(_next_season(at), last)
        usual = of_seasons[season_of(day)]
        if usual:
            bands.append(Band(usual.low, usual.high, at, ends))
        at = ends
    return bands


def _next_season(at: datetime) -> datetime:
    local = timezone.localtime(at)
    season, moved = season_of(local.date()), local.replace(day=1, hour=0, minute=0, second=0, microsecond=0)
    while season_of(moved.date()) == season:
        moved = (moved + timedelta(days=32)).replace(day=1)
    return moved
