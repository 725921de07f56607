"""What the taps of a supply say together: a percentile over them, as a result of the supply."""

from contextlib import suppress
from datetime import datetime, timedelta
from typing import Any

from kessa.core.errors import CannotCompute
from kessa.core.judging.statistics import over_taps
from kessa.core.methods.exactness import DERIVED
from kessa.record.compiled import compiled
from kessa.record.derived.calculated import CALCULATED, Calculated, said_of_imported, supersede
from kessa.record.places.models import PairKind, Place
from kessa.record.places.selectors import chosen_sets, paired
from kessa.record.results.marks import flags_carried
from kessa.record.results.models import OVER_TAPS, Result, quantity_of
from kessa.record.results.written import Found
from kessa.record.visits.models import Visit

# A reading of a tap speaks for it so long (40 CFR 141.86: from half a year to three, by how the supply stands).
_SPEAKS = timedelta(days=365)


def taps_of(supply: Place) -> list[Place]:
    """Return the taps that a supply feeds."""
    return paired(supply, PairKind.TAP, first=True)


def supplies_of(tap: Place) -> list[Place]:
    """Return what feeds a tap."""
    return paired(tap, PairKind.TAP, first=False)


def write_over_taps(supply: Place) -> None:
    """Write what a supply's limits want to know of its taps, as it is now; what no tap tells any more ends."""
    current = {each.parameter: each for each in _current(team=supply.team_id, place=supply.pk)}
    taps = [each.pk for each in taps_of(supply)]
    for parameter in {*current, *(_asked_of(supply) if taps else ())}:
        rows = _newest(supply.team_id, taps, parameter) if taps else []
        before = current.get(parameter)
        if rows or before:
            last = rows[0] if rows else None
            visit = _visit(supply, last.taken_at if last else None, before)
            supersede(before, _calculated(supply, visit, parameter, rows) if rows else None, None)


def _asked_of(supply: Place) -> set[str]:
    """Return the parameters of which a limit of a supply wants to know all its taps."""
    return {limit.parameter for each in chosen_sets(supply) for limit in each.limits if limit.over}


def _newest(team_id: int, taps: list[int], parameter: str) -> list[Any]:
    """Return the newest result of each tap within a year before the newest of all, the newest first."""
    rows = Result.objects.for_team(team_id).current().filter(place__any=taps, parameter=parameter)
    # What taps are held against is all of a metal, not what is dissolved of it.
    rows = (
        rows.exclude(unit="presence")
        .exclude(fraction="dissolved")
        .order_by("place_id", "-taken_at", "-pk")
        .distinct("place_id")
    )
    newest = sorted(
        rows.defer("readings", "working", "judgements"), key=lambda row: (row.taken_at, row.pk), reverse=True
    )
    return [row for row in newest if row.taken_at > newest[0].taken_at - _SPEAKS]


def _calculated(supply: Place, visit: Visit, parameter: str, rows: list[Any]) -> Calculated:
    last, readings = rows[0], {}
    for row in rows:
        # What is written in a form that does not convert is another thing.
        with suppress(CannotCompute):
            readings[row.pk] = quantity_of(row).converted(last.unit, last.form or None)
    quantity, working = over_taps(list(readings.values()))
    numbers = list(readings)
    found = Found(
        place=supply,
        visit_id=visit.pk,
        person_id=last.person_id,
        taken_at=last.taken_at,
        tested_at=last.tested_at,
        family=DERIVED,
        part="taps",
        parameter=parameter,
        fraction=OVER_TAPS,
        method_class=DERIVED,
        quantity=quantity,
        readings=CALCULATED,
        working=[*working, *said_of_imported(rows)],
        made_from={"results": numbers},
    )
    return Calculated(found, flags=flags_carried(last.team_id, numbers), taps=len(numbers))


def _visit(supply: Place, taken_at: datetime | None, before: Result | None) -> Visit:
    """Return with what such a result is reviewed: one stop of nobody, at the time of the newest reading."""
    visit = before.visit if before else Visit(team_id=supply.team_id, place=supply)
    if taken_at and visit.started_at != taken_at:
        visit.started_at = taken_at
        visit.save()
    return visit


@compiled
def _current(team: int, place: int) -> Any:
    return Result.objects.for_team(team).current().filter(place=place, fraction=OVER_TAPS)
