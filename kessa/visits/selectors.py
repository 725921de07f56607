"""Reads about visits and samples worth a name."""

from datetime import timedelta
from typing import Any, NamedTuple

from django.db.models import Exists, OuterRef
from django.utils import timezone

from kessa.core.job.circumstances import scales_for
from kessa.core.judging.usual import UsualRange, usual_range
from kessa.people.models import Team
from kessa.places.models import Place
from kessa.taps.selectors import as_sent, counted
from kessa.visits.models import Observation, Sample, Visit


class Reading(NamedTuple):
    """One observation as a trend draws it."""

    taken_at: Any
    value: float
    low: float
    high: float | None
    flags: list[str]


def recent_samples(place: Place) -> Any:
    """Return the samples of the past day, newest first: on these one may still test."""
    return (
        Sample.objects.for_team(place.team)
        .filter(visit__place=place, drawn_at__gte=timezone.now() - timedelta(days=1))
        .select_related("drawn_by")
        .order_by("-drawn_at")
    )


def open_visits(team: Team) -> list[Visit]:
    """Return the visits begun and not closed, newest first."""
    rows = Visit.objects.for_team(team).filter(closed_at=None, leader__isnull=False)
    return list(rows.select_related("place", "leader").order_by("-started_at")[:50])


def open_visit_at(place: Place) -> Visit | None:
    """Return the visit that is going on at a place, the newest where there are two."""
    rows = Visit.objects.for_team(place.team_id).filter(place=place, closed_at=None, leader__isnull=False)
    return rows.order_by("-started_at").first()


def observations_of(visit: Visit) -> dict[str, Observation]:
    """Return what counts of a visit's observations, by scale: the last of each, without those taken back."""
    rows = Observation.objects.for_team(visit.team_id).filter(visit=visit, value__isnull=False)
    return {each.key: each for each in rows.select_related("instrument", "person")}


def visit_before(visit: Visit) -> Visit | None:
    """Return the visit to the same place before this one on which something was observed."""
    return _observed_at(visit.place).filter(started_at__lt=visit.started_at).first()


def noted_taps(visit: Visit) -> list[dict[str, Any]]:
    """Return what was noted on a visit, as the browser knows it."""
    return as_sent([tap for tap in counted(visit.team_id, visit.pk) if tap.kind == "observed"])


def seen_lately(place: Place, most: int = 6) -> list[tuple[Visit, dict[str, Observation]]]:
    """Return a place's last visits on which something was observed, newest first, with what counts of it."""
    visits = list(_observed_at(place)[:most])
    seen: dict[Any, dict[str, Observation]] = {visit.pk: {} for visit in visits}
    for each in _counting(place, visits):
        seen[each.visit_id][each.key] = each
    return [(visit, seen[visit.pk]) for visit in visits]


def series(place: Place, key: str, most: int = 84) -> list[Reading]:
    """Return what was observed on one scale on a place's last visits, newest first, one reading a visit."""
    visits = list(_observed_at(place)[:most])
    of_visit = {each.visit_id: each for each in _counting(place, visits, key=key)}
    found = [of_visit[visit.pk] for visit in visits if visit.pk in of_visit]
    return [Reading(each.at, each.value or 0.0, each.value or 0.0, each.value, each.flags) for each in found]


def usual_seen(place: Place, most: int = 84) -> dict[str, UsualRange]:
    """Return what is usual at a place on each scale that is a number, from its last visits."""
    keys = [scale.key for scale in scales_for(place.kind_key) if scale.unit]
    noted = _counting(place, list(_observed_at(place)[:most]), key__in=keys)
    usual = {key: usual_range([each.value or 0.0 for each in noted if each.key == key]) for key in keys}
    return {key: found for key, found in usual.items() if found}


def _counting(place: Place, visits: list[Visit], **narrowed: Any) -> list[Observation]:
    """Return what counts on each scale of each visit."""
    rows = Observation.objects.for_team(place.team_id).filter(visit__in=visits, value__isnull=False, **narrowed)
    return list(rows.order_by("seq", "at", "pk"))


def _observed_at(place: Place) -> Any:
    noted = Observation.objects.for_team(place.team_id).filter(visit=OuterRef("pk"), value__isnull=False)
    rows = Visit.objects.for_team(place.team_id).filter(Exists(noted), place=place)
    return rows.order_by("-started_at")
