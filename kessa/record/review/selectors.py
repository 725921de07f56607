"""Reads about reviews worth a name."""

from collections import defaultdict
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID

from django.db.models import Exists, F, OuterRef, Q

from kessa.core.judging.judge import gravity
from kessa.core.runs.flags import ENDS
from kessa.record.compiled import compiled
from kessa.record.determinations.models import Determination
from kessa.record.people.models import Membership, Team
from kessa.record.places.models import Place
from kessa.record.places.selectors import compared_with
from kessa.record.results.context import ONE_DAY
from kessa.record.results.history import Series
from kessa.record.results.models import Mark, Result
from kessa.record.results.selectors import Row, listed, rows_with_flags
from kessa.record.review.models import Step, What
from kessa.record.taps.models import Tap
from kessa.record.visits.models import Observation, Review, Sample, Visit

PAGE = 30
_SHOWN_TODAY, _PAST = 4, 200


def to_look_over(team: Team | int, state: str = Review.NEW) -> Any:
    """Return the visits of a team in a state of review, newest first: those that ended and found something out."""
    results = Result.across_teams.filter(visit=OuterRef("pk"))
    seen = Observation.across_teams.filter(visit=OuterRef("pk"), value__isnull=False)
    ended = Q(closed_at__isnull=False) | Q(leader=None)
    rows = Visit.objects.for_team(team).filter(ended, Exists(results) | Exists(seen), review=state)
    return rows.select_related("place", "leader").order_by("-started_at", "-pk")


def older_than(visit: Visit) -> Q:
    """Return by what visits are found that stand behind this one where the newest are first."""
    return Q(started_at__lt=visit.started_at) | Q(started_at=visit.started_at, pk__lt=visit.pk)


@compiled
def waiting_today(team: int, person: int) -> Any:
    """Return a few of the visits led by others that nobody has reviewed, newest first: to name them on Today."""
    rows = to_look_over(team).filter(Q(leader=None) | ~Q(leader_id=person))
    named = ("leader__username", "leader__first_name", "leader__last_name")
    return rows.only("team", "started_at", "time_known", "place__team", "place__name", *named)[:_SHOWN_TODAY]


@compiled
def questions_to(team: int, person: int) -> Any:
    """Return what a person was asked in reviews and has not answered, the oldest first."""
    rows = Step.objects.for_team(team).filter(what=What.ASKED, to=person, answer=None)
    return rows.select_related("visit__place", "by").order_by("pk")


def steps_on(visit: Visit) -> list[Step]:
    """Return what was said of a visit, in order."""
    rows = Step.objects.for_team(visit.team_id).filter(visit=visit)
    return list(rows.select_related("by", "to", "result", "answers", "answer").order_by("pk"))


def accepted_by(visit: Visit) -> list[int]:
    """Return the people who accepted a visit as it stands now, by number."""
    rows = Step.objects.for_team(visit.team_id).filter(visit=visit, what=What.ACCEPTED)
    rows = rows.filter(at__gte=visit.changed_at) if visit.changed_at else rows
    return list(dict.fromkeys(rows.values_list("by", flat=True)))


def seen_of(visit: Visit) -> str:
    """Return by what it is told whether a visit is still as somebody saw it."""
    return visit.changed_at.isoformat() if visit.changed_at else "as begun"


def hands_on(visit: Visit) -> set[int]:
    """Return everybody who had a hand in a visit, by number: its people, who noted, drew, tested, read, imported it."""
    return hands_on_each(visit.team_id, [visit])[visit.pk]


def hands_on_each(team: int, visits: list[Visit]) -> dict[UUID, set[int]]:
    """Return everybody who had a hand in each of some visits."""
    numbers = [visit.pk for visit in visits]
    found: dict[UUID, set[Any]] = defaultdict(set)
    for visit in visits:
        found[visit.pk] |= {each for each in (visit.leader_id, visit.closed_by_id, visit.imported_by_id) if each}
    tests = _tests_on(team=team, visits=numbers)
    for number, person in (pair for hands in _HANDS for pair in hands(team=team, visits=numbers)):
        found[number].add(person)
    streams = {number: number for number in numbers}
    for test, number, person in tests:
        streams[test] = number
        found[number].add(person)
    # Who sent what another tapped had it in hand.
    for stream, person in _sent_in(team=team, streams=list(streams)):
        found[streams[stream]].add(person)
    for people in found.values():
        people.discard(None)
    return found


@compiled
def _tests_on(team: int, visits: list[UUID]) -> Any:
    rows = Determination.objects.for_team(team).filter(sample__visit__any=visits)
    return rows.values_list("pk", "sample__visit", "started_by")


@compiled
def _sent_in(team: int, streams: list[UUID]) -> Any:
    sent = Tap.objects.for_team(team).filter(stream__any=streams, sent_by__isnull=False)
    return sent.values_list("stream", "sent_by").distinct()


