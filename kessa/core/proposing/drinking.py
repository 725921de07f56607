"""Wells and supplies of drinking water: disinfection, chlorine, and what chlorine does nothing about."""

from __future__ import annotations

import math
from typing import Any

from kessa.core.proposing.doses import CHLORINE, allowed, dose, from_stock, raising, strength
from kessa.core.proposing.levels import Out, in_terms_of
from kessa.core.proposing.plan import NO_VOLUME, Plan
from kessa.core.proposing.request import Band, Product, Request
from kessa.core.proposing.substances import grams_for
from kessa.core.quantities.units import convert
from kessa.core.treating.amounts import figures, written
from kessa.core.treating.volumes import water_in_well

GERMS = (
    "E. coli", "coliform bacteria", "coliforms", "coliform", "total coliforms", "total coliform", "enterococci",
    "faecal coliforms", "fecal coliforms",
)  # fmt: skip
# Free chlorine of a shock, mg/L as Cl2, where no band is given for it, and for how long, h: EPA, CDC, state guidance.
_SHOCK, _SHOCK_H = (50.0, 200.0), 12.0
# So much chlorine iron and manganese take up, mg Cl2 a mg: 2 Fe²⁺ + HOCl, Mn²⁺ + HOCl.
_IRON_TAKES, _MANGANESE_TAKES = 0.64, 1.29
# Combined chlorine takes up so much before any stays free, mg Cl2 a mg: in theory and in practice (White's Handbook).
_BREAKPOINT = (0.5, 1.0)
# From so much combined chlorine on, with hardly any free, the water may have been chloraminated on purpose, mg/L.
_MAY_BE_CHLORAMINATED, _HARDLY = 1.5, 0.15
_NOTICED = 0.15
NO_BLEACH = "no chlorine for drinking water is on the shelf"
# Of these a laboratory and who is responsible decide; neither chlorine nor boiling helps.
_INFANTS = ("nitrate", "nitrite", "nitrate and nitrite")
_TOXIC = ("arsenic", "lead", "fluoride", "uranium", "copper", "manganese", "cadmium", "chromium")


def treat_well(plan: Plan, request: Request, outs: list[Out]) -> None:
    """Propose what a well needs."""
    _not_by_chlorine(plan, outs)
    germs = [each for each in request.findings if each.name in GERMS and each.value > 0]
    if germs:
        plan.say("do-not-drink")
        _disinfect(plan, request, germs[0].name)
        return
    for out in outs:
        if "chlorine" in out.name and out.side == "high":
            _too_much_chlorine(plan, out)
        elif out.name == "free chlorine":
            dose(plan, request.holding(_well_litres(plan, request)), out, small_in_ml=True)
        elif out.name not in (*_INFANTS, *_TOXIC, *GERMS):
            plan.step("ask", parameter=out.name)


def _not_by_chlorine(plan: Plan, outs: list[Out]) -> None:
    for out in outs:
        if out.side != "high" or out.name not in (*_INFANTS, *_TOXIC):
            continue
        if out.name in _INFANTS:
            plan.say("infants")
            if out.name == "nitrate" and out.band.form is not None:
                plan.figure("as-no3", convert(out.value, out.band.unit, out.band.form, "mg/L", "NO3"))
        plan.say("do-not-drink", "no-boiling")
        plan.step("laboratory", parameter=out.name)


def _well_litres(plan: Plan, request: Request) -> float | None:
    """Return how much is disinfected: what stands in the bore, and pipes and vessel."""
    system = request.system
    if system.volume_l is not None:
        return system.volume_l
    if system.bore_mm is None or system.water_m is None:
        return None
    litres = water_in_well(system.water_m, system.bore_mm) + system.pipes_l
    plan.figure("volume-l", litres)
    return litres


