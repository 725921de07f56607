"""Closed loops: inhibitors, what became of them, cleaning, glycol."""

from __future__ import annotations

import math
from typing import NamedTuple

from kessa.core.proposing.doses import allowed, brought, by_label, dose
from kessa.core.proposing.levels import Out
from kessa.core.proposing.plan import Plan
from kessa.core.proposing.request import Event, Product, Request, called
from kessa.core.proposing.tables import between_lines
from kessa.core.treating.dosing import drain_to

# Freezing points of glycol in water, °C by percent by volume: ASHRAE Fundamentals, physical properties of secondary
# coolants.
_FREEZING = {
    "propylene": (
        (0.0, 0.0), (4.8, -1.6), (9.6, -3.3), (14.5, -5.1), (19.4, -7.1), (24.4, -9.6), (29.4, -12.7), (34.4, -16.4),
        (39.6, -21.1), (44.7, -26.7), (49.9, -33.5), (55.0, -41.6), (60.1, -51.1),
    ),
    "ethylene": (
        (0.0, 0.0), (4.4, -1.4), (8.9, -3.2), (13.6, -5.4), (18.1, -7.8), (22.9, -10.7), (27.7, -14.1), (32.6, -17.9),
        (37.5, -22.3), (42.5, -27.5), (47.5, -33.8), (52.7, -41.1), (57.8, -48.3),
    ),
}  # fmt: skip
# What tells how much water was lost: it goes with the water alone.
_TRACERS = ("molybdate", "conductivity", "chloride", "tds")
_EATEN = ("nitrite",)
# It fell where so much of what was expected is gone; what stayed within this is steady; two that differ by less fell
# alike.
_FELL, _STEADY, _ALIKE = 0.9, 0.95, 0.12
_DIRT = ("iron", "copper", "suspended solids", "turbidity", "oil", "manganese")
# What stands for what on a cleaner's label.
_CLEANS = {"iron": ("iron", "rust", "magnetite"), "copper": ("copper",), "oil": ("oil", "grease")}


class _Expected(NamedTuple):
    """What a level was, what was put in since and what is left of it now, and over how many days."""

    before: float
    expected: float
    now: float
    days: float
    was_dosed: bool


def freezing_point(glycol: str, percent: float) -> float:
    """Return at how many °C water with so much of a glycol (percent by volume) freezes."""
    return between_lines(_FREEZING[glycol], percent)


def treat_loop(plan: Plan, request: Request, outs: list[Out]) -> None:
    """Propose what a closed loop needs: what is lost is looked for before it is put back, dirt goes first."""
    volume_l = request.system.volume_l
    _what_became_of(plan, request, volume_l)
    glycol = next((each for each in outs if each.name == "glycol"), None)
    frost = next((each for each in outs if each.name == "freezing point"), None)
    dirty = [each for each in outs if each.name in _DIRT and each.side == "high"]
    if dirty:
        _clean(plan, request, dirty[0], volume_l)
    if glycol:
        _swap(plan, request, glycol.value, glycol.aim, volume_l)
    elif frost:
        _swap_by_frost(plan, request, frost, volume_l)
    for out in outs:
        if out in (glycol, frost) or out in dirty:
            continue
        if out.side == "low":
            dose(plan, request, out)
        else:
            _thin(plan, request, out, volume_l)


def _what_became_of(plan: Plan, request: Request, volume_l: float | None) -> None:
    """Hold an inhibitor against what was there before and was put in since: a leak loses water, bacteria eat it."""
    eaten = next((each for each in request.findings if each.name in _EATEN), None)
    seen = eaten and _expected(request, eaten.name, eaten.value, eaten.form, volume_l)
    if not eaten or not seen or seen.expected <= 0 or seen.now / seen.expected >= _FELL:
        _lost_by_tracer_alone(plan, request, volume_l, bool(eaten))
        return
    if seen.was_dosed:
        plan.figure("expected-mg-l", seen.expected)
        plan.figure("lost-mg-l", seen.expected - seen.now)
        if seen.now <= seen.before:
            plan.say("went-down-though-dosed")
    left = _left_by_tracers(request, volume_l)
    nitrite_left = seen.now / seen.expected
    if left is None:
        plan.step("look-for-leak", parameter=eaten.name)
        plan.step("look-for-bacteria", parameter=eaten.name)
        return
    if left < _FELL:
        _leak(plan, left if nitrite_left < left - _ALIKE else (left + nitrite_left) / 2, seen.days, volume_l)
    if left >= _STEADY or nitrite_left < left - _ALIKE:
        plan.say("bacteria")
        if left >= _STEADY:
            plan.say("tracer-steady")
        plan.step("look-for-bacteria", parameter=eaten.name)
        _kill(plan, request)
        plan.step("laboratory", parameter="bacteria")


