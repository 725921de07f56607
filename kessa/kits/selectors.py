"""Reads about kits, lots and instruments worth a name."""

from datetime import date, datetime, timedelta
from typing import Any, NamedTuple

from django.db.models import OuterRef, Prefetch, Subquery
from django.utils import timezone

from kessa.core.job.supplies import Supply, supplies
from kessa.core.methods.schema import Method
from kessa.core.planning.packing import used_by
from kessa.core.planning.stock import runs_left, weeks_left
from kessa.kits.models import Instrument, InstrumentCheck, Kit, Lot
from kessa.people.models import Team

CHECK_FAILED, CHECK_OVERDUE = "check-failed", "check-overdue"
_REORDER_WEEKS = 6


class Holding(NamedTuple):
    """What a team has of a supply that it needs: lots, units fit for use, and how far they reach."""

    supply: Supply
    lots: list[Lot]
    usable: float
    runs: int | None
    weeks: float | None

    @property
    def reorder(self) -> bool:
        """Whether it is time to buy: nothing fit for use, or less than six weeks of it."""
        return self.usable <= 0 or (self.weeks is not None and self.weeks < _REORDER_WEEKS)


def kits_with_lots(team: Team) -> list[Kit]:
    """Return a team's kits, each with `lots_kept`: the lots not put away, in use first."""
    kept = Prefetch(
        "lots", Lot.objects.for_team(team).filter(put_away_at=None).select_related("kit"), to_attr="lots_kept"
    )
    return list(Kit.objects.for_team(team).prefetch_related(kept))


def kits_serving(team: Team, family: str) -> Any:
    """Return the kits that serve a test."""
    return Kit.objects.for_team(team).filter(families__contains=[family])


def lots_for(team: Team, kit: Kit | None, method: Method) -> dict[str, Lot | None]:
    """Return the lot in use of each supply of a method; None where a kit is kept for it and names none.

    Nothing where the team keeps no kit for this test.
    """
    if kit is None and not kits_serving(team, method.family).exists():
        return {}
    in_use = Lot.objects.for_team(team).filter(kit=kit, in_use=True, put_away_at=None) if kit else ()
    by_key = {lot.supply_key: lot for lot in in_use}
    return {use.supply: by_key.get(use.supply) for use in method.uses}


def holdings(kits: list[Kit], weekly: dict[str, float]) -> list[Holding]:
    """Return what the kits (from kits_with_lots) hold of every supply their tests use, in packing order.

    `weekly` is how much of each supply the rounds use up a week.
    """
    a_run: dict[str, float] = {}
    for method in {each.family: each for kit in kits for each in kit.methods}.values():
        for key, amount in used_by(method, 1).items():
            a_run[key] = max(amount, a_run.get(key, 0.0))
    lots = [lot for kit in kits for lot in kit.lots_kept]  # type: ignore[attr-defined]
    found = []
    for key, supply in supplies().items():
        of_it = [lot for lot in lots if lot.supply_key == key]
        if not of_it and key not in a_run:
            continue
        usable = sum(lot.units_left for lot in of_it if not lot.faults)
        runs = runs_left(usable, a_run[key]) if key in a_run else None
        found.append(Holding(supply, of_it, usable, runs, weeks_left(usable, weekly.get(key, 0.0))))
    return found


def instruments_of(team: Team) -> list[Instrument]:
    """Return a team's instruments, each with its `last_check` (None before the first) and its `faults`."""
    newest = InstrumentCheck.objects.for_team(team).filter(instrument=OuterRef("pk")).order_by("-at", "-pk")
    rows = Instrument.objects.for_team(team).select_related("kit")
    found = list(rows.annotate(last_pk=Subquery(newest.values("pk")[:1])))
    checks = (
        InstrumentCheck.objects.for_team(team)
        .select_related("person")
        .in_bulk([row.last_pk for row in found if row.last_pk])
    )
    for instrument in found:
        instrument.last_check = checks.get(instrument.last_pk)
        instrument.faults = faults_of(instrument, instrument.last_check, timezone.localdate())
    return found


def faults_at(instrument: Instrument, at: datetime) -> list[str]:
    """Return what stood against an instrument at a moment."""
    last = instrument.checks.filter(at__lte=at).order_by("-at", "-pk").first()
    return faults_of(instrument, last, timezone.localdate(at))


def instruments_for(team: Team, measures: str | None) -> list[Instrument]:
    """Return the instruments that measure something, those first that nothing stands against."""
    if measures is None:
        return []
    fitting = [each for each in instruments_of(team) if each.measures == measures]
    return sorted(fitting, key=lambda each: len(each.faults))  # type: ignore[attr-defined]


def faults_of(instrument: Instrument, last: InstrumentCheck | None, day: date) -> list[str]:
    """Return what stands against an instrument on a day, by its last check and its calibration, as flags."""
    failed = last is not None and not last.passed
    every = instrument.check_every_days
    unchecked = every is not None and (last is None or day > timezone.localdate(last.at) + timedelta(days=every))
    uncalibrated = instrument.calibration_due is not None and day > instrument.calibration_due
    return [flag for flag, holds in ((CHECK_FAILED, failed), (CHECK_OVERDUE, unchecked or uncalibrated)) if holds]
