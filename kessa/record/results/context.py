"""What a result is seen beside: other readings of its sample, the place's past, the other end of its pair."""

from collections.abc import Iterable
from datetime import datetime, timedelta
from typing import Any

from django.db.models import Q
from django.utils import timezone

from kessa.core.derived.recipes import (
    BEFORE,
    DAYS,
    EXCHANGER_DROP,
    FILTER_DROP,
    FLOW,
    HEIGHT,
    METER,
    SUPPLY,
    TANK,
    TANK_BEFORE,
    TANK_DAYS,
)
from kessa.core.judging.holding import Context, Paired
from kessa.core.judging.limits import RuleSet, speaking_of
from kessa.core.judging.statistics import Dated
from kessa.core.judging.usual import UsualRange
from kessa.core.methods.exactness import IN_PLACE, TAKEN_IN, Speaking, stands_for
from kessa.core.methods.in_place import READ_AS, determined
from kessa.core.quantities.parameters import parameter as known_parameter
from kessa.core.quantities.quantity import Quantity
from kessa.core.quantities.units import in_words
from kessa.record.compiled import compiled
from kessa.record.places.models import Place
from kessa.record.places.selectors import compared_with
from kessa.record.results.history import counting_in, waits_for_review
from kessa.record.results.models import Result, quantity_of
from kessa.record.visits.models import Observation, Sample, Visit

# Of one day, for comparing two places; what feeds a system changes slowly.
ONE_DAY, OF_SUPPLY = timedelta(hours=24), timedelta(days=14)
FROM_SUPPLY = ("chloride", "conductivity")
_YEAR, _MOST_PAST = timedelta(days=366), 400
# What is read in place and is no result by itself: its name to recipes and its unit, and what part of it it is off.
_READ = {
    "discharge": (FLOW, "L/s", 0.15), "make_up": (METER, "m³", 0.0), "water_depth": ("water depth", "cm", 0.05),
    "filter_drop": (FILTER_DROP, "bar", 0.05), "exchanger_drop": (EXCHANGER_DROP, "bar", 0.05),
    "tank_level": (TANK, "L", 0.02),
}  # fmt: skip
# Of what is read again and again, what it is called that was read the time before, and the days since then.
_READ_BEFORE = {"make_up": (BEFORE, DAYS), "tank_level": (TANK_BEFORE, TANK_DAYS)}
READ_ON_VISIT = frozenset((*_READ, *READ_AS))
_AS_QUANTITY = ("value", "low", "high", "censor", "unit", "form")
# What is taken of a result from which others follow.
_AS_INPUT = ("pk", "family", "part", "determination_id", "method_class", "person_id", "tested_at", *_AS_QUANTITY)


def context_of(
    place: Place,
    sample: Sample | None,
    parameter: str,
    sets: tuple[RuleSet, ...],
    usual: UsualRange | None,
    at: datetime,
) -> Context:
    """Return what the limits of the sets for a parameter want to be told besides a result of `at`, and no more."""
    limits = [limit for _, limit in speaking_of(parameter, sets, place.kind_key, place.feeds)]
    wants_past = [limit for limit in limits if limit.about.wants_past]
    past = past_of(place, parameter, at) if wants_past else []
    compared = any(limit.compared and limit.compared != "usual" for limit in limits)
    pairs = pairs_at(place, parameter, at) if compared else {}
    past_pairs = _past_pairs(place, parameter, at, past) if any(limit.compared for limit in wants_past) else {}
    readings = readings_of(sample) if sample and any(limit.formula for limit in limits) else {}
    counted = ("of what is reviewed" if waits_for_review(place.team_id) else "reviewed or not") if wants_past else ""
    # Days and months are those of the team's own time.
    return Context(
        timezone.localtime(at),
        readings,
        past,
        pairs,
        past_pairs,
        usual,
        place.kind_key,
        frozenset(place.feeds),
        counted,
    )


def readings_of(sample: Sample, measured: dict[str, Any] | None = None) -> dict[str, Quantity]:
    """Return what was measured of a sample, by parameter, of each the most exact; then what was read in place.

    `measured` are rows_of the sample, where they are known already.
    """
    if measured is None:
        measured = imported_rows_of(sample) if sample.visit.taken_in else rows_of(sample)
    found = seen_on(sample.visit) | {name: quantity_of(row) for name, row in measured.items()}
    if sample.water_temperature_c is not None and "temperature" not in measured:
        found["temperature"] = determined("temperature", float(sample.water_temperature_c)).quantity
    return found


def rows_of(sample: Sample) -> dict[str, Any]:
    """Return the standing results measured of a sample, by parameter; of two that speak of one thing the more exact.

    What was read in place on its visit speaks of it too, but for the warmth where the sample has its own.
    """
    rows = _of_sample(team=sample.team_id, sample=sample.pk, visit=sample.visit_id)
    own_warmth = sample.water_temperature_c is not None
    return _by_parameter(
        row for row in rows if not (own_warmth and row.family == IN_PLACE and row.parameter == "temperature")
    )


def imported_rows_of(sample: Sample) -> dict[str, Any]:
    """Return the results that were imported with a sample, as rows_of does; nothing is calculated from these."""
    rows = Result.objects.for_team(sample.team_id).current().filter(sample=sample, family=TAKEN_IN)
    return _by_parameter(rows.values_list("parameter", "fraction", *_AS_INPUT, named=True))


def _by_parameter(rows: Iterable[Any]) -> dict[str, Any]:
    found: dict[str, list[Any]] = {}
    for row in rows:
        if not in_words(row.unit) and row.fraction != "total":
            found.setdefault(known_parameter(row.parameter).key, []).append(row)
    return {name: _most_exact(each) for name, each in found.items()}