def _lost_by_tracer_alone(plan: Plan, request: Request, volume_l: float | None, has_nitrite: bool) -> None:
    left = _left_by_tracers(request, volume_l)
    if left is not None and left < _FELL and not has_nitrite:
        tests = [each for each in request.history if each.findings]
        _leak(plan, left, tests[-1].days_ago if tests else 0.0, volume_l)


def _leak(plan: Plan, left: float, days: float, volume_l: float | None) -> None:
    plan.say("leak", "tracer-fell")
    plan.figure("left-fraction", left)
    if volume_l is not None:
        lost = volume_l * math.log(1 / left) if left > 0 else volume_l
        plan.figure("lost-l", lost)
        if days > 0:
            plan.figure("lost-l-per-day", lost / days)
    plan.step("look-for-leak")


def _expected(
    request: Request, name: str, now: float, written_as: str | None, volume_l: float | None
) -> _Expected | None:
    """Return what a level should be by the last test before, and what was put in since."""
    tests = [each for each in request.history if name in each.levels]
    if not tests:
        return None
    last = tests[-1]
    before = last.level(name, written_as)
    after = request.history[request.history.index(last) + 1 :]
    added = [_raised(request, each, name, written_as, volume_l) for each in after if each.done == "dose"]
    known = [each for each in added if each is not None]
    return _Expected(before, before + sum(known), now, last.days_ago, bool(known))


def _raised(request: Request, event: Event, name: str, written_as: str | None, volume_l: float | None) -> float | None:
    product = next((each for each in request.products if each.name == event.product), None)
    if product is None or called(product.raises) != name or volume_l is None:
        return None
    put_in = brought(event, product, written_as)
    return None if put_in is None else put_in / volume_l


def _left_by_tracers(request: Request, volume_l: float | None) -> float | None:
    """Return which part of what only goes with the water is left, over its make-up; None where nothing tells."""
    parts = []
    for finding in request.findings:
        if finding.name not in _TRACERS:
            continue
        seen = _expected(request, finding.name, finding.value, finding.form, volume_l)
        supplied = request.supplied(finding.name) or 0.0
        # What was dosed raises the conductivity too, by how much nobody knows.
        is_muddled = finding.name in ("conductivity", "tds") and any(each.done == "dose" for each in request.history)
        if seen and seen.expected > supplied and not is_muddled:
            parts.append((finding.value - supplied) / (seen.expected - supplied))
    return sum(parts) / len(parts) if parts else None


def _kill(plan: Plan, request: Request) -> None:
    """Propose what kills bacteria where it does no harm to the inhibitor."""
    kills = [each for each in request.products if each.kills]
    product = allowed(plan, request, kills) if kills else None
    litres = by_label(request, product) if product else None
    if product and litres is not None:
        plan.step("biocide", product.name, litres, "L", contact_h=product.contact_h)


# ---- dirt -----------------------------------------------------------------------------------------------------------


def _clean(plan: Plan, request: Request, out: Out, volume_l: float | None) -> None:
    """Propose a cleaner that fits by its label, and the flush after it; others are refused where they would do harm."""
    cleaners = [each for each in request.products if each.cleans]
    words = _CLEANS.get(out.name, (out.name,))
    fitting = [each for each in cleaners if any(word in each.cleans.lower() for word in words)]
    product = allowed(plan, request, fitting) if fitting else None
    if product is None:
        allowed_at_all = allowed(plan, request, [each for each in cleaners if each not in fitting])
        if allowed_at_all is not None or not plan.has("refuse"):
            plan.step("ask", parameter=out.name, why="nothing on the shelf cleans this")
        return
    if volume_l is None:
        plan.say("volume-unknown")
        plan.step("ask", parameter=out.name, why="nobody knows how much the system holds")
        return
    amount = by_label(request, product)
    if amount is not None and product.stock_l is not None and product.stock_l < amount:
        plan.say("stock")
    plan.step("clean", product.name, amount, "L" if amount is not None else "", parameter=out.name)
    if request.system.glycol:
        # Through a filter beside the loop; water would wash the frost protection out.
        plan.say("frost-protection", "side-stream")
        _refill(plan, request, volume_l)
    else:
        plan.step("flush", parameter=out.name)
    plan.step("retest", parameter=out.name)


