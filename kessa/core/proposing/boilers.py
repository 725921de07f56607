"""Steam boilers: blowdown, what scavenges oxygen, and where hardness comes from."""

from __future__ import annotations

from kessa.core.derived.cycles import boiler_blowdown
from kessa.core.proposing.bleeding import by_the_valve, never_by_make_up
from kessa.core.proposing.doses import allowed, dose, raising, strength
from kessa.core.proposing.levels import Out, is_of_stream, washes_out
from kessa.core.proposing.plan import NO_VOLUME, NOTHING_RAISES, Plan
from kessa.core.proposing.request import Level, Product, Request, called
from kessa.core.proposing.substances import molar_mass, substance
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.species import FORMS
from kessa.core.quantities.tables import between_lines
from kessa.core.treating.amounts import figures, level
from kessa.core.treating.dosing import bleed

# Dissolved oxygen of water in the open at 1 atm, mg/L by °C: solubility, towards nothing at the boil.
_OXYGEN = (
    (0.0, 14.6), (10.0, 11.3), (20.0, 9.1), (30.0, 7.5), (40.0, 6.4), (50.0, 5.5), (60.0, 4.7), (70.0, 3.8),
    (80.0, 2.8), (85.0, 2.3), (90.0, 1.6), (95.0, 0.9), (98.0, 0.4), (100.0, 0.0),
)  # fmt: skip
# Heat of boiling water, kJ/kg by bar above the air: steam tables (IAPWS-IF97).
_HEAT = (
    (0.0, 417.0), (1.0, 505.0), (2.0, 561.0), (4.0, 640.0), (6.0, 697.0), (9.0, 763.0), (14.0, 845.0), (19.0, 908.0),
    (29.0, 1008.0), (39.0, 1087.0), (59.0, 1213.0), (79.0, 1317.0), (99.0, 1408.0),
)  # fmt: skip
# Cold make-up, kJ/kg at 15 °C.
_COLD = 63.0
# So much of the hardness of the feed comes with the condensate where that explains it.
_EXPLAINS = 0.7
# More of the boiler's water than this part in its steam is carried over: level, foam, load, or a leak of raw water.
_CARRIED = 0.01
# What is put in: where there is too much of it, less is fed.
_FED = ("phosphate", "sulfite", "hydrazine", "molybdate", "polymer")


def treat_boiler(plan: Plan, request: Request, outs: list[Out]) -> None:
    """Propose what a boiler needs, from where its hardness comes to what is dosed."""
    hard = [each for each in outs if "hardness" in each.name and each.side == "high"]
    if hard:
        _where_from(plan, request, hard)
    # What is blown down takes along what is dosed: it comes first.
    for out in sorted((each for each in outs if each not in hard), key=lambda each: each.side != "high"):
        if out.name == "feed oxygen" and out.side == "high":
            _scavenge(plan, request, out)
        elif out.name == "sulfite" and out.side == "low" and _oxygen(plan, request) and _feed(request):
            _feed_sulfite(plan, request, out)
        elif out.side == "low" and (request.supplied(out.name) is None or raising(request, out.name)):
            dose(plan, request, out)
        elif washes_out(out.name):
            _blow_down(plan, request, out)
        elif is_of_stream(out.name):
            _look_upstream(plan, out)
        else:
            plan.step("ask", parameter=out.name, why="no blowdown that could be worked out brings it back")


def _look_upstream(plan: Plan, out: Out) -> None:
    """Ask where it comes from: no blowdown changes what comes to a boiler; of carry-over it is said already."""
    if not any((each.do, each.parameter) == ("ask", out.name) for each in plan.steps):
        plan.step("ask", parameter=out.name, why="it comes to the boiler with it: look where it gets in")


def _where_from(plan: Plan, request: Request, hard: list[Out]) -> None:
    """Say whether hardness comes with the condensate, from a leak, or through the softener."""
    condensate, feed = request.found("condensate hardness"), request.found("feed hardness")
    supplied = request.supplied("hardness")
    returned = request.system.condensate_return_percent / 100
    if condensate is not None:
        brought = returned * condensate.value
        plan.figure("feed-hardness-from-condensate", brought)
        if any(each.name == "condensate hardness" for each in hard) and (
            feed is None or brought >= _EXPLAINS * feed.value or not supplied
        ):
            plan.say("condensate-leak")
            plan.step("look-for-leak", parameter="condensate hardness", why="a heat exchanger lets water in")
            return
    if supplied or feed is not None:
        plan.say("softener")
        plan.step("regenerate", parameter=hard[0].name)
        plan.step("retest", parameter=hard[0].name)
        return
    plan.step("ask", parameter=hard[0].name, why="where the hardness comes from is not known")


