"""Bacteria and legionella in water systems: what kills them, for how long, and who looks again."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from kessa.core.proposing.doses import CHLORINE, allowed, by_label, from_stock, label_working, strength
from kessa.core.proposing.levels import Out
from kessa.core.proposing.plan import NO_VOLUME, Plan
from kessa.core.proposing.refusals import CLOSED
from kessa.core.proposing.request import Finding, Product, Request, called
from kessa.core.treating.amounts import figures, written

NOTHING_KILLS = "nothing on the shelf kills bacteria"
# CFU/mL up to which a tower is under control, and from which it is treated at once: HSE HSG274 part 1.
_CONTROLLED = 1e4
# CFU/L of legionella: sampled again, and treated at once (HSE HSG274 part 1, table 1.10).
_LEGIONELLA_AGAIN, _LEGIONELLA_AT_ONCE = 100, 1000
# Bleach instead of a biocide: so much free chlorine, mg/L, for so many hours.
_SHOCK_MG_L, _SHOCK_H = 5.0, 5.0


def treat_bacteria(plan: Plan, request: Request, outs: Sequence[Out]) -> None:
    """Propose what bacteria and legionella of a tower or loop ask for, by their bands or else by what is published."""
    found, legionella = request.found("bacteria"), request.found("legionella")
    if legionella is not None and _is_too_many(request, outs, legionella, _LEGIONELLA_AGAIN):
        _legionella(plan, request, legionella)
    elif found is not None and _is_too_many(request, outs, found, _CONTROLLED):
        plan.say("legionella")
        _shock(plan, request)
        plan.step("retest", parameter="bacteria")
        plan.step("laboratory", parameter="bacteria" if request.system.kind in CLOSED else "legionella")


def _is_too_many(request: Request, outs: Sequence[Out], found: Finding, published: float) -> bool:
    """Whether there are more than its band allows; where no band is given, than what is published."""
    if request.band(found.name) is not None:
        return any(each.name == found.name for each in outs)
    return (_per_ml(found) if found.name == "bacteria" else found.value) > published


def _per_ml(found: Finding) -> float:
    unit = found.unit.lower().replace(" ", "")
    return found.value / 1000 if unit == "cfu/l" else found.value / 100 if "100ml" in unit else found.value


def _legionella(plan: Plan, request: Request, found: Finding) -> None:
    plan.say("legionella")
    if _per_ml(found) * 1000 >= _LEGIONELLA_AT_ONCE:
        plan.say("fans-off", "responsible")
        _shock(plan, request)
    plan.step("laboratory", parameter="legionella")
    plan.step("retest", parameter="legionella")


def _shock(plan: Plan, request: Request) -> None:
    """Propose a slug of what kills, another than the last time where there is one; else bleach. The bleed is shut."""
    kills = [each for each in request.products if each.kills]
    before = request.last("biocide", "dose")
    kills.sort(key=lambda each: before is not None and each.name == before.product)
    bleach = [each for each in request.products if called(each.raises) == "free chlorine"]
    volume_l = request.system.volume_l
    if volume_l is None:
        plan.say("volume-unknown")
        plan.step("ask", parameter="bacteria", why=NO_VOLUME)
        return
    for each in bleach:
        held = strength(each, CHLORINE)
        if held is not None and held.unit == "L":
            plan.figures.setdefault("bleach-to-5-mg-l-l", _SHOCK_MG_L * volume_l / held.mg)
    product = allowed(plan, request, kills, parameter="bacteria") if kills else None
    litres = by_label(request, product) if product else None
    if product is not None and litres is not None:
        _slug(plan, request, product, litres)
        return
    chlorine = allowed(plan, request, bleach, parameter="bacteria") if bleach else None
    held = strength(chlorine, CHLORINE) if chlorine else None
    if chlorine is None or held is None:
        plan.step("ask", parameter="bacteria", why=NOTHING_KILLS)
        return
    _shut(plan, request)
    amount = _SHOCK_MG_L * volume_l / held.mg
    working = (f"{figures(volume_l)} L × {_SHOCK_MG_L:g} mg/L of chlorine: {written(amount, held.unit)}",)
    about: dict[str, Any] = {"parameter": "bacteria", "contact_h": _SHOCK_H, "working": working}
    about["bleed"] = _bleed(request)
    there = from_stock(plan, chlorine, amount)
    plan.step("disinfect", chlorine.name, there.now, held.unit, needed=there.needed, **about)


def _slug(plan: Plan, request: Request, product: Product, litres: float) -> None:
    _shut(plan, request)
    about: dict[str, Any] = {"contact_h": product.contact_h, "bleed": _bleed(request), "parameter": "bacteria"}
    about["working"] = (*label_working(request, product, litres), *_half_gone(plan, request))
    there = from_stock(plan, product, litres)
    plan.step("biocide", product.name, there.now, product.unit, needed=there.needed, **about)


def _half_gone(plan: Plan, request: Request) -> list[str]:
    """Say in how many hours half of what was put in has left with the bleed, once that runs again."""
    system = request.system
    leaves = (system.bleed_now_l_h or plan.figures.get("hold-bleed-l-h") or 0.0) + system.drift_l_h
    if not leaves or system.volume_l is None:
        return []
    hours = math.log(2) * system.volume_l / leaves
    plan.figure("half-gone-h", hours)
    return [f"half of it is gone {figures(hours)} h after the bleed runs again: {figures(leaves)} L/h leave"]


def _shut(plan: Plan, request: Request) -> None:
    if request.system.bleed_l_min or request.system.bleed_now_l_h:
        plan.say("shut-bleed")


def _bleed(request: Request) -> str:
    """How the bleed stands while something kills the bacteria; a closed loop has none."""
    return "" if request.system.kind in CLOSED else "shut"