def _refill(plan: Plan, request: Request, litres: float) -> None:
    """Propose to fill up with glycol and water as they were, where a loop is kept from freezing."""
    product = _glycol_for(plan, request)
    plan.step("refill-premixed", product.name if product else "", litres, "L")


# ---- too much of it -------------------------------------------------------------------------------------------------


def _thin(plan: Plan, request: Request, out: Out, volume_l: float | None) -> None:
    """Propose to drain and fill up; where there is glycol in it, with glycol and water as they were."""
    supplied = request.supplied(out.name) or 0.0
    if out.name == "pH" or supplied >= out.aim:
        plan.step("ask", parameter=out.name, why="fresh water does not bring it down")
        return
    if volume_l is None:
        plan.say("volume-unknown")
        plan.step("ask", parameter=out.name, why="nobody knows how much the system holds")
        return
    litres = drain_to(volume_l, out.value, out.aim, supplied)
    plan.say("stop-feed")
    plan.step("drain", amount=litres, unit="L", parameter=out.name)
    if request.system.glycol:
        plan.say("frost-protection")
        _refill(plan, request, litres)
    else:
        plan.step("refill-water", amount=litres, unit="L")
    plan.step("retest", parameter=out.name)


# ---- glycol ---------------------------------------------------------------------------------------------------------


def _glycol_of(request: Request) -> str | None:
    return request.system.glycol or next((each.glycol for each in request.products if each.glycol), None)


def _glycol_for(plan: Plan, request: Request) -> Product | None:
    products = [each for each in request.products if each.glycol or called(each.raises) == "glycol"]
    return allowed(plan, request, products) if products else None


def _swap_by_frost(plan: Plan, request: Request, out: Out, volume_l: float | None) -> None:
    """Propose what brings the freezing point where it is to be, by the glycol that this takes."""
    glycol = _glycol_of(request)
    if glycol is None:
        plan.step("ask", parameter=out.name, why="which glycol is in it is not known")
        return
    by_frost = tuple(sorted((celsius, percent) for percent, celsius in _FREEZING[glycol]))
    now, aim = (between_lines(by_frost, _celsius(out, each)) for each in (out.value, out.aim))
    _swap(plan, request, now, aim, volume_l)


def _celsius(out: Out, value: float) -> float:
    return (value - 32) / 1.8 if out.band.unit == "degF" else value


def _swap(plan: Plan, request: Request, now: float, aim: float, volume_l: float | None) -> None:
    """Propose how much is drained, and with what it is filled up, for another share of glycol."""
    glycol = _glycol_of(request)
    if glycol is not None:
        for name, percent in (("freezing-point", now), ("freezing-after", aim)):
            celsius = freezing_point(glycol, percent)
            plan.figure(f"{name}-c", celsius)
            if request.system.is_customary:
                plan.figure(f"{name}-f", celsius * 1.8 + 32)
    plan.say("frost-protection")
    if volume_l is None:
        plan.say("volume-unknown")
        plan.step("ask", parameter="glycol", why="nobody knows how much the system holds")
        return
    if aim < now:
        litres = volume_l * (now - aim) / now
        plan.step("drain", amount=litres, unit="L", parameter="glycol")
        plan.step("refill-water", amount=litres, unit="L")
        plan.step("retest", parameter="glycol")
        return
    product = _glycol_for(plan, request)
    if product is None:
        if not plan.has("refuse"):
            plan.step("ask", parameter="glycol", why="no glycol is on the shelf")
        return
    strong = product.active_percent or 100.0
    if strong <= aim:
        plan.step("ask", product.name, parameter="glycol", why="it is no stronger than the loop is to be")
        return
    litres = volume_l * (aim - now) / (strong - now)
    plan.step("drain", amount=litres, unit="L", parameter="glycol")
    if product.stock_l is not None and product.stock_l < litres:
        plan.say("stock")
        litres = product.stock_l
    plan.step("dose", product.name, litres, "L", parameter="glycol")
    plan.step("retest", parameter="glycol")