def _by(model: Any, person: str) -> Any:
    """Return what finds who stands in a column of what belongs to some visits, each with the visit."""

    def rows(team: int, visits: list[UUID]) -> Any:
        of_visits = model.objects.for_team(team).filter(visit__any=visits).order_by()
        return of_visits.values_list("visit", person).distinct()

    return compiled(rows)


@compiled
def _took_part(team: int, visits: list[UUID]) -> Any:
    rows = Visit.people.through.objects.filter(visit__team=team, visit__any=visits)
    return rows.values_list("visit_id", "user_id")


_HANDS = (_took_part, _by(Sample, "drawn_by"), _by(Observation, "person"), _by(Result, "person"))


def changed_since(team: int, at: datetime) -> Any:
    """Return the numbers of the results that are new since a moment, got or lost a flag, or were reviewed."""
    results, marks = Result.objects.for_team(team), Mark.objects.for_team(team)
    reviewed = Step.objects.for_team(team).filter(at__gte=at).values("visit")
    ways = (
        results.filter(computed_at__gte=at).values("pk"),
        marks.filter(Q(at__gte=at) | Q(lifted_at__gte=at)).values("result"),
        results.filter(visit__in=reviewed).values("pk"),
    )
    return ways[0].order_by().union(*(way.order_by() for way in ways[1:]))


def current_rows(team: int, visits: list[UUID]) -> dict[UUID, list[Row]]:
    """Return what stands of what was found out on visits, the gravest first, with the flags."""
    found: dict[UUID, list[Row]] = defaultdict(list)
    for row in rows_with_flags(team, _standing_on(team=team, visits=visits)):
        found[row.result.visit_id].append(row)
    for rows in found.values():
        rows.sort(key=lambda row: (-gravity(row.result.verdict), row.result.parameter))
    return found


@compiled
def _standing_on(team: int, visits: list[UUID]) -> Any:
    results = Result.objects.for_team(team).current().filter(visit__any=visits).newest_first()
    return listed(results.annotate(stood_by=F("readings__stood_by")), "visit_id", "stood_by")


class Compared(NamedTuple):
    """A result of a visit beside what was found before, and the same day at the places this one is compared with."""

    row: Row
    before: Any
    pairs: list[tuple[Place, Any]]


def side_by_side(visit: Visit, rows: list[Row]) -> list[Compared]:
    """Put a visit's results beside the place's past and its pairs."""
    if not rows:
        return []
    names = list({row.result.parameter for row in rows})
    first = min(row.result.taken_at for row in rows)
    before: dict[Series, Any] = {}
    for each in _earlier(team=visit.team_id, place=visit.place_id, names=names, until=first, but=visit.pk):
        before.setdefault(_series(each), each)
    others = list(dict.fromkeys(compared_with(visit.place).values()))
    same_day = {place: _same_day(visit.team_id, place, names, first) for place in others}
    return [
        Compared(
            row,
            before.get(_series(row.result)),
            [(place, there[_series(row.result)]) for place, there in same_day.items() if _series(row.result) in there],
        )
        for row in rows
    ]


def _series(row: Any) -> Series:
    return Series(row.parameter, row.unit, row.form, row.fraction, row.method_class)


_BESIDE = ("pk", "taken_at", "value", "low", "high", "censor", "verdict", *Series._fields)


@compiled
def _earlier(team: int, place: int, names: list[str], until: datetime, but: Any) -> Any:
    rows = Result.objects.for_team(team).current().filter(place=place, parameter__any=names, taken_at__lte=until)
    return rows.exclude(visit=but).newest_first().values_list(*_BESIDE, named=True)[:_PAST]


def _same_day(team: int, place: Place, names: list[str], at: datetime) -> dict[Series, Any]:
    """Return what was found nearest to a moment at another place, within a day, by series."""
    rows = Result.objects.for_team(team).current().filter(place=place, parameter__in=names)
    near = rows.filter(taken_at__range=(at - ONE_DAY, at + ONE_DAY)).newest_first().values_list(*_BESIDE, named=True)
    found: dict[Series, Any] = {}
    for each in sorted(near[:_PAST], key=lambda row: abs(row.taken_at - at)):
        found.setdefault(_series(each), each)
    return found


def ended_rows(visit: Visit) -> Any:
    """Return what was superseded or set aside of a visit, newest first."""
    rows = Result.objects.for_team(visit.team_id).filter(visit=visit).marked(*ENDS)
    return rows.prefetch_related("marks__by").order_by("-pk")


def next_to_review(by: Membership, after: Visit) -> Visit | None:
    """Return the next visit that somebody may look over: older than the one at hand, else the newest of all."""
    rows = to_look_over(by.team_id).exclude(pk=after.pk)
    for found in (rows.filter(older_than(after))[:PAGE], rows[:PAGE]):
        visits = list(found)
        hands = hands_on_each(by.team_id, visits)
        theirs = next((visit for visit in visits if by.user_id not in hands[visit.pk]), None)
        if theirs:
            return theirs
    return None
