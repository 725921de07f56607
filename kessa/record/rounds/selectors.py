"""What is due: where, since when, for whom."""

from collections.abc import Iterable
from datetime import date, timedelta
from typing import Any, NamedTuple

from django.contrib.postgres.expressions import ArraySubquery
from django.db.models import Count, OuterRef
from django.utils import timezone

from kessa.core.job.occasions import occasion_kinds
from kessa.core.job.place_kinds import place_kind
from kessa.core.methods.leading import led_at
from kessa.core.planning.packing import used_by
from kessa.core.planning.rhythm import around, between
from kessa.record.compiled import compiled
from kessa.record.methods.selectors import families_of
from kessa.record.people.models import Team, User
from kessa.record.people.secrets import digest_of
from kessa.record.places.models import Place
from kessa.record.rounds.models import CalendarFeed, Occasion, PlannedTest, Round, Stop, StopOutcome
from kessa.record.visits.models import Visit

# An occasion that nobody answered for a month is over.
_OCCASION_DAYS = 30
_USE_WEEKS = 12


class Due(NamedTuple):
    """A stop that is due: since `due_on`, by `due_by`, on its rhythm or on an occasion."""

    stop: Stop
    round: Round
    due_on: date
    due_by: date
    occasion: Occasion | None
    late_days: int


class Call(NamedTuple):
    """A place to go to, with everything that is due there."""

    place: Place
    dues: list[Due]
    mine: bool


class Plan(NamedTuple):
    """A team's rounds that go on by name; by number of round its stops in order, and whose it is."""

    rounds: list[Round]
    stops: dict[int, list[Stop]]
    people: dict[int, set[int]]


class Calls(NamedTuple):
    """Where to go: a person's own places and the others, the longest late first, and how many more of each."""

    mine: list[Call]
    theirs: list[Call]
    mine_more: int
    theirs_more: int


def active_rounds(team: Team | int) -> Any:
    """Return a team's rounds that go on."""
    return Round.objects.for_team(team).filter(retired_at=None)


def whole_rounds(team: Team) -> Any:
    """Return a team's rounds that go on, with their people, and the places and tests of their stops."""
    return active_rounds(team).prefetch_related("people", "stops__place", "stops__tests")


def plan_of(team: Team) -> Plan:
    """Return a team's plan."""
    rounds = {each.pk: each for each in _rounds(team=team.pk)}
    stops: dict[int, list[Stop]] = {pk: [] for pk in rounds}
    for stop in _stops(team=team.pk) if rounds else []:
        stop.round = rounds[stop.round_id]
        stops[stop.round_id].append(stop)
    return Plan(list(rounds.values()), stops, {pk: set(each.whose) for pk, each in rounds.items()})


@compiled
def _rounds(team: int) -> Any:
    whose = Round.people.through.objects.filter(round=OuterRef("pk")).values("user_id")
    return active_rounds(team).annotate(whose=ArraySubquery(whose))


@compiled
def _stops(team: int) -> Any:
    rows = Stop.objects.for_team(team).filter(round__retired_at=None).select_related("place")
    return rows.only("team", "round", "position", "place__team", "place__name")


def calls(team: Team, person: User, plan: Plan, most: int = 30) -> Calls:
    """Return where to go today, up to `most` of a person's own places and of the others; of places the names."""
    dues: dict[int, list[Due]] = {}
    mine: set[int] = set()
    for due in due_now(team.pk, [stop for each in plan.stops.values() for stop in each], timezone.localdate()):
        dues.setdefault(due.stop.place_id, []).append(due)
        if not plan.people[due.round.pk] or person.pk in plan.people[due.round.pk]:
            mine.add(due.stop.place_id)
    order = sorted(dues, key=lambda pk: (-max(due.late_days for due in dues[pk]), dues[pk][0].stop.position))
    own, others = [pk for pk in order if pk in mine], [pk for pk in order if pk not in mine]
    return Calls(
        [Call(dues[pk][0].stop.place, dues[pk], True) for pk in own[:most]],
        [Call(dues[pk][0].stop.place, dues[pk], False) for pk in others[:most]],
        max(len(own) - most, 0),
        max(len(others) - most, 0),
    )


