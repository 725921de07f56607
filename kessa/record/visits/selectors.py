"""Reads about visits and samples worth a name."""

import uuid
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any, NamedTuple

from django.db.models import F, OuterRef, Q, Subquery
from django.db.models.functions import JSONObject
from django.utils import timezone

from kessa.core.job.circumstances import scales_for
from kessa.core.judging.usual import UsualRange, usual_range
from kessa.record.compiled import compiled
from kessa.record.people.models import User
from kessa.record.places.models import Place
from kessa.record.rules.selectors import sets_named
from kessa.record.taps.models import Tap
from kessa.record.taps.selectors import as_sent, counted
from kessa.record.visits.models import Observation, Sample, TwoVisits, Visit

_SEEN, _SERIES = 6, 84
_ONE_WAY = timedelta(hours=8)
# No further apart do two visits begin that may be one.
_AT_ONCE = timedelta(hours=12)
_TOLD_OF_A_PLACE = {
    "hazards": "Hazards",
    "local_rules": "Local rules",
    "access": "Access and hours",
    "how_to_find": "How to find it",
    "limit_sets": "Limits that results are held against",
}


class Reading(NamedTuple):
    """One observation as a trend draws it."""

    taken_at: Any
    value: float
    low: float
    high: float | None
    flags: list[str]


class Changed(NamedTuple):
    """What was written of a place otherwise while its page was along: as it was on the phone, and as it is since."""

    what: str
    on_phone: str
    since: str


class Visited(NamedTuple):
    """When a visit began, and the names of who was there by their numbers."""

    started_at: datetime
    time_known: bool
    people: dict[int, str]


def changed_meanwhile(visit: Visit) -> list[Changed]:
    """Return what of the place changed between taking its page along and the visit's closing, as it was sent."""
    if "along_at" not in visit.safety:
        return []
    ended = Tap.objects.for_team(visit.team_id).filter(stream=visit.pk, kind="visit_closed").first()
    rows = visit.place.history.order_by("-history_date")
    before = rows.filter(history_date__lte=datetime.fromisoformat(visit.safety["along_at"])).first()
    after = rows.filter(history_date__lte=ended.received_at if ended else timezone.now()).first()
    if not before or not after or before.pk == after.pk:
        return []
    delta = after.diff_against(before)
    fields = {each.field: (each.old, each.new) for each in delta.changes}
    return [
        Changed(label, *(_as_words(name, value, visit.team_id) for value in fields[name]))
        for name, label in _TOLD_OF_A_PLACE.items()
        if name in fields
    ]


def _as_words(name: str, value: Any, team_id: int) -> str:
    if name == "limit_sets":
        return "; ".join(known.title for known in sets_named(team_id, value))
    return str(value)


def recent_samples(place: Place) -> Any:
    """Return the samples of the past day, newest first: on these one may still test."""
    return (
        Sample.objects.for_team(place.team)
        .filter(visit__place=place, drawn_at__gte=timezone.now() - timedelta(days=1))
        .select_related("drawn_by")
        .order_by("-drawn_at")
    )


@compiled
def open_visits(team: int) -> Any:
    """Return the visits begun and not closed, newest first."""
    rows = Visit.objects.for_team(team).filter(closed_at=None, leader__isnull=False)
    return rows.select_related("place", "leader").order_by("-started_at")[:50]


def open_visit_at(place: Place, person: User | None = None) -> Visit | None:
    """Return the visit that goes on at a place, the newest where there are two; of a person, one they took part in."""
    rows = Visit.objects.for_team(place.team_id).filter(place=place, closed_at=None, leader__isnull=False)
    return (rows.filter(people=person) if person else rows).order_by("-started_at").first()


def at_once_with(visit: Visit) -> list[tuple[Visit, TwoVisits | None]]:
    """Return the visits to the place that went on at the same time, each with what was said of the two."""
    now = timezone.now()
    near = (visit.started_at - _AT_ONCE, min(visit.closed_at or now, visit.started_at + _AT_ONCE))
    rows = Visit.objects.for_team(visit.team_id).filter(place=visit.place_id, leader__isnull=False)
    rows = rows.filter(Q(closed_at=None) | Q(closed_at__gt=visit.started_at), started_at__range=near)
    found = rows.exclude(pk=visit.pk).select_related("leader").order_by("started_at")
    data = {each.first_id if each.second_id == visit.pk else each.second_id: each for each in _said_of(visit)}
    return [(each, data.get(each.pk)) for each in found]


def _said_of(visit: Visit) -> Any:
    of_either = Q(first=visit.pk) | Q(second=visit.pk)
    return TwoVisits.objects.for_team(visit.team_id).filter(of_either).select_related("said_by")


@compiled
def _joined(team: int, visit: Any) -> Any:
    rows = TwoVisits.objects.for_team(team).filter(Q(first=visit) | Q(second=visit), joined=True)
    return rows.values_list("first_id", "second_id")


def one_with(visit: Visit) -> list[uuid.UUID]:
    """Return the numbers of the visits that are one: its own first."""
    return list(dict.fromkeys([visit.pk, *(pk for two in _joined(team=visit.team_id, visit=visit.pk) for pk in two)]))


