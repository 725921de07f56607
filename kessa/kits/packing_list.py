"""The packing list of planned work: what is needed against what is there, in the order one packs."""

from collections.abc import Iterable
from datetime import date
from typing import Any

from django.utils import timezone

from kessa.core.determination import FLAGS
from kessa.core.packing import needs
from kessa.core.quantity import plain
from kessa.core.stock import allot
from kessa.core.supplies import Supply, supplies
from kessa.kits.models import Instrument, KitCheck, Lot
from kessa.kits.selectors import instruments_of, kits_with_lots
from kessa.people.models import Team, User
from kessa.rounds.models import Stop
from kessa.visits.circumstances import scales


def make_packing_list(team: Team, person: User, stops: Iterable[Stop]) -> KitCheck:
    """Work out and keep the packing list of these stops (with their places and tests at hand)."""
    stops = list(stops)
    needed = needs([test.planned for stop in stops for test in stop.tests.all()])
    lots = [lot for kit in kits_with_lots(team) for lot in kit.lots_kept]  # type: ignore[attr-defined]
    today = timezone.localdate()
    lines = [_supply_line(supplies()[key], units, lots, today) for key, units in needed.items()]
    in_place = list(dict.fromkeys(key for stop in stops for key in stop.in_place))
    measuring = instruments_of(team) if in_place else []
    lines += [_instrument_line(key, [each for each in measuring if each.measures == key]) for key in in_place]
    return KitCheck.objects.create(
        team=team,
        person=person,
        made_at=timezone.now(),
        title=", ".join(dict.fromkeys(stop.place.name for stop in stops))[:200],
        places=list(dict.fromkeys(stop.place_id for stop in stops)),
        lines=lines,
    )


def _supply_line(supply: Supply, units: float, lots: list[Lot], today: date) -> dict[str, Any]:
    if not supply.has_lots:
        return {"key": supply.key, "name": supply.name, "need": "", "takes": [], "troubles": [], "notes": []}
    of_it = [lot for lot in lots if lot.supply_key == supply.key]
    allotment = allot(units, [lot.stock for lot in of_it], today)
    takes = [
        {
            "from": of_it[take.lot].kit.name,
            "home": of_it[take.lot].kit.home,
            "lot": of_it[take.lot].number,
            "units": counted(take.units, supply.unit),
        }
        for take in allotment.takes
    ]
    troubles = [f"{counted(allotment.short, supply.unit)} short"] if allotment.short > 0 else []
    notes = [
        f"lot {lot.number}: {FLAGS[fault].removeprefix('lot ')}" for lot in of_it for fault in lot.stock.faults(today)
    ]
    return {
        "key": supply.key,
        "name": supply.name,
        "need": counted(units, supply.unit),
        "takes": takes,
        "troubles": troubles,
        "notes": notes,
    }


def _instrument_line(key: str, measuring: list[Instrument]) -> dict[str, Any]:
    label = scales()[key].label.lower()
    fit = [each for each in measuring if not each.faults]  # type: ignore[attr-defined]
    faults = [f"{each.name}: {FLAGS[fault]}" for each in measuring for fault in each.faults]  # type: ignore[attr-defined]
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
    plural = "" if unit in ("mL", "") or units == 1 else "s"
    return f"{plain(units)} {unit}{plural}"
