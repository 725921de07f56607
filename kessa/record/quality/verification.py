"""Lots that a good standard has proven, and results that say so until one has."""

from collections import defaultdict
from collections.abc import Collection, Iterable
from datetime import date
from typing import Any

from django.utils import timezone

from kessa.core.job.schools import complete
from kessa.core.methods.schema import Method
from kessa.core.runs.flags import FLAGS
from kessa.record.compiled import compiled
from kessa.record.determinations.models import Determination, LotUse, Purpose
from kessa.record.kits.models import Lot
from kessa.record.quality.doubts import follow_marks
from kessa.record.quality.models import OwnSpread
from kessa.record.results.marks import active_on
from kessa.record.results.models import Mark, Result
from kessa.record.rules.selectors import house_rules

UNVERIFIED = "lot-unproven"
assert UNVERIFIED in FLAGS


def lots_wanting_standard(team_id: int, methods: Iterable[Method], lots: Iterable[Lot]) -> set[int]:
    """Return the numbers of the lots that want a standard today for one of these methods; none by a trusting school."""
    if house_rules(team_id).chosen["new_lots"] != "standard":
        return set()
    supplies = {key for method in methods if method.main.numbers.can_be_checked for key in method.lots_matter}
    return unverified(team_id, [lot for lot in lots if lot.supply_key in supplies], timezone.localdate())


def unverified(team_id: int, lots: Iterable[Lot], day: date) -> set[int]:
    """Return the numbers of those of a team's lots that no good standard has proven by a day; water needs none."""
    wanting = [lot for lot in lots if lot.supply.kind != "water"]
    standards = _standards(team_id, [lot.pk for lot in wanting])
    return {lot.pk for lot in wanting if not lot.stock.verified(day, standards[lot.pk])}


def _standards(team_id: int, lots: Collection[int]) -> dict[int, list[date]]:
    """The days on which a good standard was run with each lot."""
    found: dict[int, list[date]] = defaultdict(list)
    for lot, at in _good_standards(team=team_id, lots=list(lots)) if lots else []:
        found[lot].append(timezone.localdate(at))
    return found


@compiled
def _good_standards(team: int, lots: list[int]) -> Any:
    of_standard = {"determination__purpose": Purpose.STANDARD, "determination__quality_check__withdrawn_at": None}
    rows = LotUse.objects.for_team(team).filter(lot__any=lots, determination__quality_check__good=True, **of_standard)
    return rows.values_list("lot_id", "determination__quality_check__at")


def qualify_by_lots(team_id: int, determinations: Iterable[Determination]) -> None:
    """Mark, and free of marks, the standing results of tests whose lots no standard has proven."""
    of_tests = {each.pk: each for each in determinations if each.purpose == Purpose.SAMPLE}
    results = _current_of(team=team_id, tests=list(of_tests))
    marked = defaultdict(list)
    for mark in active_on(team=team_id, results=[each.pk for each in results]):
        if mark.flag == UNVERIFIED:
            marked[mark.result_id].append(mark)
    if not marked and not any(_asks(each) for each in of_tests.values()):
        return
    uses: dict[Any, list[Lot]] = defaultdict(list)
    for use in _lots_of(team=team_id, tests=list(of_tests)):
        supplies = {each.supply for each in of_tests[use.determination_id].method.uses if not each.when}
        if use.lot.supply_key in supplies and use.lot.supply.kind != "water":
            uses[use.determination_id].append(use.lot)
    standards = _standards(team_id, {lot.pk for lots in uses.values() for lot in lots})
    new, gone, now = [], [], timezone.now()
    for result in results:
        there = marked[result.pk]
        day = timezone.localdate(result.tested_at)
        lots = uses[result.determination_id] if _asks(of_tests[result.determination_id]) else []
        wanted = any(not lot.stock.verified(day, standards[lot.pk]) for lot in lots)
        gone += [] if wanted else there
        if wanted and not there:
            new.append(Mark(team_id=team_id, result=result, flag=UNVERIFIED, at=now))
    if gone:
        Mark.objects.for_team(team_id).filter(pk__any=[mark.pk for mark in gone]).update(lifted_at=now)
    Mark.objects.bulk_create(new, ignore_conflicts=True)
    if new or gone:
        follow_marks(team_id, UNVERIFIED, {mark.result_id for mark in [*new, *gone]})


@compiled
def _lots_of(team: int, tests: list[Any]) -> Any:
    return LotUse.objects.for_team(team).filter(determination__any=tests).select_related("lot")


@compiled
def _current_of(team: int, tests: list[Any]) -> Any:
    return Result.objects.for_team(team).current().filter(determination__any=tests).only("determination", "tested_at")


def _asks(determination: Determination) -> bool:
    """Whether results of a test want a standard of their lots: by the team's school, where one can check it."""
    by_standard = complete(determination.house_rules)["new_lots"] == "standard"
    return by_standard and determination.method.main.numbers.can_be_checked


def qualify_after_standard(check: Determination) -> None:
    """Mark, and free of marks, what rests on the lots of a standard that was run or withdrawn."""
    lots = check.lots.values("lot")
    rows = Determination.objects.for_team(check.team_id).filter(lots__lot__in=lots).distinct()
    qualify_by_lots(check.team_id, rows)


def own_spread_of(team_id: int, family: str) -> float | None:
    """Return to what percent a family's results are good by the team's own standards; None by the house's."""
    return dict(_own_spreads(team=team_id)).get(family)


@compiled
def _own_spreads(team: int) -> Any:
    return OwnSpread.objects.for_team(team).filter(ended_at=None).values_list("family", "percent")