def due_now(team: int, stops: list[Stop], today: date) -> list[Due]:
    """Return every due of stops that is not settled, those by rhythm first."""
    of_round: dict[int, list[Stop]] = {}
    for stop in stops:
        of_round.setdefault(stop.round_id, []).append(stop)
    open_dues = [due for each in of_round.values() for due in _by_rhythm(each, today)]
    if any(each[0].round.occasions for each in of_round.values()):
        noted = _noted(team=team, since=today - timedelta(days=_OCCASION_DAYS))
        every = [(each, occasion) for each in of_round.values() for occasion in noted]
        open_dues += [due for each, occasion in every for due in _on_occasion(each, occasion, today)]
    if not open_dues:
        return []
    closed = set(_done(team=team, since=min(due.due_on for due in open_dues)))
    return [
        due for due in open_dues if (due.stop.pk, due.due_on, due.occasion.pk if due.occasion else None) not in closed
    ]


@compiled
def _noted(team: int, since: date) -> Any:
    return Occasion.objects.for_team(team).filter(happened_on__gte=since).order_by("happened_on", "pk")


@compiled
def _done(team: int, since: date) -> Any:
    rows = StopOutcome.objects.for_team(team).filter(due_on__gte=since)
    return rows.values_list("stop_id", "due_on", "occasion_id")


def dues_at(place: Place, day: date | None = None) -> list[Due]:
    """Return what is due at one place, on a day or today."""
    return due_now(place.team_id, _stops_at(team=place.team_id, place=place.pk), day or timezone.localdate())


@compiled
def _stops_at(team: int, place: int) -> Any:
    rows = Stop.objects.for_team(team).filter(place=place, round__retired_at=None)
    return rows.select_related("round", "place").order_by("round__name", "position", "pk")


class Missed(NamedTuple):
    """A round that fell due at a place and was not gone: when, and why; nobody said where the reason is empty."""

    round: Round
    due_on: date
    reason: str


def missed_between(place: Place, first: date, last: date) -> list[Missed]:
    """Return what fell due at a place from one day to another and was not gone, of days that are past."""
    closed = _outcomes(team=place.team_id, place=place.pk, first=first, last=last)
    answered = {(each.stop_id, each.due_on) for each in closed}
    missed = [Missed(each.stop.round, each.due_on, each.reason) for each in closed if each.visit_id is None]
    passed = min(last, timezone.localdate() - timedelta(days=1))
    for stop in _stops_at(team=place.team_id, place=place.pk):
        days = between(stop.round.rhythm, first, passed) if stop.round.rhythm and first <= passed else ()
        missed += [Missed(stop.round, day, "") for day in days if (stop.pk, day) not in answered]
    return sorted(missed, key=lambda each: (each.due_on, each.round.name))


def missed_ahead(places: Iterable[Place], first: date, last: date) -> None:
    """Read what missed_between rests on for several places, in two statements."""
    at = [{"team": place.team_id, "place": place.pk} for place in places]
    _outcomes.ahead({**each, "first": first, "last": last} for each in at)
    _stops_at.ahead(at)


@compiled
def _outcomes(team: int, place: int, first: date, last: date) -> Any:
    rows = StopOutcome.objects.for_team(team).filter(stop__place=place, due_on__gte=first, due_on__lte=last)
    return rows.select_related("stop__round")


def coming_days(rounds: Iterable[Round], first: date, last: date) -> dict[date, list[Round]]:
    """Return which rounds fall due on which days of a stretch, by their rhythms."""
    days: dict[date, list[Round]] = {}
    for each in rounds:
        for day in between(each.rhythm, first, last) if each.rhythm else ():
            days.setdefault(day, []).append(each)
    return dict(sorted(days.items()))


