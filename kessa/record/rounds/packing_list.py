"""The packing list of planned work: what is needed against what is there, in the order one packs."""

from collections.abc import Iterable
from typing import Any

from django.utils import timezone

from kessa.core.job.circumstances import scales
from kessa.core.job.supplies import Supply, supplies, unit_word
from kessa.core.job.waste import waste_streams
from kessa.core.planning.packing import needs
from kessa.core.planning.stock import allot
from kessa.core.quantities.quantity import plain
from kessa.core.runs.flags import words
from kessa.record.instruments.models import Instrument
from kessa.record.instruments.selectors import instruments_of
from kessa.record.kits.models import Kit, Lot
from kessa.record.kits.selectors import kits_with_lots
from kessa.record.people.models import Team, User
from kessa.record.rounds.models import KitCheck, Stop


def packing_list(team: Team, person: User, stops: Iterable[Stop], kit: Kit) -> KitCheck:
    """Work out the packing list of these stops (with their places and tests at hand), packed from one kit."""
    stops = list(stops)
    needed = needs([test.planned for stop in stops for test in stop.tests.all()])
    lots = [lot for each in kits_with_lots(team) for lot in each.lots_kept]  # type: ignore[attr-defined]
    lines = [_supply_line(supplies()[key], units, lots, kit) for key, units in needed.items()]
    in_place = list(dict.fromkeys(key for stop in stops for key in stop.in_place))
    measuring = instruments_of(team) if in_place else []
    lines += [_instrument_line(key, [each for each in measuring if each.measures == key], kit) for key in in_place]
    return KitCheck(
        team=team,
        person=person,
        made_at=timezone.now(),
        title=f"{kit}: {', '.join(dict.fromkeys(stop.place.name for stop in stops))}"[:200],
        places=list(dict.fromkeys(stop.place_id for stop in stops)),
        lines=lines,
    )


def _supply_line(supply: Supply, units: float, lots: list[Lot], kit: Kit) -> dict[str, Any]:
    if not supply.has_lots:
        label = next((stream.label for stream in waste_streams().values() if stream.jar == supply.key), "")
        line = {"key": supply.key, "name": supply.name, "need": "", "takes": [], "troubles": [], "notes": []}
        return line | {"label": label}
    here = [lot for lot in lots if lot.supply_key == supply.key and lot.kit_id == kit.pk]
    elsewhere = [lot for lot in lots if lot.supply_key == supply.key and lot.kit_id != kit.pk]
    takes, short = _taken(units, here, supply)
    troubles = []
    if short > 0:
        troubles.append(f"{counted(short, supply.unit)} short in {kit}")
        borrowed, short = _taken(short, elsewhere, supply)
        takes += borrowed
        troubles += [f"{counted(short, supply.unit)} short in every kit"] if short > 0 else []
    unfit = [lot for lot in here if lot.faults]
    return {
        "key": supply.key,
        "name": supply.name,
        "need": counted(units, supply.unit),
        "takes": takes,
        "troubles": troubles,
        "notes": [f"lot {lot.number}: {words(fault).removeprefix('lot ')}" for lot in unfit for fault in lot.faults],
    }


def _taken(units: float, lots: list[Lot], supply: Supply) -> tuple[list[dict[str, str]], float]:
    allotment = allot(units, [lot.stock for lot in lots], timezone.localdate())
    takes = [(lots[take.lot], counted(take.units, supply.unit)) for take in allotment.takes]
    written = [
        {"from": lot.kit.name, "home": lot.kit.home, "lot": lot.number, "units": amount} for lot, amount in takes
    ]
    return written, allotment.short


def _instrument_line(key: str, measuring: list[Instrument], kit: Kit) -> dict[str, Any]:
    label = scales()[key].label.lower()
    measuring = sorted(measuring, key=lambda each: each.kit_id != kit.pk)
    fit = [each for each in measuring if not each.faults]  # type: ignore[attr-defined]
    faults = [f"{each.name}: {words(fault)}" for each in measuring for fault in each.faults]  # type: ignore[attr-defined]
    best = next(iter(fit or measuring), None)
    return {
        "key": f"for-{key}",
        "name": best.name if best else f"Something to read {label} with",
        "need": f"for {label}",
        "takes": [{"from": best.kit.name, "home": best.kit.home, "lot": "", "units": ""}] if best and best.kit else [],
        "troubles": [] if fit else faults or [f"no instrument for {label} is on your list"],
        "notes": faults if fit else [],
    }


def counted(units: float, unit: str) -> str:
    """Write a number of units, such as "2 strips" or "1056 mL"."""
    return f"{plain(units)} {unit_word(units, unit)}"