@compiled
def _of_sample(team: int, sample: Any, visit: Any) -> Any:
    # By the visit first: the other condition alone would be asked of every result of the team.
    rows = Result.objects.for_team(team).current().filter(visit=visit)
    rows = rows.filter(Q(determination__sample=sample) | Q(family=IN_PLACE))
    return rows.values_list("parameter", "fraction", *_AS_INPUT, named=True)


def seen_on(visit: Visit) -> dict[str, Quantity]:
    """Return what was read in place on a visit and is no result by itself, by the names that recipes give it."""
    seen = _seen(team=visit.team_id, visit=visit.pk, keys=list(_READ))
    return {_READ[key][0]: _around(value, *_READ[key][1:]) for key, value in seen}


@compiled
def _seen(team: int, visit: Any, keys: list[str]) -> Any:
    rows = Observation.objects.for_team(team).filter(visit=visit, key__any=keys, value__isnull=False)
    return rows.values_list("key", "value")


def _around(value: float, unit: str, part_off: float) -> Quantity:
    off = abs(value) * part_off
    return Quantity(value, value - off, value + off, None, unit)


def past_of(place: Place, parameter: str, at: datetime) -> list[Dated]:
    """Return a place's earlier results of a parameter within a year, newest first."""
    names = [known_parameter(parameter).key, *known_parameter(parameter).also]
    counting = counting_in(place.team_id)
    rows = _past(team=place.team_id, place=place.pk, names=names, since=at - _YEAR, before=at, **counting)
    # Two tests of one sample are one reading: the more exact speaks.
    at_once: dict[datetime, list[Any]] = {}
    for row in rows:
        at_once.setdefault(row.taken_at, []).append(row)
    return [Dated(timezone.localtime(when), quantity_of(_most_exact(each))) for when, each in at_once.items()]


def _most_exact(rows: list[Any]) -> Any:
    by_key = {row.pk: row for row in rows}
    return by_key[stands_for(Speaking(row.pk, row.method_class, row.low, row.high) for row in rows).key]


@compiled
def _past(team: int, place: int, names: list[str], since: datetime, before: datetime, **counting: Any) -> Any:
    rows = Result.objects.for_team(team).current().filter(place=place, parameter__any=names, **counting)
    rows = rows.filter(taken_at__gte=since, taken_at__lt=before).newest_first()
    return rows.values_list("pk", "taken_at", "method_class", *_AS_QUANTITY, named=True)[:_MOST_PAST]


def pairs_at(place: Place, parameter: str, at: datetime) -> dict[str, Quantity]:
    """Return what was found nearest to a moment at the places this one is compared with, by what they are to it."""
    found = {}
    for called, other in compared_with(place).items():
        row = nearest(other, parameter, at)
        if row:
            found[called] = quantity_of(row)
    return found


def _past_pairs(place: Place, parameter: str, at: datetime, past: list[Dated]) -> dict[str, list[Paired]]:
    """Return the earlier days on which a place and those it is compared with were both tested, newest first."""
    found = {}
    for called, other in compared_with(place).items():
        there = {each.at.date(): each.quantity for each in past_of(other, parameter, at)}
        found[called] = [
            Paired(each.at, each.quantity, there[each.at.date()]) for each in past if each.at.date() in there
        ]
    return found


def nearest(place: Place, parameter: str, at: datetime, within: timedelta = ONE_DAY) -> Any:
    """Return a place's standing result of a parameter nearest to a moment, as plain values; None where none is near."""
    rows = _around_moment(team=place.team_id, place=place.pk, parameter=parameter, since=at - within, to=at + within)
    return min(rows, key=lambda row: abs(row.taken_at - at), default=None)


@compiled
def _around_moment(team: int, place: int, parameter: str, since: datetime, to: datetime) -> Any:
    rows = Result.objects.for_team(team).current().filter(place=place, parameter=parameter)
    rows = rows.filter(taken_at__range=(since, to)).newest_first()
    return rows.values_list("taken_at", *_AS_INPUT, named=True)[:20]


def given_to_recipes(place: Place, sample: Sample | None, visit: Visit, rows: dict[str, Any]) -> dict[str, Quantity]:
    """Return all that recipes may take up: `rows`, what was read besides, the place's height."""
    given = readings_of(sample, rows) if sample else seen_on(visit)
    if place.elevation_m is not None:
        given[HEIGHT] = Quantity(place.elevation_m, place.elevation_m, place.elevation_m, None, "m")
    for key in _READ_BEFORE:
        if _READ[key][0] in given:
            given |= _read_before(place, visit, key)
    return given


def rows_of_supply(place: Place, at: datetime, names: Iterable[str]) -> dict[str, Any]:
    """Return what was found of some parameters about a moment in the water that feeds a system, as recipes name it."""
    supply = compared_with(place).get("supply") if place.kind.is_plant else None
    found = {name: nearest(supply, name, at, OF_SUPPLY) for name in FROM_SUPPLY if supply and name in names}
    return {SUPPLY + name: row for name, row in found.items() if row}


def _read_before(place: Place, visit: Visit, key: str) -> dict[str, Quantity]:
    rows = Observation.objects.for_team(place.team_id).filter(visit__place=place, key=key, value__isnull=False)
    earlier = rows.filter(visit__started_at__lt=visit.started_at).order_by("-visit__started_at").first()
    now = rows.filter(visit=visit).first()
    if not earlier or not now:
        return {}
    days = (now.at - earlier.at) / timedelta(days=1)
    if days < 0.2:
        return {}
    before, since = _READ_BEFORE[key]
    return {before: _around(earlier.value, *_READ[key][1:]), since: Quantity(days, days, days, None, "days")}