def _disinfect(plan: Plan, request: Request, germ: str) -> None:
    before = request.last("disinfect")
    if before:
        plan.say("came-back")
        plan.figure("days-since-disinfected", before.days_ago)
    band = next((each for each in request.bands if each.purpose == "shock"), None)
    least, most = (band.least or _SHOCK[0], band.most or _SHOCK[1]) if band else _SHOCK
    strong = [each for each in raising(request, "free chlorine") if _most(each) >= least]
    product = allowed(plan, request, strong, parameter=germ)
    litres = _well_litres(plan, request)
    if product is None:
        if not strong:
            plan.step("ask", parameter=germ, why=NO_BLEACH)
    elif litres is None:
        plan.say("volume-unknown")
        plan.step("ask", product.name, parameter=germ, why=NO_VOLUME)
    else:
        held = strength(product, CHLORINE)
        if held is None:
            plan.step("ask", product.name, parameter=germ, why="its label does not say how strong it is")
            return
        plan.figure("cl2-per-naocl", 70.9 / 74.44)
        plan.figure("shock-least-mg-l", least)
        taken = _taken_up(request)
        aim = min(min(2 * least, (least + most) / 2) + taken, _most(product))
        amount = aim * litres / held.mg
        demand = f", {figures(taken)} mg/L of it for iron and manganese" if taken else ""
        working = (
            f"{figures(litres)} L × {figures(aim)} mg/L of chlorine{demand} / 1000 = {figures(litres * aim / 1000)} g",
            f"of {product.name}: {written(amount, held.unit)}",
        )
        there = from_stock(plan, product, amount)
        about: dict[str, Any] = {"contact_h": _SHOCK_H, "working": working, "needed": there.needed}
        plan.step("disinfect", product.name, there.now, held.unit, parameter=germ, **about)
        plan.step("flush", parameter=germ)
    plan.step("laboratory", parameter=germ)
    plan.step("retest", parameter=germ)


def _most(product: Product) -> float:
    """Return the most chlorine that a label allows in the water, mg/L as Cl2."""
    most = product.most_level
    return math.inf if most is None else most / grams_for(product.form_as, CHLORINE.form)


def _taken_up(request: Request) -> float:
    """Return how much chlorine iron and manganese of the water take up, mg/L."""
    takes = (("iron", _IRON_TAKES), ("manganese", _MANGANESE_TAKES))
    found = ((request.found(name), part) for name, part in takes)
    return sum(each.value * part for each, part in found if each is not None)


# ---- supplies -------------------------------------------------------------------------------------------------------


def treat_supply(plan: Plan, request: Request, outs: list[Out]) -> None:
    """Propose what a supply needs: its residual, free or combined."""
    _not_by_chlorine(plan, outs)
    for each in request.findings:
        if each.name in GERMS and each.value > 0:
            plan.say("do-not-drink")
            plan.step("laboratory", parameter=each.name)
    if "chloramin" in request.system.disinfectant.lower():
        _chloraminated(plan, outs)
        return
    for out in outs:
        if out.name == "free chlorine" and out.side == "low":
            _residual(plan, request, out)
        elif "chlorine" in out.name and out.side == "high":
            _too_much_chlorine(plan, out)
        elif "hardness" in out.name and out.side == "high" and request.system.is_softened:
            plan.step("regenerate", parameter=out.name)
            plan.step("retest", parameter=out.name)
        elif out.name not in (*_INFANTS, *_TOXIC, *GERMS):
            _otherwise(plan, request, out)


def _too_much_chlorine(plan: Plan, out: Out) -> None:
    plan.say("stop-feed")
    plan.step("retest", parameter=out.name)


def _otherwise(plan: Plan, request: Request, out: Out) -> None:
    if out.side == "low":
        dose(plan, request, out, small_in_ml=True)
    else:
        plan.step("ask", parameter=out.name)


def _chloraminated(plan: Plan, outs: list[Out]) -> None:
    """Of a supply with chloramine the total is what counts: bleach would destroy it."""
    plan.say("chloramine")
    for out in outs:
        if out.name == "total chlorine":
            plan.step("ask", parameter=out.name, why="whoever runs the supply sets ammonia and chlorine together")
        elif out.name != "free chlorine":
            plan.step("ask", parameter=out.name)


def _residual(plan: Plan, request: Request, out: Out) -> None:
    combined = _combined(request, out.band)
    if combined is None or combined < _NOTICED:
        dose(plan, request, out, small_in_ml=True)
        return
    plan.say("breakpoint")
    plan.figure("combined-mg-l", combined)
    if combined >= _MAY_BE_CHLORAMINATED and out.value <= _HARDLY * combined:
        plan.say("chloramine")
        plan.step("ask", parameter="combined chlorine", why="whether this supply is chloraminated on purpose")
        return
    missing = out.aim - out.value + sum(_BREAKPOINT) / 2 * combined
    plan.figure("chlorine-mg-l", missing)
    # The breakpoint's chlorine is used up: it is asked for as a lower level to begin with.
    dose(plan, request, out._replace(value=out.aim - missing), small_in_ml=True)


def _combined(request: Request, band: Band) -> float | None:
    free, total = request.found("free chlorine"), request.found("total chlorine")
    if free is None or total is None:
        return None
    return in_terms_of(total.value, total, band) - in_terms_of(free.value, free, band)
