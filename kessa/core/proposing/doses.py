"""How much of which product raises a level, and what keeps it from being put in."""

from __future__ import annotations

from typing import NamedTuple

from kessa.core.errors import finite
from kessa.core.proposing.levels import Out
from kessa.core.proposing.plan import GALLON_L, POUND_KG, Plan
from kessa.core.proposing.refusals import refusals
from kessa.core.proposing.request import Event, Product, Request, called
from kessa.core.proposing.substances import grams_for

# A volume that is less sure than this is said to be.
_UNSURE_PERCENT = 10
_ML = 1000
_UNITS_L = {"L": 1.0, "mL": 0.001, "gal": GALLON_L}
_UNITS_KG = {"kg": 1.0, "g": 0.001, "lb": POUND_KG, "oz": POUND_KG / 16}


class Strength(NamedTuple):
    """What a unit of a product (L, or kg of a powder) brings: mg of what is counted, written as `form`."""

    mg: float
    unit: str


def strength(product: Product, written_as: str | None) -> Strength | None:
    """Return what a product brings, counted as a finding is written; None where its label does not say it.

    By its active part: percent by mass of what `as` names, of a liquid times its density. By its label: mg/L that a
    litre raises a cubic metre by.
    """
    if product.raises_mg_l_per_l_m3 is not None:
        return Strength(product.raises_mg_l_per_l_m3 * 1000 / grams_for(product.form_as, written_as), "L")
    if product.active_percent is None:
        return None
    mg_kg = product.active_percent / 100 * 1e6 / grams_for(product.form_as, written_as)
    if product.is_powder or product.density_kg_l is None:
        return Strength(mg_kg, "kg")
    return Strength(mg_kg * product.density_kg_l, "L")


def brought(event: Event, product: Product, written_as: str | None) -> float | None:
    """Return how many mg of what is counted were put in, where that can be told."""
    held = strength(product, written_as)
    if held is None or event.amount is None:
        return None
    own = _UNITS_L if event.unit in _UNITS_L else _UNITS_KG
    if event.unit not in own:
        return None
    amount = event.amount * own[event.unit]
    if held.unit == "L" and own is _UNITS_KG:
        amount = amount / product.density_kg_l if product.density_kg_l else amount
    elif held.unit == "kg" and own is _UNITS_L:
        amount *= product.density_kg_l or 1.0
    return amount * held.mg


def allowed(plan: Plan, request: Request, products: list[Product]) -> Product | None:
    """Return the first of products that may be put in; those that may not are refused, and it is said why."""
    refused = []
    for product in products:
        why = refusals(product, request)
        if not why:
            return product
        refused.append((product, why))
    for product, why in refused:
        plan.step("refuse", product.name)
        plan.say(*why)
    return None


def by_label(request: Request, product: Product) -> float | None:
    """Return the middle of what a label gives for the system, L; None where it gives none, or no volume is known."""
    volume_l = request.system.volume_l
    return sum(product.label_l_m3) / 2 * volume_l / 1000 if product.label_l_m3 and volume_l is not None else None


def from_stock(plan: Plan, product: Product, litres: float) -> float:
    """Return what of some litres is on the shelf; where that is less, it is said with what is needed."""
    if product.stock_l is None or product.stock_l >= litres:
        return litres
    plan.say("stock")
    plan.figure("needed-l", litres)
    return product.stock_l


def raising(request: Request, parameter: str) -> list[Product]:
    """Return the products that raise a parameter."""
    return [each for each in request.products if each.raises and called(each.raises) == parameter]


def dose(plan: Plan, request: Request, out: Out, small_in_ml: bool = False) -> None:
    """Propose what raises a level that is too low, and to test it again."""
    products, volume_l = raising(request, out.name), request.system.volume_l
    if not products:
        plan.step("ask", parameter=out.name, why="nothing on the shelf raises it")
        return
    product = allowed(plan, request, products)
    if product is None:
        return
    if volume_l is None:
        plan.say("volume-unknown")
        plan.step("ask", parameter=out.name, why="nobody knows how much the system holds")
        return
    amount, unit = _needed(plan, request, product, out, volume_l)
    if amount is None:
        plan.step("ask", product.name, parameter=out.name, why="its label does not say how strong it is")
        return
    amount = _held_back(plan, request, product, out, volume_l, amount, unit)
    if small_in_ml and unit == "L" and amount < 1:
        amount, unit = amount * _ML, "mL"
    plan.step("dose", product.name, amount, unit, parameter=out.name)
    plan.step("retest", parameter=out.name)


def _needed(plan: Plan, request: Request, product: Product, out: Out, volume_l: float) -> tuple[float | None, str]:
    """Return how much raises a level to the aim, and not above its band where the system is as small as it may be."""
    held = strength(product, out.band.form)
    if held is None:
        return by_label(request, product), "L"
    missing = out.aim - out.value
    amount = missing * volume_l / held.mg
    off = request.system.volume_off_percent
    if off >= _UNSURE_PERCENT:
        plan.say("volume-uncertain")
    if out.band.most is not None and off:
        amount = min(amount, (out.band.most - out.value) * volume_l * (1 - off / 100) / held.mg)
    return finite(amount, "volume_l"), held.unit


def _held_back(
    plan: Plan, request: Request, product: Product, out: Out, volume_l: float, amount: float, unit: str
) -> float:
    """Return what of an amount is put in now: at most what the label allows at once, and what is on the shelf."""
    m3, density = volume_l / 1000, product.density_kg_l
    litres = amount if unit == "L" else amount / density if density else None
    most = product.most_l_m3_at_once or (product.label_l_m3[1] if product.label_l_m3 else None)
    bounds = {"label-most": most * m3 if most is not None else None, "stock": product.stock_l}
    if litres is None:
        return amount
    for code, bound in bounds.items():
        if bound is None or litres <= bound:
            continue
        plan.say(code)
        plan.figures.setdefault("needed-l", litres)
        litres = bound
        held = strength(product, out.band.form)
        if held is not None:
            own = litres if held.unit == "L" else litres * (density or 1.0)
            plan.figure(f"reached-with-{code}", out.value + own * held.mg / volume_l)
    return litres if unit == "L" else litres * (density or 1.0)
