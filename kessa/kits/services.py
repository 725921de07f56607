"""Everything that changes kits, lots and instruments."""

from datetime import date

from django.core.exceptions import ValidationError
from django.db import transaction
from django.db.models import F
from django.utils import timezone

from kessa.core.readings.lot_table import read_lot_table
from kessa.kits.models import Instrument, InstrumentCheck, Kit, KitCheck, Lot, StockChange
from kessa.people.models import User


def keep_kit(kit: Kit) -> Kit:
    """Write a new or changed kit."""
    kit.save()
    return kit


@transaction.atomic
def add_lot(lot: Lot, units: float, person: User) -> Lot:
    """Put a lot into its kit; the first of its supply there is the one in use."""
    alike = Lot.objects.for_team(lot.team_id).filter(kit=lot.kit, supply_key=lot.supply_key, in_use=True)
    lot.in_use = not alike.exists()
    lot.save()
    _change(lot, units, "received", person)
    return lot


@transaction.atomic
def count_lot(lot: Lot, units: float, person: User) -> None:
    """Set what is left of a lot to what was counted."""
    lot = Lot.objects.for_team(lot.team_id).select_for_update().get(pk=lot.pk)
    _change(lot, units - lot.units_left, "counted", person)


def take_from(lot: Lot, units: float) -> None:
    """Take from a lot what runs used; it may go below nothing, where more was there than the book said."""
    Lot.objects.for_team(lot.team_id).filter(pk=lot.pk).update(units_left=F("units_left") - units)


@transaction.atomic
def use_lot(lot: Lot, day: date) -> None:
    """Make a lot the one in use of its supply, opened on `day` unless it was open before."""
    Lot.objects.for_team(lot.team_id).filter(kit=lot.kit, supply_key=lot.supply_key).update(in_use=False)
    lot.in_use = True
    lot.opened_on = lot.opened_on or day
    lot.save(update_fields=["in_use", "opened_on"])


def suspect_damp(lot: Lot, *, damp: bool) -> None:
    """Mark a lot as suspected damp, or clear it of that."""
    lot.damp = damp
    lot.save(update_fields=["damp"])


@transaction.atomic
def put_away(lot: Lot, person: User, why: str) -> None:
    """Take a lot out of the kit for good; results that rest on it keep its number."""
    _change(lot, -lot.units_left, why, person)
    lot.in_use, lot.put_away_at = False, timezone.now()
    lot.save(update_fields=["in_use", "put_away_at"])


def keep_table(lot: Lot, text: str) -> None:
    """Write a strip lot's conversion table; raises ValidationError naming the line at fault."""
    try:
        lot.table = [list(row) for row in read_lot_table(text)] if text.strip() else []
    except ValueError as fault:
        raise ValidationError(str(fault)) from None
    lot.save(update_fields=["table"])


def keep_instrument(instrument: Instrument) -> Instrument:
    """Write a new or changed instrument."""
    instrument.save()
    return instrument


def check_instrument(check: InstrumentCheck) -> InstrumentCheck:
    """Write the reading of a standard."""
    check.save()
    return check


@transaction.atomic
def tick(check: KitCheck, key: str, *, packed: bool) -> KitCheck:
    """Tick a line of a packing list off, or on again; raises ValidationError where it has no such line."""
    check = KitCheck.objects.for_team(check.team_id).select_for_update().get(pk=check.pk)
    if key not in {line["key"] for line in check.lines}:
        raise ValidationError("This is not on the list.")
    check.ticked = sorted({*check.ticked, key} if packed else {*check.ticked} - {key})
    check.save(update_fields=["ticked"])
    return check


def _change(lot: Lot, units: float, why: str, person: User) -> None:
    StockChange.objects.create(team=lot.team, lot=lot, units=units, why=why, person=person, at=timezone.now())
    take_from(lot, -units)
    lot.refresh_from_db(fields=["units_left"])