def _feed(request: Request) -> float | None:
    """Return how much feed water goes in, kg/h: as said, or what leaves as steam and blowdown."""
    system = request.system
    if system.feed_kg_h is not None or system.steam_kg_h is None:
        return system.feed_kg_h
    return system.steam_kg_h + (system.blowdown_kg_h or 0.0)


def _oxygen(plan: Plan, request: Request) -> float | None:
    """Return what oxygen the feed brings, mg/L: as said or found, else what water of its warmth holds in the open."""
    system, found = request.system, request.found("feed oxygen")
    if system.feed_oxygen_mg_l is not None:
        return system.feed_oxygen_mg_l
    if found is not None:
        return found.value
    if system.vented_tank and system.feed_temperature_c is not None:
        oxygen = between_lines(_OXYGEN, system.feed_temperature_c)
        plan.figure("feed-oxygen-mg-l", oxygen)
        return oxygen
    return None


def _as_sold(product: Product) -> Level:
    """What a product holds as its own label counts it, mg/L."""
    return Level(parameter="", unit="mg/L", **{"as": product.form_as})


def _for_oxygen(product: Product) -> float | None:
    """Return how many mg of what a product is counted as take up a mg of oxygen; None where that is not known.

    2 SO3²⁻ + O2 → 2 SO4²⁻; N2H4 + O2 → N2 + 2 H2O.
    """
    name = product.form_as or ""
    if name == "N2H4":
        return (2 * 14.007 + 4 * 1.008) / FORMS["O2"].molar_mass
    if name and substance(name).family == "sulfur":
        return 2 * substance(name).grams / FORMS["O2"].molar_mass
    return None


def _feed_sulfite(plan: Plan, request: Request, out: Out) -> None:
    """Propose a rate: what the oxygen takes up, and what the blowdown takes away at the aim."""
    products = raising(request, "sulfite")
    if not products:
        plan.step("ask", parameter="sulfite", why=NOTHING_RAISES)
        return
    product = allowed(plan, request, products, parameter="sulfite")
    if product is None:
        return
    held, ratio = strength(product, _as_sold(product)), _for_oxygen(product)
    oxygen, feed = _oxygen(plan, request), _feed(request)
    if held is None or ratio is None or oxygen is None or feed is None:
        plan.step("ask", product.name, parameter="sulfite", why="its label does not say how strong it is")
        return
    own = substance(product.form_as or "SO3").grams / substance(out.band.form or "SO3").grams
    away = (request.system.blowdown_kg_h or 0.0) * out.aim * own
    taken = feed * oxygen * ratio
    form = f" {product.form_as}" if product.form_as else ""
    working = (
        f"oxygen of the feed: {plain(feed)} kg/h × {plain(oxygen)} mg/L × {ratio:.3g} "
        f"= {figures(taken / 1000)} g/h{form}",
        f"with the blowdown at {level(out.band, out.aim)}: {figures(away / 1000)} g/h{form}",
    )
    amount = (taken + away) / held.mg
    plan.step("dose", product.name, amount, f"{held.unit}/h", parameter="sulfite", aim=out.aim, working=working)
    plan.step("retest", parameter="sulfite")


def _scavenge(plan: Plan, request: Request, out: Out) -> None:
    """Propose what takes up the oxygen of the feed."""
    takes = [
        each for each in request.products
        if called(each.raises) == "sulfite" or called(each.lowers) in ("feed oxygen", "oxygen")
    ]  # fmt: skip
    if not takes:
        plan.step("ask", parameter=out.name, why="nothing on the shelf takes up oxygen")
        return
    product = allowed(plan, request, takes)
    if product is None:
        return
    feed, held, ratio = _feed(request), strength(product, _as_sold(product)), _for_oxygen(product)
    if feed is None or held is None or ratio is None:
        plan.step("ask", product.name, parameter=out.name, why="the feed, or how strong the product is, is not known")
        return
    taken = feed * out.value * ratio
    working = f"{plain(feed)} kg/h × {plain(out.value)} mg/L of oxygen × {ratio:.3g} = {figures(taken / 1000)} g/h"
    amount, unit = taken / held.mg, f"{held.unit}/h"
    plan.step("dose", product.name, amount, unit, parameter=out.name, working=(f"{working} {product.form_as}",))
    plan.step("retest", parameter=out.name)


