"""Everything that changes products and their lots."""

from collections.abc import Iterable

from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction
from django.db.models import F
from django.dispatch import Signal
from django.utils import timezone

from kessa.record.people.acts import act
from kessa.record.people.models import Membership
from kessa.record.places.models import Place
from kessa.record.products import may
from kessa.record.products.models import Product, ProductChange, ProductLot

# Sent where a label, or what is left of a product, changed; in the same transaction.
changed = Signal()


@act("product kept", may.keep_product)
def keep_product(by: Membership, product: Product, places: Iterable[Place] = ()) -> Product:
    """Write a new or changed product, for some places or for all; what was done with it keeps its own numbers."""
    product.save()
    product.places.set(places)
    changed.send(Product, team=product.team_id)
    return product


@act("product retired", may.retire_product)
def retire_product(by: Membership, product: Product) -> Product:
    """Propose a product no more; what was done with it stays."""
    product.retired_at = timezone.now()
    product.save(update_fields=["retired_at"])
    changed.send(Product, team=product.team_id)
    return product


@act("product lot added", may.add_lot)
def add_lot(by: Membership, lot: ProductLot, amount: float) -> ProductLot:
    """Put a lot of a product on the books; raises ValidationError where it is there already."""
    try:
        with transaction.atomic():
            lot.save()
    except IntegrityError:
        raise ValidationError("This lot is on the books already: count it instead.") from None
    change(by, lot, amount, "received")
    return lot


@act("product lot counted", may.count_lot)
def count_lot(by: Membership, lot: ProductLot, amount: float) -> ProductLot:
    """Set what is left of a lot (L or kg) to what was counted."""
    held = ProductLot.objects.for_team(lot.team_id).select_for_update().get(pk=lot.pk)
    change(by, held, amount - held.left, "counted")
    return held


@act("product lot put away", may.put_away)
def archive_lot(by: Membership, lot: ProductLot, *, why: str) -> ProductLot:
    """Take a lot off the shelf for good; what was done with it keeps its number."""
    held = ProductLot.objects.for_team(lot.team_id).select_for_update().get(pk=lot.pk)
    change(by, held, -held.left, why)
    held.put_away_at = timezone.now()
    held.save(update_fields=["put_away_at"])
    changed.send(Product, team=lot.team_id)
    return held


def take_out(by: Membership, lot: ProductLot, amount: float, why: str) -> float:
    """Book what went out of a lot, and return it: no more than it held, for a wrong count is put right by counting."""
    held = ProductLot.objects.for_team(lot.team_id).select_for_update().get(pk=lot.pk)
    short = f", {amount - held.left:.3g} {held.product.kept} more than it held" if amount > held.left else ""
    given = max(min(amount, held.left), 0.0)
    change(by, held, -given, why + short)
    lot.refresh_from_db(fields=["left"])
    return given


def change(by: Membership, lot: ProductLot, amount: float, why: str) -> None:
    """Book what came into a lot, or with a minus went out."""
    ProductChange.objects.create(
        team_id=lot.team_id, lot=lot, amount=amount, why=why[:300], person_id=by.user_id, at=timezone.now()
    )
    ProductLot.objects.for_team(lot.team_id).filter(pk=lot.pk).update(left=F("left") + amount)
    lot.refresh_from_db(fields=["left"])
    changed.send(Product, team=lot.team_id)
