"""Everything that is written at a place: visits, observations, samples, bottle labels."""

import secrets
from datetime import datetime, timedelta
from decimal import Decimal
from typing import Any
from uuid import UUID

from django.core.exceptions import ValidationError
from django.db import transaction
from django.db.models import F
from django.utils import timezone

from kessa.kits.selectors import faults_at
from kessa.people.models import Team, User
from kessa.places.models import Place
from kessa.visits import notes
from kessa.visits.models import Bottle, Handover, Observation, Sample, Visit
from kessa.visits.taps import Stored, sort_batch

_ONE_STOP = timedelta(hours=3)
_MOST_OBSERVATIONS = 2000


@transaction.atomic
def begin_visit(place: Place, person: User, safety: dict[str, Any], at: datetime | None = None) -> Visit:
    """Begin a visit, or go on with the one this person has open at the place. `safety` is what was confirmed."""
    Place.objects.for_team(place.team_id).select_for_update().get(pk=place.pk)
    mine = Visit.objects.for_team(place.team_id).filter(place=place, leader=person, closed_at=None).first()
    if mine:
        return mine
    begun = Visit.objects.create(
        team=place.team, place=place, started_at=at or timezone.now(), leader=person, safety=safety
    )
    begun.people.add(person)
    return begun


@transaction.atomic
def record_observations(visit: Visit, person: User, taps: list[Any]) -> Stored:
    """Keep a batch of observations. Repeats are harmless, order does not matter, one bad one does not hold up the rest.

    What arrives after the visit was closed is kept, marked, and not on the field sheet.
    """
    visit = _locked(visit)
    late = visit.closed_at is not None
    new, kept, refused = sort_batch(
        taps,
        lambda tap: notes.check(tap, visit),
        lambda ids: dict(Observation.across_teams.filter(id__in=ids).values_list("id", "visit_id")),
        visit.pk,
        _MOST_OBSERVATIONS - visit.observations.count(),
    )
    rows = (
        Observation(
            team_id=visit.team_id,
            visit=visit,
            person=person,
            flags=_instrument_flags(note),
            after_close=late,
            **note._asdict(),
        )
        for note in new
    )
    Observation.across_teams.bulk_create(rows, ignore_conflicts=True)
    return Stored(kept, [str(note.id) for note in new] if late else [], refused)


@transaction.atomic
def draw_sample(
    place: Place,
    drawn_by: User,
    drawn_at: datetime,
    depth_cm: Decimal | None = None,
    water_temperature_c: Decimal | None = None,
    *,
    way: str = "",
    visit: Visit | None = None,
    bottle: Bottle | None = None,
    once: UUID | None = None,
) -> Sample:
    """Note a sample, numbered by its bottle's label or with the team's next number; with the same `once`, one sample.

    It belongs to `visit`, else to one that is going on there or was in the same few hours, or opens one. Raises
    ValidationError where the bottle is full or labelled for another place.
    """
    place = Place.objects.for_team(place.team_id).select_for_update().select_related("team").get(pk=place.pk)
    noted = Sample.objects.for_team(place.team_id).filter(once=once).first() if once else None
    if noted:
        return noted
    if bottle:
        bottle = Bottle.objects.for_team(place.team_id).select_for_update().get(pk=bottle.pk)
        if bottle.sample_id or bottle.place_id != place.pk:
            raise ValidationError("This bottle holds a sample already, or is labelled for another place.")
    visit = visit or _visit_around(place, drawn_at)
    if visit is None:
        visit = Visit.objects.create(team=place.team, place=place, started_at=drawn_at)
    visit.people.add(drawn_by)
    sample = Sample.objects.create(
        team=place.team,
        visit=visit,
        number=bottle.number if bottle else _next_number(place.team),
        once=once,
        way=way,
        drawn_at=drawn_at,
        drawn_by=drawn_by,
        depth_cm=depth_cm,
        water_temperature_c=water_temperature_c,
    )
    if bottle:
        bottle.sample = sample
        bottle.save(update_fields=["sample"])
    return sample


@transaction.atomic
def label_bottle(place: Place) -> Bottle:
    """Keep a sample number for a bottle that will be filled at a place."""
    return Bottle.objects.create(
        team=place.team,
        place=place,
        number=_next_number(place.team),
        code=secrets.token_urlsafe(12),
        printed_at=timezone.now(),
    )


def pause_visit(visit: Visit) -> None:
    """Leave a visit for a while; it stays open."""
    _open(visit)
    visit.paused_at = timezone.now()
    visit.save(update_fields=["paused_at"])


def resume_visit(visit: Visit) -> None:
    """Go on with a visit."""
    _open(visit)
    visit.paused_at = None
    visit.save(update_fields=["paused_at"])


@transaction.atomic
def hand_over(visit: Visit, giver: User, taker: User, remark: str) -> Handover:
    """Hand an open visit to another person, who leads it from now on."""
    visit = _open(_locked(visit))
    if visit.leader_id == taker.pk:
        raise ValidationError(f"{taker} has this visit already.")
    visit.leader = taker
    visit.save(update_fields=["leader"])
    visit.people.add(taker)
    return Handover.objects.create(
        team=visit.team, visit=visit, giver=giver, taker=taker, at=timezone.now(), remark=remark
    )


@transaction.atomic
def close_visit(visit: Visit, person: User, left_out: list[str], remark: str = "", at: datetime | None = None) -> None:
    """Close a visit, with what was left out of it; raises ValidationError where it is closed already."""
    visit = _open(_locked(visit))
    visit.closed_at, visit.closed_by, visit.paused_at = at or timezone.now(), person, None
    visit.left_out, visit.closing_remark = left_out, remark
    visit.save(update_fields=["closed_at", "closed_by", "paused_at", "left_out", "closing_remark"])


def _instrument_flags(note: notes.Note) -> list[str]:
    if note.instrument is None:
        return []
    return faults_at(note.instrument, note.at)


def _visit_around(place: Place, drawn_at: datetime) -> Visit | None:
    rows = Visit.objects.for_team(place.team_id).filter(place=place, closed_at=None)
    led = rows.filter(leader__isnull=False, started_at__lte=drawn_at + _ONE_STOP)
    unled = rows.filter(leader=None, started_at__range=(drawn_at - _ONE_STOP, drawn_at + _ONE_STOP))
    return led.order_by("-started_at").first() or unled.first()


def _locked(visit: Visit) -> Visit:
    rows = Visit.objects.for_team(visit.team_id).select_for_update(of=("self",))
    return rows.select_related("place", "team", "closed_by").get(pk=visit.pk)


def _open(visit: Visit) -> Visit:
    if not visit.is_open:
        when = f" {timezone.localtime(visit.closed_at):%-d %B, %H:%M}" if visit.closed_at else ""
        by = f" by {visit.closed_by}" if visit.closed_by else ""
        raise ValidationError(f"This visit was closed{when}{by}.")
    return visit


def _next_number(team: Team) -> int:
    Team.objects.filter(pk=team.pk).update(next_sample_number=F("next_sample_number") + 1)
    return Team.objects.values_list("next_sample_number", flat=True).get(pk=team.pk) - 1
