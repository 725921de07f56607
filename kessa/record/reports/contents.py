"""What reports are made of: the results they hold, and what is said of all of them."""

from collections.abc import Iterable
from datetime import date, datetime, time
from typing import Any

from django.utils import timezone

from kessa.record.compiled import compiled
from kessa.record.places.models import Place
from kessa.record.results.history import counting_in
from kessa.record.results.models import Result

# What a report over time takes of each of its results.
_COUNTED = (
    "pk", "taken_at", "time_known", "parameter", "fraction", "unit", "form", "value", "low", "high", "censor",
    "verdict", "method_class", "limits_key", "visit__review",
)  # fmt: skip


def results_by(team: int, **of: Any) -> Any:
    """Return a team's standing results of something, in order of time, with all that is printed of them."""
    rows = Result.objects.for_team(team).current().filter(**of).order_by("taken_at", "parameter", "pk")
    of_test = ("determination__sample", "determination__instrument")
    return rows.select_related("place", "person", "visit", "sample", *of_test)


def counting(place: Place, since: datetime, until: datetime) -> list[Any]:
    """Return a place's results of a time that count by the team's school, in order of time; plain values."""
    return _counted(**_counted_at(place, since, until))


def counting_ahead(places: Iterable[Place], since: datetime, until: datetime) -> None:
    """Read what counting returns for several places, in one statement."""
    _counted.ahead(_counted_at(place, since, until) for place in places)


def _counted_at(place: Place, since: datetime, until: datetime) -> dict[str, Any]:
    return {"team": place.team_id, "place": place.pk, "since": since, "until": until, **counting_in(place.team_id)}


@compiled
def _counted(team: int, place: int, since: datetime, until: datetime, **of: Any) -> Any:
    rows = Result.objects.for_team(team).current().filter(place=place, taken_at__gte=since, taken_at__lte=until, **of)
    return rows.order_by("taken_at", "parameter", "pk").values_list(*_COUNTED, named=True)


def reviewed_as(results: Iterable[Any]) -> dict[int, str]:
    """Return results by number, each with the state of its review."""
    return {each.pk: each.visit__review for each in results}


def moments(first: date, last: date) -> tuple[datetime, datetime]:
    """Return the first and the last moment of the days of a report."""
    return (
        timezone.make_aware(datetime.combine(first, time.min)),
        timezone.make_aware(datetime.combine(last, time.max)),
    )