def _blow_down(plan: Plan, request: Request, out: Out) -> None:
    """Propose how much is blown down: what comes in with make-up and condensate goes out with it at the aim."""
    fed = request.supplied(out.name) or 0.0
    if out.name in _FED and out.side == "high":
        plan.say("stop-feed")
    if out.side == "high" and fed >= out.aim:
        never_by_make_up(plan, out)
        return
    rate, working = _held_by(plan, request, out)
    if out.side == "low":
        plan.say("bleed-less")
        if rate is None:
            plan.step("ask", parameter=out.name, why="what steams off, or what the make-up water holds, is not known")
    else:
        _bring_down(plan, request, out, rate, working)
    if rate is not None:
        plan.step("bleed", amount=rate, unit="kg/h", parameter=out.name, aim=out.aim, working=(working,))
    if out.side == "high":
        plan.step("retest", parameter=out.name)


def _bring_down(plan: Plan, request: Request, out: Out, rate: float | None, working: str) -> None:
    """Propose how much is blown down once, where that can be told."""
    system, supplied = request.system, request.supplied(out.name)
    fed = supplied or 0.0
    if supplied is None and out.name not in _FED:
        plan.say("make-up-unknown")
    if system.bleed_l_min and system.volume_l is not None:
        # Of water that boils away about a kilogram is a litre; what comes back as condensate brings no salt.
        made_up = (system.steam_kg_h or 0.0) * (1 - system.condensate_return_percent / 100)
        by_the_valve(plan, request, out, fed, made_up, rate, working)
    elif rate is not None:
        return
    elif system.volume_l is None:
        plan.say("volume-unknown")
        plan.step("ask", parameter=out.name, why=NO_VOLUME)
    else:
        plan.say("valve-unknown")
        litres = bleed(system.volume_l, 1.0, out.value, out.aim, fed).litres
        line = (
            f"{figures(system.volume_l)} L × ln(({plain(out.value)} − {plain(fed)}) / ({plain(out.aim)} − "
            f"{plain(fed)})) = {figures(litres)} L"
        )
        lines = (line, working) if working else (line,)
        plan.step("bleed", amount=litres, unit="L", parameter=out.name, aim=out.aim, working=lines)
        plan.takes_along(litres, system.volume_l)


def _held_by(plan: Plan, request: Request, out: Out) -> tuple[float | None, str]:
    """Return how much is blown down all the time to hold the aim, kg/h, and how that follows; None without the steam.

    What make-up and condensate bring goes out with the blowdown at the aim; the steam takes none along.
    """
    system, supplied = request.system, request.supplied(out.name)
    if not supplied or supplied >= out.aim:
        return None, ""
    if system.steam_kg_h is None:
        percent, _ = boiler_blowdown(supplied, out.aim)
        share = f"{plain(supplied)} / {plain(out.aim)} = {figures(percent)} % of the feed bled"
        return None, f"to hold it there: {share}"
    returned = system.condensate_return_percent / 100
    back = system.condensate_tds_mg_l if out.name == "tds" else 0.0
    brought = (1 - returned) * supplied + returned * back
    rate = system.steam_kg_h * brought / (out.aim - supplied)
    plan.figure("make-up-kg-h", system.steam_kg_h * (1 - returned) + rate)
    plan.figure("blowdown-percent-of-feed", 100 * rate / (system.steam_kg_h + rate))
    heat = ""
    if system.pressure_bar is not None:
        lost_kw = rate * (between_lines(_HEAT, system.pressure_bar) - _COLD) / 3600
        plan.figure("blowdown-heat-kw", lost_kw)
        heat = f", with {figures(lost_kw)} kW of heat"
    return rate, (
        f"to hold it there: {plain(system.steam_kg_h)} kg/h of steam × {plain(brought)} / ({plain(out.aim)} − "
        f"{plain(supplied)}) = {figures(rate)} kg/h blown down{heat}"
    )


def carry_over(plan: Plan, request: Request) -> None:
    """Note which part of the boiler's water goes along with its steam, by what its condensate holds of a salt."""
    for name in ("conductivity", "tds", "silica"):
        drum, condensate = request.found(name), request.found(f"condensate {name}")
        if drum and condensate and drum.value > 0 and drum.unit == condensate.unit:
            plan.figure("carry-over-percent", 100 * condensate.value / drum.value)
            if condensate.value > _CARRIED * drum.value:
                plan.say("carry-over")
                plan.step("ask", parameter=f"condensate {name}")
            return


def crystals(plan: Plan, request: Request) -> None:
    """Note how much phosphate the crystals of a phosphate hold, by their formula."""
    for product in request.products:
        for formula in product.holds:
            if formula.startswith("Na") and "PO4" in formula:
                plan.figure("po4-in-crystals-percent", 100 * FORMS["PO4"].molar_mass / molar_mass(formula))
