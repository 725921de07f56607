"""Everything that is written at a place."""

from datetime import datetime, timedelta
from decimal import Decimal

from django.db import transaction

from kessa.people.models import User
from kessa.places.models import Place
from kessa.visits.models import Sample, Visit

_ONE_STOP = timedelta(hours=3)


@transaction.atomic
def draw_sample(
    place: Place,
    drawn_by: User,
    drawn_at: datetime,
    depth_cm: Decimal | None = None,
    water_temperature_c: Decimal | None = None,
) -> Sample:
    """Note a sample; it belongs to the visit of the same few hours, or opens one."""
    Place.objects.for_team(place.team).select_for_update().get(pk=place.pk)
    around = (drawn_at - _ONE_STOP, drawn_at + _ONE_STOP)
    visit = Visit.objects.for_team(place.team).filter(place=place, started_at__range=around).first()
    if visit is None:
        visit = Visit.objects.create(team=place.team, place=place, started_at=drawn_at)
    visit.people.add(drawn_by)
    return Sample.objects.create(
        team=place.team,
        visit=visit,
        drawn_at=drawn_at,
        drawn_by=drawn_by,
        depth_cm=depth_cm,
        water_temperature_c=water_temperature_c,
    )
