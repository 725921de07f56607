"""Reads about visits and samples worth a name."""

from datetime import timedelta
from typing import Any

from django.utils import timezone

from kessa.people.models import Team
from kessa.places.models import Place
from kessa.visits.models import Observation, Sample, Visit


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


def observations_of(visit: Visit) -> dict[str, Observation]:
    """Return what counts of a visit's observations, by scale: the last of each, without those taken back."""
    rows = Observation.objects.for_team(visit.team_id).filter(visit=visit, after_close=False)
    newest = rows.select_related("instrument").order_by("key", "-seq", "-at", "-pk").distinct("key")
    return {each.key: each for each in newest if each.value is not None}


def visit_before(visit: Visit) -> Visit | None:
    """Return the visit to the same place before this one on which something was observed."""
    rows = Visit.objects.for_team(visit.team_id).filter(place_id=visit.place_id, started_at__lt=visit.started_at)
    return rows.exclude(observations=None).order_by("-started_at").first()


def shared_taps(visit: Visit) -> list[dict[str, Any]]:
    """Return a visit's observations as the browser knows them."""
    rows = (
        Observation.objects.for_team(visit.team_id).filter(visit=visit, after_close=False).order_by("seq", "at", "id")
    )
    return [
        {
            "id": str(each.id),
            "run": each.key,
            "kind": "observed",
            "seq": each.seq,
            "at": each.at.isoformat(timespec="milliseconds").replace("+00:00", "Z"),
            "data": {"value": each.value, "instrument": each.instrument_id},
        }
        for each in rows.order_by("seq", "at", "id")
    ]