def next_days(rounds: Iterable[Round], after: date, last: date) -> list[tuple[date, Round]]:
    """Return each round that falls due after a day and up to another, with its next day, the soonest first."""
    following = [(around(each.rhythm, after)[1], each) for each in rounds if each.rhythm]
    return sorted(((day, each) for day, each in following if day and day <= last), key=lambda pair: pair[0])


def planned_at(visit: Visit) -> tuple[list[PlannedTest], list[str]]:
    """Return the tests and in-place readings that a visit is for, the fullest plan of each test."""
    return planned_for([closed.stop for closed in _dues_of(team=visit.team_id, visit=visit.pk)])


def planned_for(stops: list[Stop]) -> tuple[list[PlannedTest], list[str]]:
    """Return the tests and in-place readings that stops ask for, the fullest plan of each test."""
    tests: dict[str, PlannedTest] = {}
    for test in (test for stop in stops for test in stop.tests.all()):
        known = tests.get(test.family)
        if known is None or test.planned.most_runs > known.planned.most_runs:
            tests[test.family] = test
    in_place = list(dict.fromkeys(key for stop in stops for key in stop.in_place))
    return list(tests.values()), in_place


@compiled
def _dues_of(team: int, visit: Any) -> Any:
    return StopOutcome.objects.for_team(team).filter(visit=visit).select_related("stop").prefetch_related("stop__tests")


def weekly_use(team: Team, units: dict[str, float] | None = None) -> dict[str, float]:
    """Return how much of each supply the rounds use up a week, from what falls due over the coming 12 weeks.

    `units` are the drops or tablets that a run usually takes here, by test.
    """
    today = timezone.localdate()
    rhythms = {each.pk: each.rhythm for each in Round.objects.for_team(team).filter(retired_at=None)}
    plans = PlannedTest.objects.for_team(team).filter(stop__round__in=rhythms)
    alike = ("stop__round", "stop__place__kind_key", "family", "runs", "blanks", "standards")
    use: dict[str, float] = {}
    known = families_of(team.pk)
    for plan in plans.filter(family__in=known).order_by().values(*alike).annotate(stops=Count("pk")):
        rhythm = rhythms[plan["stop__round"]]
        times = len(between(rhythm, today, today + timedelta(weeks=_USE_WEEKS))) if rhythm else 0
        method = led_at(known[plan["family"]][0], place_kind(plan["stop__place__kind_key"]))
        runs = plan["runs"] + plan["blanks"] + plan["standards"]
        usual = (units or {}).get(method.family)
        for key, amount in used_by(method, runs, None if usual is None else usual * runs).items():
            use[key] = use.get(key, 0.0) + amount * plan["stops"] * times / _USE_WEEKS
    return use


def feed_of(token: str) -> CalendarFeed | None:
    """Return the calendar feed of a secret address: the token alone says whose it is."""
    return CalendarFeed.across_teams.filter(digest=digest_of(token)).select_related("team", "membership__user").first()


def _by_rhythm(stops: list[Stop], today: date) -> list[Due]:
    rhythm = stops[0].round.rhythm
    latest = around(rhythm, today)[0] if rhythm else None
    if latest is None:
        return []
    return [Due(stop, stop.round, latest, latest, None, (today - latest).days) for stop in stops]


def _on_occasion(stops: list[Stop], occasion: Occasion, today: date) -> list[Due]:
    if occasion.kind not in stops[0].round.occasions:
        return []
    by = occasion.happened_on + timedelta(days=occasion_kinds()[occasion.kind].within_days)
    late = max((today - by).days, 0)
    return [
        Due(stop, stop.round, occasion.happened_on, by, occasion, late)
        for stop in stops
        if occasion.place_id in (None, stop.place_id)
    ]
