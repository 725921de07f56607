"""What goes on control charts: standards, blanks, spikes and duplicates, with who, by which lot and instrument."""

from collections import defaultdict
from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple

from kessa.core.errors import CannotCompute
from kessa.core.judging.control import Apart, Chart, control_chart, groups_apart, own_spread
from kessa.core.methods.schema import Method
from kessa.record.determinations.models import Determination, LotUse, Purpose
from kessa.record.kits.models import Lot
from kessa.record.people.models import Team
from kessa.record.quality.models import QualityCheck
from kessa.record.results.models import Result

KINDS = {"standard": "standards", "blank": "blanks", "spike": "spikes", "duplicate": "duplicates"}
_CHARTED, _PAIRED = 120, 400
# Below this no spread in percent is believed.
_LEAST_PERCENT = 0.5
# The standard deviation of the difference of two numbers that were rounded to whole ones: the root of 1 / 6.
_OF_ROUNDING = 0.41


class Charted(NamedTuple):
    """One value on a chart: when, how much, by whom, with which lots and instrument, and where it is told whole."""

    at: datetime
    value: float
    person: str
    lots: tuple[Lot, ...]
    instrument: str
    determination: Any


def charted(team: Team | int, family: str, kind: str) -> list[Charted]:
    """Return what was found of a family's checks of a kind, in order of time; of duplicates their difference."""
    return _duplicates(team, family) if kind == "duplicate" else _checks(team, family, kind)


def _checks(team: Team | int, family: str, kind: str) -> list[Charted]:
    rows = QualityCheck.objects.for_team(team).filter(family=family, withdrawn_at=None, determination__purpose=kind)
    rows = rows.select_related("person", "determination__instrument").order_by("-at", "-pk")[:_CHARTED]
    return _charted(team, [(row.at, row.found if row.percent is None else row.percent, row) for row in rows])


def _duplicates(team: Team | int, family: str) -> list[Charted]:
    rows = Result.objects.for_team(team).current().filter(family=family, determination__purpose=Purpose.SAMPLE)
    rows = rows.select_related("person", "determination__instrument").order_by("-tested_at", "-pk")[:_CHARTED]
    return _charted(team, [(row.tested_at, apart, row) for row in rows if (apart := _run_apart(row)) is not None])


def _charted(team: Team | int, found: Sequence[tuple[datetime, float, Any]]) -> list[Charted]:
    """Tell of values and their rows, newest first, all that a chart is narrowed by, oldest first."""
    lots = _lots_of(team, [row.determination_id for _, _, row in found])
    return [
        Charted(
            at,
            value,
            str(row.person),
            lots[row.determination_id],
            str(row.determination.instrument or ""),
            row.determination_id,
        )
        for at, value, row in reversed(found)
    ]


def _run_apart(row: Result) -> float | None:
    """How far the second run lay above the first, in percent of their mean; None where there were not two numbers."""
    determination: Determination | None = row.determination
    runs = list(row.runs.values())
    if determination is None or len(runs) < 2:
        return None
    try:
        part = determination.method.part(row.part)
        first, second = (part.determine(run, determination.dilution).quantity for run in runs[:2])
    except (CannotCompute, KeyError):
        return None
    middle = (first.value + second.value) / 2
    return None if first.censor or second.censor or not middle else 100 * (second.value - first.value) / middle


def _lots_of(team: Team | int, determinations: Sequence[Any]) -> dict[Any, tuple[Lot, ...]]:
    found: dict[Any, list[Lot]] = defaultdict(list)
    for use in LotUse.objects.for_team(team).filter(determination__in=determinations).select_related("lot"):
        found[use.determination_id].append(use.lot)
    return defaultdict(tuple, {pk: tuple(each) for pk, each in found.items()})


def chart_of(rows: Sequence[Charted], kind: str, method: Method) -> Chart | None:
    """Return the chart of what was found; None where there is too little of it."""
    try:
        return control_chart([row.value for row in rows], least_sigma(kind, method, rows))
    except CannotCompute:
        return None


def least_sigma(kind: str, method: Method, rows: Sequence[Charted]) -> float:
    """Return below what no spread is believed: of blanks what a unit or the detection limit makes, else in percent."""
    part = method.main
    if kind == "duplicate" and (part.counted or part.numbers.card):
        # Two whole numbers differ by nothing, or by one at least: that is not spread, but how they are read.
        return _OF_ROUNDING * min((abs(row.value) for row in rows if row.value), default=_LEAST_PERCENT)
    if kind != "blank":
        return _LEAST_PERCENT
    return (part.per if part.counted else part.least or 0.0) / 3


def what_breaks(check: QualityCheck) -> list[str]:
    """Return the rules that a check breaks on the chart of those before it and itself."""
    determination = check.determination
    rows = _checks(check.team_id, check.family, determination.purpose)
    found = chart_of(rows, determination.purpose, determination.method)
    here = next((n for n, row in enumerate(rows) if row.determination == determination.pk), None)
    return list(found.broken.get(here, ())) if found and here is not None else []


class Group(NamedTuple):
    """What was found with one lot, or by one person: how many, their mean, and how far from the group before."""

    name: str
    number: int
    mean: float
    apart: Apart | None


def by_lot(rows: Sequence[Charted]) -> list[Group]:
    """Return what was found lot by lot of each supply in order of first use, each held against the one before."""
    by_supply: dict[str, dict[Lot, list[float]]] = defaultdict(lambda: defaultdict(list))
    for row in rows:
        for lot in row.lots:
            by_supply[lot.supply_key][lot].append(row.value)
    found = []
    for lots in by_supply.values():
        before: list[float] = []
        for lot, values in lots.items():
            found.append(Group(str(lot), len(values), sum(values) / len(values), groups_apart(before, values)))
            before = values
    return found


class Couple(NamedTuple):
    """Two people who tested the same samples: how often, and how far the second lay above the first, in percent."""

    first: str
    second: str
    number: int
    mean: float
    apart: Apart | None


def people_apart(team: Team | int, family: str) -> list[Couple]:
    """Return how people who tested the same sample by a method lie against one another."""
    rows = Result.objects.for_team(team).current().filter(family=family, censor="", determination__sample__isnull=False)
    rows = rows.select_related("person", "determination").order_by("-tested_at")[:_PAIRED]
    of_sample: dict[Any, list[Result]] = defaultdict(list)
    for row in rows:
        of_sample[row.determination.sample_id, row.part].append(row)
    found: dict[tuple[str, str], list[float]] = defaultdict(list)
    for results in of_sample.values():
        for n, one in enumerate(results):
            for other in results[n + 1 :]:
                names = sorted((str(one.person), str(other.person)))
                middle = (one.value + other.value) / 2
                if one.person_id != other.person_id and middle:
                    above = 100 * (other.value - one.value) / middle
                    found[names[0], names[1]].append(above if str(other.person) == names[1] else -above)
    return [
        Couple(*names, len(each), sum(each) / len(each), groups_apart([0.0] * 3, each) if len(each) >= 3 else None)
        for names, each in sorted(found.items())
    ]


def spread_found(rows: Sequence[Charted]) -> float | None:
    """Return to what percent a team's results are good by its own standards; None where there are too few."""
    try:
        return own_spread([row.value for row in rows])
    except CannotCompute:
        return None
