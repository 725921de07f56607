"""Reads about actions worth a name."""

from datetime import datetime, timedelta
from typing import Any, NamedTuple

from django.utils import timezone

from kessa.core.judging.judge import OUTSIDE
from kessa.core.quantities.units import in_words
from kessa.core.treating.tracing import Spot, Trace, trace
from kessa.record.actions.models import Action, State
from kessa.record.compiled import compiled
from kessa.record.people.models import Team
from kessa.record.places.models import Pair, PairKind, Place
from kessa.record.results.models import Result

_OPEN_SHOWN, _FOLLOWED_SHOWN, _AT_PLACE, _LATELY = 12, 12, 20, 5
_ALONG_THE_WATER = (PairKind.STREAM, PairKind.DAM)
_MOST_DONE = 40
_AT_ONCE = timedelta(minutes=30)
# What runs in now is looked for in readings of these days.
_TRACED = timedelta(days=3)


@compiled
def open_actions(team: int) -> Any:
    """Return what waits for somebody in a team, the gravest first."""
    rows = Action.objects.for_team(team).open().gravest_first().select_related("place")
    return rows.only(*_SHORT)[:_OPEN_SHOWN]


_SHORT = (
    "team", "key", "by_way", "rank", "position", "title", "amount", "kept", "portions", "rate_l_min", "product",
    "refused", "missing", "state", "found_at", "results", "steps", "proposed_at", "place__name", "place__team",
    "place__kind_key",
)  # fmt: skip


@compiled
def to_follow(team: int, until: datetime) -> Any:
    """Return what was done and is due to be tested again up to a moment, the longest due first."""
    rows = Action.objects.for_team(team).to_follow().filter(again_at__lte=until).order_by("again_at", "pk")
    return rows.select_related("place", "done_product", "ended_by")[:_FOLLOWED_SHOWN]


@compiled
def at_place(team: int, place: int) -> Any:
    """Return what is open at a place, in the order in which it is done."""
    rows = Action.objects.for_team(team).open().filter(place=place).order_by("position", "rank", "pk")
    return rows.select_related("product", "place", "decided_by")[:_AT_PLACE]


def answering(result: Result) -> list[Action]:
    """Return what is open at a result's place and rests on it; nothing is asked where it calls for nothing."""
    if result.verdict != OUTSIDE and not in_words(result.unit):
        return []
    return [each for each in at_place(team=result.team_id, place=result.place_id) if result.pk in each.results]


@compiled
def lately_at(team: int, place: int) -> Any:
    """Return what was done or declined at a place lately, newest first."""
    rows = Action.objects.for_team(team).filter(place=place, state__in=[State.DONE, State.DECLINED])
    return rows.select_related("done_product", "ended_by", "followed_by").order_by("-ended_at", "-pk")[:_LATELY]


def done_between(place: Place, since: datetime, until: datetime, most: int) -> list[Action]:
    """Return what was done at a place over a stretch of time, the latest `most` of it, in order of time."""
    rows = _done(team=place.team_id, place=place.pk, since=since, until=until)[:most]
    return sorted(rows, key=lambda row: row.ended_at)


@compiled
def _done(team: int, place: int, since: datetime, until: datetime) -> Any:
    rows = Action.objects.for_team(team).filter(place=place, state=State.DONE, ended_at__gte=since, ended_at__lte=until)
    return rows.select_related("done_product").order_by("-ended_at")[:_MOST_DONE]


class Sheet(NamedTuple):
    """A step of a list with its tick, and until when it should be done."""

    key: str
    text: str
    until: datetime | None
    tick: Any
    late: bool


def sheet_of(action: Action) -> list[Sheet]:
    """Return the steps of an action's list, each with the tick that counts."""
    ticks = {each.key: each for each in action.ticks.select_related("person")}
    now, steps = timezone.now(), []
    for step in action.steps:
        hours, tick = step["within_hours"], ticks.get(step["key"])
        until = None if hours is None else action.found_at + timedelta(hours=hours)
        # What is to be done at once is not overdue in the minute in which it is asked for.
        late_from = None if until is None else max(until, action.proposed_at + _AT_ONCE)
        ticked = tick if tick and tick.done else None
        steps.append(
            Sheet(
                step["key"], step["text"], until, ticked, ticked is None and late_from is not None and now > late_from
            )
        )
    return steps


def trace_of(place: Place, parameter: str) -> Trace:
    """Return where along the water of a place to test next for what was found there.

    Along the water are those to which the place is joined by pairs, in the order written down for them; what was found
    at them within three days counts.
    """
    pairs = list(
        Pair.objects.for_team(place.team_id).filter(kind__in=_ALONG_THE_WATER).select_related("first", "second")
    )
    names = _joined(place, pairs)
    since = timezone.now() - _TRACED
    rows = (
        Result.objects.for_team(place.team_id)
        .current()
        .filter(place__in=names, parameter=parameter, taken_at__gte=since)
    )
    newest: dict[int, str] = {}
    for found, verdict in rows.newest_first().values_list("place_id", "verdict"):
        newest.setdefault(found, verdict)
    bad = {pk: verdict == "outside" for pk, verdict in newest.items() if verdict in ("outside", "inside", "close")}
    return trace([Spot(order, str(names[pk]), bad.get(pk), pk) for pk, order in _orders(names, pairs).items()])


def _joined(place: Place, pairs: list[Pair]) -> dict[int, Place]:
    """Return the places on the water of one by number, itself among them, by way of pairs."""
    found, more = {place.pk: place}, True
    while more:
        reached = {
            far.pk: far
            for pair in pairs
            for near, far in ((pair.first, pair.second), (pair.second, pair.first))
            if near.pk in found and far.pk not in found
        }
        found |= reached
        more = bool(reached)
    return found


def _orders(names: dict[int, Place], pairs: list[Pair]) -> dict[int, float]:
    """Return the turn of each place along the water: as written down, else by how many lie above it."""
    written = {pk: each.facts.get("order") for pk, each in names.items()}
    if all(isinstance(order, int | float) for order in written.values()):
        return {pk: float(order) for pk, order in written.items()}
    above: dict[int, set[int]] = {pk: set() for pk in names}
    for _ in names:
        for pair in pairs:
            if pair.first_id in names:
                above[pair.second_id] |= {pair.first_id, *above[pair.first_id]}
    return {pk: float(len(each)) for pk, each in above.items()}


def actions_of(team: Team | int) -> Any:
    """Return what was done, declined or no longer asked for in a team, newest first."""
    rows = Action.objects.for_team(team).exclude(state__in=[State.PROPOSED, State.DECIDED])
    return rows.select_related("place", "done_product", "ended_by").order_by("-ended_at", "-pk")
