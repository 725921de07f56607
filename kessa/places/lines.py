"""What is drawn behind a line of results: limits as they held, and what was usual, season by season."""

from collections.abc import Sequence
from datetime import date, datetime, timedelta
from typing import Any

from django.utils import timezone

from kessa.core.judging.limits import speaking_of
from kessa.core.judging.usual import season_of, usual_by_season
from kessa.places.models import Place
from kessa.places.selectors import chosen_sets
from kessa.web.components.trend import Band, Line


def limits_over(place: Place, parameter: str, unit: str, form: str, results: Sequence[Any]) -> list[Line]:
    """Return the limits by which the results were judged, each over its own time; those that hold now go on."""
    held: dict[tuple[str, float], list[datetime]] = {}
    for result in results:
        for judgement in result.judgements:
            if (judgement["unit"], judgement["as"] or "") != (unit, form) or judgement.get("than"):
                continue
            for bound in (judgement["min"], judgement["max"]):
                if bound is not None and not judgement.get("rests_on"):
                    name = f"{judgement['set_title']}, {judgement['statistic']}: {bound:g}"
                    held.setdefault((name, bound), []).append(result.taken_at)
    now = {
        f"{found.title}, {limit.statistic}: {bound:g}"
        for found, limit in speaking_of(parameter, chosen_sets(place))
        for bound in (limit.min, limit.max)
        if bound is not None
    }
    return [Line(bound, name, min(times), None if name in now else max(times)) for (name, bound), times in held.items()]


def usual_over(dated: list[tuple[date, float]], first: datetime, last: datetime) -> list[Band]:
    """Return what is usual season by season, where there is enough; else over all the time."""
    bands, at = [], first
    while at < last:
        day = timezone.localdate(at)
        ends = min(_next_season(at), last)
        usual = usual_by_season(dated, day)
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
