"""Everything that changes kits and lots."""

from datetime import date

from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction
from django.db.models import F
from django.dispatch import Signal
from django.utils import timezone

from kessa.core.quantities.quantity import plain
from kessa.core.readings.lot_table import read_lot_table
from kessa.record.kits import may
from kessa.record.kits.models import Kit, Lot, StockChange
from kessa.record.people.acts import act
from kessa.record.people.models import Membership

# Sent where a lot's table was written, with the lot and by whom; in the same transaction.
tabled = Signal()


@act("kit kept", may.keep_kit)
def keep_kit(by: Membership, kit: Kit) -> Kit:
    """Write a new or changed kit."""
    kit.save()
    return kit


@act("lot added", may.add_lot)
def add_lot(by: Membership, lot: Lot, units: float) -> Lot:
    """Put a lot into its kit; the first of its supply there is the one in use."""
    Kit.objects.for_team(lot.team_id).select_for_update().get(pk=lot.kit_id)
    alike = Lot.objects.for_team(lot.team_id).filter(kit=lot.kit, supply_key=lot.supply_key, in_use=True)
    lot.in_use = not alike.exists()
    try:
        with transaction.atomic():
            lot.save()
    except IntegrityError:
        raise ValidationError("This kit holds this lot already: count it instead.") from None
    _change(by, lot, units, "received")
    return lot


@act("lot counted", may.count_lot)
def count_lot(by: Membership, lot: Lot, units: float) -> Lot:
    """Set what is left of a lot to what was counted; raises ValidationError where it was put away."""
    lot = _held(lot)
    _change(by, lot, units - lot.units_left, "counted")
    return lot


def take_from(lot: Lot, units: float) -> float:
    """Take from a lot what runs used, never more than the book says; return what was taken. Below 0 gives back."""
    rows = Lot.objects.for_team(lot.team_id).filter(pk=lot.pk)
    taken = min(units, rows.select_for_update().get().units_left)
    rows.update(units_left=F("units_left") - taken)
    return taken


@act("lot taken into use", may.use_lot)
def use_lot(by: Membership, lot: Lot, day: date) -> Lot:
    """Make a lot the one in use of its supply, opened on `day` unless it was open before; not one that is put away."""
    Kit.objects.for_team(lot.team_id).select_for_update().get(pk=lot.kit_id)
    lot = _held(lot)
    Lot.objects.for_team(lot.team_id).filter(kit=lot.kit, supply_key=lot.supply_key).update(in_use=False)
    lot.in_use = True
    lot.opened_on = lot.opened_on or day
    lot.save(update_fields=["in_use", "opened_on"])
    return lot


@act("lot suspected damp, or not", may.suspect_damp)
def suspect_damp(by: Membership, lot: Lot, *, damp: bool) -> Lot:
    """Mark a lot as suspected damp, or clear it of that."""
    lot = _held(lot)
    lot.damp = damp
    lot.save(update_fields=["damp"])
    return lot


@act("lot put away", may.put_away)
def archive_lot(by: Membership, lot: Lot, *, why: str) -> Lot:
    """Take a lot out of the kit for good; results that rest on it keep its number."""
    lot = _held(lot)
    _change(by, lot, -lot.units_left, why)
    lot.in_use, lot.put_away_at = False, timezone.now()
    lot.save(update_fields=["in_use", "put_away_at"])
    return lot


@act("lot's drops weighed", may.weigh_lot)
def weigh_lot(by: Membership, lot: Lot, grams_of_20: float) -> Lot:
    """Write what 20 drops of a bottle weigh (g): what begins with it from now on counts by its own drop.

    Raises ValidationError where its drop would be under half or over twice what it is taken to be.
    """
    lot = _held(lot)
    if not lot.drop_ml:
        raise ValidationError("This is not counted by drops.")
    expected = 20 * lot.drop_ml
    if not expected / 2 <= grams_of_20 <= expected * 2:
        raise ValidationError(
            f"20 drops of it weigh about {plain(expected)} g: weigh them again, with the vessel's weight taken off."
        )
    lot.grams_of_20 = grams_of_20
    lot.save(update_fields=["grams_of_20"])
    return lot


@act("lot's table written", may.keep_table)
def keep_table(by: Membership, lot: Lot, text: str) -> Lot:
    """Write a strip lot's conversion table; raises ValidationError naming the line at fault."""
    lot = _held(lot)
    try:
        lot.table = [list(row) for row in read_lot_table(text)] if text.strip() else []
    except ValueError as fault:
        raise ValidationError(str(fault)) from None
    lot.save(update_fields=["table"])
    if lot.table:
        tabled.send(Lot, lot=lot, by=by)
    return lot


def _held(lot: Lot) -> Lot:
    """Return a lot as it is now, held; raises ValidationError where it was put away meanwhile."""
    rows = Lot.objects.for_team(lot.team_id).select_for_update(of=("self",)).select_related("kit", "team")
    held: Lot = rows.get(pk=lot.pk)
    if held.put_away_at:
        raise ValidationError(f"{held} was put away.")
    return held


def _change(by: Membership, lot: Lot, units: float, why: str) -> None:
    StockChange.objects.create(
        team_id=lot.team_id, lot=lot, units=units, why=why, person_id=by.user_id, at=timezone.now()
    )
    take_from(lot, -units)
    lot.refresh_from_db(fields=["units_left"])
