"""Reads about products worth a name."""

from itertools import combinations
from typing import Any, NamedTuple

from django.db.models import Prefetch

from kessa.core.treating.mixing import never_meets
from kessa.record.people.models import Team
from kessa.record.products.models import Product, ProductLot


class Apart(NamedTuple):
    """Two of a team's products that must never meet, and why."""

    one: Product
    other: Product
    why: tuple[str, ...]


def products_of(team: Team | int) -> list[Product]:
    """Return a team's products in use by name, each with `lots_kept`: those not put away, the first to expire first."""
    kept = Prefetch("lots", ProductLot.objects.for_team(team).filter(put_away_at=None), to_attr="lots_kept")
    return list(Product.objects.for_team(team).filter(retired_at=None).prefetch_related(kept, "places"))


def left_of(product: Any) -> float | None:
    """Return how much is left of a product (L or kg); None where none of its lots is on the books."""
    fit = [lot for lot in product.lots_kept if not lot.expired]
    return sum(max(lot.left, 0.0) for lot in fit) if product.lots_kept else None


def kept_apart(products: list[Product]) -> list[Apart]:
    """Return which of some products must never meet."""
    pairs = ((one, other, never_meets(one.holds, other.holds)) for one, other in combinations(products, 2))
    return [Apart(one, other, why) for one, other, why in pairs if why]
