"""Reads about visits and samples worth a name."""

from datetime import timedelta
from typing import Any

from django.utils import timezone

from kessa.places.models import Place
from kessa.visits.models import Sample


def recent_samples(place: Place) -> Any:
    """Return the samples of the past day, newest first: on these one may still test."""
    return (
        Sample.objects.for_team(place.team)
        .filter(visit__place=place, drawn_at__gte=timezone.now() - timedelta(days=1))
        .select_related("drawn_by")
        .order_by("-drawn_at")
    )
