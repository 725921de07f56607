"""What is due: where, since when, for whom."""

from collections.abc import Iterable
from datetime import date, timedelta
from typing import Any, NamedTuple

from django.db.models import Count, Prefetch
from django.utils import timezone

from kessa.core.job.occasions import occasion_kinds
from kessa.core.job.place_kinds import place_kinds
from kessa.core.methods.leading import led_at
from kessa.core.planning.packing import used_by
from kessa.core.planning.rhythm import around, between
from kessa.methods.selectors import families_of
from kessa.people.models import Team, User
from kessa.people.secrets import digest_of
from kessa.places.models import Place
from kessa.rounds.models import CalendarFeed, Occasion, PlannedTest, Round, Settled, Stop
from kessa.visits.models import Visit

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


class Calls(NamedTuple):
    """Where to go: a person's own places and the others, the longest late first, and how many more of each."""

    mine: list[Call]
    theirs: list[Call]
    mine_more: int
    theirs_more: int


def active_rounds(team: Team) -> Any:
    """Return a team's rounds that go on, with their people and stops."""
    stops = Prefetch("stops", Stop.objects.for_team(team).order_by("position", "pk"))
    return Round.objects.for_team(team).filter(retired_at=None).prefetch_related(stops, "people")


def whole_rounds(team: Team) -> Any:
    """Return a team's rounds that go on, with the places and tests of their stops besides."""
    return active_rounds(team).prefetch_related("stops__place", "stops__tests")


def calls(team: Team, person: User, rounds: list[Round], most: int = 30) -> Calls:
    """Return where to go today, up to `most` of a person's own places and of the others."""
    dues: dict[int, list[Due]] = {}
    mine: set[int] = set()
    for due in due_now(team, rounds, timezone.localdate()):
        dues.setdefault(due.stop.place_id, []).append(due)
        people = {each.pk for each in due.round.people.all()}
        if not people or person.pk in people:
            mine.add(due.stop.place_id)
    order = sorted(dues, key=lambda pk: (-max(due.late_days for due in dues[pk]), dues[pk][0].stop.position))
    own, others = [pk for pk in order if pk in mine], [pk for pk in order if pk not in mine]
    places = Place.objects.for_team(team).in_bulk([*own[:most], *others[:most]])
    return Calls(
        [Call(places[pk], dues[pk], True) for pk in own[:most]],
        [Call(places[pk], dues[pk], False) for pk in others[:most]],
        max(len(own) - most, 0),
        max(len(others) - most, 0),
    )


def due_now(team: Team, rounds: list[Round], today: date) -> list[Due]:
    """Return every stop that is due and not settled."""
    open_dues = [due for each in rounds for due in _by_rhythm(each, today)]
    since = today - timedelta(days=_OCCASION_DAYS)
    noted = list(Occasion.objects.for_team(team).filter(happened_on__gte=since).order_by("happened_on", "pk"))
    open_dues += [due for each in rounds for occasion in noted for due in _on_occasion(each, occasion, today)]
    if not open_dues:
        return []
    first = min(due.due_on for due in open_dues)
    settled = set(
        Settled.objects.for_team(team).filter(due_on__gte=first).values_list("stop_id", "due_on", "occasion_id")
    )
    return [
        due for due in open_dues if (due.stop.pk, due.due_on, due.occasion.pk if due.occasion else None) not in settled
    ]


def dues_at(place: Place, day: date | None = None) -> list[Due]:
    """Return what is due at one place, on a day or today."""
    stops = Stop.objects.for_team(place.team_id).filter(place=place).select_related("place")
    rows = Round.objects.for_team(place.team_id).filter(retired_at=None, stops__place=place)
    rounds = list(rows.prefetch_related(Prefetch("stops", stops), "stops__tests", "people"))
    return due_now(place.team, rounds, day or timezone.localdate())


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
    stops = [
        settled.stop
        for settled in Settled.objects.for_team(visit.team_id)
        .filter(visit=visit)
        .select_related("stop")
        .prefetch_related("stop__tests")
    ]
    tests: dict[str, PlannedTest] = {}
    for test in (test for stop in stops for test in stop.tests.all()):
        known = tests.get(test.family)
        if known is None or test.planned.most_runs > known.planned.most_runs:
            tests[test.family] = test
    in_place = list(dict.fromkeys(key for stop in stops for key in stop.in_place))
    return list(tests.values()), in_place


def weekly_use(team: Team, units: dict[str, float] | None = None) -> dict[str, float]:
    """Return how much of each supply the rounds use up a week, from what falls due over the coming 12 weeks.

    `units` are the drops or tablets that a run usually takes here, by test.
    """
    today = timezone.localdate()
    rhythms = {each.pk: each.rhythm for each in Round.objects.for_team(team).filter(retired_at=None)}
    plans = PlannedTest.objects.for_team(team).filter(stop__round__in=rhythms)
    alike = ("stop__round", "stop__place__kind_key", "family", "runs", "blanks", "standards")
    use: dict[str, float] = {}
    for plan in plans.order_by().values(*alike).annotate(stops=Count("pk")):
        rhythm = rhythms[plan["stop__round"]]
        times = len(between(rhythm, today, today + timedelta(weeks=_USE_WEEKS))) if rhythm else 0
        method = led_at(families_of(team.pk)[plan["family"]][0], place_kinds()[plan["stop__place__kind_key"]])
        runs = plan["runs"] + plan["blanks"] + plan["standards"]
        usual = (units or {}).get(method.family)
        for key, amount in used_by(method, runs, None if usual is None else usual * runs).items():
            use[key] = use.get(key, 0.0) + amount * plan["stops"] * times / _USE_WEEKS
    return use


def feed_of(token: str) -> CalendarFeed | None:
    """Return the calendar feed of a secret address: the token alone says whose it is."""
    return CalendarFeed.across_teams.filter(digest=digest_of(token)).select_related("team", "membership__user").first()


def _by_rhythm(each: Round, today: date) -> list[Due]:
    latest = around(each.rhythm, today)[0] if each.rhythm else None
    if latest is None:
        return []
    return [Due(stop, each, latest, latest, None, (today - latest).days) for stop in each.stops.all()]


def _on_occasion(each: Round, occasion: Occasion, today: date) -> list[Due]:
    if occasion.kind not in each.occasions:
        return []
    by = occasion.happened_on + timedelta(days=occasion_kinds()[occasion.kind].within_days)
    late = max((today - by).days, 0)
    return [
        Due(stop, each, occasion.happened_on, by, occasion, late)
        for stop in each.stops.all()
        if occasion.place_id in (None, stop.place_id)
    ]
