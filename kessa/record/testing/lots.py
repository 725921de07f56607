"""The reagent lots of a test: which it uses, how much of each, and when another is opened."""

from collections import defaultdict
from datetime import date, datetime

from django.utils import timezone

from kessa.core.planning.packing import used_by
from kessa.core.planning.stock import OPENED_TOO_LONG, USED_UP
from kessa.core.runs.events import BOTTLE
from kessa.record.determinations.models import Determination, LotUse
from kessa.record.determinations.state import Bench, bench_of, lots_of
from kessa.record.kits.models import Lot
from kessa.record.kits.services import take_from, use_lot
from kessa.record.people.models import Membership
from kessa.record.quality.verification import unverified
from kessa.record.taps.selectors import counted

# What is left by the book is a sum of many small amounts.
_TOLERANCE = 1e-6


def faults_of_lot(lot: Lot, day: date, doubtful: set[int]) -> list[str]:
    """What stands against a lot; one past its life opened may be used once a standard has proven it anew."""
    return [fault for fault in lot.stock.faults(day) if fault != OPENED_TOO_LONG or lot.pk in doubtful]


def change_bottle(by: Membership, determination: Determination, number: int, at: datetime) -> None:
    """Go on with another lot of a supply, which is then the one in use; each result names both."""
    lot = Lot.objects.for_team(by.team_id).get(pk=number)
    day = timezone.localdate(at)
    faults = faults_of_lot(lot, day, unverified(by.team_id, [lot], day))
    LotUse.objects.for_team(by.team_id).get_or_create(
        team_id=by.team_id, determination=determination, lot=lot, defaults={"faults": faults}
    )
    if not lot.in_use:
        use_lot(by, lot, day)
    determination.lot = "; ".join(dict.fromkeys([*determination.lot.split("; "), str(lot)]))[:300]
    determination.missing_lots = [key for key in determination.missing_lots if key != lot.supply_key]
    determination.save(update_fields=["lot", "missing_lots"])


def book(determination: Determination, bench: Bench) -> None:
    """Take from the lots what the runs used, void ones and blanks too; after a further run only what came on top.

    Of one that held less by the book, the rest is taken from nothing, and what was measured with it is marked.
    """
    used = _used_by_lot(determination, bench)
    for use in lots_of(team=determination.team_id, test=determination.pk):
        wanted = used.get(use.lot_id, 0.0)
        use.units += take_from(use.lot, wanted - use.units)
        if wanted > use.units + _TOLERANCE:
            use.faults = list(dict.fromkeys([*use.faults, USED_UP]))
        use.save(update_fields=["units", "faults"])


def _used_by_lot(determination: Determination, bench: Bench) -> dict[int, float]:
    """Return how much of each lot was used: of one, until the next was named."""
    taps = counted(determination.team_id, determination.pk)
    changes = [(nth, tap.data["lot"]) for nth, tap in enumerate(taps) if tap.kind == BOTTLE]
    lots = {use.lot_id: use.lot.supply_key for use in lots_of(team=determination.team_id, test=determination.pk)}
    named = {lot for _, lot in changes}
    now = {supply: pk for pk, supply in lots.items() if pk not in named}
    found: dict[int, float] = defaultdict(float)
    booked: dict[str, float] = defaultdict(float)
    for until, then in [*((bench_of(determination, taps[:nth]), lot) for nth, lot in changes), (bench, None)]:
        for supply, units in _used(determination, until).items():
            if supply in now:
                found[now[supply]] += units - booked[supply]
                booked[supply] = units
        if then in lots:
            now[lots[then]] = then
    return found


def _used(determination: Determination, bench: Bench) -> dict[str, float]:
    """Return what the runs used of each supply."""
    states = (*bench.samples.values(), *bench.firsts.values(), *bench.blanks.values())
    ran = [state for state in states if state.count or state.endpoint is not None or state.readings]
    # What is used once a sample was used by the determination this one continues.
    samples = 0 if determination.continues_id or determination.place is None else 1
    units, parts = sum(state.count for state in ran), sum(len(state.readings) for state in ran)
    return used_by(determination.method, len(ran), units, samples, parts, bench.answers)
