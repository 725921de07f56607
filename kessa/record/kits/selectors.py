"""Reads about kits, lots and instruments worth a name."""

from collections.abc import Collection, Iterable
from typing import Any, NamedTuple

from django.db.models import Prefetch, Q

from kessa.core.job.supplies import Supply, supplies
from kessa.core.methods.schema import Method
from kessa.core.planning.packing import used_by
from kessa.core.planning.stock import runs_left, weeks_left
from kessa.record.compiled import compiled
from kessa.record.kits.models import Kit, Lot
from kessa.record.people.models import Team

_REORDER_WEEKS = 6
_MOST_LOTS = 200


class Holding(NamedTuple):
    """What a team has of a supply that it needs: lots, units fit for use, and how far they reach.

    The lot in use comes first, then those that are fit for use by when they expire, then those that are not.
    """

    supply: Supply
    lots: list[Lot]
    usable: float
    runs: int | None
    weeks: float | None

    @property
    def most(self) -> int:
        """How many lots of a supply stand in a list of kits."""
        return 4

    @property
    def besides(self) -> list[Lot]:
        """The lots that a list of kits only counts."""
        return self.lots[self.most :]

    @property
    def unfit_besides(self) -> int:
        """How many of those are not fit for use."""
        return sum(bool(lot.faults) for lot in self.besides)

    @property
    def reorder(self) -> bool:
        """Whether it is time to buy: nothing fit for use, or less than six weeks of it."""
        return self.usable <= 0 or (self.weeks is not None and self.weeks < _REORDER_WEEKS)


def kits_with_lots(team: Team) -> list[Kit]:
    """Return a team's kits, each with `lots_kept`: the lots not put away, in use first."""
    kept = Prefetch("lots", Lot.objects.for_team(team).filter(put_away_at=None), to_attr="lots_kept")
    return list(Kit.objects.for_team(team).prefetch_related(kept))


def kits_serving(team: int, family: str) -> list[Kit]:
    """Return the kits that serve a test."""
    return [kit for kit in _kits(team=team) if family in kit.families]


@compiled
def _kits(team: int) -> Any:
    return Kit.objects.for_team(team)


def kit_at(team: int, pk: int) -> list[Kit]:
    """Return the kit of a number; none where the team has none."""
    return [kit for kit in _kits(team=team) if kit.pk == pk]


def lots_for(team: int, kit: Kit | None, method: Method, seen: Collection[int] = ()) -> dict[str, Lot | None]:
    """Return the lot of each supply of a method: one that the person saw (`seen`, by number), else the one in use.

    None where a kit is kept for it and names none. Nothing where the team keeps no kit for this test.
    """
    if kit is None and not kits_serving(team, method.family):
        return {}
    lots = _in_use_or_seen(team=team, kit=kit.pk, seen=list(seen)) if kit else []
    return _of_each_supply(sorted(lots, key=lambda lot: lot.pk in seen), method)


def lots_in_use(team: int, kits: list[Kit], method: Method) -> list[dict[str, Lot | None]]:
    """Return, kit by kit, the lot in use of each supply of a method."""
    supplies = [use.supply for use in method.uses]
    lots = _lots_in_use(team=team, kits=[kit.pk for kit in kits], supplies=supplies) if kits else []
    return [_of_each_supply([lot for lot in lots if lot.kit_id == kit.pk], method) for kit in kits]


def fresh_instead(lots: Iterable[Lot]) -> dict[int, Lot]:
    """Return for lots with a fault what their kits hold besides: of each supply the first to expire that has none."""
    faulty = [lot for lot in lots if lot.faults]
    if not faulty:
        return {}
    kept = Lot.objects.for_team(faulty[0].team_id).filter(put_away_at=None, in_use=False)
    beside = kept.filter(kit__in=[lot.kit_id for lot in faulty]).order_by("expires_on", "pk")
    fresh: dict[tuple[int, str], Lot] = {}
    for lot in beside:
        if lot.units_left > 0 and not lot.faults:
            fresh.setdefault((lot.kit_id, lot.supply_key), lot)
    return {lot.pk: fresh[of] for lot in faulty if (of := (lot.kit_id, lot.supply_key)) in fresh}


@compiled
def _lots_in_use(team: int, kits: list[int], supplies: list[str]) -> Any:
    kept = Lot.objects.for_team(team).filter(in_use=True, put_away_at=None)
    return kept.filter(kit__any=kits, supply_key__any=supplies)


@compiled
def _in_use_or_seen(team: int, kit: int, seen: list[int]) -> Any:
    return Lot.objects.for_team(team).filter(Q(in_use=True, put_away_at=None) | Q(pk__any=seen), kit=kit)


def _of_each_supply(lots: list[Lot], method: Method) -> dict[str, Lot | None]:
    by_key = {lot.supply_key: lot for lot in lots}
    return {use.supply: by_key.get(use.supply) for use in method.uses}


def holdings(kits: list[Kit], weekly: dict[str, float], units: dict[str, float] | None = None) -> list[Holding]:
    """Return what the kits (from kits_with_lots) hold of every supply their tests use, in packing order.

    `weekly` is how much of each supply the rounds use up a week, `units` how many drops or tablets a run usually takes
    here, by test.
    """
    a_run: dict[str, float] = {}
    for method in {each.family: each for kit in kits for each in kit.methods}.values():
        for key, amount in used_by(method, 1, (units or {}).get(method.family), answers={}).items():
            a_run[key] = max(amount, a_run.get(key, 0.0))
    lots: dict[str, list[Lot]] = {}
    for lot in (each for kit in kits for each in kit.lots_kept):  # type: ignore[attr-defined]
        lots.setdefault(lot.supply_key, []).append(lot)
    found = []
    for key, supply in supplies().items():
        unfit = {lot.pk for lot in lots.get(key, []) if lot.faults}
        of_it = sorted(lots.get(key, []), key=lambda lot: (not lot.in_use, lot.pk in unfit))
        if not of_it and key not in a_run:
            continue
        usable = sum(lot.units_left for lot in of_it if lot.pk not in unfit)
        runs = runs_left(usable, a_run[key]) if key in a_run else None
        found.append(Holding(supply, of_it, usable, runs, weeks_left(usable, weekly.get(key, 0.0))))
    return found


class TestsLeft(NamedTuple):
    """How many runs of a test a kit is still enough for, and what ends first."""

    method: Method
    runs: int
    ends_first: Supply


def tests_left(kit: Kit, held: list[Holding], units: dict[str, float]) -> list[TestsLeft]:
    """Return, test by test, how many runs a kit's usable lots are enough for: an empty bottle stops only its own.

    What some waters want besides, such as peroxide, does not count.
    """
    by_key = {each.supply.key: each for each in held}
    left = []
    for method in kit.methods:
        needed = used_by(method, 1, units.get(method.family), answers={})
        reach = [(runs_left(by_key[key].usable, amount), by_key[key].supply) for key, amount in needed.items()]
        if reach:
            runs, supply = min(reach, key=lambda each: each[0])
            left.append(TestsLeft(method, runs, supply))
    return left


@compiled
def lot_numbers(team: int) -> Any:
    """Return the numbers, supplies and printed numbers of a team's lots, the latest taken in first."""
    return Lot.objects.for_team(team).order_by("-pk").values_list("pk", "supply_key", "number")[:_MOST_LOTS]
