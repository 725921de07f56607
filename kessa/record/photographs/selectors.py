"""Reads about photographs worth a name."""

from typing import Any

from django.db.models import Q

from kessa.record.compiled import compiled
from kessa.record.photographs.models import Photograph
from kessa.record.places.models import Place
from kessa.record.visits.models import Visit

_SHOWN, _LAST = 24, 2**63 - 1


def photographs_of(visit: Visit) -> Any:
    """Return the photographs of a visit and of its samples."""
    rows = Photograph.objects.for_team(visit.team_id).filter(Q(visit=visit) | Q(sample__visit=visit))
    return rows.select_related("added_by", "sample")


def photographs_at(place: Place, before: str = "") -> tuple[list[Photograph], int | None]:
    """Return a place's latest photographs, those added before that number; and the number before which others are."""
    number = int(before) if before.isdecimal() and len(before) < 19 else _LAST
    found = _at(team=place.team_id, place=place.pk, before=number)
    return found[:_SHOWN], found[_SHOWN - 1].pk if len(found) > _SHOWN else None


@compiled
def _at(team: int, place: int, before: int) -> Any:
    rows = Photograph.objects.for_team(team).filter(place=place, pk__lt=before)
    return rows.select_related("added_by", "sample").order_by("-pk")[: _SHOWN + 1]


@compiled
def photographs_of_test(team: int, test: Any) -> Any:
    """Return the photographs of a test."""
    return Photograph.objects.for_team(team).filter(determination=test).select_related("added_by", "sample")
