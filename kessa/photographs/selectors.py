"""Reads about photographs worth a name."""

from typing import Any

from django.db.models import Q

from kessa.photographs.models import Photograph
from kessa.visits.models import Visit


def photographs_of(visit: Visit) -> Any:
    """Return the photographs of a visit and of its samples."""
    rows = Photograph.objects.for_team(visit.team_id).filter(Q(visit=visit) | Q(sample__visit=visit))
    return rows.select_related("added_by", "sample")