def observations_of(visit: Visit, one: Sequence[uuid.UUID] = ()) -> dict[str, Observation]:
    """Return what counts of a visit's observations, by scale: the last of each, without those taken back.

    Of the visits that are `one` with it also what it has not itself.
    """
    rows = _observations(team=visit.team_id, visits=[visit.pk, *one])
    return {each.key: each for each in sorted(rows, key=lambda each: each.visit_id == visit.pk)}


@compiled
def _observations(team: int, visits: list[Any]) -> Any:
    rows = Observation.objects.for_team(team).filter(visit__any=visits, value__isnull=False)
    return rows.select_related("instrument", "person", "sent_by")


def stop_before(team_id: int, person: int, at: datetime) -> Visit | None:
    """Return the visit that a person began last before a moment, within the same hours: the stop before on one way."""
    last = next(iter(_begun_by(team=team_id, person=person, until=at)), None)
    return last if last and last.started_at >= at - _ONE_WAY else None


@compiled
def _begun_by(team: int, person: int, until: datetime) -> Any:
    rows = Visit.objects.for_team(team).filter(leader=person, started_at__lt=until)
    return rows.order_by("-started_at")[:1]


def visit_before(visit: Visit, one: Sequence[uuid.UUID]) -> Visit | None:
    """Return the visit to the same place before this one, and those that are `one` with it, with something observed."""
    earlier = _observed_at(visit.team_id, visit.place_id).filter(started_at__lt=visit.started_at)
    return earlier.exclude(pk__in=one).first()


def noted_taps(visit: Visit) -> list[dict[str, Any]]:
    """Return what was noted on a visit, as the browser knows it."""
    return as_sent([tap for tap in counted(visit.team_id, visit.pk) if tap.kind in ("observed", "note_written")])


def seen_lately(place: Place) -> list[tuple[Visit, dict[str, Observation]]]:
    """Return a place's last visits on which something was observed, newest first, with what counts of it."""
    visits = _last_observed(team=place.team_id, place=place.pk)
    seen: dict[Any, dict[str, Observation]] = {visit.pk: {} for visit in visits}
    for each in _counting(team=place.team_id, visits=list(seen)) if seen else []:
        seen[each.visit_id][each.key] = each
    return [(visit, seen[visit.pk]) for visit in visits]


def series(place: Place, key: str) -> list[Reading]:
    """Return what was last observed on one scale at a place, newest first, one reading a visit."""
    noted = _on_scale(team=place.team_id, place=place.pk, key=key)
    return [Reading(each.at, each.value, each.value, each.value, each.flags) for each in noted]


def usual_seen(place: Place) -> dict[str, UsualRange]:
    """Return what is usual at a place on each scale that is a number, from its last visits."""
    keys = [scale.key for scale in scales_for(place.kind_key) if scale.unit]
    visits = [visit.pk for visit in _observed_at(place.team_id, place.pk)[:_SERIES]]
    noted = _counting(team=place.team_id, visits=visits, key__any=keys)
    usual = {key: usual_range([each.value for each in noted if each.key == key]) for key in keys}
    return {key: found for key, found in usual.items() if found}


def _observed_at(team: int, place: int) -> Any:
    # Looked up visit by visit from the newest, whatever a team has observed elsewhere: of which few are wanted.
    noted = Observation.objects.for_team(team).filter(visit=OuterRef("pk"), value__isnull=False).values("pk")[:1]
    rows = Visit.objects.for_team(team).filter(place=place).alias(noted=Subquery(noted))
    return rows.filter(noted__isnull=False).order_by("-started_at")


_last_observed = compiled(lambda team, place: _observed_at(team, place)[:_SEEN])


@compiled
def _counting(team: int, visits: list[Any], **narrowed: Any) -> Any:
    """Return what counts on each scale of each visit."""
    rows = Observation.objects.for_team(team).filter(visit__any=visits, value__isnull=False, **narrowed)
    return rows.order_by("seq", "at", "pk")


@compiled
def _on_scale(team: int, place: int, key: str) -> Any:
    rows = Observation.objects.for_team(team).filter(visit__place=place, key=key, value__isnull=False)
    return rows.order_by("-visit__started_at", "-pk")[:_SERIES]


@compiled
def sample_at(team: int, pk: Any) -> Any:
    """Return a sample with its place and who drew it."""
    return Sample.objects.for_team(team).filter(pk=pk).select_related("visit__place", "drawn_by")


def visit_with_people(team: int, pk: Any) -> Visited:
    """Return when a visit began, and who was there."""
    rows = _people_on(team=team, pk=pk)
    people = {number: str(User(**named)) for *_, number, named in rows if number is not None}
    return Visited(rows[0][0], rows[0][1], people)


@compiled
def _people_on(team: int, pk: Any) -> Any:
    rows = Visit.objects.for_team(team).filter(pk=pk).order_by("people__first_name", "people__username")
    names = {name: F(f"people__{name}") for name in ("username", "first_name", "last_name")}
    return rows.values_list("started_at", "time_known", "people", JSONObject(**names))
